"""Sequences: numbered stills, or a film, of the frames of a shot; stopped, killed and resumed at will.

A frame is written beside its name and moved into place, so that what stands there is whole. A list beside the sequence
tells each finished frame by the digest of what it depends on: when a sequence is run again, frames that are there and
still true are kept, others are made anew. What lies at a frame's name and is on no list is somebody else's: it is told,
and replaced only when that is asked for.
"""

import contextlib
import json
import logging
import os
import re
import time
from collections.abc import Callable
from pathlib import Path

import attrs

from lunar_haze import __version__
from lunar_haze.core.document.cues import CueSheet
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HandOffError, TakenError, os_reason
from lunar_haze.core.handoff.deliver import STILL_FORMATS, finish_files, write_finish
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.layers.model import PlaceSpec, Share, digest
from lunar_haze.core.picture.views import SRGB
from lunar_haze.core.plan.frames import problem_sentences, view_of
from lunar_haze.core.plan.sequence import FramePlan, planned_frames
from lunar_haze.core.units.written import put_bytes
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.movie import FILM_FORMATS, write_film
from lunar_haze.service.still import Still, StillMaker, asks_for_clean_layers, hand_over
from lunar_haze.service.still_share import StillShare, joined

log = logging.getLogger(__name__)

#: No sequence has more frames.
MOST_FRAMES = 100_000
FORMATS = (*STILL_FORMATS, *FILM_FORMATS)


@attrs.frozen
class SequenceSpec:
    """What is wanted: frames ``first`` to ``last`` of a shot under a look, every ``step``-th, at ``size`` [px].

    ``output`` names the stills, their number where it has #, or the film. ``layers`` go into EXR; ``bits`` are those of
    PNG; ``screen`` is what it is made for.
    """

    document: Document
    shot: str
    look: str
    first: int
    last: int
    output: Path
    size: tuple[int, int]
    step: int = 1
    passes: int = 64
    denoise: bool = True
    layers: bool = False
    bits: int = 8
    screen: str = SRGB

    @property
    def is_film(self) -> bool:
        """Whether it ends as one film."""
        return self.output.suffix.lower() in FILM_FORMATS

    @property
    def frames(self) -> tuple[int, ...]:
        """The numbers of its frames."""
        return tuple(range(self.first, self.last + 1, self.step))

    @property
    def on_screen(self) -> Document:
        """The document with its shot and look on screen."""
        return attrs.evolve(self.document, current_shot=self.shot, current_look=self.look)

    @property
    def folder(self) -> Path:
        """Where its stills lie; a film's are kept in a folder beside it until it is made."""
        return self.output.parent / f".{self.output.name}.frames" if self.is_film else self.output.parent

    def path_of(self, frame: int) -> Path:
        """Where a frame lies."""
        name = "####.png" if self.is_film else self.output.name
        return self.folder / re.sub(r"#+", lambda found: f"{frame:0{len(found[0])}d}", name, count=1)

    @property
    def list_path(self) -> Path:
        """Where its list of finished frames lies."""
        return self.output.with_name(f".{self.output.name}.sequence.json")


def check(spec: SequenceSpec) -> None:
    """Raise HandOffError for a sequence that could never be made: frames, step, names, folder."""
    if spec.output.suffix.lower() not in FORMATS:
        raise HandOffError(f"{spec.output.name} has no kind of sequence in its name; use one of {', '.join(FORMATS)}")
    if not spec.output.resolve().parent.is_dir():
        raise HandOffError(f"{spec.output.parent} is not a folder that exists; make it first")
    if spec.step < 1:
        raise HandOffError(f"a step of {spec.step} frames leads nowhere; use 1 or more")
    if spec.last < spec.first:
        raise HandOffError(f"frames {spec.first} to {spec.last} are none; the last one lies before the first")
    count = (spec.last - spec.first) // spec.step + 1
    if count > MOST_FRAMES:
        raise HandOffError(f"{count:,} frames are too many for one sequence; {MOST_FRAMES:,} is the most")
    if not spec.is_film and "#" not in spec.output.name and len(spec.frames) > 1:
        raise HandOffError(f"{spec.output.name} is one name for many frames; put #### where their number goes")


@attrs.define
class Progress:
    """How far a sequence is: frames done of all, what is under way, seconds left (None while that is not known)."""

    done: int = 0
    total: int = 0
    what: str = ""
    left_s: float | None = None


@attrs.frozen
class Made:
    """What became of a sequence: frames that were made, those that were there already, what to tell."""

    made: int
    kept: int
    notes: tuple[str, ...]


