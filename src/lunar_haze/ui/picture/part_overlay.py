"""A part of the frame, drawn in the picture: it is refined first and farther than the rest."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from lunar_haze.core.layers.model import Part
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import Overlay

#: A part that is drawn smaller than this share of the frame is a slip of the hand.
LEAST = 0.01
#: What the key takes about the place that is pointed at, as a share of the frame.
USUAL = 1 / 3


class PartOverlay(Overlay):
    """``drawing`` while the next drag in the picture draws it."""

    def __init__(self, bridge: RenderBridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.drawing = False
        self._start: tuple[float, float] | None = None
        self._now: Part | None = None
        bridge.asking.part_changed.connect(self._update)

    def _update(self) -> None:
        if self.canvas is not None:
            self.canvas.update()

    def toggle(self) -> None:
        """Begin to draw a part; drop the one there is."""
        if self._bridge.asking.part is not None or self.drawing:
            self.leave()
        else:
            self.drawing = True
            self._update()

    def leave(self) -> bool:
        """Drop the part, or the drawing of it; False when there is neither."""
        had = self.drawing or self._bridge.asking.part is not None
        self.drawing, self._start, self._now = False, None, None
        self._bridge.asking.set_part(None)
        self._update()
        return had

    def take_about(self, x: float, y: float) -> None:
        """The part about a place in [0, 1], kept within the frame."""
        left = min(max(x - USUAL / 2, 0.0), 1.0 - USUAL)
        top = min(max(y - USUAL / 2, 0.0), 1.0 - USUAL)
        self.drawing = False
        self._bridge.asking.set_part((left, top, left + USUAL, top + USUAL))

    # -- hand -----------------------------------------------------------------------------------

    def _place(self, event: QMouseEvent) -> tuple[float, float]:
        assert self.canvas is not None
        x, y = self.canvas.to_picture(event.position())
        return min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)

    def press(self, event: QMouseEvent) -> bool:
        if not self.drawing or self.canvas is None:
            return False
        self._start = self._place(event)
        return True

    def drag(self, event: QMouseEvent) -> None:
        if self._start is None:
            return
        (x0, y0), (x1, y1) = self._start, self._place(event)
        self._now = min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)
        self._update()

    def release(self, event: QMouseEvent) -> None:
        drawn, at = self._now, self._start
        self._start = self._now = None
        if drawn is not None and min(drawn[2] - drawn[0], drawn[3] - drawn[1]) >= LEAST:
            self.drawing = False
            self._bridge.asking.set_part(drawn)
        elif at is not None:
            self.take_about(*at)

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.drawing else None

    def paint(self, painter: QPainter) -> None:
        part = self._now or self._bridge.asking.part
        if self.canvas is None:
            return
        frame = self.canvas.frame()
        if self.drawing and part is None:
            words = "drag a render region, which is refined first; Esc leaves it"
            painter.setFont(theme.font(theme.SMALL))
            box = QRectF(frame.left() + 8, frame.bottom() - 26, painter.fontMetrics().horizontalAdvance(words) + 14, 18)
            painter.fillRect(box, theme.qcolor("#000000", 0.55))
            painter.setPen(theme.qcolor(theme.TEXT))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        if part is None:
            return
        corner = QPointF(frame.left() + part[0] * frame.width(), frame.top() + part[1] * frame.height())
        area = QRectF(corner.x(), corner.y(), (part[2] - part[0]) * frame.width(), (part[3] - part[1]) * frame.height())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, pen in ((3.0, theme.qcolor("#000000", 0.55)), (1.0, theme.qcolor(theme.LIT))):
            painter.setPen(QPen(pen, width))
            painter.drawRect(area)
