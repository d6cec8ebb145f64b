"""A patch of colour that opens the colour chooser."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QColorDialog, QMenu, QWidget

from lunar_haze.ui.base import theme
from lunar_haze.ui.base.key_mark import AT_KEY, KEY_HELD, SETS_KEY, STEADY, Keys, paint_key, state_of


class Chip(QWidget):
    """Shows a colour; ``picked`` gets the one that is chosen."""

    def __init__(self, tip: str, picked: Callable[[QColor], None]) -> None:
        super().__init__()
        self.colour = QColor("#ffffff")
        #: Its keys over the frames, None where it has none and never will.
        self.keys: Keys | None = None
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
        state = state_of(self.keys)
        if state != STEADY:
            # Seen on any colour.
            on = "#000000" if self.colour.lightnessF() > 0.5 else "#ffffff"
            paint_key(painter, QPointF(10, self.height() / 2), 4.0, state == AT_KEY, on)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.choose()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        menu = QMenu(self)
        menu.addAction("choose a colour ...", self.choose)
        if self.keys is not None:
            menu.addSeparator()
            self.keys.offer(menu)
        menu.popup(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.choose()
        elif event.key() == SETS_KEY and event.modifiers() in KEY_HELD and self.keys is not None:
            self.keys.remove() if event.modifiers() else self.keys.set()
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Ask for a colour."""
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(self.colour, self.window(), self.toolTip(), options)
        if colour.isValid():
            self._picked(colour)
