"""The window's menu: acts that have no place of their own on screen, in groups that are opened by their letters."""

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from lunar_haze.ui.shell.assistant import ROLES_PROPOSED

#: Stand in a group for a line between acts, and for the menus that whoever knows them fills.
_LINE, RECENT, SURROUND = "", "recent", "surround"
#: Groups in their order, by their words with the letter that opens each: names of acts and of asks.
GROUPS: dict[str, tuple[str, ...]] = {
    "&file": (
        "open", RECENT, "save", "save-as", "revert to saved", _LINE, "place: scale ...", "place: scene ...", _LINE,
        "hand-off", "again", "hand-off: write the sky ...",
    ),
    "&edit": ("undo", "redo", _LINE, "copy", "paste", "duplicate", "remove", "group"),
    "&light": ("add", *ROLES_PROPOSED, _LINE, "black", "watch"),
    "e&xposure": ("exposure", "exposure-subject", "exposure-whole"),
    "&view": ("swap", "readings", "frames", "side", _LINE, "work-light", "wipe", "part", "whole", SURROUND),
    "&help": ("find", "manual", "keys", _LINE, "help: show the log", "about Lunar Haze ..."),
}  # fmt: skip
#: What stands by itself under the groups.
_LAST = ("memory ...", "quit")


def fill_menu(menu: QMenu, actions: dict[str, QAction], asks: dict[str, Callable[[], object]]) -> dict[str, QMenu]:
    """Fill the menu from actions and from acts without a key, ``asks``, by their words.

    Gives back the menus `RECENT` and `SURROUND`, which whoever knows them fills.
    """
    open_menus: dict[str, QMenu] = {}

    def lay(into: QMenu, name: str) -> None:
        if name == _LINE:
            into.addSeparator()
        elif name in (RECENT, SURROUND):
            open_menus[name] = into.addMenu(name)
        elif name in actions:
            into.addAction(actions[name])
        else:
            into.addAction(name, asks[name])

    for words, names in GROUPS.items():
        group = menu.addMenu(words)
        for name in names:
            lay(group, name)
    menu.addSeparator()
    for name in _LAST:
        lay(menu, name)
    return open_menus


def fill_recent(menu: QMenu, paths: Iterable[Path], open_path: Callable[[Path], object]) -> None:
    """Fill the menu of documents that were opened before."""
    menu.clear()
    for path in paths:
        menu.addAction(str(path), lambda p=path: open_path(p))
    if menu.isEmpty():
        menu.addAction("none yet").setEnabled(False)
