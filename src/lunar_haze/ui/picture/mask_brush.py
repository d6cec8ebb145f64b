"""The brush of a mask: strokes painted in the picture, each one step of undo; Alt erases."""

import math

import attrs
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent, QPainter

from lunar_haze.core.document import mask_edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import Region, Stroke
from lunar_haze.ui.picture.mask_overlay import chosen_region, frame_place
from lunar_haze.ui.picture.picture_overlays import Overlay, brush_ring
from lunar_haze.ui.session.session import Session

#: A brush leaves a place after so much of its radius.
STEP = 0.2


class MaskBrush(Overlay):
    """In the hand while a region of strokes is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._at: QPointF | None = None
        self._stroke: Stroke | None = None
        self._before: Document | None = None

    def _region(self) -> Region | None:
        region = chosen_region(self._session)
        return region if region is not None and region.kind == "strokes" else None

    def _place(self, at: QPointF) -> tuple[float, float]:
        assert self.canvas is not None
        x, y = frame_place(self.canvas, at)
        return round(x, 4), round(y, 4)

    def press(self, event: QMouseEvent) -> bool:
        region, session = self._region(), self._session
        if region is None:
            return False
        erases = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier) or session.mask_erases
        self._before = session.document
        self._stroke = Stroke((self._place(event.position()),), region.width, erases)
        self._lay()
        return True

    def drag(self, event: QMouseEvent) -> None:
        self._at, stroke = event.position(), self._stroke
        if stroke is None:
            return
        place = self._place(event.position())
        if math.dist(place, stroke.places[-1]) >= STEP * stroke.radius:
            self._stroke = attrs.evolve(stroke, places=(*stroke.places, place))
            self._lay()

    def _lay(self) -> None:
        """The document as it was when the brush came down, with the stroke as far as it has come."""
        session = self._session
        if self._stroke is None or self._before is None:
            return
        try:
            document = mask_edits.add_stroke(self._before, *session.chosen_mask, self._stroke)
        except FinishError as error:
            session.said.emit(str(error), False)
            self._stroke = None
            return
        session.edit("brush", document, f"brush {session.chosen_mask} {id(self._before)}")

    def release(self, event: QMouseEvent) -> None:
        self._stroke = self._before = None
        self._session.seal()

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        if self._region() is None:
            return None
        self._at = at
        if self.canvas is not None:
            self.canvas.update()
        return Qt.CursorShape.BlankCursor

    def paint(self, painter: QPainter) -> None:
        region = self._region()
        if region is not None and self.canvas is not None and self._at is not None:
            brush_ring(painter, self._at, region.width * self.canvas.frame().height())
