"""Every act of the window with its key: one table, shown on one sheet, changeable."""

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QDialog, QGridLayout, QKeySequenceEdit, QLabel, QScrollArea, QVBoxLayout, QWidget

from lunar_haze.service.settings import read_settings, write_settings
from lunar_haze.ui.base import theme


@attrs.frozen
class Act:
    """A named act, what it says it does, its key out of the box, and keys that mean it ``also``, whatever that is."""

    name: str
    text: str
    key: str
    also: tuple[str, ...] = ()


ACTS = (
    Act("open", "open a document or a place", "Ctrl+O"),
    Act("save", "save", "Ctrl+S"),
    Act("save-as", "save under a new name", "Ctrl+Shift+S"),
    Act("undo", "undo", "Ctrl+Z"),
    Act("redo", "redo", "Ctrl+Shift+Z", ("Ctrl+Y",)),
    Act("add", "add a source, a flag, mist ...", "A"),
    Act("hand-off", "hand-off: stills, their size and format", "Ctrl+E"),
    Act("again", "hand off as last time", "Ctrl+Shift+E"),
    Act("quit", "quit", "Ctrl+Q"),
    Act("part", "refine a part of the frame first, or all of it again", "Ctrl+R"),
    Act("pin", "pin this state", "P"),
    Act("wipe", "wipe against the pin", "W"),
    Act("black", "start from black", "T"),
    Act("exposure", "exposure from this picture", "E"),
    Act("mute", "mute the chosen source", "N"),
    Act("alone", "the chosen source alone", "O"),
    Act("up", "a third of a stop up", "]"),
    Act("down", "a third of a stop down", "["),
    Act("later", "ten minutes later", "."),
    Act("earlier", "ten minutes earlier", ","),
    Act("event-before", "to the event before", ";"),
    Act("event", "to the next event", "'"),
    Act("remove", "delete the chosen source", "Delete"),
    Act("copy", "copy the chosen source", "Ctrl+C"),
    Act("paste", "paste a source", "Ctrl+V"),
    Act("duplicate", "duplicate the chosen source", "Ctrl+D"),
    Act("left", "move the card left", "Ctrl+Left"),
    Act("right", "move the card right", "Ctrl+Right"),
    Act("side", "plan from above, from the south, from the east", "V"),
    Act("watch", "watch: what gives a source away", "Ctrl+W"),
    Act("rim", "propose a rim for the subject", "Ctrl+1"),
    Act("fill", "propose a fill at 3:1", "Ctrl+2"),
    Act("eye light", "propose an eye light", "Ctrl+3"),
    Act("glow", "propose a glow behind, in the mist", "Ctrl+4"),
    Act("group", "put the chosen source in a group", "Ctrl+G"),
    Act("swap", "swap second view and picture", "L"),
    Act("readings", "readings beside the picture, or the plan", "R"),
    Act("frames", "frames of the shot: keys and curves", "F"),
    Act("frame-on", "a frame on", "Shift+."),
    Act("frame-back", "a frame back", "Shift+,"),
    Act("whole", "picture alone", "F11"),
    Act("manual", "manual", "F1"),
    Act("keys", "sheet of keys", "Shift+F1"),
)
#: Fixed: those that name places, and those that are of what has the keyboard.
FIXED = (
    ("1 .. 9", "choose on the rail"),
    ("0", "choose the sky"),
    ("B held", "the picture before"),
    ("Space", "play the shot, or stop"),
    ("K", "in a number: set a key of it at this frame, or delete it"),
)


class Keys:
    """The keys in force: the table's, with the artist's changes from a file."""

    def __init__(self, file: Path) -> None:
        self._file = file
        kept = read_settings(file)
        # None yet, or damaged: the table's own serve.
        self._changed = {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}

    def key(self, act: Act) -> QKeySequence:
        """The key of an act."""
        return QKeySequence(self._changed.get(act.name, act.key))

    def change(self, act: Act, key: str) -> str | None:
        """Give an act another key. A key that is taken is refused; then the other act's text is returned."""
        for other in ACTS:
            if other != act and key and self.key(other) == QKeySequence(key):
                return other.text
        self._changed[act.name] = key
        write_settings(self._file, self._changed)
        return None


class KeySheet(QDialog):
    """All keys on one sheet; click one and press another to change it."""

    def __init__(self, keys: Keys, changed: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("keys")
        self.resize(460, 640)
        outer = QVBoxLayout(self)
        body = QWidget()
        grid = QGridLayout(body)
        grid.setVerticalSpacing(3)
        self._note = QLabel("click a key and press another to change it")
        self._note.setProperty("quiet", True)
        for row, (key, text) in enumerate(FIXED):
            grid.addWidget(QLabel(text), row, 0)
            grid.addWidget(QLabel(key), row, 1)
        for row, act in enumerate(ACTS, len(FIXED)):
            grid.addWidget(QLabel(act.text), row, 0)
            edit = QKeySequenceEdit(keys.key(act))
            edit.setMaximumSequenceLength(1)
            edit.setAccessibleName(f"key for {act.text}")

            def take(act: Act = act, edit: QKeySequenceEdit = edit) -> None:
                taken_by = keys.change(act, edit.keySequence().toString())
                if taken_by:
                    edit.setKeySequence(keys.key(act))
                    self._note.setText(f"that key already means “{taken_by}”")
                    self._note.setStyleSheet(f"color: {theme.WARN};")
                else:
                    changed()

            edit.editingFinished.connect(take)
            grid.addWidget(edit, row, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(body)
        outer.addWidget(scroll)
        outer.addWidget(self._note)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
