"""A hand that does anything: keys, clicks, drags, the wheel, popups and sizes, by chance with a seed."""

import random

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QMenu, QToolButton, QWidget

from tests.ui.hands import drag

_KEYS = [
    *(Qt.Key(k) for k in range(Qt.Key.Key_0, Qt.Key.Key_9 + 1)),
    *(Qt.Key(k) for k in range(Qt.Key.Key_A, Qt.Key.Key_Z + 1)),
    Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Space, Qt.Key.Key_Delete,
    Qt.Key.Key_Backspace, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight, Qt.Key.Key_Comma,
    Qt.Key.Key_Period, Qt.Key.Key_Semicolon, Qt.Key.Key_J, Qt.Key.Key_Minus, Qt.Key.Key_Plus, Qt.Key.Key_F2,
]  # fmt: skip
_MODIFIERS = [
    *[Qt.KeyboardModifier.NoModifier] * 6, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier,
]  # fmt: skip
#: What would leave the window, open a dialog of the system, or write to where a test must not.
_NOT = {(Qt.Key.Key_Q, True), (Qt.Key.Key_O, True), (Qt.Key.Key_S, True), (Qt.Key.Key_E, True), (Qt.Key.Key_G, True)}
_TYPED = ["12", "-3", "0", "1e9", "abc", "200 lx", "+=1/3", "50 %", "nan", "", "1/0", "2,5", "99999999999"]


class RandomHand:
    def __init__(self, window, seed):
        self.window, self.chance = window, random.Random(seed)
        self.done = []
        # Some clicks wait inside Qt until a menu or a dialog is closed: somebody has to.
        self._leaver = QTimer(interval=250)
        self._leaver.timeout.connect(self._leave)
        self._leaver.start()

    def _leave(self):
        for waiting in (QApplication.activePopupWidget(), QApplication.activeModalWidget()):
            if waiting is not None:
                waiting.close()

    def step(self):
        """One event, wherever it lands."""
        popup = QApplication.activePopupWidget()
        kind = self.chance.choices(
            ["key", "click", "drag", "wheel", "type", "context", "resize"], [40, 30, 8, 8, 8, 4, 2]
        )[0]  # fmt: skip
        if popup is not None:
            self._in_popup(popup)
        else:
            getattr(self, f"_{kind}")()
        QApplication.processEvents()

    def _in_popup(self, popup):
        self.done.append("popup")
        # Most popups are left, some entries taken; what opens a dialog of the system is not.
        if isinstance(popup, QMenu) and self.chance.random() < 0.35:
            actions = [a for a in popup.actions() if a.isEnabled() and not a.text().rstrip().endswith("...")]
            calm = [a for a in actions if a.menu() is None and "quit" not in a.text() and "log" not in a.text()]
            calm = [a for a in calm if not any(w in a.text() for w in ("open", "save", "hand", "keys", "hour", "/"))]
            if calm:
                popup.setActiveAction(self.chance.choice(calm))
                QTest.keyClick(popup, Qt.Key.Key_Return)
        for left in [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]:
            left.close()
        if QApplication.activePopupWidget() is popup:
            popup.close()

    def _widgets(self):
        found = [w for w in self.window.findChildren(QWidget) if w.isVisible() and w.width() > 6 and w.height() > 6]
        return [w for w in found if not (isinstance(w, QAbstractButton) and self._is_barred(w))]

    @staticmethod
    def _is_barred(button):
        words = f"{button.text()} {button.toolTip()} {button.accessibleName()}".lower()
        return any(w in words for w in ("hand-off", "photograph", "open", "save", "folder", "write", "site", "°"))

    def _target(self):
        return self.chance.choice(self._widgets() or [self.window])

    def _at(self, widget):
        return QPoint(self.chance.randrange(max(widget.width(), 1)), self.chance.randrange(max(widget.height(), 1)))

    def _key(self):
        key, modifier = self.chance.choice(_KEYS), self.chance.choice(_MODIFIERS)
        if (key, modifier == Qt.KeyboardModifier.ControlModifier) in _NOT:
            return
        self.done.append(f"key {key}")
        QTest.keyClick(QApplication.focusWidget() or self.window.picture, key, modifier)

    def _click(self):
        widget = self._target()
        if isinstance(widget, QComboBox):
            widget.setFocus()
            return
        if isinstance(widget, QToolButton) and widget.menu() is not None:
            # Its own click waits inside Qt until the menu is closed.
            widget.menu().popup(widget.mapToGlobal(QPoint(0, widget.height())))
            self.done.append(f"menu {widget.accessibleName()}")
            return
        self.done.append(f"click {type(widget).__name__}")
        button = Qt.MouseButton.RightButton if self.chance.random() < 0.15 else Qt.MouseButton.LeftButton
        QTest.mouseClick(widget, button, self.chance.choice(_MODIFIERS), self._at(widget))

    def _drag(self):
        widget = self._target()
        if isinstance(widget, (QComboBox, QAbstractButton, QLineEdit)):
            return
        self.done.append(f"drag {type(widget).__name__}")
        drag(widget, self._at(widget), self._at(widget), steps=3)

    def _wheel(self):
        widget = self._target()
        at = QPointF(self._at(widget))
        self.done.append(f"wheel {type(widget).__name__}")
        event = QWheelEvent(
            at, widget.mapToGlobal(at), QPoint(), QPoint(0, self.chance.choice((-120, 120))),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)

    def _type(self):
        wells = [w for w in self.window.facets.wells.values() if w.isVisible()]
        if not wells:
            return
        well = self.chance.choice(wells)
        self.done.append("type")
        QTest.mouseClick(well, Qt.MouseButton.LeftButton, pos=QPoint(8, well.height() // 2))
        focus = QApplication.focusWidget()
        if isinstance(focus, QLineEdit):
            QTest.keyClicks(focus, self.chance.choice(_TYPED))
            if QApplication.focusWidget() is focus:
                QTest.keyClick(focus, self.chance.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab)))

    def _context(self):
        widget = self._target()
        at = self._at(widget)
        self.done.append(f"context {type(widget).__name__}")
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
        QApplication.sendEvent(widget, event)

    def _resize(self):
        self.done.append("resize")
        self.window.resize(self.chance.choice((1024, 1280, 1440)), self.chance.choice((700, 800, 900)))
