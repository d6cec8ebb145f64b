"""Half an hour of work in the real window: ``python bench/soak.py [MINUTES]``.

A scripted hand changes everything that can be changed, a few times a second, while memory, descriptors and threads of
the window and of the render process are read. From the tenth minute on all must be flat.
"""

import gc
import os
import sys
import tempfile
import threading
import time
from pathlib import Path

import attrs
import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]
_HOME = tempfile.mkdtemp()
os.environ |= {"QT_QPA_PLATFORM": "offscreen", "XDG_CACHE_HOME": _HOME, "XDG_STATE_HOME": f"{_HOME}/state"}

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder, state_folder
from lunar_haze.service.memory import choose_limit, process_bytes
from lunar_haze.ui import theme
from lunar_haze.ui.session import Session
from lunar_haze.ui.window import Window
from page import table, write

#: Small enough to be full within minutes.
LIMIT = 1 << 29
EVERY_MS, SAMPLED_S = 400, 5.0


def _descriptors(process: int | str) -> int:
    try:
        return len(os.listdir(f"/proc/{process}/fd"))
    except OSError:
        return 0


class Hand:
    """Edits of every kind, by chance."""

    def __init__(self, window: Window) -> None:
        self._window, self._session = window, window.session
        self._chance = np.random.default_rng(0)
        self.acts = 0

    def act(self) -> None:
        """One edit."""
        session, chance = self._session, self._chance
        if not session.is_open or session.place is None:
            return
        self.acts += 1
        document = session.document
        look = document.look
        kinds = (
            "dimmer",
            "move",
            "hour",
            "air",
            "look",
            "shot",
            "undo",
            "add",
            "delete",
            "pin",
            "choose",
            "size",
            "save",
        )
        kind = str(chance.choice(kinds, p=[0.2, 0.16, 0.1, 0.12, 0.06, 0.05, 0.1, 0.05, 0.05, 0.02, 0.06, 0.02, 0.01]))
        source = look.sources[int(chance.integers(len(look.sources)))] if look.sources else None
        if kind == "dimmer" and source:
            session.edit("dimmer", edits.change_source(document, source.id, dimmer_stops=float(chance.uniform(-2, 1))))
        elif kind == "move" and source and isinstance(source.shape, Ball):
            x, y, z = source.shape.position
            moved = attrs.evolve(source.shape, position=(x + float(chance.normal()) / 5, y, z))
            session.edit("move", edits.change_source(document, source.id, shape=moved))
        elif kind == "hour":
            self._window.acts.step_hour(float(chance.choice([-0.5, 0.25, 0.5])))
        elif kind == "air":
            session.edit("air", edits.change_medium(document, visibility_m=float(10 ** chance.uniform(1.5, 3.5))))
        elif kind == "look":
            names = [k.name for k in document.looks]
            session.edit("look", attrs.evolve(document, current_look=str(chance.choice(names))))
        elif kind == "shot":
            names = [s.name for s in document.shots]
            session.edit("shot", attrs.evolve(document, current_shot=str(chance.choice(names))))
        elif kind == "undo":
            (session.undo if chance.random() < 0.6 else session.redo)()
        elif kind == "add" and len(look.sources) < 14:
            at = (float(chance.uniform(-8, 8)), float(chance.uniform(-8, 8)), 2.0)
            session.edit("add", edits.add_source(document, Source(f"s{self.acts}", "lamp", Ball(at, 0.1), 100.0, "lm")))
        elif kind == "delete" and source and len(look.sources) > 4:
            session.edit("delete", edits.remove_source(document, source.id))
        elif kind == "pin" and len(document.pins) < 6:
            self._window.pins.pin()
        elif kind == "choose" and source:
            session.choose(source.id)
        elif kind == "size":
            self._window.resize(*[(1280, 800), (1100, 720), (1440, 900)][int(chance.integers(3))])
        elif kind == "save":
            session.save()


def soak(minutes: float) -> list[tuple[str, ...]]:
    """Rows of the table."""
    choose_limit(LIMIT)
    keep_tables_in(sky_folder())
    app = QApplication([])
    theme.apply(app)
    folder = Path(tempfile.mkdtemp())
    for name in ("gannet-reach.haze", "gannet-reach.glb"):
        (folder / name).write_bytes((ROOT / "demo" / name).read_bytes())
    session = Session(state_folder())
    client = RenderClient()
    window = Window(session, client, state_folder())
    window.resize(1280, 800)
    window.show()
    before = {t.name for t in threading.enumerate()}
    window.files.open_path(folder / "gannet-reach.haze")
    hand = Hand(window)
    problems: list[str] = []
    sys.excepthook = lambda kind, error, _trace: problems.append(f"{kind.__name__}: {error}")
    acting = QTimer(interval=EVERY_MS)
    acting.timeout.connect(hand.act)
    acting.start()
    samples: list[tuple[float, ...]] = []
    started = time.monotonic()

    def sample() -> None:
        number = client.process_id
        now = time.monotonic() - started
        samples.append(
            (
                now,
                process_bytes(),
                process_bytes(number),
                _descriptors("self"),
                _descriptors(number),
                threading.active_count(),
            )
        )
        if len(samples) % 12 == 0:
            print("  {:5.0f} s  window {:.0f} MB  rendering {:.0f} MB  descriptors {} {}  threads {}".format(
                now, samples[-1][1] / 1e6, samples[-1][2] / 1e6, *samples[-1][3:]), flush=True)  # fmt: skip
        if now > minutes * 60:
            app.quit()

    reading = QTimer(interval=int(SAMPLED_S * 1000))
    reading.timeout.connect(sample)
    reading.start()
    app.exec()
    acting.stop()
    window._leaving = True
    window.close()
    gc.collect()
    left = {t.name for t in threading.enumerate() if not t.daemon} - before
    values = np.array(samples)
    middle = values[(values[:, 0] > minutes * 20) & (values[:, 0] <= minutes * 40)]
    last = values[values[:, 0] > minutes * 40]

    def told(column: int) -> str:
        a, b = np.median(middle[:, column]), np.median(last[:, column])
        unit = (lambda v: f"{v / 1e6:,.0f} MB") if column < 3 else (lambda v: f"{v:.0f}")
        change = f" ({b / a - 1:+.1%})" if column < 3 else ""
        return f"{unit(a)}, then {unit(b)}{change}"

    return [
        (f"{minutes:g} minutes, {hand.acts:,} edits, layers within {LIMIT >> 20} MiB: memory of the window, second and last third", told(1), "within 5 %"),
        ("... of the render process", told(2), "within 5 %"),
        ("... descriptors of the window", told(3), "the same"),
        ("... of the render process", told(4), "the same"),
        ("... threads of the window while it works", told(5), "the same"),
        ("... threads left when it is closed", str(len(left)), "0"),
        ("... exceptions", "; ".join(problems[:3]) or "0", "0"),
    ]  # fmt: skip


if __name__ == "__main__":
    if sys.argv[1:]:
        print(table(soak(float(sys.argv[1]))))
    else:
        write("Soak", "Made by `.venv/bin/python bench/soak.py`.", soak(30.0))
