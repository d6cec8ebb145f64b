"""A label of one line that is never cut off in mid-word: what does not fit ends in dots and is told on asking."""

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel


class ShortLabel(QLabel):
    """Shows its text with dots where there is no room; the whole of it is its tooltip then."""

    def _shown(self) -> str:
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().windowText().color())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self._shown())

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            self.setToolTip(self.text() if self._shown() != self.text() else "")
        return super().event(event)
