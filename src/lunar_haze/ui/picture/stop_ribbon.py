"""The stop ribbon: the picture's light in whole stops round the exposure, one cell a stop."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPolygonF,
)
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.colour.ottosson2020 import oklab_to_acescg
from lunar_haze.core.colour.spaces import acescg_to_hex, luminance
from lunar_haze.core.document import edits
from lunar_haze.core.picture.readings import RIBBON_HIGH, RIBBON_LOW, Ribbon, ribbon
from lunar_haze.core.picture.views import FALSE_COLOUR, FALSE_COLOURS, USUAL_VIEW, false_step
from lunar_haze.core.readings.levels import Latitude, waveform
from lunar_haze.core.readings.palette import hue_circle
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image
from lunar_haze.ui.session.session import Session

EDGE_CELL = 84
#: Heights of the ribbon alone and with the waveform [px], and how near to a handle is on it.
CLOSED, OPEN, REACH = 24, 148, 6.0
#: Levels of the waveform, and the stops between which they lie.
ROWS, WAVE_LOW, WAVE_HIGH = 64, -9.0, 7.0


class StopRibbon(QWidget):
    """Pointing at a cell shows where in the picture that stop lies: ``pointed`` (stop, or None).

    Two handles mark what the camera holds (the shot's latitude). A double click, or Space, opens it upwards: the
    picture's light in stops, column by column, and its hues round grey. ``opened`` tells how much higher it is [px].
    """

    pointed = Signal(object)
    opened = Signal(int)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self.reading: Ribbon | None = None
        self.waveform: QImage | None = None
        self.circle: QImage | None = None
        self._under: int | None = None
        self._held: str | None = None
        self.is_open = False
        self.setFixedHeight(CLOSED)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("stop ribbon")
        self.setToolTip(
            "the picture's light in stops round mid grey; point at a cell to see where it lies; the two flags are what "
            "the camera holds; a double click opens the waveform"
        )
        self._reading = QTimer(self, singleShot=True, interval=60)
        self._reading.timeout.connect(self._read)
        bridge.shown.picture_changed.connect(self._reading.start)
        session.changed.connect(self.update)

    def _read(self) -> None:
        if self.bridge.shown.picture is None:
            return
        picture, scale = self.bridge.shown.picture[::2, ::2], self.bridge.shown.exposure()
        self.reading = ribbon(picture, scale)
        if self.is_open:
            self.waveform = _as_picture(waveform(luminance(picture), scale, ROWS, WAVE_LOW, WAVE_HIGH))
            screen = self.bridge.shown.screen.table.show(np.ascontiguousarray(picture[::2, ::2]), scale, dither=False)[
                ..., 2::-1
            ]
            self.circle = _as_picture(np.minimum(hue_circle(screen_lab(screen)) * 8.0, 1.0))
        self.update()

    def toggle(self) -> None:
        """Open the waveform over the ribbon, or close it."""
        self.is_open = not self.is_open
        self.opened.emit(OPEN - CLOSED if self.is_open else 0)
        self.setFixedHeight(OPEN if self.is_open else CLOSED)
        self._read()

    def _cells(self) -> list[tuple[int, QRectF]]:
        count = RIBBON_HIGH - RIBBON_LOW + 1
        width = (self.width() - 2 * EDGE_CELL) / count
        top = self.height() - CLOSED + 2
        return [(RIBBON_LOW + i, QRectF(EDGE_CELL + i * width + 1, top, width - 2, CLOSED - 4)) for i in range(count)]

    # -- latitude -------------------------------------------------------------------------------

    def _x_of(self, stop: float) -> float:
        width = (self.width() - 2 * EDGE_CELL) / (RIBBON_HIGH - RIBBON_LOW + 1)
        return EDGE_CELL + (stop - RIBBON_LOW + 0.5) * width

    def _stop_at(self, x: float) -> float:
        width = (self.width() - 2 * EDGE_CELL) / (RIBBON_HIGH - RIBBON_LOW + 1)
        return round(((x - EDGE_CELL) / width + RIBBON_LOW - 0.5) * 2) / 2

    def handles(self) -> dict[str, float]:
        """Where the ends of the latitude stand [px]."""
        if not self.session.is_open:
            return {}
        latitude = self.session.document.shot.latitude
        return {"low": self._x_of(latitude.low), "high": self._x_of(latitude.high)}

    def _set(self, end: str, stop: float) -> None:
        latitude = self.session.document.shot.latitude
        stop = min(max(stop, RIBBON_LOW - 0.5), RIBBON_HIGH + 0.5)
        stop = min(stop, latitude.high - 1.0) if end == "low" else max(stop, latitude.low + 1.0)
        changed = attrs.evolve(latitude, **{end: stop})
        edited = edits.change_shot(self.session.document, latitude=changed)
        self.session.edit("latitude of the camera", edited, f"latitude {end}")

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        near = {end: abs(x - at.x()) for end, x in self.handles().items()}
        end = min(near, key=lambda e: near[e], default="")
        if end and near[end] < REACH and at.y() > self.height() - CLOSED:
            self._held = end

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._held is not None:
            self._set(self._held, self._stop_at(event.position().x()))
            return
        under = next((stop for stop, cell in self._cells() if cell.contains(event.position())), None)
        if under != self._under:
            self._under = under
            self.pointed.emit(under)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._held is not None:
            self._held = None
            self.session.seal()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        if self.session.is_open:
            self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """The waveform, false colour in the picture, and what the camera usually holds."""
        menu = QMenu(self)
        menu.addAction("close the waveform" if self.is_open else "open the waveform", self.toggle)
        shown = menu.addAction("false colour in the picture", self._toggle_false_colour)
        shown.setCheckable(True)
        shown.setChecked(self._in_false_colour)
        usual = Latitude()
        words = f"latitude as usual: {usual.low:+g} to {usual.high:+g} stops"
        menu.addAction(words, lambda: self._change_latitude(usual))
        return menu

    def _toggle_false_colour(self) -> None:
        view = USUAL_VIEW if self._in_false_colour else FALSE_COLOUR
        self.session.act(f"view: {view}", edits.change_finish(self.session.document, view=view))

    def _change_latitude(self, latitude: Latitude) -> None:
        self.session.act("latitude of the camera", edits.change_shot(self.session.document, latitude=latitude))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.toggle()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        step = {Qt.Key.Key_Left: -0.5, Qt.Key.Key_Right: 0.5}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Space:
            self.toggle()
        elif step is not None and self.session.is_open:
            end = "low" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "high"
            self._set(end, getattr(self.session.document.shot.latitude, end) + step)
            self.session.seal()
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._under = None
        self.pointed.emit(None)
        self.update()

    # -- drawing --------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        painter.setFont(theme.font(theme.SMALL))
        if self.is_open:
            self._paint_waveform(painter)
            self._paint_circle(painter)
        for stop, cell in self._cells():
            painter.fillRect(cell, theme.qcolor(theme.WELL))
            if self.reading is not None:
                share = float(self.reading.cells[stop - RIBBON_LOW])
                # The label keeps the upper half to itself.
                height = (cell.height() - 12) * min(share / 0.3, 1.0)
                fill = QRectF(cell.left(), cell.bottom() - height, cell.width(), height)
                painter.fillRect(fill, self._colour_of(stop))
            if self._in_false_colour:
                # The key to the picture's colours.
                painter.fillRect(QRectF(cell.left(), cell.top(), cell.width(), 3), self._colour_of(stop))
            lit = stop == self._under
            painter.setPen(theme.qcolor(theme.LIT if lit else theme.TEXT if stop == 0 else theme.DIM))
            painter.drawText(
                cell, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter, "grey" if stop == 0 else f"{stop:+d}"
            )
        if self.reading is not None:
            left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
            for share, text, start, align in (
                (self.reading.below, "crushed", 4, left),
                (self.reading.above, "clipped", self.width() - EDGE_CELL + 2, right),
            ):
                area = QRectF(start, self.height() - CLOSED, EDGE_CELL - 6, CLOSED)
                painter.setPen(theme.qcolor(theme.WARN if share > 0.02 else theme.DIM))
                shown = f"{text} {share:.0%}" if share >= 0.005 else text
                painter.drawText(area, align | Qt.AlignmentFlag.AlignVCenter, shown)
        self._paint_handles(painter)

    @property
    def _in_false_colour(self) -> bool:
        return self.session.is_open and self.session.shown_look.finish.in_force.view == FALSE_COLOUR

    def _colour_of(self, stop: int) -> QColor:
        """What stands for a stop: a grey, or the picture's own colour of it while that is shown in false colour."""
        if self._in_false_colour:
            return QColor(*(int(part) for part in FALSE_COLOURS[false_step(np.array(stop))]))
        grey = int(min(max(118 * 2.0 ** (stop * 0.32), 44), 236))
        return QColor(grey, grey, grey)

    def _paint_handles(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.qcolor(theme.CHOSEN))
        # The labels keep the upper half to themselves.
        top, bottom = self.height() - CLOSED + 14.0, self.height() - 1.0
        for end, x in self.handles().items():
            inward = 6.0 if end == "low" else -6.0
            flag = [QPointF(x, top), QPointF(x + inward, top), QPointF(x, top + 7)]
            painter.drawPolygon(QPolygonF(flag))
            painter.drawRect(QRectF(x - 0.7, top, 1.4, bottom - top))

    def _paint_waveform(self, painter: QPainter) -> None:
        area = QRectF(EDGE_CELL, 4, self.width() - 2 * EDGE_CELL, self.height() - CLOSED - 8)
        painter.fillRect(area, theme.qcolor("#000000"))
        if self.waveform is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(area, self.waveform)
        for stop in range(int(WAVE_LOW) + 1, int(WAVE_HIGH), 2):
            y = area.bottom() - (stop - WAVE_LOW) / (WAVE_HIGH - WAVE_LOW) * area.height()
            painter.setPen(theme.qcolor(theme.TEXT if stop == 0 else theme.DIM, 0.5 if stop == 0 else 0.25))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(theme.qcolor(theme.DIM))
            painter.drawText(
                QRectF(4, y - 7, EDGE_CELL - 10, 14),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                "grey" if stop == 0 else f"{stop:+d}",
            )

    def _paint_circle(self, painter: QPainter) -> None:
        side = float(EDGE_CELL - 8)
        area = QRectF(self.width() - EDGE_CELL + 4, (self.height() - CLOSED - side) / 2, side, side)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.qcolor(theme.EDGE))
        painter.setBrush(theme.qcolor("#000000"))
        painter.drawEllipse(area)
        if self.circle is not None:
            painter.save()
            inside = QPainterPath()
            inside.addEllipse(area)
            painter.setClipPath(inside)
            painter.drawImage(area, self.circle)
            painter.restore()
        painter.setPen(Qt.PenStyle.NoPen)
        middle, radius = area.center(), side / 2
        for hue_deg in range(0, 360, 60):
            a, b = math.cos(math.radians(hue_deg)), math.sin(math.radians(hue_deg))
            painter.setBrush(QColor(acescg_to_hex(oklab_to_acescg(np.array([0.7, 0.12 * a, 0.12 * b])))))
            painter.drawEllipse(middle + QPointF(a, -b) * (radius - 1), 3.0, 3.0)


def _as_picture(counts: NDArray[np.float32]) -> QImage:
    """A waveform (rows, w) as a picture: brighter where more of a column lies."""
    grey = np.clip(np.sqrt(counts * 6.0), 0.0, 1.0)
    pixels = np.full((*grey.shape, 4), 255, np.uint8)
    pixels[..., :3] = (grey * 225).astype(np.uint8)[..., None]
    return as_image(pixels)
