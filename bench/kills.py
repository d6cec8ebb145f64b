"""Kills at random moments: ``python bench/kills.py [EDITING [RENDERING]]``, 1,000 and 100 by default.

A program that edits and saves is killed 0.1 to 3 s after it began: what its journal and its file hold is compared with
what it had done. A render process is killed in mid-pass while a hand edits: the picture that comes in the end must have
the light of an undisturbed run.
"""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]

from tests.service import interrupted

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import Journal, beside, read
from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.client import RenderClient, images_on
from lunar_haze.service.protocol import Failed, Finished, Lost, Published
from page import Rows, tell

#: A hand that edits 25 times a second and saves now and then; it tells each edit and each save that is done.
_EDITOR = """
import random, sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from lunar_haze.core.document import edits
from lunar_haze.ui.session.session import Session
app = QApplication([])
session = Session(Path(sys.argv[2]))
session.open_path(Path(sys.argv[1]))
count, chance = 0, random.Random(int(sys.argv[3]))
def edit():
    global count
    count += 1
    first = session.document.look.sources[0].id
    session.edit("dimmer", edits.change_source(session.document, first, dimmer_stops=-count / 1000))
    print("edit", count, time.time(), flush=True)
    if chance.random() < 0.04:
        session.save()
        print("saved", count, time.time(), flush=True)
timer = QTimer(interval=40)
timer.timeout.connect(edit)
timer.start()
app.exec()
"""
AT_ONCE = 4


def _done(document) -> int:
    return round(-1000 * document.look.sources[0].dimmer_stops)


def _edited(seed: int, template: Path) -> tuple[float, str]:
    """Seconds of edits that a kill has lost, and what is wrong besides."""
    chance = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        work = folder / "work.haze"
        for path in template.iterdir():
            shutil.copy(path, folder / path.name)
        process = subprocess.Popen(
            [sys.executable, "-c", _EDITOR, str(work), str(folder / "state"), str(seed)],
            stdout=subprocess.PIPE,
            text=True,
        )
        told = [process.stdout.readline().split()]
        time.sleep(float(chance.uniform(0.1, 3.0)))
        process.send_signal(signal.SIGKILL)
        ended = time.time()
        told += [line.split() for line in process.stdout]
        process.wait()
        edits = [(int(t[1]), float(t[2])) for t in told if len(t) == 3 and t[0] == "edit"]
        saves = [int(t[1]) for t in told if len(t) == 3 and t[0] == "saved"]
        try:
            kept = saved = _done(load(work)[0])
        except Exception as error:
            return np.inf, f"the document cannot be read: {error}"
        if saves and saved < max(saves):
            return np.inf, f"saved version {max(saves)} is gone, {saved} is there"
        found, note = read(beside(work))
        if found is not None:
            kept = max(kept, _done(found.document))
        if note:
            return np.inf, note
        left = [p.name for p in folder.iterdir() if p.name.endswith(".new")]
        # A name that a kill left behind is swept when the document is opened again.
        Journal(work, folder / "state").find()
        lost = [at for number, at in edits if number > kept]
        # The age of the oldest edit that is gone.
        return (ended - min(lost) if lost else 0.0), f"{len(left)} left" if len(left) > 1 else ""


def editing(count: int) -> Rows:
    """Rows of kills while a hand edits and saves."""
    with tempfile.TemporaryDirectory() as name, ThreadPoolExecutor(AT_ONCE) as pool:
        template = Path(name)
        interrupted.write_yard(template / "yard.obj")
        document = load(ROOT / "demo" / "gannet-reach.haze")[0]
        spec = attrs.evolve(document.place, path=str(template / "yard.obj"))
        save(
            attrs.evolve(document, place=spec, looks=document.looks[:2], current_look=document.looks[0].name),
            template / "work.haze",
        )
        ends = list(pool.map(lambda seed: _edited(seed, template), range(count)))
    for seed, (lost, wrong) in enumerate(ends):
        if wrong or lost > 1.0:
            print(f"  kill {seed}: {lost:.2f} s lost; {wrong}", flush=True)
    lost = [seconds for seconds, _wrong in ends]
    return [
        (f"{count:,} kills while editing and saving: edits lost at the most", f"{max(lost):.2f} s", "at most 1 s"),
        ("... saved versions lost, documents that cannot be read", str(sum(bool(w) for _l, w in ends)), "0"),
    ]


def _rendered(seed: int, spec, reference) -> tuple[float, float]:
    """z-scores of the last picture of a script of edits in which the render process is killed in mid-pass."""
    chance = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as folder:
        bench = interrupted.Bench(spec, Path(folder) / "unused")
        client = RenderClient(Path(folder) / "layers")
        active: list = []
        client.start(active.append)
        shapes = interrupted.lamps()

        def want(moved: bool, passes: int) -> None:
            x, y = chance.uniform(-2, 2, 2)
            last = attrs.evolve(shapes[-1], position=(float(x), float(y), 1.2)) if moved else shapes[-1]
            bench.last = bench.request([*shapes[:3], last], interrupted.MIST, interrupted.SIZE, passes)
            client.want(bench.last)

        try:
            want(False, 256)
            killed = False
            until = time.monotonic() + float(chance.uniform(0.5, 2.5))
            while time.monotonic() < until or not killed:
                time.sleep(float(chance.uniform(0.05, 0.3)))
                if not killed and any(isinstance(e, Published) and e.passes for e in active):
                    os.kill(client.process_id, signal.SIGKILL)
                    killed = True
                want(chance.random() < 0.7, 256)
            want(False, 12)
            until = time.monotonic() + 120
            while not any(isinstance(e, (Finished, Failed)) and e.request_id == bench.last.id for e in active):
                if time.monotonic() > until or any(isinstance(e, Lost) for e in active):
                    return np.inf, np.inf
                time.sleep(0.02)
            published = [e for e in active if isinstance(e, Published) and e.request_id == bench.last.id][-1]
            layers = {i.key: (i.surface.copy(), i.air.copy(), i.passes) for i in images_on(client.board, published)}
            return interrupted.worst(layers, reference, bench)
        finally:
            client.close()


def rendering(count: int) -> Rows:
    """Rows of kills of the render process."""
    with tempfile.TemporaryDirectory() as name:
        path = interrupted.write_yard(Path(name) / "yard.obj")
        spec = place_spec(PlaceRef(str(path)))
        place = PackedPlace(load_place(path))
        reference = interrupted.undisturbed(place)
        place.close()
        ends = [_rendered(seed, spec, reference) for seed in range(count)]
    tile, whole = max(t for t, _w in ends), max(w for _t, w in ends)
    return [
        (f"{count} kills of the render process in mid-pass: worst z of a tile at the end", f"{tile:.2f}", "below 5.5"),
        ("... worst z of a layer", f"{whole:.2f}", "below 5"),
    ]


if __name__ == "__main__":
    numbers = [int(argument) for argument in sys.argv[1:]] + [1000, 100][len(sys.argv) - 1 :]
    rows = [*editing(numbers[0]), *rendering(numbers[1])]
    tell("Kills", "Made by `.venv/bin/python bench/kills.py`.", rows)
