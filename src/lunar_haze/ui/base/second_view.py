"""The second view: the plan, or the readings, in one place."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget


class SecondView(QWidget):
    """One of several views, each under its word. ``changed`` (name) when another is seen."""

    changed = Signal(str)

    def __init__(self, views: dict[str, tuple[QWidget, str]]) -> None:
        super().__init__()
        self._names = list(views)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(4, 2, 4, 2)
        row.setSpacing(2)
        self._stack = QStackedWidget()
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for name, (view, tip) in views.items():
            button = QToolButton()
            button.setText(name)
            button.setToolTip(tip)
            button.setCheckable(True)
            # Four words side by side, none of them cut.
            button.setStyleSheet("QToolButton { padding: 3px 5px; }")
            button.setAccessibleName(f"second view: {name}")
            button.clicked.connect(lambda _on=False, n=name: self.show_view(n))
            self._group.addButton(button)
            row.addWidget(button)
            self.buttons[name] = button
            self._stack.addWidget(view)
        row.addStretch(1)
        outer.addLayout(row)
        outer.addWidget(self._stack, 1)
        self.show_view(self._names[0])

    @property
    def name(self) -> str:
        """Which is seen."""
        return self._names[self._stack.currentIndex()]

    def show_view(self, name: str) -> None:
        """Let one be seen; a name that is none is passed over."""
        if name not in self._names:
            return
        self._stack.setCurrentIndex(self._names.index(name))
        self.buttons[name].setChecked(True)
        self.changed.emit(name)
