"""Markers in the picture: fastened to surfaces, dragged, hidden with what they are on."""

from typing import Any

import attrs
import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from lunar_haze.core.document import edits
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Marker
from lunar_haze.core.readings.markers import Spot, spot
from lunar_haze.core.readings.shares import Shares
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import Overlay
from lunar_haze.ui.picture.seen import Seen
from lunar_haze.ui.session.session import Session

#: A marker is hidden when what is seen there lies nearer than it by more than this share.
HIDDEN = 0.03
#: How near a hand has to be to take hold of one [px].
REACH = 9.0


class Markers(QObject):
    """The document's markers: made, moved, named, and what is read there. ``pointed`` (id) for the one in the hand."""

    pointed = Signal(str)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self.chosen = ""

    def all(self) -> tuple[Marker, ...]:
        """The markers there are."""
        return self.session.document.markers

    def add(self, seen: Seen) -> None:
        """A new one on a surface."""
        taken = [m.name for m in self.all()]
        marker = Marker(new_id(), edits.free_name("marker", taken), _point(seen.point))
        self._act(f"{marker.name} here", (*self.all(), marker))
        self.choose(marker.id)

    def change(self, marker_id: str, label: str, merge_key: str = "", **changes: Any) -> None:
        """Change one, as an edit; a gesture shares a ``merge_key``."""
        markers = tuple(attrs.evolve(m, **changes) if m.id == marker_id else m for m in self.all())
        self.session.edit(label, attrs.evolve(self.session.document, markers=markers), merge_key)

    def remove(self, marker_id: str) -> None:
        """Delete one."""
        gone = next((m for m in self.all() if m.id == marker_id), None)
        if gone is not None:
            self._act(f"delete {gone.name}", tuple(m for m in self.all() if m.id != marker_id))

    def choose(self, marker_id: str) -> None:
        """Take one in the hand."""
        self.chosen = marker_id
        self.pointed.emit(marker_id)

    def _act(self, label: str, markers: tuple[Marker, ...]) -> None:
        self.session.act(label, attrs.evolve(self.session.document, markers=markers))

    def place_of(self, marker: Marker) -> tuple[float, float] | None:
        """Where one is seen, in [0, 1]; None out of the frame, behind the lens or behind something nearer."""
        shot = self.session.document.shot
        x, y, depth = shot.seen_from.project(np.array(marker.point), shot.frame_width, shot.frame_height)
        x, y = x / shot.frame_width, y / shot.frame_height
        if not depth > 0 or not (0 <= x < 1 and 0 <= y < 1):
            return None
        seen = self.bridge.lens.seen_at(x, y)
        if seen is None:
            return x, y
        away = float(np.linalg.norm(np.array(marker.point) - np.array(shot.seen_from.position)))
        return (x, y) if seen.distance_m > away * (1 - HIDDEN) - 0.02 else None

    def read(self, marker: Marker, shares: Shares) -> Spot | None:
        """What it measures; None while it is not seen."""
        at = self.place_of(marker)
        return None if at is None else spot(shares, *at, marker.radius)


def _point(point: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z


class MarkerOverlay(Overlay):
    """Draws the markers that are seen, and lets them be dragged."""

    def __init__(self, markers: Markers) -> None:
        super().__init__()
        self._markers = markers
        self._held = ""

    def places(self) -> dict[str, QPointF]:
        """Where the markers that are seen stand in the widget, by id."""
        if self.canvas is None or not self._markers.session.is_open:
            return {}
        frame, found = self.canvas.frame(), {}
        for marker in self._markers.all():
            at = self._markers.place_of(marker)
            if at is not None:
                found[marker.id] = QPointF(frame.left() + at[0] * frame.width(), frame.top() + at[1] * frame.height())
        return found

    def _under(self, at: QPointF) -> str:
        return next((i for i, where in self.places().items() if (where - at).manhattanLength() < REACH), "")

    def press(self, event: QMouseEvent) -> bool:
        self._held = self._under(event.position())
        if self._held:
            self._markers.choose(self._held)
        return bool(self._held)

    def drag(self, event: QMouseEvent) -> None:
        if self.canvas is None:
            return
        seen = self._markers.bridge.lens.seen_at(*self.canvas.to_picture(event.position()))
        if seen is not None:
            self._markers.change(self._held, "place of the marker", f"marker {self._held}", point=_point(seen.point))

    def release(self, event: QMouseEvent) -> None:
        self._held = ""

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.SizeAllCursor if self._under(at) else None

    def paint(self, painter: QPainter) -> None:
        if self.canvas is None:
            return
        names = {m.id: m for m in self._markers.all()}
        height = self.canvas.frame().height()
        painter.setFont(theme.font(theme.SMALL))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for marker_id, at in self.places().items():
            marker = names[marker_id]
            radius = max(marker.radius * height, 4.0)
            chosen = marker_id == self._markers.chosen
            for width, pen in (
                (3.0, theme.qcolor("#000000", 0.6)),
                (1.4, theme.qcolor(theme.LIT if chosen else theme.TEXT)),
            ):
                painter.setPen(QPen(pen, width))
                painter.drawEllipse(at, radius, radius)
            width = painter.fontMetrics().horizontalAdvance(marker.name) + 8
            box = QRectF(at.x() + radius + 3, at.y() - 8, width, 16)
            painter.fillRect(box, theme.qcolor("#000000", 0.55))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, marker.name)
