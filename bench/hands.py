"""Five hundred random hands on the real window, of twenty events each: ``python bench/hands.py [EVENTS]``.

What breaks, what stays open, what blocks, and whether a thread touches the state of another.

The renderer is the tests' instant one, so that the hand is what is measured. With arguments (how many events) it prints
and writes nothing.
"""

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import shutil

import numpy as np
from bench.page import tell
from PySide6.QtWidgets import QApplication, QInputDialog
from tests.ui.backends import InstantBackend
from tests.ui.owners import watched
from tests.ui.random_hands import RandomHand

from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.folders import sky_folder
from lunar_haze.ui.base import questions, theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"
EVENTS, A_WINDOW = 10_000, 20


def open_window(folder: Path) -> Window:
    """The window on a copy of the demo in a folder, once it has a picture."""
    for file in (DEMO, DEMO.with_suffix(".glb")):
        shutil.copy(file, folder)
    session = Session(folder / "state")
    window = Window(session, InstantBackend(), folder / "state")
    window.resize(1280, 800)
    window.show()
    window.files.open_path(folder / DEMO.name)
    until = time.time() + 30
    while time.time() < until and (session.place is None or window.bridge.shown.picture is None):
        QApplication.processEvents()
        time.sleep(0.01)
    return window


def _played(events: int) -> tuple[list[float], int, int, int]:
    """How long each event took [s], popups that stayed, windows that undo led back, and all windows."""
    blocked, stuck, undone, windows = [], 0, 0, 0
    for seed in range(-(-events // A_WINDOW)):
        with tempfile.TemporaryDirectory() as folder:
            window = open_window(Path(folder))
            start = window.session.document
            hand = RandomHand(window, seed)
            for _ in range(min(A_WINDOW, events - seed * A_WINDOW)):
                before = time.perf_counter()
                hand.step()
                blocked.append(time.perf_counter() - before)
            while QApplication.activePopupWidget() is not None:
                QApplication.activePopupWidget().close()
                QApplication.processEvents()
            stuck += QApplication.activePopupWidget() is not None
            for _ in range(20_000):
                if window.session.history.undo_label is None:
                    break
                window.session.undo()
            undone += window.session.document.looks == start.looks
            windows += 1
            window.leave_at_once()
            QApplication.processEvents()
    return blocked, stuck, undone, windows


def begin() -> tuple[QApplication, list[str]]:
    """The application, and what it raises from now on; no question stops it."""
    app = QApplication([])
    theme.apply(app)
    keep_tables_in(sky_folder())
    questions.ask = lambda _p, _t, _x, _m, choices, escape="": escape or choices[-1]
    QInputDialog.getText = staticmethod(lambda *_a, **_k: ("a name", False))  # type: ignore[method-assign]
    QInputDialog.getItem = staticmethod(lambda *_a, **_k: ("", False))  # type: ignore[method-assign]
    raised: list[str] = []
    sys.excepthook = lambda kind, error, _trace: raised.append(f"{kind.__name__}: {error}")
    return app, raised


def main() -> None:
    events = int(sys.argv[1]) if len(sys.argv) > 1 else EVENTS
    _app, raised = begin()
    with watched() as foreign:
        blocked, stuck, undone, windows = _played(events)
    times = np.sort(blocked) * 1e3
    rows = [
        ("events", f"{len(blocked):,} in {windows} windows", ""),
        ("exceptions", f"{len(raised)}", "0"),
        ("state touched by a foreign thread", f"{len(foreign)}", "0"),
        ("popups that could not be closed", f"{stuck}", "0"),
        ("windows in which undo led back to the start", f"{undone} of {windows}", "all"),
        ("an event, median; 99 of 100; the longest", f"{times[len(times) // 2]:.1f} ms; "
         f"{times[int(len(times) * 0.99)]:.0f} ms; {times[-1]:.0f} ms", ""),
    ]  # fmt: skip
    for line in sorted({*raised, *foreign})[:10]:
        print("raised:", line)
    tell("Random hands", "Made by `.venv/bin/python bench/hands.py`; the renderer is the tests' instant one.", rows)


if __name__ == "__main__":
    main()
