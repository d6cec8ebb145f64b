"""Two windows on one document: ``python bench/windows.py [TRIALS]``, 200 by default.

Two windows open one document at moments that chance chooses, edit 25 times a second, save now and then, are killed
without warning and begun again. Whatever each had done must be somewhere: in the document, in a copy, in a journal; and
what was there stays there, whatever the other does.
"""

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]

from tests.service import interrupted

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import beside, read
from lunar_haze.core.errors import HazeError
from page import tell

#: A window that dims the source of its own; it tells each edit and each save that is done.
_WINDOW = """
import random, sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from lunar_haze.core.document import edits
from lunar_haze.core.errors import HazeError
from lunar_haze.ui.session.session import Session
work, state, life = Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3])
app = QApplication([])
session = Session(state)
session.open_path(work)
count, chance = 0, random.Random(life * 1000 + int(sys.argv[4]))
def edit():
    global count
    count += 1
    mine = session.document.look.sources[life].id
    session.edit("dimmer", edits.change_source(session.document, mine, dimmer_stops=-count / 1000))
    print("edit", count, time.time(), flush=True)
    if chance.random() < 0.04:
        try:
            session.save(None if session.path else work.with_name(f"copy-{life}.haze"))
            print("saved", count, time.time(), flush=True)
        except HazeError as error:
            print("refused", error, flush=True)
timer = QTimer(interval=40)
timer.timeout.connect(edit)
timer.start()
app.exec()
"""
LIVES, AT_ONCE = 5, 4


class _Life:
    """One window from its start to its kill."""

    def __init__(self, folder: Path, number: int, seed: int) -> None:
        self.number = number
        arguments = [str(folder / "work.haze"), str(folder / f"state-{number}"), str(number), str(seed)]
        command = [sys.executable, "-c", _WINDOW, *arguments]
        environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment)
        assert self._process.stdout is not None
        self._first = self._process.stdout.readline()

    def kill(self) -> tuple[list[tuple[int, float]], float]:
        """Its edits, and when it ended."""
        self._process.send_signal(signal.SIGKILL)
        ended = time.time()
        assert self._process.stdout is not None
        told = [line.split() for line in [self._first, *self._process.stdout]]
        self._process.wait()
        return [(int(t[1]), float(t[2])) for t in told if len(t) == 3 and t[0] == "edit"], ended


def _kept(folder: Path, life: int) -> int:
    """The last edit of a life that can be found in any file."""
    documents = []
    for path in folder.glob("*.haze"):
        documents.append(load(path)[0])
        documents += [found.document for found in [read(beside(path))[0]] if found is not None]
    for path in folder.glob("state-*/unsaved/*.autosave"):
        documents += [found.document for found in [read(path)[0]] if found is not None]
    return max(round(-1000 * document.look.sources[life].dimmer_stops) for document in documents)


def trial(seed: int, template: Path) -> tuple[float, str]:
    """Seconds of edits that were lost at the most, and what is wrong besides."""
    chance = random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for path in template.iterdir():
            shutil.copy(path, folder / path.name)
        open_lives: list[_Life] = []
        kept: dict[int, int] = {}
        worst = 0.0
        begun = 0
        try:
            while begun < LIVES or open_lives:
                if begun < LIVES and len(open_lives) < 2:
                    open_lives.append(_Life(folder, begun, seed))
                    begun += 1
                time.sleep(chance.uniform(0.05, 1.6))
                if len(open_lives) == 2 or begun == LIVES or chance.random() < 0.3:
                    life = open_lives.pop(chance.randrange(len(open_lives)))
                    edits, ended = life.kill()
                    kept[life.number] = _kept(folder, life.number)
                    lost = [at for number, at in edits if number > kept[life.number]]
                    worst = max(worst, ended - min(lost) if lost else 0.0)
            for number, known in kept.items():
                if _kept(folder, number) < known:
                    return float("inf"), f"window {number} lost what was kept"
        except HazeError as error:
            return float("inf"), f"a document cannot be read: {error}"
        finally:
            for life in open_lives:
                life.kill()
        return worst, ""


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with tempfile.TemporaryDirectory() as name, ThreadPoolExecutor(AT_ONCE) as pool:
        template = Path(name)
        interrupted.write_yard(template / "yard.obj")
        document = load(ROOT / "demo" / "gannet-reach.haze")[0]
        look = max(document.looks, key=lambda one: len(one.sources))
        steady = tuple(attrs.evolve(s, dimmer_stops=0.0) for s in look.sources)
        look = attrs.evolve(look, sources=steady, cues=())
        place = attrs.evolve(document.place, path=str(template / "yard.obj"))
        alone = attrs.evolve(document, place=place, looks=(look,), current_look=look.name, pins=())
        save(alone, template / "work.haze")
        ends = list(pool.map(lambda seed: trial(seed, template), range(count)))
    for seed, (lost, wrong) in enumerate(ends):
        if wrong or lost > 1.0:
            print(f"  trial {seed}: {lost:.2f} s lost; {wrong}", flush=True)
    rows = [
        (f"{count:,} trials of {LIVES} windows: edits lost at the most", f"{max(l for l, _w in ends):.2f} s", "1 s"),
        ("... work that was kept and then lost", str(sum(bool(w) for _l, w in ends)), "0"),
    ]
    tell("Two windows", f"Made by `.venv/bin/python bench/windows.py`. {__doc__.split(chr(10), 2)[2].strip()}", rows)


if __name__ == "__main__":
    main()
