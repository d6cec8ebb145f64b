"""The work of the render process: takes requests, refines layers, lays them on the board.

One thread computes, in parts of a pass that take a tenth of a second at most, and looks for new
requests between parts; a superseded request ends there. Another thread only reads.
"""

import itertools
import logging
import time
from collections.abc import Callable
from pathlib import Path

from lunar_haze.core.errors import HazeError
from lunar_haze.core.layers.model import FrameRequest, PlaceSpec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.transport.denoise import denoise
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units.memory import GiveBack
from lunar_haze.service.board_layout import BoardLayout
from lunar_haze.service.channel import Channel, ChannelClosed
from lunar_haze.service.cleaning import FINAL_QUALITY, Cleaning
from lunar_haze.service.frame_store import FrameStore
from lunar_haze.service.inbox import Inbox
from lunar_haze.service.job import PART_MARGIN, Job
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.memory import LEAST, limit_in_force
from lunar_haze.service.mote_lights import MoteLights
from lunar_haze.service.protocol import (
    Balance,
    BoardReady,
    Cleaned,
    Denoised,
    DenoiseThis,
    Failed,
    Finished,
    Hold,
    Incomplete,
    KeepWithin,
    MotesLit,
    Prepare,
    Preparing,
    Published,
    Request,
    ShareLooked,
    Want,
)
from lunar_haze.service.small_pictures import SmallPictures, is_far, small_first
from lunar_haze.service.urgency import lit_by_others, passes_due
from lunar_haze.service.warmup import is_warm, steps

log = logging.getLogger(__name__)

USED_UP = "the machine's memory is used up, so the picture stops; close other programs or make it smaller"
PART_SECONDS = 0.08
PAUSE_SECONDS = 0.12
#: Passes after which the mix is denoised again.
MILESTONES = (1, 4, 8, 16, 64, 256, 1024)
#: From so many passes on a picture may be shown as it was summed, for the moment that it takes to denoise it.
GRAINLESS = 64
#: Refined air takes over from live air after this many passes.
LIVE_UNTIL = 4
#: From so many passes of the picture on looks into the air are gathered for later edits: how many, and seconds a pass.
#: They wait until the picture is clean.
GRID_PASSES = ((8, 1, 0.4), (12, 6, 0.15))
#: Seconds of looking that an edit of the air takes at once when nothing has been looked at yet.
FIRST_LOOK_SECONDS = 0.25
#: Passes after which it is looked up again how much each layer matters.
REWEIGHED = (1, 2, 4, 8)


