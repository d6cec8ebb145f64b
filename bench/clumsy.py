"""Five thousand jobs of a hand that misses one number in five and types on: ``python bench/clumsy.py [JOBS]``.

No act may be done that the hand did not name, and what is chosen stays chosen. With arguments (how many jobs) it prints
and writes nothing.
"""

import os
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.hands import begin, open_window
from bench.page import tell
from PySide6.QtWidgets import QApplication
from tests.ui.clumsy import ClumsyHand

JOBS, A_WINDOW, A_THING = 5_000, 100, 4


def main() -> None:
    jobs = int(sys.argv[1]) if len(sys.argv) > 1 else JOBS
    _app, raised = begin()
    done, misses, lost, acts = 0, 0, 0, []
    seed = 0
    while done < jobs:
        with tempfile.TemporaryDirectory() as folder:
            window = open_window(Path(folder))
            window.activateWindow()
            hand = ClumsyHand(window, seed)
            before = done
            while done - before < min(A_WINDOW, jobs - before):
                hand.choose_something()
                for _ in range(A_THING):
                    chosen = window.session.chosen
                    if hand.job():
                        done += 1
                        lost += window.session.chosen != chosen
            misses += hand.misses
            acts += [f"window {seed}: {act}" for act in hand.acts]
            window.leave_at_once()
            QApplication.processEvents()
        seed += 1
    for line in [*acts, *raised][:10]:
        print("not meant:", line)
    rows = [
        ("jobs, and clicks that missed", f"{done:,}, {misses:,}", ""),
        ("acts that the hand did not name", f"{len(acts)}", "0"),
        ("times that what is chosen was lost", f"{lost}", "0"),
        ("exceptions", f"{len(raised)}", "0"),
    ]
    tell("Clumsy hands", "Made by `.venv/bin/python bench/clumsy.py`; the renderer is the tests' instant one.", rows)


if __name__ == "__main__":
    main()
