"""The plan: the place from above with the frame's view wedge and every source as a mark that can be pulled."""

import math
from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)  # fmt: skip
from PySide6.QtWidgets import QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.rows import AIR
from lunar_haze.core.place.model import Place
from lunar_haze.core.sky.ephemeris import heavens
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Source, Sun, Surface, is_aimed
from lunar_haze.ui.bridge import as_image
from lunar_haze.ui.kept_drawing import KeptDrawing
from lunar_haze.ui.plan_drawing import SIDES, Relief, draw_relief, flat, moved_in, relief_of, turned
from lunar_haze.ui.plan_marks import STRIP, PlanMarks
from lunar_haze.ui.session import Session

REACH = 9.0
#: A press that moves less than this [px] is a click.
STILL = 4


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
    _relief_ready = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.side = "above"
        self.centre = (0.0, 0.0)
        self.metres_per_pixel = 0.2
        self._relief: Relief | None = None
        self._turned: Relief | None = None
        self._image: QImage | None = None
        self._drawn_for: tuple = ()
        self._fixtures_of: Place | None = None
        self._fixtures: dict[str, list[tuple[float, float, float]]] = {}
        self.rim = KeptDrawing()
        self._gesture: tuple[str, str] | None = None
        self._last = self._pressed = QPointF()
        #: Puts what is being added at a point of the ground [m]; says whether anything is being added.
        self.put_on_ground: Callable[[float, float], bool] = lambda east, north: False
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
        if place is None:
            return

        def sample() -> None:
            try:
                self._relief_ready.emit(relief_of(place))
            except RuntimeError:
                pass  # the window is closing

        self.session.run_thread(sample)
        self._frame_all()

    def _take_relief(self, relief: Relief) -> None:
        self._relief, self._turned = relief, None
        self._drawn_for = ()
        self.update()

    def next_side(self) -> None:
        """See the place from above, from the south, from the east, and round again."""
        sides = list(SIDES)
        self.side = sides[(sides.index(self.side) + 1) % len(sides)]
        self._turned, self._drawn_for = None, ()
        self._frame_all()

    # -- geometry -------------------------------------------------------------------------------

    def _frame_all(self) -> None:
        """Bring the shots and sources into view."""
        if not self.session.is_open:
            return
        document = self.session.document
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
        for card in self.session.document.look.cards:
            found.append((card.id, "position", self.to_screen(*self.flat(card.position))))
            if card.id == self.session.chosen:
                found.append((card.id, "aim", self.to_screen(*self.flat(card.aim))))
        return sorted(found, key=lambda m: m[0] != self.session.chosen)

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

    def _turned_sun(self, document: Document, source_id: str, azimuth_deg: float) -> Document:
        """A sun turned to a bearing: one that follows the hour takes the hour along, one set by hand does not."""
        shape = document.look.expect(source_id).shape
        if not isinstance(shape, Sun) or not shape.follows_hour:
            return edits.change_shape(document, source_id, azimuth_deg=azimuth_deg)
        look, site = document.look, document.place.site
        body = "moon" if shape.body == "moon" else "sun"

        def apart(hour_h: float) -> float:
            there = getattr(heavens(look.date, hour_h, site), body).azimuth_deg
            return abs((there - azimuth_deg + 180.0) % 360.0 - 180.0)

        quarter = min((k / 4 for k in range(96)), key=apart)
        hour = min((quarter + k / 60 for k in range(-15, 16)), key=lambda h: apart(h % 24.0))
        return edits.change_heavens(document, hour_h=hour)

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._last = self._pressed = event.position()
        self._gesture = ("pan", "")
        if not self.session.is_open:
            return
        chosen = self.session.chosen_source
        if event.position().x() > self.width() - STRIP:
            if chosen is not None and isinstance(chosen.shape, Placed):
                self._gesture = ("height", chosen.id)
                self.mouseMoveEvent(event)
            return
        if self.side == "above" and (self.north_mark() - event.position()).manhattanLength() < REACH:
            self._gesture = ("north", "")
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
        elif part == "north":
            edited = edits.change_site(document, north_deg=(self._bearing_at(at) + 180.0) % 360.0 - 180.0)
            self.session.edit("north", edited, "north")
        elif part in ("position", "aim"):
            card = self.session.chosen_card
            old = getattr(source.shape if source is not None else card, part)
            spot = moved_in(self.side, old, *self.to_ground(at))
            change = edits.change_shape if source is not None else edits.change_card
            edited = change(document, source_id, **{part: spot})
            self.session.edit("place of the lamp" if part == "position" else "aim", edited, f"plan {part} {source_id}")
        elif source is None:
            return
        elif part == "height" and isinstance(source.shape, Placed):
            low, high = self.strip_range()
            z = low + (1 - min(max(at.y() / self.height(), 0.0), 1.0)) * (high - low)
            x, y, _z = source.shape.position
            self.session.edit(
                "height", edits.change_shape(document, source_id, position=(x, y, z)), f"height {source_id}"
            )
        elif part == "bearing":
            edited = self._turned_sun(document, source_id, self._bearing_at(at))
            self.session.edit("bearing", edited, f"bearing {source_id}")
        self._last = at

    def _bearing_at(self, at: QPointF) -> float:
        """Bearing [deg] of a screen position from the plan's middle."""
        away = at - QPointF((self.width() - STRIP) / 2, self.height() / 2)
        return math.degrees(math.atan2(away.x(), -away.y())) % 360.0

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        still = (event.position() - self._pressed).manhattanLength() < STILL
        self._gesture = None
        self.session.seal()
        if not still or not self.session.is_open:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.asked.emit(event.globalPosition().toPoint())
        elif self.side == "above" and event.button() == Qt.MouseButton.LeftButton:
            self.put_on_ground(*self.to_ground(event.position()))

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

    def strip_range(self) -> tuple[float, float]:
        """Lowest and highest height of the strip [m]."""
        return -0.5, 12.0

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#121212"))
        width = self.width() - STRIP
        if self._relief is not None:
            wanted = (self.centre, self.metres_per_pixel, width, self.height())
            if wanted != self._drawn_for:
                if self._turned is None:
                    self._turned = turned(self._relief, self.side)
                drawing = draw_relief(self._turned, self.centre, self.metres_per_pixel, width, self.height())
                self._image = as_image(np.ascontiguousarray(drawing))
                self._drawn_for = wanted
            if self._image is not None:
                painter.drawImage(QPointF(0, 0), self._image)
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
        if self.session.ghost is not None:
            marks.ghost(self.session.ghost)
        if self.side == "above":
            marks.paths()
            marks.lobes()
        marks.scale()
        painter.setClipping(False)
        marks.strip()
