"""The line that a well is typed in, and the keys that are a well's own."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from lunar_haze.ui.base.key_mark import KEY_HELD, SETS_KEY

#: By how much of its range a key steps a well.
STEPS = {Qt.Key.Key_Up: 0.02, Qt.Key.Key_Right: 0.02, Qt.Key.Key_Down: -0.02, Qt.Key.Key_Left: -0.02}
#: What opens the line when it is typed.
OPENING = frozenset("0123456789+-.,(*/=")
RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class WellLine(QLineEdit):
    """The line a well is typed in: ``commit`` (whether the well keeps the keyboard) takes what is typed, and says
    whether it could; ``cancel`` leaves it; ``turn`` (notches) turns the number by the wheel.
    """

    def __init__(
        self,
        well: QWidget,
        commit: Callable[[bool], bool],
        cancel: Callable[[], None],
        turn: Callable[[float], None],
    ) -> None:
        super().__init__(well)
        self._well, self._commit, self._cancel, self._turn = well, commit, cancel, turn

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        self._turn(event.angleDelta().y() / 120.0)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        # Taken here, or the well below would have them too and open again.
        if event.key() in RETURN:
            self._commit(True)
        elif event.key() == Qt.Key.Key_Escape:
            self._cancel()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if not isinstance(event, QKeyEvent):
            return super().event(event)
        if event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            if self._commit(True):
                self._well.focusNextPrevChild(event.key() == Qt.Key.Key_Tab)
            return True
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in (*RETURN, Qt.Key.Key_Escape):
            event.accept()
            return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        super().focusOutEvent(event)
        # Its own menu, or another window, is no other place to work in.
        if event.reason() not in (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason):
            self._commit(False)


def is_of_a_well(event: QKeyEvent) -> bool:
    """Whether a key steps a well's value, opens its editor, or is of its keys over the frames."""
    if event.key() == SETS_KEY and event.modifiers() in KEY_HELD:
        return True
    if event.modifiers() != Qt.KeyboardModifier.NoModifier:
        return False
    return event.key() in (*STEPS, *RETURN, Qt.Key.Key_F2) or bool(event.text() and event.text() in OPENING)
