"""The plan: the place from above with the frame's view wedge and every source as a mark that can be pulled."""

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QRadialGradient,
    QResizeEvent,
    QWheelEvent,
)  # fmt: skip
from PySide6.QtWidgets import QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.sources.gain import audible
from lunar_haze.core.sources.model import AIMED, PLACED, Source, Sun, Surface
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui import theme
from lunar_haze.ui.bridge import as_image
from lunar_haze.ui.plan_drawing import Relief, draw_relief, relief_of
from lunar_haze.ui.session import Session

STRIP = 18
REACH = 9.0


class PlanView(QWidget):
    """North is up. Drag a mark to move its source, its ring to aim it, the strip on the right for its height."""

    _relief_ready = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.centre = (0.0, 0.0)
        self.metres_per_pixel = 0.2
        self._relief: Relief | None = None
        self._image: QImage | None = None
        self._drawn_for: tuple = ()
        self._gesture: tuple[str, str] | None = None
        self._last = QPointF()
        self.setMinimumSize(200, 160)
        self.setMouseTracking(True)
        self.setAccessibleName("plan")
        self.setToolTip("the place from above: drag marks, wheel to zoom, drag the ground to move")
        session.changed.connect(self.update)
        session.chosen_changed.connect(self.update)
        session.opened.connect(self._frame_all)
        session.place_ready.connect(self._place_ready)
        self._relief_ready.connect(self._take_relief)

    def _place_ready(self) -> None:
        place = self.session.place

        def sample() -> None:
            try:
                self._relief_ready.emit(relief_of(place))
            except RuntimeError:
                pass  # the window is closing

        self.session._run(sample)
        self._frame_all()

    def _take_relief(self, relief: Relief) -> None:
        self._relief = relief
        self._drawn_for = ()
        self.update()

    # -- geometry -------------------------------------------------------------------------------

    def _frame_all(self) -> None:
        """Bring the shots and sources into view."""
        if not self.session.is_open:
            return
        document = self.session.document
        points = [document.shot.camera.position[:2], document.shot.camera.aim[:2]]
        for source in document.look.sources:
            if isinstance(source.shape, PLACED):
                points.append(source.shape.position[:2])
            elif isinstance(source.shape, Surface):
                points += [p[:2] for p in self._surface_places(source)]
        for shot in document.shots:
            points.append(shot.camera.position[:2])
        spots = np.array(points)
        low, high = spots.min(0), spots.max(0)
        self.centre = tuple(((low + high) / 2).tolist())
        extent = max(
            float((high - low)[0]) / max(self.width() - STRIP, 50), float((high - low)[1]) / max(self.height(), 50)
        )
        self.metres_per_pixel = max(extent * 1.35, 0.02)
        self.update()

    def to_screen(self, x: float, y: float) -> QPointF:
        """Screen position of a point of the ground [m]."""
        width = self.width() - STRIP
        return QPointF(
            (x - self.centre[0]) / self.metres_per_pixel + width / 2,
            (self.centre[1] - y) / self.metres_per_pixel + self.height() / 2,
        )

    def to_ground(self, at: QPointF) -> tuple[float, float]:
        """Point of the ground [m] under a screen position."""
        width = self.width() - STRIP
        return (
            (at.x() - width / 2) * self.metres_per_pixel + self.centre[0],
            (self.height() / 2 - at.y()) * self.metres_per_pixel + self.centre[1],
        )

    def _surface_places(self, source: Source) -> list[tuple[float, float, float]]:
        """Centres of the glowing parts of a surface source."""
        place = self.session.place
        if place is None:
            return []
        number = next((i for i, m in enumerate(place.materials) if m.name == source.shape.material), -1)
        wearing = np.flatnonzero(place.material_of == number)
        if not len(wearing):
            return []
        centres = place.positions[place.triangles[wearing].astype(np.int64)].mean(1)
        spots: list[np.ndarray] = []
        # Parts nearer than a metre to each other are one fixture.
        for centre in centres[:: max(len(centres) // 400, 1)]:
            if not any(np.linalg.norm(centre - s) < 1.0 for s in spots):
                spots.append(centre)
        return [tuple(s.tolist()) for s in spots[:64]]

    def marks(self) -> list[tuple[str, str, QPointF]]:
        """Everything that can be pulled: (source id, part, screen position), the chosen one first."""
        found = []
        for source in self.session.document.look.sources:
            shape = source.shape
            if isinstance(shape, PLACED):
                found.append((source.id, "position", self.to_screen(*shape.position[:2])))
                if isinstance(shape, AIMED) and source.id == self.session.chosen:
                    found.append((source.id, "aim", self.to_screen(*shape.aim[:2])))
            elif isinstance(shape, Sun):
                found.append((source.id, "bearing", self._sun_mark(shape)))
        return sorted(found, key=lambda m: m[0] != self.session.chosen)

    def _sun_mark(self, sun: Sun) -> QPointF:
        width = self.width() - STRIP
        radius = min(width, self.height()) / 2 - 12
        # On the rim at the horizon, nearer the middle the higher it stands.
        radius *= math.cos(math.radians(max(min(sun.altitude_deg, 88.0), 0.0)) * 0.8)
        azimuth = math.radians(sun.azimuth_deg)
        return QPointF(width / 2 + radius * math.sin(azimuth), self.height() / 2 - radius * math.cos(azimuth))

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._last = event.position()
        self._gesture = ("pan", "")
        if not self.session.is_open:
            return
        chosen = self.session.chosen_source
        if event.position().x() > self.width() - STRIP:
            if chosen is not None and isinstance(chosen.shape, PLACED):
                self._gesture = ("height", chosen.id)
                self.mouseMoveEvent(event)
            return
        for source_id, part, at in self.marks():
            if (at - event.position()).manhattanLength() < REACH * 1.5:
                self.session.choose(source_id)
                self._gesture = (part, source_id)
                return

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._gesture is None or not event.buttons():
            return
        part, source_id = self._gesture
        at = event.position()
        document = self.session.document
        source = document.look.source(source_id)
        if part == "pan":
            delta = at - self._last
            self.centre = (
                self.centre[0] - delta.x() * self.metres_per_pixel,
                self.centre[1] + delta.y() * self.metres_per_pixel,
            )
            self.update()
        elif source is None:
            return
        elif part in ("position", "aim"):
            old = getattr(source.shape, part)
            ground = self.to_ground(at)
            edited = edits.change_shape(document, source_id, **{part: (ground[0], ground[1], old[2])})
            self.session.edit("place of the lamp" if part == "position" else "aim", edited, f"plan {part} {source_id}")
        elif part == "height":
            low, high = self._strip_range()
            z = low + (1 - min(max(at.y() / self.height(), 0.0), 1.0)) * (high - low)
            x, y, _z = source.shape.position
            self.session.edit(
                "height", edits.change_shape(document, source_id, position=(x, y, z)), f"height {source_id}"
            )
        elif part == "bearing":
            middle = QPointF((self.width() - STRIP) / 2, self.height() / 2)
            away = at - middle
            azimuth = math.degrees(math.atan2(away.x(), -away.y())) % 360.0
            edited = edits.change_shape(document, source_id, azimuth_deg=azimuth, follows_hour=False)
            self.session.edit("bearing", edited, f"bearing {source_id}")
        self._last = at

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._gesture = None
        self.session.seal()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._frame_all()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        under = self.to_ground(event.position())
        self.metres_per_pixel = min(max(self.metres_per_pixel * 0.87 ** (event.angleDelta().y() / 120), 0.004), 50.0)
        now = self.to_ground(event.position())
        self.centre = (self.centre[0] + under[0] - now[0], self.centre[1] + under[1] - now[1])
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        if not self._drawn_for:
            self._frame_all()

    # -- drawing --------------------------------------------------------------------------------

    def _strip_range(self) -> tuple[float, float]:
        return -0.5, 12.0

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#121212"))
        width = self.width() - STRIP
        if self._relief is not None:
            wanted = (self.centre, self.metres_per_pixel, width, self.height())
            if wanted != self._drawn_for:
                drawing = draw_relief(self._relief, self.centre, self.metres_per_pixel, width, self.height())
                self._image = as_image(np.ascontiguousarray(drawing))
                self._drawn_for = wanted
            painter.drawImage(QPointF(0, 0), self._image)
        if not self.session.is_open:
            return
        painter.setClipRect(QRectF(0, 0, width, self.height()))
        self._paint_wedge(painter)
        look = self.session.document.look
        any_alone = any(s.alone and not s.muted for s in look.sources)
        for source in look.sources:
            self._paint_source(painter, source, audible(source, any_alone))
        self._paint_scale(painter)
        painter.setClipping(False)
        self._paint_strip(painter)

    def _paint_wedge(self, painter: QPainter) -> None:
        camera = self.session.document.shot.camera
        forward = camera.axes()[2]
        heading = math.atan2(forward[0], forward[1])
        half = math.atan(camera.tan_half_width)
        reach = 400 * self.metres_per_pixel
        eye = self.to_screen(*camera.position[:2])
        corners = [
            self.to_screen(camera.position[0] + reach * math.sin(a), camera.position[1] + reach * math.cos(a))
            for a in (heading - half, heading + half)
        ]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.qcolor(theme.TEXT, 0.07))
        painter.drawPolygon(QPolygonF([eye, *corners]))
        painter.setPen(QPen(theme.qcolor(theme.TEXT, 0.5), 1))
        for corner in corners:
            painter.drawLine(eye, corner)
        painter.setBrush(theme.qcolor(theme.TEXT))
        painter.drawEllipse(eye, 3, 3)

    def _paint_source(self, painter: QPainter, source: Source, heard: bool) -> None:
        colour = theme.qcolor(self.session.light_hex(source), 1.0 if heard else 0.35)
        chosen = source.id == self.session.chosen
        shape = source.shape
        if isinstance(shape, Sun):
            at = self._sun_mark(shape)
            middle = QPointF((self.width() - STRIP) / 2, self.height() / 2)
            painter.setPen(
                QPen(theme.qcolor(self.session.light_hex(source), 0.35 if heard else 0.12), 1, Qt.PenStyle.DashLine)
            )
            painter.drawLine(at, at + (middle - at) * 0.35)
            spots = [at]
        elif isinstance(shape, PLACED):
            spots = [self.to_screen(*shape.position[:2])]
            if isinstance(shape, AIMED):
                aim = self.to_screen(*shape.aim[:2])
                painter.setPen(QPen(colour, 1))
                painter.drawLine(spots[0], aim)
                if chosen:
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(aim, 4, 4)
        elif isinstance(shape, Surface):
            spots = [self.to_screen(*p[:2]) for p in self._surface_places(source)]
        else:
            return
        for at in spots:
            if heard and not isinstance(shape, Sun):
                pool = QRadialGradient(at, 26)
                pool.setColorAt(0, theme.qcolor(self.session.light_hex(source), 0.34))
                pool.setColorAt(1, theme.qcolor(self.session.light_hex(source), 0.0))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(pool)
                painter.drawEllipse(at, 26, 26)
            painter.setPen(QPen(theme.qcolor("#000000", 0.8), 1))
            painter.setBrush(colour)
            painter.drawEllipse(at, 4.5, 4.5)
            if chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 2))
                painter.drawEllipse(at, 8, 8)

    def _paint_scale(self, painter: QPainter) -> None:
        metres = next(
            m for m in (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if m / self.metres_per_pixel > 36
        )
        length = metres / self.metres_per_pixel
        y = self.height() - 8
        painter.setPen(QPen(theme.qcolor(theme.TEXT, 0.8), 1))
        painter.drawLine(QPointF(8, y), QPointF(8 + length, y))
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(QPointF(8, y - 4), format_quantity(metres, "m").replace(".00", "").replace(".0", ""))
        painter.drawText(QPointF((self.width() - STRIP) / 2 - 3, 12), "N")

    def _paint_strip(self, painter: QPainter) -> None:
        x = self.width() - STRIP
        painter.fillRect(QRectF(x, 0, STRIP, self.height()), theme.qcolor(theme.PANEL))
        low, high = self._strip_range()
        painter.setPen(theme.qcolor(theme.EDGE))
        for metre in range(0, int(high) + 1, 2):
            y = self.height() * (1 - (metre - low) / (high - low))
            painter.drawLine(QPointF(x, y), QPointF(x + 5, y))
        source = self.session.chosen_source
        if source is None or not isinstance(source.shape, PLACED):
            return
        z = source.shape.position[2]
        y = self.height() * (1 - (min(max(z, low), high) - low) / (high - low))
        painter.setPen(QPen(theme.qcolor(theme.LIT), 2))
        painter.drawLine(QPointF(x, y), QPointF(x + STRIP, y))
        painter.setFont(theme.font(theme.SMALL))
        painter.save()
        painter.translate(x + 14, min(max(y - 5, 34), self.height() - 4))
        painter.rotate(-90)
        painter.drawText(QPointF(0, 0), format_quantity(z, "m"))
        painter.restore()