class FrameList:
    """The finished frames of a sequence by name: digest of what each depends on, and its size [bytes].

    A line for each is added to its file; the last line of a name counts.
    """

    def __init__(self, spec: SequenceSpec) -> None:
        self._path = spec.list_path
        self._frames: dict[str, list] = {}
        with contextlib.suppress(OSError, ValueError):
            self._read(self._path.read_text("utf-8", errors="replace"))

    def _read(self, text: str) -> None:
        for line in text.splitlines()[1:]:
            # One that was cut off costs its frame; so do lists of versions before, which were one value.
            with contextlib.suppress(ValueError, RecursionError):
                entry = json.loads(line)
                if isinstance(entry, list) and len(entry) == 3:
                    self._frames[str(entry[0])] = entry[1:]

    def knows(self, path: Path) -> bool:
        """Whether a file is of this sequence, true still or not."""
        return path.name in self._frames

    def holds(self, path: Path, name: str) -> bool:
        """Whether a file is there, whole and made of what ``name`` is the digest of."""
        entry = self._frames.get(path.name)
        try:
            return entry is not None and entry == [name, path.stat().st_size]
        except OSError:
            return False

    def claim(self, paths: list[Path]) -> None:
        """Files are of this sequence from now on, whatever becomes of them. Raises HandOffError.

        Written anew as a whole: lines that no longer count are gone.
        """
        self._frames |= {path.name: ["", -1] for path in paths if path.name not in self._frames}
        head = json.dumps({"lunar_haze_sequence": __version__})
        lines = [head, *(json.dumps([name, *entry]) for name, entry in self._frames.items())]
        try:
            put_bytes(self._path, ("\n".join(lines) + "\n").encode())
        except OSError as error:
            raise HandOffError(f"{self._path.parent} cannot be written to: {os_reason(error)}") from error

    def add(self, path: Path, name: str) -> None:
        """A file is finished. Raises HandOffError where the list cannot be written."""
        try:
            entry = [name, path.stat().st_size]
        except OSError as error:
            raise HandOffError(f"{path} cannot be read: {os_reason(error)}") from error
        self._frames[path.name] = entry
        try:
            descriptor = os.open(self._path, os.O_WRONLY | os.O_APPEND | os.O_NOFOLLOW)
            with os.fdopen(descriptor, "ab") as stream:
                stream.write((json.dumps([path.name, *entry]) + "\n").encode())
                stream.flush()
                os.fsync(stream.fileno())
        except OSError as error:
            raise HandOffError(f"{self._path.parent} cannot be written to: {os_reason(error)}") from error


def output_digest(spec: SequenceSpec, plan: FramePlan) -> str:
    """Name of a frame's file by all that it depends on."""
    return digest((engine_version(), plan.name, spec.layers, spec.bits, spec.screen, spec.output.suffix.lower()))


def finishes(spec: SequenceSpec) -> dict[int, tuple[Path, Look]]:
    """Where the finish of each frame of EXR stills lies, and a look that has it: one file for all that share it.

    Other stills have their finish in the picture: none.
    """
    if spec.output.suffix.lower() != ".exr":
        return {}
    sheet = CueSheet(spec.on_screen)
    stem = re.sub(r"[._-]*#+", "", spec.output.stem, count=1) or spec.look
    first: dict[str, tuple[Path, Look]] = {}
    found: dict[int, tuple[Path, Look]] = {}
    for frame in spec.frames:
        look = sheet.at(frame).look
        name = digest((look.finish, look.ev100, look.stops))
        if name not in first:
            # The first has the sequence's name, others that of the frame where they begin.
            of = f"{stem}.finish.cube" if not first else f"{stem}.{frame}.finish.cube"
            first[name] = spec.folder / of, look
        found[frame] = first[name]
    return found


def _finish_paths(spec: SequenceSpec) -> list[Path]:
    """The files beside the stills of a sequence that tell their finishes."""
    return [path for cube, look in dict(finishes(spec).values()).items() for path in finish_files(cube, look)]


def taken(spec: SequenceSpec) -> list[Path]:
    """Files at the names of a sequence's frames that are on no list of it."""
    known = FrameList(spec)
    paths = [spec.output] if spec.is_film else [spec.path_of(frame) for frame in spec.frames]
    paths += _finish_paths(spec)
    return [path for path in paths if path.exists() and not known.knows(path)]


#: Makes and writes the frames that are due elsewhere: the sequence, its frames, whom to tell of each, when to stop.
Cluster = Callable[[SequenceSpec, list[FramePlan], Callable[[FramePlan], None], Callable[[], bool]], None]


