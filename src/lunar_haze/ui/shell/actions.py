"""The window's acts as Qt's actions: each with its keys, and a tooltip that tells them.

Keys without Ctrl act only while one of the places of the light has the keyboard: picture, plan, rail, strips. What is
typed anywhere else, such as beside a number that was missed, does nothing.
"""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from lunar_haze.ui.shell.keys import ACTS, Act, Keys, is_bare


class Actions:
    """``by_name`` has an action for each of ACTS; ``handlers`` do what they are for."""

    def __init__(self, parent: QWidget, keys: Keys, handlers: dict[str, Callable[[], object]]) -> None:
        self._keys = keys
        self._window = parent
        self._places: tuple[QWidget, ...] = ()
        self.by_name: dict[str, QAction] = {}
        for act in ACTS:
            action = QAction(act.text, parent)
            action.triggered.connect(lambda _checked=False, h=handlers[act.name]: h())
            self.by_name[act.name] = action
            self._give_key(act)

    def act_in(self, *places: QWidget) -> None:
        """Where keys without Ctrl act."""
        self._places = places
        self.rekey()

    def rekey(self) -> None:
        """Give every act the keys that it has now."""
        for act in ACTS:
            self._give_key(act)

    def _give_key(self, act: Act) -> None:
        action = self.by_name[act.name]
        action.setShortcuts([self._keys.key(act), *(QKeySequence(also) for also in act.also)])
        bare = any(is_bare(each) for each in action.shortcuts())
        within = Qt.ShortcutContext.WidgetWithChildrenShortcut if bare else Qt.ShortcutContext.WindowShortcut
        action.setShortcutContext(within)
        for place in (self._window, *self._places):
            place.removeAction(action)
        for place in self._places if bare else (self._window,):
            place.addAction(action)
        key = action.shortcut().toString()
        action.setToolTip(f"{action.text()} ({key})" if key else action.text())
