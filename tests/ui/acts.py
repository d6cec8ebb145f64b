"""A hand that counts what it does: every key, click, drag, typed number and entry of a menu is one act."""

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QMenu, QPushButton

from tests.ui.hands import drag


class CountingHand:
    def __init__(self, window, qtbot):
        self.window, self._qtbot, self.acts = window, qtbot, []

    def _done(self, what):
        self.acts.append(what)
        QApplication.processEvents()

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier, at=None):
        """Press a key where the keyboard is, or in the picture or the plan, to which Escape leads from the column."""
        if at is not None and not at.hasFocus():
            at.setFocus()
            self._done("Escape")
        QTest.keyClick(at or QApplication.focusWidget() or self.window.picture, key, modifier)
        self._done(f"key {Qt.Key(key).name}")

    def picture(self, x, y):
        """Click in the picture at a share of it."""
        frame = self.window.picture.frame()
        at = QPointF(frame.left() + x * frame.width(), frame.top() + y * frame.height())
        QTest.mouseClick(self.window.picture, Qt.MouseButton.LeftButton, pos=at.toPoint())
        self._done("click in the picture")

    def ground(self, east, north):
        """Click in the plan at a point of the ground."""
        QTest.mouseClick(
            self.window.plan, Qt.MouseButton.LeftButton, pos=self.window.plan.to_screen(east, north).toPoint()
        )
        self._done("click in the plan")

    def pull(self, part, east, north, modifier=Qt.KeyboardModifier.NoModifier):
        """Drag a mark of what is chosen in the plan to a point of the ground."""
        plan = self.window.plan
        start = next(at for i, p, at in plan.marks() if i == self.window.session.chosen and p == part)
        drag(plan, start, plan.to_screen(east, north), modifier=modifier)
        self._done(f"drag {part}")

    def turn_group(self, quarter_turns):
        """Drag the ring of the chosen lamp's group round."""
        plan = self.window.plan
        marks = dict(plan.group_marks())
        end = marks["group"] + QPointF(30 * quarter_turns, -2)
        drag(plan, marks["turn"], end, steps=10)
        self._done("drag the ring of the group")

    def lift(self, z):
        """Drag the height of what is chosen on the plan's strip."""
        plan = self.window.plan
        x = plan.width() - 8
        start = plan.height_mark(self.window.session.chosen_source.shape.position[2])
        drag(plan, QPoint(x, round(start)), QPoint(x, round(plan.height_mark(z))))
        self._done("drag the height")

    def number(self, row, text):
        """Type a number into a well that is chosen by a click, and Return."""
        well = self.window.facets.wells[row]
        self._open_section_of(well)
        QTest.mouseClick(well, Qt.MouseButton.LeftButton, pos=QPoint(8, well.height() // 2))
        QTest.keyClicks(well.editor, text)
        QApplication.sendEvent(
            well.editor, QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
        )
        self._done(f"{row} {text}")

    def card(self, source_id):
        """Click a card on the rail."""
        card = self.window.rail.cards[source_id]
        QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(card.width() // 2, 12))
        self._done("click a card")

    def _open_section_of(self, well):
        if not well.isVisible():
            section = well.parentWidget().parentWidget()
            QTest.mouseClick(section.heading, Qt.MouseButton.LeftButton, pos=QPoint(6, 6))
            self._done("open a section")

    def pick(self, name, text):
        """Choose from a list of the column: a click opens it, an entry is taken by its first letters and Return."""
        combo = next(c for c in self.window.facets.findChildren(QComboBox) if c.accessibleName() == name)
        combo.setFocus()
        combo.showPopup()
        view = combo.view()
        view.setCurrentIndex(combo.model().index(combo.findText(text), 0))
        QTest.keyClick(view, Qt.Key.Key_Return)
        combo.hidePopup()
        # Offscreen nobody gives the keyboard back to the window under a popup.
        self.window.activateWindow()
        self._qtbot.waitUntil(lambda: QApplication.activeWindow() is self.window)
        self._done(f"choose {text}")

    def tick(self, text):
        box = next(b for b in self.window.facets.findChildren(QCheckBox) if b.text() == text)
        if not box.isVisible():
            self._open_section_of(box)
        QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
        self._done(f"tick {text}")

    def press(self, text, within=None):
        """A button by its words, among the facets or in another view."""
        QApplication.processEvents()
        buttons = (within or self.window.facets).findChildren(QPushButton)
        button = next(b for b in buttons if b.text() == text and not b.isHidden())
        if within is not None:
            self._qtbot.waitUntil(button.isVisible)
        elif not button.isVisible():
            self._open_section_of(button)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self._done(f"press {text}")

    def menu(self, *path):
        """Walk down the menu that is open, by its words."""
        menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
        for words in path[:-1]:
            action = next(a for a in menu.actions() if a.text() == words)
            menu.setActiveAction(action)
            QTest.keyClick(menu, Qt.Key.Key_Right)
            self._done(f"menu {words}")
            menu = action.menu()
        menu.setActiveAction(next(a for a in menu.actions() if a.text().startswith(path[-1])))
        QTest.keyClick(menu, Qt.Key.Key_Return)
        for left in [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]:
            left.close()
        self._done(f"menu {path[-1]}")

    def add(self, *path):
        """The key that adds, and what."""
        self.window.picture.setFocus()
        self.key(Qt.Key.Key_A)
        self.menu(*path)

    def told(self, job, most):
        """Print how many acts a job took; it may take so many."""
        print(f"\n{job}: {len(self.acts)} acts of at most {most}")
        assert len(self.acts) <= most, self.acts