class Worker:
    """Serves one channel until it closes."""

    def __init__(self, channel: Channel, cache: LayerCache) -> None:
        self._channel = channel
        self._cache = cache
        self._inbox = Inbox(channel)
        self._place: tuple[PlaceSpec, PackedPlace] | None = None
        self._frames = FrameStore()
        self.layout = BoardLayout()
        self._job: Job | None = None
        self._request_id = -1
        self._wanted: FrameRequest | None = None
        self._give_back = GiveBack()
        #: Whether memory was used up in this process.
        self._is_short = False
        self._held = False
        self._tiles_at_once = 16
        self._live = LiveAir(limit_in_force() // 3)
        self._small = SmallPictures()
        self._motes = MoteLights()
        self._cleaning = Cleaning(channel, self._inbox, self.layout, self._live)

    def run(self) -> None:
        """Work until the other side is gone."""
        self._inbox.open()
        kernels_due = is_warm()
        while True:
            # While a hand scrubs through the day small pictures are enough: see whether it goes on.
            pause = self._job is not None and self._job.paused
            wait = 0.05 if kernels_due else PAUSE_SECONDS if pause and not self.idle else None
            message = self._inbox.next(self.idle or pause, wait)
            try:
                if message is None and self._job is None and kernels_due:
                    kernels_due = False
                    self._load_kernels()
                else:
                    self.turn(message)
            except ChannelClosed:
                return

    @property
    def idle(self) -> bool:
        """Whether there is nothing to do until a message comes."""
        return self._job is None or self._next_step(self._job) is None

    def turn(self, message: Request | None) -> None:
        """Take a message, or go on with what is being computed for a tenth of a second. Raises ChannelClosed."""
        if self._give_back.is_due:
            self._give_back.now()
        try:
            if message is not None:
                self._take(message)
            elif self._job is not None:
                self._step(self._job)
        except ChannelClosed:
            raise
        except HazeError as error:
            self._fail(str(error))
        except MemoryError:
            log.exception("out of memory")
            self._forget_pictures()
            self._give_way()
        except Exception as error:
            log.exception("a request failed")
            if self._is_short:
                # What was left half done when memory ran out cannot be told: another process begins anew, with less.
                raise MemoryError("out of memory") from error
            self._fail("the picture cannot be computed; the log tells why (help, then “show the log”)")

    def _give_way(self) -> None:
        """Go on with half of the memory after it was used up; where that is of no use the picture stops.

        Raises MemoryError where it is not the first time: another process begins anew, with less.
        """
        if self._is_short:
            raise MemoryError("out of memory")
        self._is_short = True
        wanted, limit = self._wanted, self._frames.limit // 2
        self._keep_within(max(limit, LEAST))
        if wanted is None or limit < LEAST:
            self._fail(USED_UP)
            return
        self._channel.send(Preparing("memory is used up: going on with half of it", 0.0))
        try:
            self._begin(wanted)
        except (MemoryError, HazeError):
            self._fail(USED_UP)

    def _keep_within(self, limit_bytes: int) -> None:
        self._frames.keep_within(limit_bytes)
        self._live.keep_within(limit_bytes // 3)

    def _load_kernels(self) -> None:
        """Bring what the first picture needs from disk while nothing is asked for yet."""
        for _name, _seconds, act in itertools.islice(steps(), 3):
            if self._inbox.has_more:
                return
            act()

    def _open_early(self, spec: PlaceSpec) -> None:
        try:
            self._packed(spec)
        except HazeError:
            pass  # whoever asks for it will be told

    def _fail(self, reason: str) -> None:
        self._job = None
        self._channel.send(Failed(self._request_id, reason))

    # -- requests -------------------------------------------------------------------------------

    def _take(self, message: Request) -> None:
        for latest in self._inbox.latest(message):
            if isinstance(latest, Want):
                self._begin(latest.request)
            elif isinstance(latest, Balance):
                self._balance(latest)
            elif isinstance(latest, KeepWithin):
                self._keep_within(latest.limit_bytes)
            elif isinstance(latest, Hold):
                self._held = latest.on
            elif isinstance(latest, DenoiseThis):
                clean = denoise(latest.picture, latest.albedo, latest.normal, FINAL_QUALITY)
                self._channel.send(Denoised(latest.request_id, clean))
            elif isinstance(latest, Prepare):
                self._open_early(latest.place)

    def _balance(self, balance: Balance) -> None:
        job = self._job
        if job is None:
            return
        job.gains, job.mix_id = balance.gains, balance.mix_id
        job.reweigh()
        job.finished = job.finished and job.level() >= job.request.passes
        job.clean_due = job.clean_due or balance.settled

    def _begin(self, request: FrameRequest) -> None:
        self._request_id, self._wanted = request.id, request
        # Nothing has been shown yet, so that no hand is at it that may go on at once.
        is_first = self._job is None
        place = self._packed(request.place)
        if request.fresh:
            self._frames.forget(request)
        frame = self._frames.frame(request, place)
        if not request.live:
            frame.restore()
        keys = frame.want(list(request.layers))
        job = Job(request, frame, keys, gains=request.gains, motes_due=request.motes is not None)
        if request.part is not None:
            job.part = frame.tiles_within(request.part, PART_MARGIN)
        elif request.share is not None:
            job.part = frame.tiles_of_share(request.share)
        for key in keys:
            if not frame.sums[key].counts.any():
                saved = self._cache.get(key)
                if saved is not None and saved.surface.shape[:2] == (request.view.height, request.view.width):
                    frame.put(key, saved)
        missing = list(job.missing())
        job.coarse_due, job.coarse_rested = small_first(job, missing), is_first
        if self.layout.make_ready(request):
            board = self.layout.board
            self._channel.send(BoardReady(board.width, board.height, board.slots), board.descriptor)
        if frame.guides.passes == 0:
            frame.add_guides(1)
        self.layout.lay_guides(frame)
        job.reweigh()
        self._job = job
        if missing and request.live and not request.medium.is_clear:
            if self._live.lacks_looks(frame, list(request.layers)):
                # A hand that moves from the start would wait for them for ever: each edit looks at a few sources.
                self._live.gather(frame, list(request.layers), 1, FIRST_LOOK_SECONDS, lambda: self._inbox.has_more)
            # The whole picture first, then layers that can be balanced, unless the hand has moved on by then.
            job.answer_due = missing if self._answer_mixed(job) else []
            job.paused = bool(job.answer_due)
            if not job.answer_due:
                self._answer_live(job, missing)
        if not missing and request.live and request.denoise and job.level() < GRAINLESS:
            # Layers that come back with few passes have grain: it is not shown.
            clean = self._small.of_known(job)
            if clean is not None:
                self.layout.board.clean[...] = clean
                self._channel.send(Cleaned(request.id, job.mix_id, 0))
        if not job.answer_due:
            self._publish(job)
        if not missing or job.live:
            job.clean_due = request.denoise

    def _packed(self, spec: PlaceSpec) -> PackedPlace:
        if self._place is None or self._place[0] != spec:
            self._channel.send(Preparing("opening the place", 0.0))
            if self._place is not None:
                self._forget_pictures()
                self._place[1].close()
                self._place = None
            self._place = (spec, PackedPlace(load_place(Path(spec.path), spec.scale, spec.scene)))
            self._channel.send(Preparing("opening the place", 1.0))
        return self._place[1]

    def _forget_pictures(self) -> None:
        self._frames.clear()
        self._live.clear()
        self._small.clear()

    # -- steps ----------------------------------------------------------------------------------

    def _next_step(self, job: Job) -> Callable[[Job], None] | None:
        """What is to be done next for a job, None for nothing: all of it, in the order of its urgency."""
        waits = self._held and not job.missing()
        steps_due: tuple[tuple[object, Callable[[Job], None]], ...] = (
            (job.answer_due, self._answer),
            (job.clean_due and self._is_laid(job), self._cleaning.clean),
            (job.coarse_due, self._coarse),
            (job.small, self._lay_small),
            (job.motes_due, self._light_motes),
            (job.smooth_due and (job.smooth_turn or job.finished or waits), self._cleaning.smooth),
            (not job.finished and not waits, self._refine),
        )
        return next((step for is_due, step in steps_due if is_due), None)

    def _is_laid(self, job: Job) -> bool:
        """Whether there is something of every layer that matters: without it the picture would be dark."""
        laid = {at.key for at in self.layout.layers(job.keys)}
        return all(key in laid or job.weight(key) == 0.0 for key in job.keys)

    def _step(self, job: Job) -> None:
        job.paused = False
        step = self._next_step(job)
        if step is not None:
            job.smooth_turn = step != self._cleaning.smooth
            step(job)

    def _answer(self, job: Job) -> None:
        """Live stand-ins for what is missing, after the whole picture."""
        self._answer_live(job, job.answer_due)
        job.answer_due = []
        # The whole picture is there already; freed of grain again it is when it has no grain to stand on.
        job.clean_due = bool(job.live) and job.request.denoise and not self._live.stands_on_clean
        self._publish(job)

    def _light_motes(self, job: Job) -> None:
        job.motes_due = False
        self._channel.send(MotesLit(job.request.id, self._motes.lit(job)))

    def _coarse(self, job: Job) -> None:
        """A small picture of what is missing, laid out large, and the small mix freed of grain."""
        # Of a new sky or view once more and better when the hand rests; then the true picture.
        again = not job.coarse_rested and is_far(job, job.missing())
        self._answer_small(job)
        job.paused, job.coarse_due, job.coarse_rested = not job.coarse_rested, again, True

    def _answer_small(self, job: Job) -> None:
        present = {image.key: image for image in self.layout.images()}
        job.small, clean = self._small.of(job, present, job.coarse_rested)
        if clean is None:
            self._lay_small(job)
        else:
            # Laying every layer out takes as long again: it can wait until the hand rests.
            self.layout.board.clean[...] = clean
            self._channel.send(Cleaned(job.request.id, job.mix_id, 0))

    def _lay_small(self, job: Job) -> None:
        """Lay small layers out large, each freed of grain by itself: a dimmer may make it the brightest of all."""
        until = time.perf_counter() + PART_SECONDS
        while job.small and time.perf_counter() < until:
            self.layout.lay_small(self._small.cleaned(job, job.small.pop(0)), set(job.keys))
        if not job.small:
            self._announce(job)

    def _publish(self, job: Job) -> None:
        """Lay every layer that has moved on since it was last laid, and say so."""
        self.layout.lay(job.frame, job.keys, job.live)
        self._announce(job)

    def _announce(self, job: Job) -> None:
        passes = min(job.level(), job.request.passes)
        layers = self.layout.layers(job.keys)
        part = (job.part_level(), job.part_target) if job.part is not None else (0, 0)
        self._channel.send(Published(job.request.id, layers, passes, job.request.passes, *part))

    def _refine(self, job: Job) -> None:
        frame = job.frame
        if not job.pass_keys:
            due_next = job.next_level()
            if due_next is None:
                self._finish(job)
                return
            wanted_level, job.within = due_next
            has = {k: frame.sums[k].passes_within(job.within) for k in job.keys}
            due = [k for k in job.keys if has[k] < passes_due(wanted_level, job.weight(k))]
            least = min(has[k] for k in due)
            # Layers that have nothing yet go alone, so that they catch up with the rest.
            job.pass_keys = tuple(k for k in due if has[k] == least or least > 0)
            job.lit = lit_by_others(frame, job.standings, job.pass_keys)
        tiles = min(self._tiles_at_once, frame.tiles)
        started = time.perf_counter()
        is_whole = frame.trace(list(job.pass_keys), tiles, job.emphasis, job.lit, job.within)
        took = max(time.perf_counter() - started, 1e-4)
        self._tell_problems(job)
        if not is_whole:
            # How much is done at a time follows what the last tiles cost; never less than a sixty-fourth of a pass.
            wanted = round(tiles * PART_SECONDS / took)
            self._tiles_at_once = min(max(wanted, tiles // 2, frame.tiles // 64, 1), tiles * 2)
            return
        self._frames.shrink()
        traced, job.pass_keys = job.pass_keys, ()
        is_part = job.within is not None
        before, level = job.told_level, job.part_level() if is_part else job.level()
        job.told_level = level
        if level in REWEIGHED and level != before:
            job.reweigh()
        if job.live and level >= LIVE_UNTIL:
            job.live.clear()
        target = job.part_target if is_part else job.request.passes
        if _worth_showing(max(frame.sums[k].passes_within(job.within) for k in traced), target):
            self._publish(job)
        if level in MILESTONES and (is_part, level) not in job.cleaned and not job.live:
            job.cleaned.add((is_part, level))
            job.clean_due = job.request.denoise
        if not job.clean_due:
            self._gather_air(job, level)

    def _tell_problems(self, job: Job) -> None:
        mine = {key: reason for key, reason in job.frame.problems.items() if not key or key in job.keys}
        if mine != job.told_problems:
            job.told_problems = mine
            self._channel.send(Incomplete(job.request.id, tuple(mine.items())))

    def _gather_air(self, job: Job, passes: int) -> None:
        due = [(looks, seconds) for after, looks, seconds in GRID_PASSES if passes >= after]
        if job.request.live and not job.request.medium.is_clear and due:
            self._live.gather(job.frame, list(job.request.layers), *due[-1], lambda: self._inbox.has_more)

    def _answer_mixed(self, job: Job) -> bool:
        """The picture in a medium that alone has changed, as it is balanced now; laid where clean pictures lie."""
        if not self._live.mixed_answer(job.frame, *job.balanced(), self.layout.board.clean):
            return False
        job.coarse_due = False
        self._channel.send(Cleaned(job.request.id, job.mix_id, 0))
        return True

    def _answer_live(self, job: Job, missing: list[str]) -> None:
        """Stand-ins for layers whose medium alone has changed."""
        specs = dict(zip(job.keys, job.request.layers))
        keep = set(job.keys)
        if self._live.answer(job.frame, {k: specs[k] for k in missing}, lambda key: self.layout.live_room(key, keep)):
            job.live = set(missing)

    def _finish(self, job: Job) -> None:
        job.finished = True
        if job.request.fresh:
            job.frame.keep()
        self._publish(job)
        last = (False, job.request.passes)
        if job.request.denoise and last not in job.cleaned:
            job.cleaned.add(last)
            self._cleaning.clean(job)
        if job.request.share is not None or job.request.looked:
            self._channel.send(ShareLooked(job.request.id, job.frame.looked(job.request.share, job.request.medium)))
        self._channel.send(Finished(job.request.id))
        fresh = [k for k in job.keys if job.request.live and not self._cache.has(k)]
        for key in fresh:
            if self._inbox.has_more:
                break
            self._cache.put(job.frame.image(key))
        if job.request.live and not self._inbox.has_more:
            self._live.get_ready()


def _worth_showing(passes: int, target: int) -> bool:
    """Early passes all show; later ones change little and are laid out more rarely."""
    return passes <= 4 or passes >= target or passes % (2 if passes < 16 else 8) == 0
