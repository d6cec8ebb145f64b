"""The history of the work at hand as a list: what was done, what was undone, and a click that goes there."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session

BEGINNING = "as it was opened"


class HistoryView(QWidget):
    """Every act of this session, the first on top; what was undone is dim, below the line that is now."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.list = _Acts()
        self.list.setAccessibleName("history: what was done, the first act on top")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.itemClicked.connect(self._go)
        self.list.taken = self._go
        room = QVBoxLayout(self)
        room.setContentsMargins(6, 0, 6, 6)
        room.addWidget(self.list)
        self._is_seen = False
        session.changed.connect(self.renew)
        session.opened.connect(self.renew)

    def watch(self, is_seen: bool) -> None:
        """Follow the history while the list is seen."""
        self._is_seen = is_seen
        self.renew()

    def renew(self) -> None:
        """Show what there is now, the present act chosen."""
        if not self._is_seen or not self._session.is_open:
            return
        done, undone = self._session.history.labels
        self.list.blockSignals(True)
        self.list.clear()
        for number, label in enumerate((BEGINNING, *done, *undone)):
            item = QListWidgetItem(label)
            item.setToolTip("here the work stands now" if number == len(done) else f"go to: {label}")
            if number > len(done):
                item.setForeground(theme.qcolor(theme.DIM))
                item.setText(f"{label} (undone)")
            self.list.addItem(item)
        self.list.setCurrentRow(len(done))
        self.list.blockSignals(False)
        self.list.scrollToItem(self.list.currentItem())

    def _go(self, item: QListWidgetItem) -> None:
        """Undo or redo as often as it takes to stand where a line says."""
        done, _undone = self._session.history.labels
        self._session.travel(self.list.row(item) - len(done))


class _Acts(QListWidget):
    """A list in which Return takes the line that the arrows have found."""

    def __init__(self) -> None:
        super().__init__()
        self.taken: Callable[[QListWidgetItem], None] = lambda item: None

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentItem() is not None:
            self.taken(self.currentItem())
        else:
            super().keyPressEvent(event)
