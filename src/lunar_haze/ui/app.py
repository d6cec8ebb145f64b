"""Starts the window."""

import logging
import sys
import time
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import state_folder
from lunar_haze.ui import theme
from lunar_haze.ui.session import Session
from lunar_haze.ui.window import Window

log = logging.getLogger(__name__)


def _log_uncaught(kind: type[BaseException], error: BaseException, trace: object) -> None:
    log.error("uncaught", exc_info=(kind, error, trace))


def run_window(path: Path, client: RenderClient, started: float | None = None) -> int:
    """Open the window on ``path``, with ``client`` to compute; runs until it is closed. The exit code."""
    sys.excepthook = _log_uncaught
    app = QApplication(["lunar-haze"])
    app.setApplicationName("Lunar Haze")
    theme.apply(app)
    session = Session(state_folder())
    window = Window(session, client, state_folder())
    window.show()
    if started is not None:
        log.info("window shown after %.2f s", time.perf_counter() - started)
    # The window is painted before the document is read.
    QTimer.singleShot(0, window, lambda: window.open_path(path))
    return app.exec()
