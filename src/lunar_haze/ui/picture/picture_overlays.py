"""What lies over the picture and may take the hand from it: handles, markers, a brush, a part of the frame."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from lunar_haze.ui.base import theme


class Canvas(Protocol):
    """The picture as its overlays know it."""

    def frame(self) -> QRectF:
        """Where the picture lies in the widget."""
        ...

    def to_picture(self, at: QPointF) -> tuple[float, float]:
        """Widget position to picture position in [0, 1]."""
        ...

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Widget position of a point in the place; None behind the lens."""
        ...

    def pointed_at(self) -> QPointF:
        """Widget position that the keyboard points at."""
        ...

    def update(self) -> None:
        """Paint again."""
        ...


class Overlay:
    """Painted over the picture in turn. One that takes a press has the hand until it lets go."""

    def __init__(self) -> None:
        self.canvas: Canvas | None = None

    def paint(self, painter: QPainter) -> None:
        """Draw over the picture."""

    def press(self, event: QMouseEvent) -> bool:
        """Whether it takes a press of the left button."""
        return False

    def drag(self, event: QMouseEvent) -> None:
        """The hand moves with the button down."""

    def release(self, event: QMouseEvent) -> None:
        """The hand lets go."""

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        """The pointer to show at a position, None where the overlay has none."""
        return None

    def key(self, event: QKeyEvent) -> bool:
        """Whether it takes a key."""
        return False

    def menu_at(self, at: QPointF) -> list[tuple[str, Callable[[], object]]]:
        """Acts for a right click at a position, none where there is nothing of the overlay's."""
        return []


def brush_ring(painter: QPainter, at: QPointF, radius: float) -> None:
    """A brush where the pointer is, legible on anything."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for width, pen in ((3.0, theme.qcolor("#000000", 0.6)), (1.2, theme.qcolor(theme.TEXT))):
        painter.setPen(QPen(pen, width))
        painter.drawEllipse(at, radius, radius)


def tag(painter: QPainter, frame: QRectF, text: str) -> None:
    """A word in the picture's corner, legible on anything."""
    painter.setFont(theme.font(theme.SMALL))
    box = QRectF(frame.left() + 8, frame.top() + 8, painter.fontMetrics().horizontalAdvance(text) + 14, 18)
    painter.fillRect(box, theme.qcolor("#000000", 0.55))
    painter.setPen(theme.qcolor(theme.TEXT))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
