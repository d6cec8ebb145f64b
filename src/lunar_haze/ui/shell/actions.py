"""The window's acts as Qt's actions: each with its keys, and a tooltip that tells them."""

from collections.abc import Callable

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from lunar_haze.ui.shell.keys import ACTS, Act, Keys


class Actions:
    """``by_name`` has an action for each of ACTS; ``handlers`` do what they are for."""

    def __init__(self, parent: QWidget, keys: Keys, handlers: dict[str, Callable[[], object]]) -> None:
        self._keys = keys
        self.by_name: dict[str, QAction] = {}
        for act in ACTS:
            action = QAction(act.text, parent)
            action.triggered.connect(lambda _checked=False, h=handlers[act.name]: h())
            parent.addAction(action)
            self.by_name[act.name] = action
            self._give_key(act)

    def rekey(self) -> None:
        """Give every act the keys that it has now."""
        for act in ACTS:
            self._give_key(act)

    def _give_key(self, act: Act) -> None:
        action = self.by_name[act.name]
        action.setShortcuts([self._keys.key(act), *(QKeySequence(also) for also in act.also)])
        key = action.shortcut().toString()
        action.setToolTip(f"{action.text()} ({key})" if key else action.text())
