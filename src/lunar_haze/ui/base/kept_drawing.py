"""A drawing that is kept between paints, for what changes more rarely than what lies about it."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QWidget


class KeptDrawing:
    """Transparent, as large as its widget, and drawn anew only when what it shows or its size has changed."""

    def __init__(self) -> None:
        self._of: object = None
        self._pixmap = QPixmap()

    def draw(self, widget: QWidget, painter: QPainter, of: object, act: Callable[[QPainter], None]) -> None:
        """Lay the drawing of ``of`` over the widget; ``act`` draws it, if it must be."""
        ratio = widget.devicePixelRatioF()
        wanted = (of, widget.width(), widget.height(), ratio)
        if wanted != self._of:
            self._pixmap = QPixmap(widget.size() * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            self._pixmap.fill(Qt.GlobalColor.transparent)
            own = QPainter(self._pixmap)
            own.setRenderHint(QPainter.RenderHint.Antialiasing)
            act(own)
            own.end()
            self._of = wanted
        painter.drawPixmap(QPointF(0, 0), self._pixmap)
