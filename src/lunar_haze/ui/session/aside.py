"""Work aside: the only place where the window begins threads, all of them ended when the session is closed.

An act on a thread reads values that do not change (documents, arrays that nobody writes to any longer) and hands on
what it finds by a signal, so that state is written to on its owner's thread only:

- `then`, `told`: by itself; what it finds, or what went wrong, is handed on once.
- `newest`, `newest_then`: one at a time of its purpose; what waits gives way to what is newer.
- `queue`: all of a purpose, one after the other, as futures.
- `job`: long work that has a way to be stopped, such as a sequence; `close` stops it.
"""

import logging
import threading
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from typing import TypeVar

from PySide6.QtCore import SignalInstance

from lunar_haze.core.errors import HazeError

log = logging.getLogger(__name__)
T = TypeVar("T")
#: So much is worked at in parallel: more would only share the processors, and hold memory meanwhile.
AT_WORK = 3
#: So long is waited for a thread at the end [s].
PATIENCE_S = 10.0


class Job:
    """Long work on a thread of its own; it looks at ``is_stopped`` from time to time and ends then."""

    def __init__(self, act: Callable[["Job"], None]) -> None:
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(act,), name="job", daemon=True)
        self._thread.start()

    def _run(self, act: Callable[["Job"], None]) -> None:
        try:
            act(self)
        except Exception:
            log.exception("a job failed")

    @property
    def is_stopped(self) -> bool:
        """Whether it is to end."""
        return self._stop.is_set()

    @property
    def is_alive(self) -> bool:
        """Whether it is still at work."""
        return self._thread.is_alive()

    def stop(self) -> None:
        """Let it end soon."""
        self._stop.set()

    def wait(self) -> None:
        """Wait for its end."""
        self._thread.join(timeout=PATIENCE_S)


def handed(emit: Callable[..., None], *values: object) -> bool:
    """Emit a signal from a thread; whether its object was still there."""
    try:
        emit(*values)
    except RuntimeError:
        return False  # the window is closing
    return True


class Aside:
    """Runs what is slow beside the window; ``said`` (text, is_problem) tells the artist."""

    def __init__(self, said: SignalInstance) -> None:
        self._said = said
        self._threads: list[threading.Thread] = []
        self._lock = threading.Lock()
        #: What of a purpose comes next while one of it is under way, by purpose: None for nothing.
        self._next: dict[str, tuple[Callable[[], None], Callable[[], None]] | None] = {}
        self._closing = False
        self._room = threading.BoundedSemaphore(AT_WORK)
        self._queues: list[ThreadPoolExecutor] = []
        self._jobs: list[Job] = []

    def queue(self, purpose: str) -> Executor:
        """Runs all that is submitted to it, in order, on one thread."""
        made = ThreadPoolExecutor(1, purpose)
        self._queues.append(made)
        return made

    def job(self, act: Callable[[Job], None]) -> Job:
        """Begin long work."""
        made = Job(act)
        self._jobs = [job for job in self._jobs if job.is_alive] + [made]
        return made

    def newest(self, purpose: str, act: Callable[[], None], dropped: Callable[[], None] = lambda: None) -> None:
        """Do something on a thread, one at a time of its ``purpose``: what waits gives way to what is newer.

        What gives way is told by its ``dropped``, on the thread that asks for the newer.
        """
        with self._lock:
            is_busy = purpose in self._next
            waiting = self._next.get(purpose)
            self._next[purpose] = (act, dropped) if is_busy else None
        if waiting is not None:
            waiting[1]()
        if not is_busy:
            self.run(lambda: self._in_turn(purpose, act))

    def _in_turn(self, purpose: str, act: Callable[[], None]) -> None:
        """One after the other, until nothing of the purpose waits."""
        while True:
            try:
                act()
            except Exception:
                log.exception("work aside failed")
            with self._lock:
                following = self._next[purpose]
                if following is None or self._closing:
                    del self._next[purpose]
                    return
                act, self._next[purpose] = following[0], None

    def run(self, act: Callable[[], None], at_once: bool = False) -> None:
        """Do something on a thread; a few at a time, but for what has to be done ``at_once`` and takes no time."""

        def work() -> None:
            if at_once:
                act()
                return
            with self._room:
                act()

        thread = threading.Thread(target=work, daemon=True)
        self._threads = [t for t in self._threads if t.is_alive()] + [thread]
        thread.start()

    def then(self, act: Callable[[], T], take: Callable[[T | None], None]) -> None:
        """Work something out and hand it on from the thread, None when that went wrong: ``take`` emits a signal."""
        self.run(lambda: _handed_on(act, take))

    def newest_then(
        self, purpose: str, act: Callable[[], T], take: Callable[[T | None], None], dropped: Callable[[], None]
    ) -> None:
        """`then`, of what is newest of a purpose (see `newest`)."""
        self.newest(purpose, lambda: _handed_on(act, take), dropped)

    def told(self, act: Callable[[], str]) -> None:
        """Do something slow; what it returns is told, and so is what goes wrong."""

        def work() -> None:
            try:
                told, problem = act(), False
            except HazeError as error:
                told, problem = str(error), True
            except Exception:
                log.exception("an act aside failed")
                told, problem = "that went wrong and should not; the log tells what (help, then “show the log”)", True
            handed(self._said.emit, told, problem)

        self.run(work)

    def close(self) -> None:
        """Stop jobs and wait for what runs; what waits is let go."""
        with self._lock:
            self._closing = True
        for job in self._jobs:
            job.stop()
        for queue in self._queues:
            queue.shutdown(wait=False, cancel_futures=True)
        for job in self._jobs:
            job.wait()
        for queue in self._queues:
            queue.shutdown(wait=True)
        for thread in self._threads:
            thread.join(timeout=PATIENCE_S)


def _handed_on(act: Callable[[], T], take: Callable[[T | None], None]) -> None:
    found: T | None = None
    try:
        found = act()
    except Exception:
        log.exception("work aside failed")
    handed(take, found)
