"""Makes a sequence in the background, one after the other; paused, gone on with and stopped from a list."""

import logging
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from lunar_haze.core.errors import HazeError, TakenError
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.folders import log_path
from lunar_haze.service.sequence import Progress, SequenceSpec, check, run, taken
from lunar_haze.ui.base import questions
from lunar_haze.ui.session.aside import Aside, Job, handed
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

WAITING, RUNNING, PAUSED, DONE, FAILED = "waiting", "running", "paused", "done", "failed"


class SequenceJob(QObject):
    """One sequence on its way. Signals: ``changed`` when there is news, ``ended`` (text, is_problem)."""

    changed = Signal()
    ended = Signal(str, bool)
    _told = Signal(int, int, float, str)
    _over = Signal(str, str, bool, tuple)

    def __init__(self, spec: SequenceSpec, overwrite: bool, aside: Aside, backend: RenderBackend | None = None) -> None:
        super().__init__()
        self.spec, self.state, self.words = spec, WAITING, "waits its turn"
        self._overwrite, self._backend, self._aside = overwrite, backend, aside
        self._job: Job | None = None
        self._told.connect(self._take)
        self._over.connect(self._end)

    @property
    def name(self) -> str:
        """What it writes."""
        return self.spec.output.name

    def start(self) -> None:
        """Begin, or go on where it was left."""
        if self.state == RUNNING:
            return
        self.state, self.words = RUNNING, "starting"
        self._job = self._aside.job(self._run)
        self.changed.emit()

    def pause(self) -> None:
        """Stop after what is under way is given up; what is done stays."""
        if self.state == RUNNING:
            self.state, self.words = PAUSED, f"paused, {self.words}"
            if self._job is not None:
                self._job.stop()
            self.changed.emit()

    def _run(self, job: Job) -> None:
        def tell(progress: Progress) -> None:
            left = -1.0 if progress.left_s is None else progress.left_s
            if not handed(self._told.emit, progress.done, progress.total, left, progress.what):
                job.stop()

        try:
            made = run(self.spec, tell, lambda: job.is_stopped, self._overwrite, self._backend)
            if made is not None:
                kept = f", {made.kept} were there already" if made.kept else ""
                told = f"wrote {self.name}: {made.made} frames{kept}"
                handed(self._over.emit, DONE, told, False, tuple(made.notes))
        except HazeError as error:
            handed(self._over.emit, FAILED, str(error), True, ())
        except Exception:
            log.exception("a sequence failed")
            told = f"the sequence could not be written; {log_path()} tells why"
            handed(self._over.emit, FAILED, told, True, ())

    def _take(self, done: int, total: int, left_s: float, what: str) -> None:
        if self.state == RUNNING:
            left = f", {_duration(left_s)} left" if left_s >= 0 else ""
            self.words = f"{done} of {total} frames{left}" if done or not what else what
            self.changed.emit()

    def _end(self, state: str, text: str, is_problem: bool, notes: tuple[str, ...]) -> None:
        self.state, self.words = state, text
        self.ended.emit(text, is_problem)
        for note in notes:
            self.ended.emit(note, True)
        self.changed.emit()


def _duration(seconds: float) -> str:
    """A time in a few characters."""
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours} h {minutes:02d} min" if hours else f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"


class Sequences(QObject):
    """The sequences of this window: one runs, the others wait. ``changed`` when there is news of any."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.jobs: list[SequenceJob] = []

    def add(self, spec: SequenceSpec, parent: QWidget, backend: RenderBackend | None = None) -> SequenceJob | None:
        """Begin a sequence, or let it wait its turn; files of others at its names are asked about."""
        try:
            check(spec)
            others = taken(spec)
        except HazeError as error:
            self._session.said.emit(str(error), True)
            return None
        if others:
            answer = questions.ask(
                parent,
                "hand-off",
                f"{Path(others[0]).name} is there already, and not of this sequence.",
                str(TakenError(others)),
                ["replace them", "do not write"],
            )
            if answer != "replace them":
                return None
        job = SequenceJob(spec, bool(others), self._session.aside, backend)
        job.changed.connect(self.changed)
        job.ended.connect(self._ended)
        self.jobs.append(job)
        self._go_on()
        self.changed.emit()
        return job

    def _ended(self, text: str, is_problem: bool) -> None:
        self._session.said.emit(text, is_problem)
        self._go_on()

    def _go_on(self) -> None:
        if not any(job.state == RUNNING for job in self.jobs):
            waiting = next((job for job in self.jobs if job.state == WAITING), None)
            if waiting is not None:
                waiting.start()

    def toggle(self, job: SequenceJob) -> None:
        """Pause a sequence, or go on with it."""
        if job.state == RUNNING:
            job.pause()
            self._go_on()
        elif job.state in (PAUSED, FAILED):
            job.state, job.words = WAITING, "waits its turn"
            self._go_on()
        self.changed.emit()

    def remove(self, job: SequenceJob) -> None:
        """Take a sequence off the list; what is written stays."""
        job.pause()
        self.jobs.remove(job)
        self._go_on()
        self.changed.emit()

    def close(self) -> None:
        """Stop what runs."""
        for job in self.jobs:
            job.pause()
