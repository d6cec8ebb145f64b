"""Handles of what is chosen in the picture, pulled by hand; and what is proposed, dashed."""

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from lunar_haze.core.document import edits
from lunar_haze.core.solve.placing import dragged
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import is_aimed
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import Overlay, tag
from lunar_haze.ui.session.session import Session

REACH = 9.0


class Handles(Overlay):
    """A lamp's or card's place and aim."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self._session, self._bridge = session, bridge
        self._grip: tuple[str, float] | None = None

    def _handled(self) -> Placed | Card | None:
        """What of the chosen can be pulled: a lamp's shape, or a card; None for anything else."""
        source = self._session.chosen_source
        if source is not None:
            return source.shape if isinstance(source.shape, Placed) else None
        return self._session.chosen_card

    def places(self) -> dict[str, QPointF]:
        """Where the handles stand in the widget, by what they are of."""
        handled = self._handled()
        found: dict[str, QPointF] = {}
        if handled is None or self.canvas is None:
            return found
        for part in ("position", "aim"):
            if part == "aim" and not (isinstance(handled, Card) or is_aimed(handled)):
                continue
            at = self.canvas.project(getattr(handled, part))
            if at is not None:
                found[part] = at
        return found

    def _under(self, at: QPointF) -> str | None:
        for part, where in self.places().items():
            if (where - at).manhattanLength() < REACH * 1.6:
                return part
        return None

    # -- hand -----------------------------------------------------------------------------------

    def press(self, event: QMouseEvent) -> bool:
        part = self._under(event.position())
        if part is None:
            return False
        point = np.array(getattr(self._handled(), part))
        self._grip = part, float(self._session.document.shot.seen_from.project(point, 1, 1)[2])
        return True

    def drag(self, event: QMouseEvent) -> None:
        """A lamp moves at its distance from its aim (a ball at that from the lens); an aim slides over what is seen."""
        if self._grip is None or self.canvas is None:
            return
        part, depth = self._grip
        x, y = self.canvas.to_picture(event.position())
        camera = self._session.document.shot.seen_from
        seen = self._bridge.lens.seen_at(x, y) if part == "aim" else None
        handled = self._handled()
        # Any size of the frame's proportions will do for the ray.
        width, height = self.canvas.frame().width(), self.canvas.frame().height()
        origin, direction = camera.ray(x * width, y * height, width, height)
        if part == "position" and isinstance(handled, Placed) and is_aimed(handled):
            point = np.asarray(dragged(handled, origin, direction).position)
        elif seen is not None:
            point = seen.point
        else:
            point = origin + direction * (depth / float(direction @ camera.axes()[2]))
        change = edits.change_card if isinstance(handled, Card) else edits.change_shape
        document = change(self._session.document, self._session.chosen, **{part: tuple(point.tolist())})
        self._session.edit(
            "place of the lamp" if part == "position" else "aim", document, f"handle {part} {self._session.chosen}"
        )

    def release(self, event: QMouseEvent) -> None:
        self._grip = None

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.SizeAllCursor if self._under(at) else None

    # -- drawing --------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        source, card = self._session.chosen_source, self._session.chosen_card
        if source is not None:
            paint_handles(painter, self.places(), theme.qcolor(self._session.light_hex(source)))
        elif card is not None:
            self._paint_card(painter, card)
            paint_handles(painter, self.places(), theme.qcolor(theme.TEXT))
        self._paint_ghost(painter)

    def _paint_card(self, painter: QPainter, card: Card) -> None:
        if self.canvas is None:
            return
        corners = [at for at in map(self.canvas.project, card.corners()) if at is not None]
        if len(corners) == len(card.corners()):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for width, pen in ((3.0, theme.qcolor("#000000", 0.6)), (1.2, theme.qcolor(theme.TEXT, 0.9))):
                painter.setPen(QPen(pen, width))
                painter.drawPolygon(QPolygonF(corners))

    def _paint_ghost(self, painter: QPainter) -> None:
        """A proposal, dashed, until it is taken or left."""
        ghost = self._session.ghost
        if ghost is None or not isinstance(ghost.shape, Placed) or self.canvas is None:
            return
        at, aim = self.canvas.project(ghost.shape.position), self.canvas.project(ghost.shape.aim)
        colour = theme.qcolor(self._session.light_hex(ghost))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, pen in ((3.4, theme.qcolor("#000000", 0.6)), (1.4, colour)):
            painter.setPen(QPen(pen, width, Qt.PenStyle.DashLine))
            if at is not None and aim is not None:
                painter.drawLine(at, aim)
            for spot, size in ((at, 9.0), (aim, 5.0)):
                if spot is not None:
                    painter.drawEllipse(spot, size, size)
        tag(painter, self.canvas.frame(), f"{ghost.name} proposed: Return takes it, Esc leaves it")


def paint_handles(painter: QPainter, handles: dict[str, QPointF], colour: QColor) -> None:
    """Lines and dots of what is chosen, in its colour with a dark edge, legible on any picture."""
    if not handles:
        return
    for width, pen in ((4.0, theme.qcolor("#000000", 0.65)), (1.6, colour)):
        painter.setPen(QPen(pen, width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if "position" in handles and "aim" in handles:
            painter.drawLine(handles["position"], handles["aim"])
        if "aim" in handles:
            at = handles["aim"]
            painter.drawEllipse(at, 6, 6)
            painter.drawLine(at - QPointF(10, 0), at - QPointF(3, 0))
            painter.drawLine(at + QPointF(3, 0), at + QPointF(10, 0))
        if "position" in handles:
            painter.drawEllipse(handles["position"], 6, 6)
    if "position" in handles:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(handles["position"], 3.2, 3.2)
