"""The menus beside the lists of looks and shots: new, named, copied, put in order, deleted."""

from collections.abc import Callable

from PySide6.QtWidgets import QInputDialog, QMenu, QToolButton, QWidget

from lunar_haze.core.document import lists
from lunar_haze.core.document.edits import free_name
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.ui.session.session import Session


class ListMenu:
    """Fills the menu of a button beside one of the two lists; ``what`` is "look" or "shot"."""

    def __init__(self, session: Session, what: str, button: QToolButton) -> None:
        self._session, self._what, self._parent = session, what, button
        menu = QMenu(button)
        button.setMenu(menu)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setText("…")
        button.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        button.setToolTip(f"new {what}, and this {what}: copy, rename, order, delete")
        button.setAccessibleName(f"list of {what}s")
        menu.addAction(f"copy this {what}", self.copy)
        if what == "look":
            menu.addAction("new empty look", self.add_empty)
        menu.addAction(f"rename this {what} ...", self.rename)
        menu.addAction("earlier in the list", lambda: self.move(-1))
        menu.addAction("later in the list", lambda: self.move(1))
        menu.addSeparator()
        menu.addAction(f"delete this {what}", self.delete)

    @property
    def _current(self) -> str:
        return lists.current(self._session.document, self._what)

    def _do(self, label: str, act: Callable[[Document], Document]) -> None:
        if not self._session.is_open:
            return
        try:
            self._session.act(f"{label} {self._what}", act(self._session.document))
        except HazeError as error:
            self._session.said.emit(str(error), True)

    def _asked(self, title: str, start: str) -> str:
        parent: QWidget = self._parent.window()
        name, good = QInputDialog.getText(parent, title, f"name of the {self._what}", text=start)
        return name.strip() if good else ""

    def copy(self) -> None:
        """A copy under a name that is asked for."""
        taken = lists.names(self._session.document, self._what)
        name = self._asked(f"copy this {self._what}", free_name(self._current, taken))
        if name:
            self._do("copy", lambda document: lists.add_copy(document, self._what, name))

    def add_empty(self) -> None:
        """A look without light, everything else stays in the old one."""
        name = self._asked("new empty look", "new look")
        if name:
            self._do("new empty", lambda document: lists.add_empty_look(document, name))

    def rename(self) -> None:
        """Another name."""
        name = self._asked(f"rename this {self._what}", self._current)
        if name:
            self._do("rename", lambda document: lists.rename(document, self._what, self._current, name))

    def move(self, by: int) -> None:
        """To another place in the list."""
        self._do("order", lambda document: lists.move(document, self._what, self._current, by))

    def delete(self) -> None:
        """Delete it; undo brings it back."""
        self._do("delete", lambda document: lists.remove(document, self._what, self._current))
