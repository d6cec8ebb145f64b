"""Plays the shot in the picture at its rate: what balance alone changes is mixed from the layers at hand, exactly.

A frame whose light is not at hand, since the camera, a lamp or the mist has moved, shows its small picture where that
is made, else the one before it stays; both are told. Frames are made ahead of their time, so that one that takes longer
is no gap; those that come too late all the same are skipped, and counted.
"""

import logging
import math
import time
from collections import deque
from concurrent.futures import Future

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import CueSheet
from lunar_haze.core.document.model import Document
from lunar_haze.core.finish.glow import Scatter
from lunar_haze.core.picture.frame_mix import FrameMix, Mixed, are_together
from lunar_haze.core.plan.frames import gains, view_of
from lunar_haze.core.plan.sequence import FramePlan
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.time.frame_pictures import FramePictures
from lunar_haze.ui.time.frames_ahead import AHEAD, FramesAhead
from lunar_haze.ui.time.moving_air import Frame, MovingAir

log = logging.getLogger(__name__)

#: How often it is looked whether a frame is due [ms].
TICK_MS = 4
#: So many frames wait for their time at the most.
MADE_AHEAD = 4


@attrs.define
class Tally:
    """What became of the frames that were played: shown exactly, with the drift of the mist from small pictures, with
    the mist held where it stood, shown small, not there yet, impossible to show, skipped.
    """

    exact: int = 0
    drifting: int = 0
    held: int = 0
    small: int = 0
    missing: int = 0
    failed: int = 0
    skipped: int = 0

    def words(self) -> str:
        """What was not shown as it is, "" for nothing."""
        said = [
            f"{count} {text}"
            for count, text in (
                (self.drifting, "with small mist"),
                (self.held, "with mist held"),
                (self.small, "small"),
                (self.missing, "not rendered yet"),
                (self.failed, "that cannot be shown (the log tells why)"),
                (self.skipped, "skipped"),
            )
            if count
        ]
        return ", ".join(said)


@attrs.frozen(eq=False)
class Made:
    """A frame that waits for its time: which one it is since playing began, the document there, how it is shown (a
    field of `Tally`) and its image, None for one that is not there.
    """

    number: int
    there: Document
    how: str
    image: QImage | None


