"""A line drawn in the picture over what is seen: lamps will stand along it."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import Overlay
from lunar_haze.ui.picture.seen import Seen


class LineOverlay(Overlay):
    """Takes the hand while a line is wanted; ``drawn`` gets what is seen at its ends."""

    def __init__(
        self, bridge: RenderBridge, is_wanted: Callable[[], bool], drawn: Callable[[Seen, Seen], None]
    ) -> None:
        super().__init__()
        self._bridge, self._is_wanted, self._drawn = bridge, is_wanted, drawn
        self._start: QPointF | None = None
        self._end: QPointF | None = None

    def press(self, event: QMouseEvent) -> bool:
        if not self._is_wanted():
            return False
        self._start = self._end = event.position()
        return True

    def drag(self, event: QMouseEvent) -> None:
        self._end = event.position()
        if self.canvas is not None:
            self.canvas.update()

    def release(self, event: QMouseEvent) -> None:
        start, self._start, self._end = self._start, None, None
        if start is None or self.canvas is None:
            return
        ends = [self._bridge.lens.seen_at(*self.canvas.to_picture(at)) for at in (start, event.position())]
        if ends[0] is not None and ends[1] is not None:
            self._drawn(ends[0], ends[1])

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self._is_wanted() else None

    def paint(self, painter: QPainter) -> None:
        if self._start is None or self._end is None:
            return
        for width, pen in ((3.4, theme.qcolor("#000000", 0.6)), (1.4, theme.qcolor(theme.LIT))):
            painter.setPen(QPen(pen, width, Qt.PenStyle.DashLine))
            painter.drawLine(self._start, self._end)