def run(
    spec: SequenceSpec,
    tell: Callable[[Progress], None] = lambda progress: None,
    stopped: Callable[[], bool] = lambda: False,
    overwrite: bool = False,
    backend: RenderBackend | None = None,
    cluster: Cluster | None = None,
) -> Made | None:
    """Make a sequence, or what is missing of it; None when ``stopped`` said so: what is done stays done.

    ``cluster`` makes frames elsewhere (see `farm`). Raises TakenError where files of others lie at its names and
    ``overwrite`` is not asked for, and other HazeErrors.
    """
    check(spec)
    others = [] if overwrite else taken(spec)
    if others:
        raise TakenError(others)
    place = place_spec(spec.document.place)
    plans = planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise)
    finished = FrameList(spec)
    names = {plan.frame: output_digest(spec, plan) for plan in plans}
    rate = spec.on_screen.shot.rate / spec.step
    film = digest((tuple(names.values()), rate))
    if spec.is_film and finished.holds(spec.output, film):
        return Made(0, len(plans), ())
    if spec.is_film:
        spec.folder.mkdir(exist_ok=True)
    stills = [spec.path_of(frame) for frame in spec.frames]
    finished.claim([*stills, *_finish_paths(spec), *([spec.output] if spec.is_film else [])])
    for cube, look in dict(finishes(spec).values()).items():
        write_finish(cube, look)
    due = [plan for plan in plans if not finished.holds(spec.path_of(plan.frame), names[plan.frame])]
    progress = Progress(len(plans) - len(due), len(plans), "starting")
    tell(progress)
    notes: dict[str, None] = {}
    began = time.monotonic()

    def one_done(plan: FramePlan) -> None:
        finished.add(spec.path_of(plan.frame), names[plan.frame])
        progress.done += 1
        made = progress.done - (len(plans) - len(due))
        progress.left_s = (time.monotonic() - began) / made * (len(due) - made)
        tell(progress)

    if due and cluster is not None:
        cluster(spec, due, one_done, stopped)
    elif due:
        maker = FrameMaker(spec, place, backend)
        try:
            for plan in due:
                progress.what = f"frame {plan.frame}"
                if not maker.make(plan, spec.path_of(plan.frame), stopped):
                    return None
                one_done(plan)
                notes.update(dict.fromkeys(maker.notes))
        finally:
            maker.close()
    if stopped():
        return None
    if spec.is_film:
        progress.what = "writing the film"
        tell(progress)
        write_film(spec.output, [spec.path_of(f) for f in spec.frames], rate, spec.screen)
        finished.add(spec.output, film)
        _clear(spec)
    return Made(len(due), len(plans) - len(due), tuple(notes))


def _clear(spec: SequenceSpec) -> None:
    """Let go of the stills that a film was made of."""
    for frame in spec.frames:
        spec.path_of(frame).unlink(missing_ok=True)
    with contextlib.suppress(OSError):
        spec.folder.rmdir()


class FrameMaker:
    """Makes the frames of a sequence in a render process of its own."""

    def __init__(self, spec: SequenceSpec, place: PlaceSpec, backend: RenderBackend | None = None) -> None:
        self._spec, self._place = spec, place
        self._stills = StillMaker(backend)
        self._beside = finishes(spec)
        #: What the render process holds that frames stand on, and which share of it (None: all).
        self._base: tuple[object, Share | None] | None = None
        self.notes: list[str] = []

    def close(self) -> None:
        """End the render process."""
        self._stills.close()

    def make(self, plan: FramePlan, path: Path, stopped: Callable[[], bool]) -> bool:
        """Make and write a frame; False when ``stopped`` said so. Raises HazeError."""
        still = self.still(plan, stopped)
        if still is not None:
            self.hand_over(plan, still, path)
        return still is not None

    def still(self, plan: FramePlan, stopped: Callable[[], bool], share: Share | None = None) -> Still | None:
        """The still of a frame, or of a share of its work; None when ``stopped`` said so. Raises ServiceError."""
        while True:
            restarts = self._stills.restarts
            still = self._attempt(plan, stopped, share)
            if still is None or restarts == self._stills.restarts:
                return still
            # What frames stand on is gone with the render process that held it.
            self._base = None

    def _attempt(self, plan: FramePlan, stopped: Callable[[], bool], share: Share | None) -> Still | None:
        wanted = asks_for_clean_layers(plan.request, plan.look, self._spec.layers)
        requests = [attrs.evolve(wanted, share=share, looked=wanted.looked and share is None)]
        # Frames without anything in common with others stand by themselves.
        if self._base not in ((plan.base_name, None), (plan.base_name, share)) or not plan.base.layers:
            requests.insert(0, attrs.evolve(plan.base, share=share))
            self._base = plan.base_name, share
        still = None
        for request in requests:
            still = self._stills.still(request, cancelled=stopped)
            if still is None:
                self._base = None
                return None
        return still

    def joined(self, plan: FramePlan, shares: list[StillShare]) -> Still:
        """The still of a frame from all shares of its work. Raises ServiceError."""
        still, albedo, normal = joined(shares, plan.request)
        if not plan.request.denoise:
            return still
        still = attrs.evolve(still, clean=self._stills.denoised(still.beauty, albedo, normal))
        if not asks_for_clean_layers(plan.request, plan.look, self._spec.layers).looked:
            return still
        found = self._stills.with_clean_layers(still, albedo, normal)
        assert found is not None
        return found

    def hand_over(self, plan: FramePlan, still: Still, path: Path) -> None:
        """Write a frame's still. Raises HazeError."""
        spec, view = self._spec, view_of(plan.shot, self._spec.size)
        self.notes = problem_sentences(plan.look, view, self._place.key, still.problems)
        beside = self._beside.get(plan.frame)
        hand_over(
            still, plan.request, path, plan.shot, plan.look, spec.layers, spec.bits, screen=spec.screen,
            beside=None if beside is None else beside[0],
        )  # fmt: skip
