"""The window's menu: every act that has no place of its own on screen."""

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from lunar_haze.ui.shell.assistant import ROLES_PROPOSED

_FILES = ("open", "save", "save-as")
_WORK = (
    "black", "exposure", "wipe", "part", "copy", "paste", "duplicate", "remove", "group", "side", "swap", "readings",
    "whole",
)  # fmt: skip


def fill_menu(menu: QMenu, actions: dict[str, QAction], asks: dict[str, Callable[[], object]]) -> dict[str, QMenu]:
    """Fill the menu from actions and from acts without a key, ``asks``, by their words.

    Gives back the menus "recent" and "surround", which whoever knows them fills.
    """
    open_menus: dict[str, QMenu] = {}

    def lay(*names: str) -> None:
        for name in names:
            if name in actions:
                menu.addAction(actions[name])
            else:
                menu.addAction(name, asks[name])

    lay(*_FILES)
    open_menus["recent"] = menu.addMenu("recent")
    lay("place: scale ...", "place: scene ...")
    menu.addSeparator()
    lay("add")
    propose = menu.addMenu("propose")
    for role in ROLES_PROPOSED:
        propose.addAction(actions[role])
    lay("watch", "hand-off: write the sky ...")
    menu.addSeparator()
    lay(*_WORK)
    open_menus["surround"] = menu.addMenu("surround")
    menu.addSeparator()
    lay("find", "manual", "keys", "memory ...", "help: show the log", "about Lunar Haze ...", "quit")
    return open_menus


def fill_recent(menu: QMenu, paths: Iterable[Path], open_path: Callable[[Path], object]) -> None:
    """Fill the menu of documents that were opened before."""
    menu.clear()
    for path in paths:
        menu.addAction(str(path), lambda p=path: open_path(p))
    if menu.isEmpty():
        menu.addAction("none yet").setEnabled(False)
