"""A sheet of other balances of the same light: nine or sixteen small pictures, each a mix; one is shown, then taken."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.core.document.balance import BalanceChange
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.variations import Variation, variations
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.session.session import Session

#: How many lie side by side on a sheet of so many.
SHEETS = {9: 3, 16: 4}
MOST = max(SHEETS)


class VariationsView(QWidget):
    """Made when asked for; a click shows a variation, Return takes it, and the next sheet goes on from it."""

    _made = Signal(object, object)

    def __init__(self, session: Session, bridge: RenderBridge, balance: Balance) -> None:
        super().__init__()
        self._session, self._bridge, self._balance = session, bridge, balance
        self.found: tuple[Variation, ...] = ()
        self._seed, self._busy, self._is_due = 0, False, False
        self._again = False
        #: Passes of the light that the small pictures were drawn from.
        self._drawn_at = 1
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        head = QHBoxLayout()
        self.again = QPushButton("new sheet")
        self.again.setToolTip("other balances round the present one; locked sources (readings) keep their dimmers")
        self.again.clicked.connect(self.make)
        head.addWidget(self.again)
        self.words = QLabel("other balances of the same light, none of which costs a ray")
        self.words.setWordWrap(True)
        self.words.setProperty("quiet", True)
        head.addWidget(self.words, 1)
        self.many = QCheckBox("sixteen")
        self.many.setToolTip("a sheet of sixteen instead of nine")
        self.many.clicked.connect(self.make)
        head.addWidget(self.many)
        rows.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setSpacing(4)
        rows.addLayout(self._grid)
        rows.addStretch(1)
        self.cells = []
        for n in range(MOST):
            cell = QToolButton()
            cell.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            # Words give way to the width there is: the picture beside is not to shrink for them.
            cell.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            cell.clicked.connect(lambda _on=False, k=n: self.show_one(k))
            cell.hide()
            self.cells.append(cell)
        self._columns = 0
        self._lay_out()
        self._made.connect(self._take)
        session.opened.connect(self._forget)
        bridge.light.refined.connect(self._when_here)

    @property
    def count(self) -> int:
        """How many a sheet has."""
        return 16 if self.many.isChecked() else 9

    def _lay_out(self) -> None:
        columns = SHEETS[self.count]
        if columns != self._columns:
            self._columns = columns
            for n, cell in enumerate(self.cells):
                cell.setIconSize(QSize(84, 48) if columns == 3 else QSize(62, 35))
                self._grid.addWidget(cell, n // columns, n % columns)

    def _forget(self) -> None:
        self.found = ()
        for cell in self.cells:
            cell.hide()

    def _when_here(self) -> None:
        """All light of the picture may be here now, for a sheet that waits for it; or it has got cleaner."""
        if not self.isVisible():
            return
        if self._is_due:
            self.make()
        elif self.found and self._bridge.shown.passes >= 2 * self._drawn_at:
            shares = self._balance.present_shares()
            if shares is not None:
                self._draw(shares)

    def make(self) -> None:
        """Make a sheet round the balance as it is."""
        shares = self._balance.present_shares()
        self._is_due = shares is None
        if shares is None:
            self.words.setText("waiting for the picture")
            return
        if self._busy:
            # Asked for while one is being made: another comes after it.
            self._again = True
            return
        self._busy, self._again = True, False
        self._lay_out()
        count = self.count
        self._seed += 1
        seed, table, held = self._seed, self._bridge.shown.screen.table, self._balance.locked

        def show(picture: NDArray[np.float32], scale: float) -> NDArray[np.uint8]:
            return table.show(picture, scale, dither=False)[..., 2::-1]

        self._session.aside.then(
            lambda: variations(shares, show, count, held, seed), lambda found: self._made.emit(shares, found or ())
        )

    def _take(self, shares: Shares, found: tuple[Variation, ...]) -> None:
        self._busy = False
        if self._again:
            self.make()
            return
        self.found = found
        self.words.setText("click one to see it; Return takes it" if found else "there is nothing that can be varied")
        for n, cell in enumerate(self.cells):
            cell.setVisible(n < len(found))
            if n < len(found):
                cell.setText(_folded(found[n].words))
                cell.setToolTip(found[n].words)
                cell.setAccessibleName(f"variation {n + 1}: {found[n].words}")
        self._draw(shares)

    def _draw(self, shares: Shares) -> None:
        """The small pictures of the sheet, from light as clean as it is now."""
        self._drawn_at = max(self._bridge.shown.passes, 1)
        for cell, one in zip(self.cells, self.found):
            picture = shares.mixed(dict(one.moves)).picture
            image = as_image(self._bridge.shown.screen.table.show(picture, shares.scale))
            cell.setIcon(QIcon(QPixmap.fromImage(image)))

    def show_one(self, number: int) -> None:
        """Propose one of the sheet."""
        if number < len(self.found):
            one = self.found[number]
            self._balance.propose(BalanceChange(f"variation ({one.words})", one.moves))


def _folded(words: str) -> str:
    """Words in lines that fit under a small picture."""
    return "\n".join(words.split(", ")[:2])
