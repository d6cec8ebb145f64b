"""A hand that aims at numbers, misses one in five by up to 24 pixels, and types on all the same."""

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document.rows import AIR, CAMERA, FINISH

#: What is typed at numbers: digits, signs, units, factors, Return or nothing after it.
TYPED = (
    "0.5",
    "5,2 m",
    "200 lx",
    "-3",
    "+=1/3",
    "2x",
    "1800",
    "18:30",
    "50 %",
    "7",
    "1.25",
    "-11",
    "*2",
    "12 m",
    "f/2.8",
)
MISS_PX, ONE_IN = 24, 5


class ClumsyHand:
    """``acts`` lists the window's acts that keys have done while it typed beside numbers."""

    def __init__(self, window, seed):
        self.window, self.rng = window, np.random.default_rng(seed)
        self.acts, self.misses, self.jobs = [], 0, 0
        self._types = False
        for name, action in window.actions_by_name.items():
            action.triggered.connect(lambda _on=False, name=name: self._types and self.acts.append(name))

    def choose_something(self):
        look = self.window.session.document.look
        targets = [*(s.id for s in look.sources), AIR, FINISH, CAMERA]
        self.window.session.choose(targets[int(self.rng.integers(len(targets)))])
        QApplication.processEvents()

    def job(self):
        """Click at a number, or beside it, and type; True where the click fell in the column."""
        window, rng = self.window, self.rng
        facets = window.facets
        wells = [w for w in facets.wells.values() if w.isVisible()]
        if not wells:
            return False
        self.jobs += 1
        well = wells[int(rng.integers(len(wells)))]
        facets.ensureWidgetVisible(well)
        QApplication.processEvents()
        at = well.mapTo(window, well.rect().center())
        if rng.integers(ONE_IN) == 0:
            self.misses += 1
            at += QPoint(*(int(v) for v in rng.integers(-MISS_PX, MISS_PX + 1, 2)))
        column = facets.viewport()
        if not column.rect().contains(column.mapFrom(window, at)):
            return False
        # As the window system sends it: whoever is under the pointer gets it, and the keyboard by Qt's own rules.
        QTest.mouseClick(window.windowHandle(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        QApplication.processEvents()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()
            return False
        self._types = True
        text = TYPED[int(rng.integers(len(TYPED)))]
        for letter in text:
            QTest.keyClick(window.windowHandle(), letter)
        if rng.integers(4):
            QTest.keyClick(window.windowHandle(), Qt.Key.Key_Return)
        QApplication.processEvents()
        self._types = False
        QTest.keyClick(window.windowHandle(), Qt.Key.Key_Escape)
        return True
