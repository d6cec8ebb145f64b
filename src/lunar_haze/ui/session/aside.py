"""Work aside: threads that are waited for at the end, and how what they find comes back to the window."""

import logging
import threading
from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import SignalInstance

from lunar_haze.core.errors import HazeError

log = logging.getLogger(__name__)
T = TypeVar("T")


class Aside:
    """Runs what is slow beside the window; ``said`` (text, is_problem) tells the artist."""

    def __init__(self, said: SignalInstance) -> None:
        self._said = said
        self._threads: list[threading.Thread] = []

    def run(self, act: Callable[[], None]) -> None:
        """Do something on a thread."""
        thread = threading.Thread(target=act, daemon=True)
        self._threads = [t for t in self._threads if t.is_alive()] + [thread]
        thread.start()

    def then(self, act: Callable[[], T], take: Callable[[T | None], None]) -> None:
        """Work something out and hand it on from the thread, None when that went wrong: ``take`` emits a signal."""

        def work() -> None:
            found: T | None = None
            try:
                found = act()
            except Exception:
                log.exception("work aside failed")
            try:
                take(found)
            except RuntimeError:
                pass  # the window is closing

        self.run(work)

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
            try:
                self._said.emit(told, problem)
            except RuntimeError:
                pass  # the session was closed meanwhile

        self.run(work)

    def wait(self) -> None:
        """Wait for what runs."""
        for thread in self._threads:
            thread.join(timeout=5.0)
