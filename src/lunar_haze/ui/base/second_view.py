"""The second view: one of several views in one place, each declared by a `View`."""

from collections.abc import Callable

import attrs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from lunar_haze.ui.base.flow import FlowLayout


def _nothing(is_seen: bool) -> None:
    """What a view does that does not care whether it is seen."""


@attrs.frozen(eq=False)
class View:
    """What can be seen: the word it stands under, its widget, a tip, and what is to be done when it is seen or left."""

    name: str
    widget: QWidget
    tip: str
    seen: Callable[[bool], None] = _nothing


class SecondView(QWidget):
    """One of several views, each under its word. ``changed`` (name) when another is seen."""

    changed = Signal(str)

    def __init__(self, views: tuple[View, ...]) -> None:
        super().__init__()
        self._views = {view.name: view for view in views}
        if len(self._views) < len(views):
            raise ValueError("two views stand under one word")
        self._now = ""
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        # In a narrow column the words go on in a second line: none is cut, and none makes the column wider.
        row = FlowLayout()
        row.setContentsMargins(4, 2, 4, 2)
        self._stack = QStackedWidget()
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for name, view in self._views.items():
            button = QToolButton()
            button.setText(name)
            button.setToolTip(view.tip)
            button.setCheckable(True)
            button.setStyleSheet("QToolButton { padding: 3px 5px; }")
            button.setAccessibleName(f"second view: {name}")
            button.clicked.connect(lambda _on=False, n=name: self.show_view(n))
            self._group.addButton(button)
            row.addWidget(button)
            self.buttons[name] = button
            self._stack.addWidget(view.widget)
        outer.addLayout(row)
        outer.addWidget(self._stack, 1)
        self.show_view(views[0].name)

    @property
    def name(self) -> str:
        """Which is seen."""
        return self._now

    def show_view(self, name: str) -> None:
        """Let one be seen; a name that is none is passed over."""
        if name not in self._views:
            return
        before, self._now = self._views.get(self._now), name
        if before is not None and before.name != name:
            before.seen(False)
        self._stack.setCurrentWidget(self._views[name].widget)
        self.buttons[name].setChecked(True)
        self._views[name].seen(True)
        self.changed.emit(name)
