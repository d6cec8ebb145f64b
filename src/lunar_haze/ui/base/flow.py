"""A layout that lays its widgets side by side and goes on in another line where the width ends."""

from PySide6.QtCore import QMargins, QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """As wide as its widest widget at the least; ``apart`` [px] is the room between widgets and between lines."""

    def __init__(self, parent: QWidget | None = None, apart: int = 2) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._apart = apart

    def addItem(self, item: QLayoutItem) -> None:  # noqa: N802
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # noqa: N802
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # noqa: N802
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:  # noqa: N802
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:  # noqa: N802
        return True

    def heightForWidth(self, width: int) -> int:  # noqa: N802
        return self._lay(QRect(0, 0, width, 0), moves=False)

    def setGeometry(self, room: QRect) -> None:  # noqa: N802
        super().setGeometry(room)
        self._lay(room, moves=True)

    def sizeHint(self) -> QSize:  # noqa: N802
        return self.minimumSize()

    def minimumSize(self) -> QSize:  # noqa: N802
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        margins: QMargins = self.contentsMargins()
        return size + QSize(margins.left() + margins.right(), margins.top() + margins.bottom())

    def _lay(self, room: QRect, moves: bool) -> int:
        """Lay the widgets in lines; the height [px] that they take."""
        margins: QMargins = self.contentsMargins()
        inner = room.marginsRemoved(margins)
        x, y, line = inner.x(), inner.y(), 0
        for item in self._items:
            size = item.sizeHint()
            if x > inner.x() and x + size.width() > inner.x() + inner.width():
                x, y, line = inner.x(), y + line + self._apart, 0
            if moves:
                item.setGeometry(QRect(QPoint(x, y), size))
            x, line = x + size.width() + self._apart, max(line, size.height())
        return y + line - room.y() + margins.bottom()
