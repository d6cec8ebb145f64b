"""Finding by name: acts, what can be added, numbers of what is chosen, sources, looks, shots, pages of the manual."""

from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import TYPE_CHECKING

import attrs
from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.ui.base import theme
from lunar_haze.ui.shell.manual import PAGES

if TYPE_CHECKING:
    from lunar_haze.ui.shell.window import Window

#: So many are listed at the most.
MOST = 40
#: Words that earlier versions, or other trades, have for what is called otherwise here.
OLD_NAMES = {
    "alone": "solo",
    "thickness": "optical depth",
    "matte": "diffuse",
    "highlights": "specular",
    "turned": "rotation",
    "turn": "rotation",
    "passes": "samples per pixel",
    "part of the frame": "render region",
    "leave it": "cancel",
    "put back": "reset",
    "gobo": "cut-out",
    "save as": "save under",
    "export": "hand-off",
    "fog": "mist",
    "lut": "table",
    "preferences": "memory",
}


@attrs.frozen(eq=False)
class Entry:
    """What can be found: its ``words``, what ``kind`` of thing it is, its ``key`` ("" for none), and the act."""

    words: str
    kind: str
    key: str
    run: Callable[[], object]


def found_in(entries: Iterable[Entry], typed: str) -> list[Entry]:
    """Entries that hold every word that was typed, by name or by an old name, the nearest first.

    A word at the beginning of the name counts more than one at the beginning of any of its words, and that more than
    one inside a word.
    """
    typed = " ".join(typed.casefold().split())
    asked = [typed, *(typed.replace(old, new) for old, new in OLD_NAMES.items() if old in typed)]

    def rank(entry: Entry) -> int | None:
        name = f"{entry.words} {entry.kind}".casefold()
        ranks = [
            sum(0 if name.startswith(word) else 1 if f" {word}" in name else 3 for word in way.split())
            for way in asked
            if all(word in name for word in way.split())
        ]
        return min(ranks, default=None)

    ranked = [(place, number, entry) for number, entry in enumerate(entries) if (place := rank(entry)) is not None]
    return [entry for _place, _number, entry in sorted(ranked, key=lambda one: one[:2])]


def _trigger(action: QAction, holders: tuple[QObject, ...]) -> None:
    action.trigger()


def _plain(action: QAction) -> str:
    """The words of an action, without the mark of the letter that opens it."""
    return action.text().replace("&", "")


def entries_of(
    menu: QMenu, kind: str, path: str = "", holders: tuple[QObject, ...] = (), but: frozenset[QAction] = frozenset()
) -> Iterator[Entry]:
    """What a menu and the menus in it do, by their words after those they lie under; each keeps its menus alive.

    Actions in ``but`` are left out.
    """
    for action in menu.actions():
        inside = action.menu()
        if isinstance(inside, QMenu):
            yield from entries_of(inside, kind, f"{path}{_plain(action)}: ", (*holders, menu, action), but)
        elif action.text() and action.isEnabled() and action not in but:
            run = partial(_trigger, action, (*holders, menu))
            yield Entry(f"{path}{_plain(action)}", kind, action.shortcut().toString(), run)


def everything(window: "Window") -> list[Entry]:
    """All that can be found in a window as it is now."""
    acts = {name: action for name, action in window.actions_by_name.items() if action.isEnabled() and name != "find"}
    found = [Entry(action.text(), "act", action.shortcut().toString(), action.trigger) for action in acts.values()]
    found += entries_of(window.header.menu, "menu", but=frozenset(acts.values()))
    pages = [Entry(f"manual: {page}", "page", "", partial(window.show_manual, page)) for page in PAGES]
    session = window.session
    if not session.is_open:
        return found + pages
    document = session.document
    for name, well in window.facets.wells.items():
        found.append(Entry(well.label, "number of what is chosen", "", partial(window.facets.reach, name)))
    found += [Entry(source.name, "source", "", partial(session.choose, source.id)) for source in document.look.sources]
    found += [Entry(look.name, "look", "", partial(window.header.take_look, look.name)) for look in document.looks]
    found += [Entry(shot.name, "shot", "", partial(window.header.take_shot, shot.name)) for shot in document.shots]
    for view in window.second.buttons:
        found.append(Entry(view, "second view", "", partial(window.second.show_view, view)))
    return found + list(entries_of(window.adding.menu(), "add")) + pages


class Finder(QFrame):
    """A line to type in, over what it finds: arrows choose, Return does it, Escape closes."""

    def __init__(self, entries: list[Entry], parent: QWidget) -> None:
        super().__init__(parent)
        self._window = parent
        self._before: QWidget | None = None
        self._entries, self._shown = entries, entries
        self.setAccessibleName("find")
        self.setObjectName("finder")
        self.setAutoFillBackground(True)
        self.setStyleSheet(f"QFrame#finder {{ background: {theme.PANEL}; border: 1px solid {theme.EDGE}; }}")
        self.resize(460, 420)
        self.line = QLineEdit()
        self.line.setPlaceholderText("part of a name: an act, a number, a source, a look, a page of the manual")
        self.line.setAccessibleName("what to find")
        self.line.textChanged.connect(self._find)
        self.line.returnPressed.connect(self.take)
        self.list = QListWidget()
        self.list.setAccessibleName("what was found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(lambda _item: self.take())
        self.none = QLabel("nothing has that name")
        self.none.setProperty("quiet", True)
        rows = QVBoxLayout(self)
        rows.addWidget(self.line)
        rows.addWidget(self.none)
        rows.addWidget(self.list, 1)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._find("")

    def _find(self, typed: str) -> None:
        self._shown = found_in(self._entries, typed)[:MOST]
        self.list.clear()
        for entry in self._shown:
            item = QListWidgetItem(f"{entry.words}  –  {entry.kind}{f'  ({entry.key})' if entry.key else ''}")
            item.setForeground(theme.qcolor(theme.TEXT))
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.none.setVisible(not self._shown)

    def take(self) -> None:
        """Do what is chosen in the list, once this is closed."""
        row = self.list.currentRow()
        if not 0 <= row < len(self._shown):
            return
        # Once the keyboard is where it was before: an act may be of what has it.
        QTimer.singleShot(0, self._window, self._shown[row].run)
        self._leave()

    def popup(self) -> None:
        """Open over the window's upper half."""
        corner = QPoint((self._window.width() - self.width()) // 2, min(80, self._window.height() // 8))
        self.move(corner)
        self._before = QApplication.focusWidget()
        self.line.installEventFilter(self)
        self.show()
        self.raise_()
        self.line.setFocus()

    def _leave(self) -> None:
        """Close, and give the keyboard back to what had it."""
        if self._before is not None:
            self._before.setFocus()
        self.close()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        # A click anywhere else closes it; another window that comes before this one does not.
        if event.type() == QEvent.Type.FocusOut and self._window.isActiveWindow():
            self.close()
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() == Qt.Key.Key_Escape:
            self._leave()
            return
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        elif self._shown:
            self.list.setCurrentRow((self.list.currentRow() + step) % len(self._shown))