class Player(QObject):
    """Signals: ``moved`` (frame) for every frame shown, ``changed`` when it starts or stops."""

    moved = Signal(int)
    changed = Signal()

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self._bridge = session, bridge
        self._frames = FramePictures(bridge)
        #: Small pictures of frames whose light is not at hand.
        self.ahead = FramesAhead(session, lambda: self.bounds, lambda: self.is_playing)
        self._air = MovingAir(self.ahead)
        #: The part of the shot that is played, None for all of it.
        self.span: tuple[int, int] | None = None
        self.loops = True
        self.frame = 1
        self.tally = Tally()
        self._sheet: CueSheet | None = None
        self._mix: FrameMix | None = None
        #: Whether surface and air have one gain at all frames, what scatters the light, and whether no layer stands in.
        self._made_of: tuple[bool, Scatter | None, bool] = (True, None, True)
        self._plans: dict[int, FramePlan] = {}
        self._began = 0.0
        self._from = 0
        #: How many frames have gone by since playing began when the one on screen was shown, -1 for none.
        self._shown = -1
        self._thread = session.aside.queue("player")
        #: The frames that wait for their time, the one that is made after them, and whether that is out of date.
        self._waiting: deque[Made] = deque()
        self._work: Future[Made] | None = None
        self._stale = False
        self._builds = session.aside.queue("frame-mix")
        self._fresh: Future[FrameMix] | None = None
        bridge.light.denoised.connect(self._denoised)
        self._timer = QTimer(self, timerType=Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        session.changed.connect(self._edited)
        session.opened.connect(self.stop)

    # -- playing ----------------------------------------------------------------------------------

    @property
    def is_playing(self) -> bool:
        """Whether frames go by."""
        return self._timer.isActive()

    @property
    def bounds(self) -> tuple[int, int]:
        """First and last frame that are played."""
        shot = self.session.document.shot
        first, last = self.span or (shot.first_frame, shot.last_frame)
        return first, max(first, last)

    def toggle(self) -> None:
        """Play from the frame on screen, or stop there."""
        if self.is_playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        """Play from the frame on screen, from the first when that is the last."""
        session = self.session
        if not session.is_open or session.place_spec is None:
            return
        first, last = self.bounds
        if last <= first:
            session.said.emit("this shot has one frame; give it more: camera, frames, last frame", False)
            return
        shot = session.document.shot
        self._from = shot.frame if first <= shot.frame < last else first
        self.tally = Tally()
        self._sheet = CueSheet(session.document)
        self._mix, self._shown, self._stale = None, -1, False
        self._waiting.clear()
        self.frame = self._from
        self._plans = {}
        self.ahead.pause(True)
        self._make(0)
        self._timer.start(TICK_MS)
        self._bridge.hold(True)
        self.changed.emit()

    def stop(self) -> None:
        """Stop at the frame that is shown, and go there."""
        if not self._timer.isActive():
            return
        self._timer.stop()
        self._bridge.hold(False)
        self.ahead.pause(False)
        session = self.session
        if self._work is not None:
            self._work.result()
        session.play(None)
        self._sheet = self._mix = self._work = self._fresh = None
        self._waiting.clear()
        if session.is_open and self.frame != session.document.shot.frame:
            session.act("frame", edits.change_shot(session.document, frame=self.frame))
        else:
            self._bridge.shown.refresh()
        told = self.tally.words()
        if told:
            session.said.emit(f"played: {told}", False)
        self.changed.emit()

    def step(self, by: int) -> None:
        """Go frames on or back."""
        session = self.session
        if not session.is_open:
            return
        self.stop()
        first, last = self.bounds
        frame = min(max(session.document.shot.frame + by, first), last)
        session.edit("frame", edits.change_shot(session.document, frame=frame), "frame")

    def _denoised(self) -> None:
        live = self._bridge.light.mix
        if self.is_playing and self._mix is not None and live.is_denoised(self._mix.keys):
            # What comes next is mixed from the denoised ones, made ready while the others still serve.
            self._fresh = self._builds.submit(live.frames(*self._made_of[:2]))

    def _edited(self) -> None:
        if self.is_playing:
            # A hand on a number while it plays: what comes next has it.
            self._sheet, self._stale = CueSheet(self.session.document), self._work is not None
            self._waiting.clear()

    @property
    def _last(self) -> int | None:
        """The number of the last frame since playing began, that of the present round; None where there is no end."""
        if self.loops:
            return None
        first, last = self.bounds
        once, length = last - self._from, last - first + 1
        return once + max(math.ceil((self._shown - once) / length), 0) * length

    def _frame_of(self, number: int) -> int:
        """The frame that comes after so many: round again past the end."""
        first, last = self.bounds
        frame = self._from + number
        return frame if frame <= last else first + (frame - first) % (last - first + 1)

    def _due(self) -> int:
        """How many frames should have gone by now."""
        gone = int((time.perf_counter() - self._began) * self.session.document.shot.rate)
        return gone if self._last is None else min(gone, max(self._last, 0))

    def _tick(self) -> None:
        if self._work is not None and self._work.done():
            made, self._work = self._work.result(), None
            if not self._stale:
                self._waiting.append(made)
            self._stale = False
        if self._fresh is not None and self._fresh.done():
            # Without denoised layers those that there are go on.
            fresh, self._fresh = self._fresh, None
            if fresh.exception() is None:
                self._mix = fresh.result()
            else:
                log.error("denoised layers cannot be mixed", exc_info=fresh.exception())
        if self._shown < 0 and self._make_ahead(0):
            # The clock runs once some frames are made.
            self._began = time.perf_counter()
            return
        due = self._due()
        while len(self._waiting) > 1 and self._waiting[1].number <= due:
            self._waiting.popleft()
        if self._waiting and self._waiting[0].number <= due:
            self._show(self._waiting.popleft())
        if self._last is not None and self._shown >= self._last:
            self.stop()
            return
        self._make_ahead(due)

    def _make_ahead(self, due: int) -> bool:
        """See to it that some frames are made ahead; whether any is made or to be made yet."""
        if self._work is None and len(self._waiting) < MADE_AHEAD:
            ahead = self._waiting[-1].number if self._waiting else self._shown
            number = max(ahead + 1, due)
            if self._last is None or number <= self._last:
                self._make(number)
        return self._work is not None

    def _make(self, number: int) -> None:
        """Have a frame mixed and finished on a thread, while the window draws those before."""
        assert self._sheet is not None
        there = self._sheet.at(self._frame_of(number))
        light = self.light_of(there)
        if light is None:
            self._work = Future()
            self._work.set_result(Made(number, there, "missing", None))
            return
        how, make = light
        over = self._frames.over_light(there)

        def made() -> Made:
            try:
                return Made(number, there, how, self._frames.image(make(), there, over))
            except Exception:
                # The next one may do: a frame that cannot be shown is told, and playing goes on.
                log.exception("frame %d cannot be shown", there.shot.frame)
                return Made(number, there, "failed", None)

        self._work = self._thread.submit(made)

    def _show(self, made: Made) -> None:
        self.tally.skipped += max(made.number - self._shown - 1, 0)
        setattr(self.tally, made.how, getattr(self.tally, made.how) + 1)
        self._shown, self.frame = made.number, self._frame_of(made.number)
        self.session.play(made.there)
        if made.image is not None:
            self._bridge.shown.show_frame(made.image)
        self.moved.emit(self.frame)

    def light_of(self, there: Document) -> tuple[str, Frame] | None:
        """How a frame is shown (a field of `Tally`), and what makes its light; None while there is none."""
        held_s = self.session.document.shot.seconds
        found, how = self._mixed(there), "exact"
        if found is None:
            # The layers have the air of the frame on screen: what flickers is seen as it is, and mist where it stood.
            found, how = self._mixed(there, held_s), "held"
        if found is None:
            small = self._small_of(there)
            return None if small is None else ("small", lambda: Mixed(small))
        # Stand-ins are small pictures: what is new on screen plays at once.
        if not self._made_of[2]:
            return "small", found
        moving = self._drifting(there.shot.frame, found, held_s) if how == "held" else None
        return (how, found) if moving is None else ("drifting", moving)

    def _drifting(self, frame: int, light: Frame, held_s: float) -> Frame | None:
        """What makes a frame with its own air of its light in the air of the frame on screen."""
        assert self._sheet is not None
        then = self.session.document.shot.frame
        return self._air.over(frame, light, then, self._sheet.at, lambda there: self._mixed(there, held_s), self._mix)

    def _mixed(self, there: Document, air_s: float | None = None) -> Frame | None:
        """What mixes a frame from the layers at hand, None where they are of another place, lens or air; ``air_s`` as
        `gains`.
        """
        spec = self.session.place_spec
        assert spec is not None
        now = gains(there.look, view_of(there.shot, self._frames.size()), spec.key, air_s)
        lit = [g for g in now if not g.is_silent]
        passes = self._frames.passes_of([g.key for g in lit])
        if passes is None:
            return None
        made_of = (are_together(tuple(lit)), self._frames.scatter(there.look.finish), passes > 0)
        if self._mix is None or not {g.key for g in lit} <= set(self._mix.keys) or self._made_of != made_of:
            self._made_of, self._mix = made_of, self._bridge.light.mix.frames(*made_of[:2])()
        mix = self._mix
        return lambda: mix.picture(now)

    def _small_of(self, there: Document) -> NDArray[np.float32] | None:
        frame = there.shot.frame
        if frame not in self._plans or self._plans[frame].look != there.look:
            first, last = self.bounds
            order = (*range(frame, last + 1), *range(first, frame))
            self._plans = {plan.frame: plan for plan in self.ahead.plans(order)}
            self.ahead.make(AHEAD, list(self._plans.values()))
        found = self.ahead.small(self._plans[frame])
        return None if found is None else found.light

    def close(self) -> None:
        """End what runs."""
        self._timer.stop()
        self.ahead.close()
