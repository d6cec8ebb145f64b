"""Plays the shot in the picture at its rate: what balance alone changes is mixed from the layers at hand, exactly.

A frame whose light is not at hand, since the camera, a lamp or the mist has moved, shows its small picture where that
is made, else the one before it stays; both are told. Frames that come too late are skipped, and counted.
"""

import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

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
from lunar_haze.ui.bridge import RenderBridge
from lunar_haze.ui.frame_pictures import FramePictures
from lunar_haze.ui.frames_ahead import AHEAD, FramesAhead
from lunar_haze.ui.session import Session

#: Makes the light of a frame (h, w, 3) [cd/m2], and says whether it has its glow already.
Frame = Callable[[], Mixed]
#: How often it is looked whether a frame is due [ms].
TICK_MS = 4


@attrs.define
class Tally:
    """What became of the frames that were played: shown exactly, with the mist held where it stood, shown small, not
    there yet, skipped.
    """

    exact: int = 0
    held: int = 0
    small: int = 0
    missing: int = 0
    skipped: int = 0

    def words(self) -> str:
        """What was not shown as it is, "" for nothing."""
        said = [
            f"{count} {text}"
            for count, text in (
                (self.held, "with the mist held"),
                (self.small, "small"),
                (self.missing, "not rendered yet"),
                (self.skipped, "skipped"),
            )
            if count
        ]
        return ", ".join(said)


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
        #: The part of the shot that is played, None for all of it.
        self.span: tuple[int, int] | None = None
        self.loops = True
        self.frame = 1
        self.tally = Tally()
        self._sheet: CueSheet | None = None
        self._mix: FrameMix | None = None
        #: Whether surface and air have one gain at all frames, and what scatters the light.
        self._made_of: tuple[bool, Scatter | None] = (True, None)
        self._plans: dict[int, FramePlan] = {}
        #: The frame that comes next, the document there, and what makes its light.
        self._next: tuple[int, Document, tuple[str, Frame] | None] | None = None
        self._began = 0.0
        self._from = 0
        self._thread = ThreadPoolExecutor(1, "player")
        self._work: Future[tuple[int, QImage]] | None = None
        self._builds = ThreadPoolExecutor(1, "frame-mix")
        self._fresh: Future[FrameMix] | None = None
        self._frames.cleaned.connect(self._cleaned)
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
        self._mix = None
        self.frame = self._from - 1
        # The clock runs once the first frame is ready.
        self._next = (self._from, *self._made_ready(self._from))
        self._began = time.perf_counter()
        self._timer.start(TICK_MS)
        self._frames.clean()
        self.changed.emit()

    def stop(self) -> None:
        """Stop at the frame that is shown, and go there."""
        if not self._timer.isActive():
            return
        self._timer.stop()
        session = self.session
        if self._work is not None:
            self._take(self._work.result())
        session.play(None)
        self._sheet = self._mix = self._work = self._next = self._fresh = None
        self._frames.leave()
        if session.is_open and self.frame != session.document.shot.frame:
            session.act("frame", edits.change_shot(session.document, frame=self.frame))
        else:
            self._bridge.refresh()
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

    def _cleaned(self) -> None:
        if self.is_playing and self._mix is not None and self.session.played is not None:
            # What comes next is mixed from the clean ones, made ready while the others still serve.
            made_of, frames = self._made_of, self._bridge.mix.frames
            self._fresh = self._builds.submit(lambda: frames(*made_of))

    def _edited(self) -> None:
        if self.is_playing:
            # A hand on a number while it plays: what comes next has it.
            self._sheet, self._next = CueSheet(self.session.document), None

    def _due(self) -> int:
        """The frame that is due now; past the end the last, or round again."""
        first, last = self.bounds
        gone = int((time.perf_counter() - self._began) * self.session.document.shot.rate)
        frame = self._from + gone
        if frame > last and self.loops:
            return first + (frame - first) % (last - first + 1)
        return frame

    def _tick(self) -> None:
        if self._work is not None:
            if not self._work.done():
                return
            work, self._work = self._work, None
            self._take(work.result())
        if self._fresh is not None and self._fresh.done():
            self._mix, self._fresh, self._next = self._fresh.result(), None, None
        frame = self._due()
        first, last = self.bounds
        if frame == self.frame:
            return
        if frame > last:
            self.frame = last
            self.stop()
            return
        passed = frame - self.frame - 1 if frame > self.frame else frame - first + last - self.frame
        self.tally.skipped += max(passed, 0)
        self.frame = frame
        there, light = self._next[1:] if self._next is not None and self._next[0] == frame else self._made_ready(frame)
        self._next = None
        self.session.play(there)
        if light is None:
            self.tally.missing += 1
            self.moved.emit(frame)
            return
        # Mixed and finished on a thread, while the window draws the frame before and makes the next one ready.
        how, make = light
        setattr(self.tally, how, getattr(self.tally, how) + 1)
        self._work = self._thread.submit(lambda: (frame, self._frames.image(make())))
        after = first if frame == last else frame + 1
        self._next = (after, *self._made_ready(after))

    def _made_ready(self, frame: int) -> tuple[Document, tuple[str, Frame] | None]:
        """The document at a frame, how it is shown, and what makes its light."""
        assert self._sheet is not None
        there = self._sheet.at(frame)
        return there, self._light_of(there)

    def _take(self, made: tuple[int, QImage]) -> None:
        frame, image = made
        self._bridge.show_frame(image)
        self.moved.emit(frame)

    def _light_of(self, there: Document) -> tuple[str, Frame] | None:
        """How a frame is shown (a field of `Tally`), and what makes its light; None while there is none."""
        found = self._exact(there)
        if found is not None:
            return "exact", found
        # Mist that drifts alone stands still for as long as it plays: what flickers is seen as it is.
        found = self._exact(there, self.session.document.shot.seconds)
        if found is not None:
            return "held", found
        small = self._small_of(there)
        return None if small is None else ("small", lambda: Mixed(small))

    def _exact(self, there: Document, air_s: float | None = None) -> Frame | None:
        """What mixes a frame from the layers at hand, None where they are of another place, lens or air; ``air_s`` as
        `gains`.
        """
        spec = self.session.place_spec
        assert spec is not None
        now = gains(there.look, view_of(there.shot, self._frames.size()), spec.key, air_s)
        lit = [g for g in now if not g.is_silent]
        if not self._frames.are_there([g.key for g in lit]):
            return None
        made_of = (are_together(tuple(lit)), self._frames.scatter(there.look.finish))
        if self._mix is None or not {g.key for g in lit} <= set(self._mix.keys) or self._made_of != made_of:
            self._made_of, self._mix = made_of, self._bridge.mix.frames(*made_of)
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
        self._thread.shutdown(wait=True)
        self._builds.shutdown(wait=True)
        self.ahead.close()
