"""A list to choose one thing of, which changes only when something is chosen."""

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QComboBox, QWidget

from lunar_haze.ui.base import theme

#: The name of the widget that has the keyboard once something was chosen from a list.
HOME = "keyboard home"


class Choice(QComboBox):
    """A combo box that a wheel over it leaves alone, and that keeps the keys it searches by from the window."""

    def __init__(self) -> None:
        super().__init__()
        # A click opens it and leaves the keyboard where it was; once something is chosen the picture has it.
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.activated.connect(self._give_back)

    def _give_back(self) -> None:
        home = self.window().findChild(QWidget, HOME)
        if home is not None:
            home.setFocus()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        # Meant for the column that scrolls; the open list has a wheel of its own.
        event.ignore()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        super().paintEvent(event)
        # A mark of our own that it opens.
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.qcolor(theme.TEXT if self.isEnabled() else theme.DIM), 1.4))
        x, y = self.width() - 12.0, self.height() / 2.0
        painter.drawPolyline(QPolygonF([QPointF(x - 3.5, y - 2), QPointF(x, y + 2), QPointF(x + 3.5, y - 2)]))

    def event(self, event: QEvent) -> bool:
        # Letters find an entry; they are no keys of the window while the list has the keyboard.
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.ShortcutOverride:
            return super().event(event)
        if event.modifiers() or not event.text().isprintable():
            return super().event(event)
        event.accept()
        return True
