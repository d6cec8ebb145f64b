"""A patch of colour that opens the colour chooser."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QColorDialog, QWidget

from lunar_haze.ui import theme


class Chip(QWidget):
    """Shows a colour; ``picked`` gets the one that is chosen."""

    def __init__(self, tip: str, picked: Callable[[QColor], None]) -> None:
        super().__init__()
        self.colour = QColor("#ffffff")
        self._picked = picked
        self.setFixedSize(44, 20)
        self.setToolTip(tip)
        self.setAccessibleName(tip)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def set_colour(self, text: str) -> None:
        self.colour = QColor(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.colour)
        painter.setPen(theme.qcolor(theme.CHOSEN if self.hasFocus() else theme.EDGE))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.choose()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.choose()
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Ask for a colour."""
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(self.colour, self.window(), self.toolTip(), options)
        if colour.isValid():
            self._picked(colour)
