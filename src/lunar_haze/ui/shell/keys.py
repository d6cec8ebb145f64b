"""Every act of the window with its key: one table, shown on one sheet, changeable."""

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import QKeyCombination, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QKeySequenceEdit,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

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
    Act("part", "refine a render region first, or the whole frame again", "Ctrl+R"),
    Act("next", "choose the next on the rail", "S"),
    Act("previous", "choose the one before on the rail", "Shift+S"),
    Act("pin", "pin this state", "P"),
    Act("wipe", "wipe against the pin", "W"),
    Act("black", "start from black", "T"),
    Act("work-light", "work light: see a dark place, without being part of the picture", "I"),
    Act("exposure", "exposure for the lit parts", "E"),
    Act("exposure-subject", "exposure for the subject", ""),
    Act("exposure-whole", "exposure for the whole picture", ""),
    Act("mute", "mute the chosen source", "N"),
    Act("alone", "solo the chosen source", "O"),
    Act("up", "a third of a stop up", "]"),
    Act("down", "a third of a stop down", "["),
    Act("later", "ten minutes later", "H"),
    Act("earlier", "ten minutes earlier", "Shift+H"),
    Act("event-before", "to the event before", "Shift+J"),
    Act("event", "to the next event", "J"),
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
    Act("frame-on", "a frame on", "D"),
    Act("frame-back", "a frame back", "Shift+D"),
    Act("whole", "picture alone", "F11"),
    Act("find", "find an act, a number, a source, a look ...", "Ctrl+Space"),
    Act("manual", "manual", "F1"),
    Act("keys", "sheet of keys", "Shift+F1"),
)
#: Fixed: those that name places, and those that are of what has the keyboard.
FIXED = (
    ("B held", "the picture before"),
    ("Space", "play the shot, or stop"),
    ("K", "in a number: set a key of it at this frame; Shift+K deletes the one that is there"),
)


def is_bare(key: QKeySequence) -> bool:
    """Whether a key is one that acts only while picture, plan, rail or a strip has the keyboard."""
    if key.isEmpty():
        return False
    first: QKeyCombination = key[0]  # type: ignore[index]
    held = first.keyboardModifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
    return held == Qt.KeyboardModifier.NoModifier and not Qt.Key.Key_F1 <= first.key() <= Qt.Key.Key_F35


def is_of_numbers(key: QKeySequence) -> bool:
    """Whether a key by itself types a number: such a key is no act's."""
    if not is_bare(key):
        return False
    first: QKeyCombination = key[0]  # type: ignore[index]
    is_letter = Qt.Key.Key_A <= first.key() <= Qt.Key.Key_Z
    is_bracket = first.key() in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight)
    return not (is_letter or is_bracket or first.key() >= Qt.Key.Key_Escape)


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
        """Give an act another key; why it cannot have that one, None when it has it now."""
        if is_of_numbers(QKeySequence(key)):
            return "digits and signs belong to numbers: take a letter, or Ctrl with it"
        for other in ACTS:
            if other != act and key and self.key(other) == QKeySequence(key):
                return f"that key already means “{other.text}”"
        self._changed[act.name] = key
        write_settings(self._file, self._changed)
        return None

    @property
    def changed(self) -> tuple[Act, ...]:
        """The acts whose key is not the table's."""
        return tuple(act for act in ACTS if self._changed.get(act.name, act.key) != act.key)

    def restore(self) -> None:
        """Give every act the table's key again."""
        self._changed = {}
        write_settings(self._file, self._changed)


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
        self._note.setWordWrap(True)
        self._edits: dict[str, QKeySequenceEdit] = {}
        for row, (key, text) in enumerate(FIXED):
            grid.addWidget(QLabel(text), row, 0)
            grid.addWidget(QLabel(key), row, 1)
        for row, act in enumerate(ACTS, len(FIXED)):
            grid.addWidget(QLabel(act.text), row, 0)
            edit = QKeySequenceEdit(keys.key(act))
            edit.setMaximumSequenceLength(1)
            edit.setAccessibleName(f"key for {act.text}")

            def take(act: Act = act, edit: QKeySequenceEdit = edit) -> None:
                refused = keys.change(act, edit.keySequence().toString())
                if refused:
                    edit.setKeySequence(keys.key(act))
                    self._tell(f"{refused}; “{act.text}” keeps its key", theme.WARN)
                else:
                    changed()
                    self._renew()

            edit.editingFinished.connect(take)
            self._edits[act.name] = edit
            grid.addWidget(edit, row, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(body)
        outer.addWidget(scroll)
        outer.addWidget(self._note)
        self._keys, self._tell_window = keys, changed
        self._restore = QPushButton("restore all keys")
        self._restore.clicked.connect(self._restore_all)
        outer.addWidget(self._restore)
        self._renew()
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

    def _tell(self, text: str, colour: str) -> None:
        self._note.setText(text)
        self._note.setStyleSheet(f"color: {colour};")

    def _renew(self) -> None:
        """Say which keys are the artist's own."""
        own = self._keys.changed
        self._restore.setEnabled(bool(own))
        if own:
            self._tell(f"changed: {', '.join(act.text for act in own)}", theme.DIM)

    def _restore_all(self) -> None:
        self._keys.restore()
        for act in ACTS:
            self._edits[act.name].setKeySequence(self._keys.key(act))
        self._tell_window()
        self._renew()
        self._tell("every act has the key that it came with", theme.DIM)
