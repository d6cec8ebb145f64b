"""The frames of the shot as a band: keys and curves of what is chosen, and the frame on screen."""

import attrs
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.cue_edits import moved
from lunar_haze.core.document.cues import cues_of, with_cue
from lunar_haze.core.document.model import Cue
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.kept_drawing import KeptDrawing
from lunar_haze.ui.base.key_mark import paint_key
from lunar_haze.ui.session.session import Session

RULER, MARGIN, REACH = 18, 14.0, 6.0
KEY_RADIUS = 4.5
#: Least distance of two numbers on the ruler [px].
_APART = 46
_STEPS = (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000)


@attrs.frozen
class Spot:
    """A key: which cue it is of, and its frame."""

    cue: tuple[str, str, tuple[int, ...]]
    frame: float


class CueBand(QWidget):
    """Signals: ``asked`` (global position) for a right click, ``stepped`` (frames) for an arrow key."""

    asked = Signal(object)
    stepped = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        #: The frame that is played, None while nothing is.
        self.played: int | None = None
        #: The part of the shot that is played, None for all of it.
        self.span: tuple[int, int] | None = None
        self.chosen: frozenset[Spot] = frozenset()
        #: The number whose curve stands out.
        self.in_hand: tuple[str, str, tuple[int, ...]] | None = None
        self._grip: Spot | None = None
        self._gripped_at = 0.0
        self._taken: frozenset[Spot] = frozenset()
        self._before: tuple[Cue, ...] = ()
        self._scrubbing = False
        self._drawn = KeptDrawing()
        self._box: tuple[QPointF, QPointF] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("frames of the shot")
        self.setToolTip("drag on the ruler to go to another frame; drag keys; arrows step, right click offers more")
        session.changed.connect(self._edited)
        session.chosen_changed.connect(self.update)

    # -- geometry -----------------------------------------------------------------------------------

    @property
    def _frames(self) -> tuple[int, int]:
        shot = self.session.document.shot
        return shot.first_frame, max(shot.last_frame, shot.first_frame + 1)

    def x_of(self, frame: float) -> float:
        """Where a frame stands [px]."""
        first, last = self._frames
        return MARGIN + (frame - first) / (last - first) * (self.width() - 2 * MARGIN)

    def frame_at(self, x: float) -> int:
        """The frame nearest to a position."""
        first, last = self._frames
        share = (x - MARGIN) / max(self.width() - 2 * MARGIN, 1.0)
        return min(max(round(first + share * (last - first)), first), self.session.document.shot.last_frame)

    def shown(self) -> tuple[Cue, ...]:
        """The cues whose curves are drawn: those of what is chosen, all where it has none."""
        if not self.session.is_open:
            return ()
        found = cues_of(self.session.document)
        mine = tuple(cue for cue in found if cue.target == self.session.chosen)
        return mine or found

    def _y_of(self, cue: Cue, value: float) -> float:
        finite = [min(key.value, 1e6) for key in cue.keys]
        low, high = min(finite), max(finite)
        share = 0.5 if high <= low else (min(value, 1e6) - low) / (high - low)
        top, bottom = 8.0, self.height() - RULER - 8.0
        return bottom - share * (bottom - top)

    def point_of(self, cue: Cue, frame: float) -> QPointF:
        """Where a curve is at a frame."""
        return QPointF(self.x_of(frame), self._y_of(cue, cue.at(frame)))

    def _spot_at(self, at: QPointF) -> Spot | None:
        nearest, best = None, REACH
        for cue in self.shown():
            for key in cue.keys:
                point = self.point_of(cue, key.frame)
                apart = max(abs(point.x() - at.x()), abs(point.y() - at.y()))
                if apart <= best:
                    nearest, best = Spot(cue.name, key.frame), apart
        return nearest

    # -- hand ---------------------------------------------------------------------------------------

    def _edited(self) -> None:
        cues = cues_of(self.session.document) if self.session.is_open else ()
        self.chosen &= {Spot(cue.name, key.frame) for cue in cues for key in cue.keys}
        self.update()

    def choose(self, spots: frozenset[Spot]) -> None:
        """Choose keys."""
        self.chosen = spots
        if spots:
            self.in_hand = next(iter(spots)).cue
        self.update()

    def go(self, frame: int) -> None:
        """Go to a frame of the shot."""
        if self.session.is_open and frame != self.session.document.shot.frame:
            self.session.edit("frame", edits.change_shot(self.session.document, frame=frame), "frame")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton or not self.session.is_open:
            return
        at = event.position()
        spot = self._spot_at(at) if at.y() < self.height() - RULER else None
        if spot is not None:
            adds = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if spot not in self.chosen:
                self.choose(self.chosen | {spot} if adds else frozenset({spot}))
            elif adds:
                self.choose(self.chosen - {spot})
            self.in_hand = spot.cue
            self._grip, self._gripped_at, self._taken = spot, at.x(), self.chosen
            self._before = cues_of(self.session.document)
        elif at.y() >= self.height() - RULER:
            self._scrubbing = True
            self.go(self.frame_at(at.x()))
        else:
            self._box = (at, at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        at = event.position()
        if self._scrubbing:
            self.go(self.frame_at(at.x()))
        elif self._box is not None:
            self._box = (self._box[0], at)
            self.update()
        elif self._grip is not None:
            first, last = self._frames
            by = round((at.x() - self._gripped_at) / max(self.width() - 2 * MARGIN, 1.0) * (last - first))
            self._move(by)
        else:
            over = self.session.is_open and (at.y() > self.height() - RULER or self._spot_at(at) is not None)
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)

    def _move(self, by: int) -> None:
        """Move the chosen keys by frames from where they were taken hold of."""
        if self._grip is None:
            return
        document = self.session.document
        chosen: set[Spot] = set()
        for cue in self._before:
            frames = [s.frame for s in self._taken if s.cue == cue.name]
            if frames:
                document = with_cue(document, moved(cue, frames, by))
                chosen |= {Spot(cue.name, f + by) for f in frames}
        if by or document != self.session.document:
            self.session.edit("move keys", document, "move keys")
            self.chosen = frozenset(chosen)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._box is not None:
            self._take_box(event)
        self._grip, self._scrubbing, self._box = None, False, None
        self.session.seal()
        self.update()

    def _take_box(self, event: QMouseEvent) -> None:
        assert self._box is not None
        area = QRectF(*self._box).normalized()
        if area.width() < 3 and area.height() < 3:
            self.choose(frozenset())
            self.go(self.frame_at(event.position().x()))
            return
        inside = frozenset(
            Spot(cue.name, key.frame)
            for cue in self.shown()
            for key in cue.keys
            if area.contains(self.point_of(cue, key.frame))
        )
        adds = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.choose(self.chosen | inside if adds else inside)

    def event(self, event: QEvent) -> bool:
        # Copy, paste and delete mean keys here, not sources.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._is_mine(event):
            event.accept()
            return True
        return super().event(event)

    def _is_mine(self, event: QKeyEvent) -> bool:
        standard = QKeySequence.StandardKey
        if event.matches(standard.Copy) or event.matches(standard.Delete):
            return bool(self.chosen)
        return event.matches(standard.Paste) or event.matches(standard.SelectAll)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in steps and not event.modifiers():
            self.stepped.emit(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        spot = self._spot_at(QPointF(event.pos()))
        if spot is not None and spot not in self.chosen:
            self.choose(frozenset({spot}))
        if self.session.is_open:
            self.asked.emit(event.globalPos())

    # -- drawing --------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        if not self.session.is_open:
            return
        lanes = QRectF(0, 0, self.width(), self.height() - RULER)
        painter.fillRect(lanes, theme.qcolor(theme.WELL))
        if self.span is not None:
            left, right = self.x_of(self.span[0]), self.x_of(self.span[1])
            painter.fillRect(QRectF(left, 0, right - left, lanes.height()), theme.qcolor(theme.CHOSEN, 0.18))
        cues = self.shown()
        shown = (cues, self.chosen, self.in_hand, self._frames)
        self._drawn.draw(self, painter, shown, lambda own: self._paint_cues(own, cues))
        if not cues:
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.qcolor(theme.DIM))
            words = "nothing changes over the frames yet: K on a number in the column sets a key of it here"
            painter.drawText(lanes, Qt.AlignmentFlag.AlignCenter, words)
        self._paint_head(painter)
        if self._box is not None:
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._box).normalized())
        if self.hasFocus():
            painter.setPen(theme.qcolor(theme.CHOSEN))
            painter.drawRect(QRectF(self.rect()).adjusted(0, 0, -1, -1))

    def _paint_cues(self, painter: QPainter, cues: tuple[Cue, ...]) -> None:
        self._paint_ruler(painter)
        for cue in cues:
            self._paint_curve(painter, cue)
        for cue in cues:
            self._paint_keys(painter, cue)

    def _paint_ruler(self, painter: QPainter) -> None:
        first, last = self._frames
        per_frame = (self.width() - 2 * MARGIN) / (last - first)
        step = next((s for s in _STEPS if s * per_frame >= _APART), _STEPS[-1])
        painter.setFont(theme.font(theme.SMALL))
        top = self.height() - RULER
        for frame in range(first, last + 1):
            if frame % step and frame != first:
                continue
            x = self.x_of(frame)
            painter.setPen(theme.qcolor(theme.EDGE))
            painter.drawLine(QPointF(x, 0), QPointF(x, top))
            painter.setPen(theme.qcolor(theme.DIM))
            if frame != first or first % step == 0 or step > 1:
                painter.drawText(QRectF(x - 24, top + 2, 48, RULER - 2), Qt.AlignmentFlag.AlignCenter, str(frame))

    def _paint_curve(self, painter: QPainter, cue: Cue) -> None:
        path = QPainterPath(self.point_of(cue, self._frames[0]))
        first, last = self._frames
        for x in range(int(MARGIN), self.width() - int(MARGIN), 3):
            frame = first + (x - MARGIN) / (self.width() - 2 * MARGIN) * (last - first)
            path.lineTo(self.point_of(cue, frame))
        path.lineTo(self.point_of(cue, last))
        stands_out = cue.name == self.in_hand
        painter.setPen(QPen(theme.qcolor(theme.LIT if stands_out else theme.DIM), 1.6 if stands_out else 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _paint_keys(self, painter: QPainter, cue: Cue) -> None:
        for key in cue.keys:
            spot = Spot(cue.name, key.frame)
            colour = theme.CHOSEN if spot in self.chosen else theme.LIT if cue.name == self.in_hand else theme.TEXT
            paint_key(painter, self.point_of(cue, key.frame), KEY_RADIUS, True, colour)

    def _paint_head(self, painter: QPainter) -> None:
        frame = self.session.document.shot.frame if self.played is None else self.played
        x, top = self.x_of(frame), self.height() - RULER
        painter.setPen(QPen(theme.qcolor(theme.TEXT), 1.5))
        painter.drawLine(QPointF(x, 0), QPointF(x, top))
        label = QRectF(x - 18, top + 1, 36, RULER - 2)
        label.moveLeft(min(max(label.left(), 0), self.width() - label.width()))
        painter.fillRect(label, theme.qcolor(theme.TEXT))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.qcolor("#101010"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, str(frame))
