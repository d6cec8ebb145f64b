"""A list to choose one thing of, which changes only when something is chosen."""

from PySide6.QtCore import QEvent
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox


class Choice(QComboBox):
    """A combo box that a wheel over it leaves alone, and that keeps the keys it searches by from the window."""

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        # Meant for the column that scrolls; the open list has a wheel of its own.
        event.ignore()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and not event.modifiers() and event.text().isprintable():
            event.accept()
            return True
        return super().event(event)
