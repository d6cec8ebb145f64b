"""Half an hour of work in the real window: ``python bench/soak.py [MINUTES]``.

A scripted hand changes everything that can be changed, a few times a second, while memory, descriptors and threads of
the window and of the render process are read. From the tenth minute on all must be flat.
"""

import contextlib
import gc
import os
import subprocess
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

from PIL import Image
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.mask_edits import add_mask, remove_mask
from lunar_haze.core.document.rows import FINISH, facets_of
from lunar_haze.core.errors import HazeError
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder, state_folder
from lunar_haze.service.memory import choose_limit, process_bytes
from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
from page import table, write

#: Small enough to be full within minutes.
LIMIT = 1 << 29
EVERY_MS, SAMPLED_S = 400, 5.0


def _descriptors(process: int | str) -> int:
    try:
        return len(os.listdir(f"/proc/{process}/fd"))
    except OSError:
        return 0


#: What the hand does, and how often beside one another.
_ACTS = {
    "dimmer": 20, "move": 16, "hour": 10, "air": 10, "look": 6, "shot": 5, "undo": 10, "add": 5, "delete": 5, "pin": 2,
    "choose": 6, "size": 2, "save": 1, "finish": 20, "key": 3, "play": 4, "view": 6, "reference": 2, "settle": 2,
    "wipe": 1, "swap": 1, "watch": 1, "blend": 1,
}  # fmt: skip


class Hand:
    """Edits of every kind, by chance."""

    def __init__(self, window: Window, picture: Path) -> None:
        self._window, self._session, self._picture = window, window.session, picture
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
        kind = str(chance.choice(list(_ACTS), p=np.array(list(_ACTS.values())) / sum(_ACTS.values())))
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
        elif hasattr(self, f"_{kind}"):
            getattr(self, f"_{kind}")()

    def _finish(self) -> None:
        """A number of the finish; masks come and go."""
        session, chance = self._session, self._chance
        document = session.document
        masks = document.look.finish.masks
        if len(masks) < 3 and chance.random() < 0.2:
            (x, y), (width, height) = chance.uniform(-0.4, 0.4, 2), chance.uniform(0.1, 0.4, 2)
            region = Region("ellipse", float(x), float(y), float(width), float(height))
            session.act("mask", add_mask(document, "soft", region))
        elif masks and chance.random() < 0.1:
            session.act("no mask", remove_mask(document, int(chance.integers(len(masks)))))
        else:
            rows = list(facets_of(document, FINISH).values())
            facet = rows[int(chance.integers(len(rows)))]
            low, high = facet.row.low, facet.row.high
            with contextlib.suppress(HazeError):
                session.edit(facet.name, facet.write(document, low + (high - low) * float(chance.random()) ** 2))

    def _key(self) -> None:
        """A shot of some frames, and a key of a dimmer at the one on screen."""
        session, chance = self._session, self._chance
        document = session.document
        if document.shot.last_frame < 24:
            document = edits.change_shot(document, first_frame=1, last_frame=24)
        for source in document.look.sources[:1]:
            frame, stops = int(chance.integers(1, 25)), float(chance.uniform(-2, 1))
            document = with_key(document, source.id, "dimmer", stops, frame=frame)
        session.act("key", document)

    def _play(self) -> None:
        self._window._play()

    def _view(self) -> None:
        """Another second view: plan, readings, reference, variations, frames, pins."""
        self._window.second.show_view(str(self._chance.choice(list(self._window.second.buttons))))

    def _reference(self) -> None:
        """A reference for the look, and a match to it."""
        beside = self._window.beside
        if self._session.document.look.reference is None:
            beside.reference.use(self._picture)
        beside.reference.match()

    def _settle(self) -> None:
        self._window.balance.settle()
        self._window.balance.leave()

    def _wipe(self) -> None:
        self._window.pins.toggle_wipe()

    def _swap(self) -> None:
        self._window.swap()

    def _watch(self) -> None:
        self._window.assistant.watch()
        sheet = getattr(self._window, "watch_sheet", None)
        if sheet is not None:
            sheet.close()

    def _blend(self) -> None:
        """Back to a kept state."""
        pins = self._session.document.pins
        if pins:
            self._window.pins.compare_with(pins[int(self._chance.integers(len(pins)))].id)


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
    picture = folder / "reference.png"
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (90, 160, 3), np.uint8)).save(picture)
    hand = Hand(window, picture)
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
    # As `./start` does: what is compiled in mid-work stays in memory, and is no part of the program's own use.
    subprocess.run([sys.executable, "-m", "lunar_haze.service.warmup"], check=True)
    if sys.argv[1:]:
        print(table(soak(float(sys.argv[1]))))
    else:
        write("Soak", "Made by `.venv/bin/python bench/soak.py`.", soak(30.0))
