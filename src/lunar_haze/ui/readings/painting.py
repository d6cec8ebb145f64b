"""A brush in the picture that asks for light: brighter, darker, warmer, cooler, or a colour; solved while painting."""

import logging

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter

from lunar_haze.core.document.balance import BalanceChange
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.painted import Painted, Stroke, solve_painted
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.picture_overlays import Overlay, brush_ring
from lunar_haze.ui.readings.balance import LEAST_MOVE, Balance
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

#: What one pass asks for, in stops or log2(red / blue).
AMOUNTS = {"brighter": 1.0, "darker": 1.0, "warmer": 0.7, "cooler": 0.7, "colour": 0.0}
#: Radius of the brush as a share of the frame's height: least, to begin with, most.
LEAST, USUAL, MOST = 0.01, 0.05, 0.3
LABEL = "what was painted"


class Painting(QObject):
    """The strokes there are and the balance that comes nearest to them, proposed as they grow.

    ``renewed`` when strokes, the answer or the brush have changed.
    """

    renewed = Signal()
    _solved = Signal(object, int)

    def __init__(self, session: Session, balance: Balance) -> None:
        super().__init__()
        self._session, self._balance = session, balance
        #: What the brush says, "" when it is put away.
        self.kind = ""
        self.radius = USUAL
        self.colour: NDArray[np.float64] | None = None
        self.strokes: list[Stroke] = []
        self.answer: Painted | None = None
        self._shares: Shares | None = None
        self._grown: NDArray[np.float32] | None = None
        self._at = (0.0, 0.0)
        self._round, self._busy, self._again, self._answering = 0, False, False, False
        self._solved.connect(self._take)
        session.proposal_changed.connect(self._follow)
        session.changed.connect(self._forget)
        session.opened.connect(self.put_away)

    def pick_up(self, kind: str) -> None:
        """Take the brush; "" puts it away and keeps what is proposed."""
        self.kind = kind
        self.renewed.emit()

    def put_away(self) -> None:
        """No brush, no strokes."""
        self.kind = ""
        self._forget()

    def _forget(self) -> None:
        self._round += 1
        had = bool(self.strokes)
        self.strokes, self.answer, self._shares, self._grown = [], None, None, None
        if had or not self.kind:
            self.renewed.emit()

    def _follow(self) -> None:
        """Strokes go with the proposal that answers them."""
        change = self._session.proposal
        if not self._answering and (change is None or change.label != LABEL):
            self._forget()

    # -- strokes ----------------------------------------------------------------------------------

    def begin(self, x: float, y: float) -> bool:
        """Begin a stroke at a place in [0, 1]; False while there is no light to paint with."""
        if self._shares is None:
            self._shares = self._balance.present_shares()
        if self._shares is None:
            self._session.said.emit("waiting for the picture: a part of its light is not here yet", False)
            return False
        if self.kind == "colour" and self.colour is None:
            self._session.said.emit("choose the colour to paint with first", False)
            return False
        self._grown = np.zeros(self._shares.shape, np.float32)
        self._at = x, y
        self.go_on(x, y)
        return True

    def go_on(self, x: float, y: float) -> None:
        """Lead the brush to a place; the stroke covers what lies between."""
        if self._grown is None or self._shares is None:
            return
        height, width = self._shares.shape
        rows, columns = np.mgrid[:height, :width] + 0.5
        (x0, y0), radius = self._at, max(self.radius * height, 0.8)
        steps = max(int(np.hypot((x - x0) * width, (y - y0) * height) / (0.4 * radius)), 1)
        for share in np.arange(1, steps + 1) / steps:
            cx, cy = (x0 + (x - x0) * share) * width, (y0 + (y - y0) * share) * height
            away = np.hypot(columns - cx, rows - cy) / radius
            # Full in the middle, soft at the edge; going over a place twice without lifting counts once.
            np.maximum(self._grown, np.clip((1.25 - away) / 0.5, 0.0, 1.0), out=self._grown)
        self._at = x, y
        self.solve()

    def end(self) -> None:
        """Lift the brush: the stroke counts."""
        if self._grown is None:
            return
        self.strokes.append(self._stroke(self._grown))
        self._grown = None
        self.solve()

    def take_back(self) -> None:
        """Take the last stroke back."""
        if self.strokes:
            self.strokes.pop()
            self.solve()

    def _stroke(self, where: NDArray[np.float32]) -> Stroke:
        return Stroke(self.kind, where.copy(), AMOUNTS[self.kind], self.colour)

    # -- solving ----------------------------------------------------------------------------------

    def solve(self) -> None:
        """Solve for the strokes aside, and propose the answer; what comes meanwhile is solved next."""
        if self._busy:
            self._again = True
            return
        shares = self._shares
        strokes = tuple(self.strokes) if self._grown is None else (*self.strokes, self._stroke(self._grown))
        if shares is None or not strokes:
            self.answer = None
            self._answer(None)
            return
        self._busy = True
        number, locked = self._round, self._balance.locked
        # What was right a moment ago is nearly right now, while a stroke grows.
        start = self.answer.moves if self.answer is not None else None

        self._session.aside.then(
            lambda: solve_painted(shares, strokes, locked, start), lambda found: self._solved.emit(found, number)
        )

    def _answer(self, change: BalanceChange | None) -> None:
        self._answering = True
        self._balance.propose(change)
        self._answering = False
        self.renewed.emit()

    def _take(self, found: Painted | None, number: int) -> None:
        self._busy = False
        shares = self._shares
        if found is not None and number == self._round and shares is not None:
            self.answer = found
            moves = tuple((s.id, float(m)) for s, m in zip(shares.sources, found.moves) if abs(m) >= LEAST_MOVE)
            self._answer(BalanceChange(LABEL, moves))
        if self._again:
            self._again = False
            self.solve()


