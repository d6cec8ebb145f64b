"""Starts the window."""

import logging
import os
import signal
import sys
import time
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSocketNotifier, QTimer
from PySide6.QtWidgets import QApplication

from lunar_haze.service.client import RenderClient
from lunar_haze.service.compiling import tell_compiling
from lunar_haze.service.folders import state_folder
from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window

log = logging.getLogger(__name__)


def _log_uncaught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    log.error("uncaught", exc_info=(kind, error, trace))


def run_window(path: Path, client: RenderClient, started: float | None = None) -> int:
    """Open the window on ``path``, with ``client`` to compute; runs until it is closed. The exit code."""
    sys.excepthook = _log_uncaught
    app = QApplication(["lunar-haze"])
    app.setApplicationName("Lunar Haze")
    theme.apply(app)
    session = Session(state_folder())
    window = Window(session, client, state_folder())
    tell_compiling(window.say_compiling)
    window.show()
    if started is not None:
        log.info("window shown after %.2f s", time.perf_counter() - started)
    leave_on_signals(app, window)

    def begin() -> None:
        window.files.open_path(path)
        window.files.offer_unsaved()

    # The window is painted before the document is read.
    QTimer.singleShot(0, window, begin)
    return app.exec()


def leave_on_signals(app: QApplication, window: Window) -> None:
    """Keep everything and close when the system asks for it (SIGTERM, SIGHUP, SIGINT)."""
    read, write = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    signal.set_wakeup_fd(write, warn_on_full_buffer=False)
    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        # The interpreter may be inside Qt: what is to be done is done by the event loop, woken by the pipe.
        signal.signal(number, lambda _number, _frame: None)
    woken = QSocketNotifier(read, QSocketNotifier.Type.Read, app)

    def leave() -> None:
        os.read(read, 64)
        log.info("asked to end; unsaved work is kept")
        window.leave_at_once()
        app.quit()

    woken.activated.connect(leave)
