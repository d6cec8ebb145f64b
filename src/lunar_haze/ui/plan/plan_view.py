"""The plan: the place from above with the frame's view wedge and every source as a mark that can be pulled."""

import functools
import math
from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document.moves import companions, middle_of
from lunar_haze.core.document.rows import AIR
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.plan_map import SIDES, Sheet
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Source, Sun, Surface, is_aimed
from lunar_haze.ui.base.kept_drawing import KeptDrawing
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.plan.plan_drawing import flat
from lunar_haze.ui.plan.plan_ground import PlanGround
from lunar_haze.ui.plan.plan_hand import PlanHand
from lunar_haze.ui.plan.plan_marks import STRIP, PlanMarks
from lunar_haze.ui.session.session import Session

#: How far from a group's middle it is turned by [px].
TURN_REACH = 30.0


def fixtures(place: Place, material: str) -> list[tuple[float, float, float]]:
    """Centres [m] of the parts of a place that glow by one material."""
    number = next((i for i, m in enumerate(place.materials) if m.name == material), -1)
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


class PlanView(QWidget):
    """North is up, or height from a side. Drag a mark to move it, its ring to aim it, the strip for its height."""

    #: A right click, and where on screen.
    asked = Signal(QPoint)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session = session
        self.ground = PlanGround(session, bridge)
        self.hand = PlanHand(self)
        self.side = "above"
        self.cut_m = math.inf
        self._framed = False
        self._sheet: Sheet | None = None
        self.centre = (0.0, 0.0)
        self.metres_per_pixel = 0.2
        self._fixtures_of: Place | None = None
        self._fixtures: dict[str, list[tuple[float, float, float]]] = {}
        self.rim = KeptDrawing()
        #: Puts what is being added at a point of the ground [m]; says whether anything is being added.
        self.put_on_ground: Callable[[float, float], bool] = lambda east, north: False
        #: Whether the next drag draws a line, who gets its ends [m], and the one that is being drawn [px].
        self.wants_line: Callable[[], bool] = lambda: False
        self.drawn_line: Callable[[tuple[float, float], tuple[float, float]], None] = lambda start, end: None
        self.line: tuple[QPointF, QPointF] | None = None
        self.setMinimumSize(200, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("plan")
        self.setAccessibleDescription(
            "arrows move the chosen lamp, with Ctrl its aim, with Shift both; Page Up and Page Down its height; "
            "+ and - zoom; Home shows all; C and Shift+C lower and raise the cut"
        )
        session.changed.connect(self.update)
        session.chosen_changed.connect(self.update)
        session.opened.connect(self.show_all)
        session.place_ready.connect(self._place_ready)
        self.ground.renewed.connect(self.update)

    def _place_ready(self) -> None:
        self._framed = False
        self.show_all()

    def offered(self, menu: QMenu) -> None:
        """What can be seen otherwise, at the end of the menu that a right click opens."""
        menu.addSeparator()
        for text, name in (("light on the plan", "shows_light"), ("isolux lines", "shows_lines")):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(getattr(self.ground, name))
            action.toggled.connect(functools.partial(self._show, name))
        menu.addAction("roofs on", lambda: self.set_cut(math.inf))
        eye = self.session.document.shot.seen_from.position[2] if self.session.is_open else 2.0
        menu.addAction("cut a little over the camera", lambda: self.set_cut(eye + 0.6))

    def _show(self, name: str, on: bool) -> None:
        setattr(self.ground, name, on)
        self.ground.restyle()
        self.update()

    def next_side(self) -> None:
        """See the place from above, from the south, from the east, and round again."""
        sides = list(SIDES)
        self.side = sides[(sides.index(self.side) + 1) % len(sides)]
        self.show_all()

    # -- geometry -------------------------------------------------------------------------------

    def show_all(self) -> None:
        """Bring the shots and sources into view."""
        if not self.session.is_open:
            return
        document = self.session.document
        self._framed = True
        points = [self.flat(document.shot.camera.position), self.flat(document.shot.camera.aim)]
        for source in document.look.sources:
            if isinstance(source.shape, Placed):
                points.append(self.flat(source.shape.position))
            elif isinstance(source.shape, Surface):
                points += [self.flat(p) for p in self.surface_places(source)]
        for shot in document.shots:
            points.append(self.flat(shot.camera.position))
        spots = np.array(points)
        low, high = spots.min(0), spots.max(0)
        self.centre = tuple(((low + high) / 2).tolist())
        extent = max(
            float((high - low)[0]) / max(self.width() - STRIP, 50), float((high - low)[1]) / max(self.height(), 50)
        )
        self.metres_per_pixel = max(extent * 1.35, 0.02)
        self.update()

    def flat(self, point: Sequence[float]) -> tuple[float, float]:
        """A point of the place (3,) as it lies in this view [m]."""
        return flat(self.side, point)

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

    def surface_places(self, source: Source) -> list[tuple[float, float, float]]:
        """Centres of the glowing parts of a surface source."""
        place = self.session.place
        if place is None or not isinstance(source.shape, Surface):
            return []
        if self._fixtures_of is not place:
            self._fixtures_of, self._fixtures = place, {}
        material = source.shape.material
        if material not in self._fixtures:
            self._fixtures[material] = fixtures(place, material)
        return self._fixtures[material]

    def marks(self) -> list[tuple[str, str, QPointF]]:
        """Everything that can be pulled: (source id, part, screen position), the chosen one first."""
        found = []
        for source in self.session.document.look.sources:
            shape = source.shape
            if isinstance(shape, Placed):
                found.append((source.id, "position", self.to_screen(*self.flat(shape.position))))
                if is_aimed(shape) and source.id == self.session.chosen:
                    found.append((source.id, "aim", self.to_screen(*self.flat(shape.aim))))
            elif isinstance(shape, Sun) and self.side == "above":
                found.append((source.id, "bearing", self.sun_mark(shape)))
        found += [(self.session.chosen, part, at) for part, at in self.group_marks()]
        for card in self.session.document.look.cards:
            found.append((card.id, "position", self.to_screen(*self.flat(card.position))))
            if card.id == self.session.chosen:
                found.append((card.id, "aim", self.to_screen(*self.flat(card.aim))))
        return sorted(found, key=lambda m: m[0] != self.session.chosen)

    def group_marks(self) -> list[tuple[str, QPointF]]:
        """Where the chosen lamp's group is moved and turned as one; nothing for a lamp that stands alone."""
        look = self.session.document.look
        together = companions(look, self.session.chosen)
        if len(together) < 2 or self.side != "above":
            return []
        middle = self.to_screen(*self.flat(middle_of(look, together).tolist()))
        return [("group", middle), ("turn", middle + QPointF(0, -TURN_REACH))]

    def rim_point(self, altitude_deg: float, azimuth_deg: float) -> QPointF:
        """Where a body stands on the plan: on the rim at the horizon, nearer the middle the higher it is."""
        width = self.width() - STRIP
        radius = min(width, self.height()) / 2 - 12
        radius *= math.cos(math.radians(max(min(altitude_deg, 88.0), 0.0)) * 0.8)
        azimuth = math.radians(azimuth_deg)
        return QPointF(width / 2 + radius * math.sin(azimuth), self.height() / 2 - radius * math.cos(azimuth))

    def sun_mark(self, sun: Sun) -> QPointF:
        """Where a sun or a moon stands on the rim."""
        return self.rim_point(sun.altitude_deg, sun.azimuth_deg)

    def north_mark(self) -> QPointF:
        """Where north stands on the rim."""
        return self.rim_point(0.0, self.session.document.place.site.north_deg)

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.hand.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.hand.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.hand.release(event) and self.session.is_open:
            if event.button() == Qt.MouseButton.RightButton:
                self.asked.emit(event.globalPosition().toPoint())
            elif self.side == "above" and event.button() == Qt.MouseButton.LeftButton:
                self.put_on_ground(*self.to_ground(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.show_all()

    def event(self, event: QEvent) -> bool:
        # Its own keys come before the window's while it has the keyboard.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self.hand.means(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if not self.session.is_open or not self.hand.key(event):
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        self.zoom(event.angleDelta().y() / 120, event.position())

    def zoom(self, turns: float, about: QPointF) -> None:
        """See more closely, or more; what lies under a position stays there."""
        under = self.to_ground(about)
        self.metres_per_pixel = min(max(self.metres_per_pixel * 0.87**turns, 0.004), 50.0)
        now = self.to_ground(about)
        self.centre = (self.centre[0] + under[0] - now[0], self.centre[1] + under[1] - now[1])
        self.update()

    def pan(self, delta: QPointF) -> None:
        """Move the sheet under the hand."""
        self.centre = (
            self.centre[0] - delta.x() * self.metres_per_pixel,
            self.centre[1] + delta.y() * self.metres_per_pixel,
        )
        self.update()

    def set_cut(self, cut_m: float) -> None:
        """Leave out what stands higher than so [m]; as high as the strip goes, nothing."""
        low, high = self.strip_range()
        self.cut_m = math.inf if cut_m >= high - 0.05 else max(cut_m, low)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        if not self._framed:
            self.show_all()

    # -- drawing --------------------------------------------------------------------------------

    def strip_range(self) -> tuple[float, float]:
        """Lowest and highest height of the strip [m]."""
        return -0.5, 12.0

    def height_at(self, y: float) -> float:
        """Height [m] of a screen position on the strip."""
        low, high = self.strip_range()
        return low + (1 - min(max(y / self.height(), 0.0), 1.0)) * (high - low)

    def height_mark(self, z: float) -> float:
        """Screen position on the strip of a height [m]."""
        low, high = self.strip_range()
        return (1 - (min(max(z, low), high) - low) / (high - low)) * self.height()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#121212"))
        width = self.width() - STRIP
        self._paint_ground(painter, width)
        if not self.session.is_open:
            return
        painter.setClipRect(QRectF(0, 0, width, self.height()))
        marks = PlanMarks(self, painter)
        marks.wedge()
        look = self.session.document.look
        active = look.active()
        for source in look.sources:
            marks.source(source, source.id in active)
        for number, bank in enumerate(look.medium.banks):
            marks.bank(bank, number == self.session.chosen_bank and self.session.chosen == AIR)
        for card in look.cards:
            marks.card(card)
        marks.group()
        if self.session.ghost is not None:
            marks.ghost(self.session.ghost)
        if self.line is not None:
            marks.line(*self.line)
        if self.side == "above":
            marks.paths()
            marks.lobes()
        marks.scale()
        painter.setClipping(False)
        marks.strip()

    def _paint_ground(self, painter: QPainter, width: int) -> None:
        """The drawn place: a sheet made for another view is laid where it belongs until the new one is here."""
        if self.session.place is None or width < 8 or self.height() < 8:
            return
        made = self.ground.drawing
        image = self.ground.image()
        fits = self._sheet is not None and self._sheet_fits(self._sheet, width)
        if not fits:
            self._sheet = Sheet(self.side, self.centre, self.metres_per_pixel, width, self.height(), self.cut_m)
            self.ground.want(self._sheet)
        if image is None or made is None or made.sheet.side != self.side:
            return
        sheet = made.sheet
        scale = sheet.metres_per_pixel / self.metres_per_pixel
        middle = self.to_screen(*sheet.centre)
        size = QSizeF(sheet.width * scale, sheet.height * scale)
        corner = middle - QPointF(size.width() / 2, size.height() / 2)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, sheet is not self._sheet)
        painter.save()
        painter.setClipRect(QRectF(0, 0, width, self.height()))
        painter.drawImage(QRectF(corner, size), image)
        painter.restore()

    def _sheet_fits(self, sheet: Sheet, width: int) -> bool:
        return (sheet.side, sheet.centre, sheet.metres_per_pixel, sheet.width, sheet.height, sheet.cut_m) == (
            self.side,
            self.centre,
            self.metres_per_pixel,
            width,
            self.height(),
            self.cut_m,
        )
