"""Makes a sequence in the background, one after the other; paused, gone on with and stopped from a list."""

import logging
import threading
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from lunar_haze.core.errors import HazeError, TakenError
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.folders import log_path
from lunar_haze.service.sequence import Progress, SequenceSpec, check, run, taken
from lunar_haze.ui.base import questions
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

WAITING, RUNNING, PAUSED, DONE, FAILED = "waiting", "running", "paused", "done", "failed"


class SequenceJob(QObject):
    """One sequence on its way. Signals: ``changed`` when there is news, ``ended`` (text, is_problem)."""

    changed = Signal()
    ended = Signal(str, bool)
    _told = Signal(int, int, float, str)

    def __init__(self, spec: SequenceSpec, overwrite: bool, backend: RenderBackend | None = None) -> None:
        super().__init__()
        self.spec, self.state, self.words = spec, WAITING, "waits its turn"
        self._overwrite, self._backend = overwrite, backend
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._told.connect(self._take)

    @property
    def name(self) -> str:
        """What it writes."""
        return self.spec.output.name

    def start(self) -> None:
        """Begin, or go on where it was left."""
        if self.state == RUNNING:
            return
        self._stop = threading.Event()
        self.state, self.words = RUNNING, "starting"
        self._thread = threading.Thread(target=self._run, args=(self._stop,), name="sequence", daemon=True)
        self._thread.start()
        self.changed.emit()

    def pause(self) -> None:
        """Stop after what is under way is given up; what is done stays."""
        if self.state == RUNNING:
            self.state, self.words = PAUSED, f"paused, {self.words}"
            self._stop.set()
            self.changed.emit()

    def wait(self) -> None:
        """Wait for the job's thread."""
        if self._thread is not None:
            self._thread.join(timeout=10.0)

    def _run(self, stop: threading.Event) -> None:
        def tell(progress: Progress) -> None:
            left = -1.0 if progress.left_s is None else progress.left_s
            try:
                self._told.emit(progress.done, progress.total, left, progress.what)
            except RuntimeError:
                stop.set()  # the window is gone

        try:
            made = run(self.spec, tell, stop.is_set, self._overwrite, self._backend)
            if made is not None:
                kept = f", {made.kept} were there already" if made.kept else ""
                self._end(DONE, f"wrote {self.name}: {made.made} frames{kept}", False)
                for note in made.notes:
                    self._say(note, True)
        except HazeError as error:
            self._end(FAILED, str(error), True)
        except Exception:
            log.exception("a sequence failed")
            self._end(FAILED, f"the sequence could not be written; {log_path()} tells why", True)

    def _take(self, done: int, total: int, left_s: float, what: str) -> None:
        if self.state == RUNNING:
            left = f", {_duration(left_s)} left" if left_s >= 0 else ""
            self.words = f"{done} of {total} frames{left}" if done or not what else what
            self.changed.emit()

    def _end(self, state: str, text: str, is_problem: bool) -> None:
        self.state, self.words = state, text
        self._say(text, is_problem)

    def _say(self, text: str, is_problem: bool) -> None:
        try:
            self.ended.emit(text, is_problem)
            self.changed.emit()
        except RuntimeError:
            pass  # the window is gone


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
        job = SequenceJob(spec, bool(others), backend)
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
        """Stop what runs and wait for it."""
        for job in self.jobs:
            job.pause()
        for job in self.jobs:
            job.wait()