class Brush(Overlay):
    """The hand of a painting."""

    def __init__(self, painting: Painting) -> None:
        super().__init__()
        self._painting = painting
        self._at: QPointF | None = None
        painting.renewed.connect(self._renew)

    def _renew(self) -> None:
        if self.canvas is not None:
            self.canvas.update()

    def press(self, event: QMouseEvent) -> bool:
        if not self._painting.kind or self.canvas is None:
            return False
        # A press with the brush in the hand is never a click on what lies under it.
        self._painting.begin(*self.canvas.to_picture(event.position()))
        return True

    def drag(self, event: QMouseEvent) -> None:
        if self.canvas is not None:
            self._at = event.position()
            self._painting.go_on(*self.canvas.to_picture(event.position()))

    def release(self, event: QMouseEvent) -> None:
        self._painting.end()

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        if not self._painting.kind:
            return None
        self._at = at
        self._renew()
        return Qt.CursorShape.BlankCursor

    def key(self, event: QKeyEvent) -> bool:
        painting = self._painting
        if not painting.kind or self.canvas is None:
            return False
        if event.key() == Qt.Key.Key_Space:
            if painting.begin(*self.canvas.to_picture(self.canvas.pointed_at())):
                painting.end()
            return True
        if event.key() == Qt.Key.Key_Backspace:
            painting.take_back()
            return True
        return False

    def paint(self, painter: QPainter) -> None:
        if self.canvas is None:
            return
        frame = self.canvas.frame()
        answer = self._painting.answer
        if answer is not None and answer.unmet.any():
            painter.drawImage(frame, hatched(answer.unmet, int(frame.width()), int(frame.height())))
        if self._painting.kind and self._at is not None:
            radius = self._painting.radius * frame.height()
            brush_ring(painter, self._at, radius)
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(self._at + QPointF(radius + 6, 4), self._painting.kind)


def hatched(where: NDArray[np.bool_], width: int, height: int) -> QImage:
    """A picture of slanted lines over a mask (h, w), clear elsewhere."""
    rows = np.arange(height) * where.shape[0] // height
    columns = np.arange(width) * where.shape[1] // width
    across = (np.arange(width)[None] + np.arange(height)[:, None]) % 10
    pixels = np.zeros((height, width, 4), np.uint8)
    inside = where[rows[:, None], columns[None]]
    pixels[inside & (across < 2)] = (255, 255, 255, 200)
    pixels[inside & (across >= 2) & (across < 4)] = (0, 0, 0, 140)
    image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32)
    return image.copy()
