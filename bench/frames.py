"""Time: keys, playing in the window, sequences that are mixed, broken off, and made on a farm.

``python bench/frames.py`` (half an hour and more). With arguments it prints and writes nothing.
"""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import attrs
import numpy as np
from bench.page import Rows, tell
from PIL import Image
from PySide6.QtWidgets import QApplication
from tests.ui.backends import InstantBackend

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import CueSheet, can_be_keyed, with_cue, with_key
from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.model import Cue, Document
from lunar_haze.core.document.rows import facets_of, targets_of
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.core.sources.turning import Beacon
from lunar_haze.core.units.curve import RATIO, Key
from lunar_haze.service.farm import Farm
from lunar_haze.service.folders import demo_file, sky_folder
from lunar_haze.service.sequence import SequenceSpec, run
from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window

SHOTS = (("Landing", "golden hour"), ("Waiting", "lamplit wait"), ("Loft", "loft shafts"))


def demo(shot: str = "Waiting", look: str = "lamplit wait", frames: int = 48) -> Document:
    """The demo with a shot of so many frames and a look on screen."""
    document = attrs.evolve(load(demo_file())[0], current_shot=shot, current_look=look)
    return edits.change_shot(document, first_frame=1, last_frame=frames, frame=1, ends=None)


def keys(rows: Rows) -> None:
    """500 keys on 40 numbers, read at a frame."""
    document, count, rng = demo(), 0, np.random.default_rng(1)
    for target in targets_of(document).values():
        for name, facet in facets_of(document, target).items():
            if count < 40 and can_be_keyed(target, facet) and not facet.row.endless:
                low, high = max(facet.row.low, facet.row.floor), min(facet.row.high, facet.row.ceiling)
                found = tuple(Key(float(f), float(rng.uniform(low, high))) for f in range(1, 53, 4))
                document = with_cue(document, Cue(target, name, found, RATIO if facet.row.ratio else "plain"))
                count += 1
    sheet, taken = CueSheet(document), []
    for frame in range(1, 49):
        began = time.perf_counter()
        sheet.values(frame + 0.5)
        taken.append(time.perf_counter() - began)
    rows.append(("520 keys on 40 numbers, read at a frame", f"{np.median(taken) * 1e3:.2f} ms", "below 1 ms"))


def playing(rows: Rows, seconds: float = 600.0) -> None:
    """16 sources at 960x540, all of them keyed, finish on, played in the window for ten minutes."""
    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    folder = Path(tempfile.mkdtemp())
    for suffix in (".haze", ".glb"):
        shutil.copy(demo_file().with_suffix(suffix), folder)
    session = Session(folder / "state")
    window = Window(session, InstantBackend(), folder / "state")
    window.resize(1420, 1000)
    window.show()
    window.files.open_path(folder / demo_file().name)
    document = demo()
    lamps = tuple(
        Source(f"lamp{n}", f"lamp {n}", Ball((n * 0.4 - 3.0, 2.0, 2.0)), 200.0, "lm", kelvin=2000.0 + 150 * n)
        for n in range(16)
    )
    document = edits.change_look(document, sources=lamps, groups=())
    for n in range(16):
        for frame in (1, 12, 25, 37, 48):
            document = with_key(document, f"lamp{n}", "dimmer", float((frame * (n + 3)) % 7 - 5), frame=frame)
    session.act("sixteen lamps", document)

    def wait(until, most: float) -> None:
        ends = time.monotonic() + most
        while not until() and time.monotonic() < ends:
            app.processEvents()
            time.sleep(0.001)

    wait(lambda: session.place is not None and window.bridge.asking.finished, 30.0)
    wait(lambda: False, 1.0)
    width, height = window.bridge.asking.size()
    window.player.play()
    wait(lambda: False, 4.0)
    shown: list[float] = []
    window.player.moved.connect(lambda _frame: shown.append(time.monotonic()))

    def played(most: float) -> str:
        shown.clear()
        window.player.tally = type(window.player.tally)()
        wait(lambda: False, most)
        return f"{len(shown) / most:.1f} ({window.player.tally.skipped})"

    before, threads = memory(), threading.active_count()
    told = (
        f"16 sources, all keyed, finish on, {width}x{height}: frames shown a second of 24 (skipped in {seconds:.0f} s)"
    )
    rows.append((told, played(seconds), "at least 24"))
    grown, more = memory() - before, threading.active_count() - threads
    rows.append(("... memory and threads that it grows by meanwhile", f"{grown:.0f} MB, {more}", "none"))
    window.player.stop()
    # A faster shot shows what is in hand: one of 24 frames never shows more than those.
    session.act("rate", edits.set_rate(session.document, 30.0))
    window.player.play()
    wait(lambda: False, 4.0)
    rows.append(("... of a shot of 30 frames a second (in 20 s)", played(20.0), "at least 24"))
    window.player.stop()
    window._leaving = True
    window.close()


def memory() -> float:
    """Memory in use by this process [MB]."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def _spec(document: Document, output: Path, last: int, size: tuple[int, int], passes: int) -> SequenceSpec:
    return SequenceSpec(document, document.current_shot, document.current_look, 1, last, output, size, passes=passes)


def balance_only(rows: Rows, size: tuple[int, int] = (960, 540), passes: int = 32) -> None:
    """What frames that are mixed cost, against frames that are rendered."""
    document = demo(frames=240)
    document = with_key(with_key(document, "rim", "dimmer", 0.0, frame=1), "rim", "dimmer", -4.0, frame=240)
    lamp = next(s for s in document.look.sources if "lantern" in s.name)
    document = edits.change_source(document, lamp.id, flicker=Flame())
    folder = Path(tempfile.mkdtemp())
    began = time.perf_counter()
    run(_spec(document, folder / "one####.png", 1, size, passes))
    one = time.perf_counter() - began
    began = time.perf_counter()
    run(_spec(document, folder / "many####.png", 9, size, passes))
    each = (time.perf_counter() - began - one) / 8
    share = (one + 239 * each) / (240 * one)
    rows.append((f"a frame of {size[0]}x{size[1]}, {passes} passes, rendered; mixed", f"{one:.1f} s; {each:.2f} s", ""))
    rows.append(("240 frames that differ by balance alone over rendering each", f"{share:.3f}", "below 0.1"))
    shutil.rmtree(folder)


def steadiness(rows: Rows) -> None:
    """A lamp turns elsewhere: how far cleaned frames differ where its light is below a hundredth of the picture."""
    document = edits.change_source(demo(frames=12), "rim", flicker=Beacon(rpm=10.0))
    folder = Path(tempfile.mkdtemp())
    run(_spec(document, folder / "####.exr", 12, (240, 136), 32))
    import OpenEXR

    frames = [OpenEXR.File(str(folder / f"{n:04d}.exr")).channels()["RGB"].pixels for n in range(1, 13)]
    levels = np.stack([np.asarray(f, np.float32) @ np.float32([0.2722, 0.6741, 0.0537]) for f in frames])
    spans = np.ptp(levels, axis=0) / np.maximum(levels.mean(0), 1e-9)
    still = spans < np.quantile(spans, 0.5)
    steps = np.abs(np.diff(np.log2(np.maximum(levels[:, still], 1e-9)), axis=0))
    rows.append(
        (
            "a lamp turns; the stiller half of cleaned frames differs from one to the next by, 95 % of it [stops]",
            f"{np.quantile(steps, 0.95):.4f}",
            "below 0.014 (one per cent, what the eye tells apart)",
        )
    )
    shutil.rmtree(folder)


def kills(rows: Rows, times: int = 50) -> None:
    """48 frames of each demo shot, killed at random and resumed, against an unbroken run."""
    rng, killed, bad = random.Random(3), 0, 0
    for shot, look in SHOTS:
        document = demo(shot, look)
        lamp = document.look.sources[0].id
        document = with_key(with_key(document, lamp, "dimmer", 0.0, frame=1), lamp, "dimmer", -2.0, frame=48)
        folder = Path(tempfile.mkdtemp())
        (folder / "broken").mkdir()
        (folder / "whole").mkdir()
        save(document, folder / "shot.haze")
        command = [
            sys.executable, "-m", "lunar_haze", "sequence", str(folder / "shot.haze"), "--size", "96x54", "--passes", "2",
        ]  # fmt: skip
        for _ in range(times // len(SHOTS) + 1):
            process = subprocess.Popen(
                [*command, "-o", str(folder / "broken" / "####.png")],
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            time.sleep(rng.uniform(1.5, 5.0))
            if process.poll() is None:
                process.send_signal(signal.SIGKILL)
                killed += 1
            process.wait()
        for name in ("broken", "whole"):
            subprocess.run([*command, "-o", str(folder / name / "####.png")], check=True, capture_output=True)
        for frame in range(1, 49):
            one, two = (np.asarray(Image.open(folder / n / f"{frame:04d}.png")) for n in ("broken", "whole"))
            bad += not np.array_equal(one, two)
        shutil.rmtree(folder)
    rows.append((f"48 frames of each demo shot, killed {killed} times and resumed: frames that differ", str(bad), "0"))


class Machines:
    """A scheduler and worker processes on this machine."""

    def __init__(self, folder: Path, count: int) -> None:
        self._folder, self._tool = folder, Path(sys.executable).with_name("dask")
        self._environment = os.environ | {"PYTHONPATH": str(Path(__file__).resolve().parents[1] / "src")}
        told = folder / f"scheduler{count}.json"
        self._scheduler = self._start(
            "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(told)
        )
        while not told.exists():
            time.sleep(0.05)
        self.address = json.loads(told.read_text())["address"]
        self.workers = [self._worker() for _ in range(count)]

    def _start(self, *words: str) -> subprocess.Popen:
        return subprocess.Popen(
            [self._tool, *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=self._environment,
            cwd=self._folder, start_new_session=True,
        )  # fmt: skip

    def _worker(self) -> subprocess.Popen:
        return self._start(
            "worker", self.address, "--nthreads", "1", "--no-dashboard", "--no-nanny", "--host", "127.0.0.1"
        )

    def wait_for_workers(self) -> None:
        """Wait until all of them have said that they are there."""
        from distributed import Client

        with Client(self.address, set_as_default=False) as client:
            client.wait_for_workers(len(self.workers), timeout=60)

    def lose(self, number: int) -> None:
        """Kill a worker with all that it has started, and start another one."""
        self._kill(self.workers[number])
        self.workers[number] = self._worker()

    @staticmethod
    def _kill(process: subprocess.Popen) -> None:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()

    def close(self) -> None:
        """Kill all."""
        for process in (*self.workers, self._scheduler):
            self._kill(process)


def _that_differ(frames: int, one: Path, two: Path) -> int:
    """How many frames are not the same in two folders."""
    return sum(
        not np.array_equal(np.asarray(Image.open(one / f"{n:04d}.png")), np.asarray(Image.open(two / f"{n:04d}.png")))
        for n in range(1, frames + 1)
    )


def farm(rows: Rows) -> None:
    """A farm of processes on this machine: what the scheduling costs, and whether the bits are the same."""
    document = edits.change_source(demo(frames=8), "rim", flicker=Beacon(rpm=10.0))
    folder = Path(tempfile.mkdtemp())
    (folder / "here").mkdir()
    began = time.perf_counter()
    run(_spec(document, folder / "here" / "####.png", 8, (320, 180), 8))
    alone = time.perf_counter() - began
    for count in (1, 2, 4, 8):
        out = folder / f"farm{count}"
        out.mkdir()
        machines = Machines(folder, count)
        began = time.perf_counter()
        run(_spec(document, out / "####.png", 8, (320, 180), 8), cluster=Farm(machines.address))
        took = time.perf_counter() - began
        rows.append(
            (
                f"farm of {count} worker processes on these processors: 8 frames of 320x180 (alone {alone:.0f} s); differ",
                f"{took:.0f} s; {_that_differ(8, folder / 'here', out)}",
                "; 0",
            )
        )
        machines.close()
    _one_frame(rows, document, folder)
    shutil.rmtree(folder)


def _one_frame(rows: Rows, document: Document, folder: Path) -> None:
    """One frame whose passes are shared out among workers."""
    size, passes, took = (640, 360), 32, []
    for name, count in (("one", 0), ("two", 2), ("four", 4)):
        (folder / name).mkdir()
        machines = Machines(folder, count) if count else None
        if machines is not None:
            machines.wait_for_workers()
        began = time.perf_counter()
        cluster = Farm(machines.address) if machines is not None else None
        run(_spec(document, folder / name / "####.png", 1, size, passes), cluster=cluster)
        took.append(time.perf_counter() - began)
        if machines is not None:
            machines.close()
    bad = sum(_that_differ(1, folder / "one", folder / name) for name in ("two", "four"))
    rows.append(
        (
            f"one frame of 640x360, {passes} passes, alone; shared out among 2 and 4 workers on these processors; differ",
            f"{took[0]:.0f} s; {took[1]:.0f}, {took[2]:.0f} s; {bad}",
            "; ; 0",
        )
    )


def lost_workers(rows: Rows, seconds: float = 300.0, every_s: float = 10.0) -> None:
    """Three workers, of which one is killed every ten seconds for five minutes: the frames against those made here."""
    count, size, passes = 90, (320, 180), 8
    document = edits.change_source(demo(frames=count), "rim", flicker=Beacon(rpm=10.0))
    folder = Path(tempfile.mkdtemp())
    for name in ("here", "there"):
        (folder / name).mkdir()
    machines, over, killed = Machines(folder, 3), threading.Event(), 0

    def kill() -> None:
        nonlocal killed
        ends = time.monotonic() + seconds
        while not over.wait(every_s) and time.monotonic() < ends:
            machines.lose(killed % 3)
            killed += 1

    thread = threading.Thread(target=kill)
    thread.start()
    began = time.perf_counter()
    run(_spec(document, folder / "there" / "####.png", count, size, passes), cluster=Farm(machines.address))
    took = time.perf_counter() - began
    over.set()
    thread.join()
    machines.close()
    run(_spec(document, folder / "here" / "####.png", count, size, passes))
    bad = _that_differ(count, folder / "here", folder / "there")
    rows.append(
        (
            f"three workers, one killed every {every_s:.0f} s: {count} frames done in {took:.0f} s under {killed} kills; differ",
            str(bad),
            "0",
        )
    )
    shutil.rmtree(folder)


def on_paper(rows: Rows, frames: int = 240, start_s: float = 8.0, frame_s: float = 30.0) -> None:
    """Speed-up on machines of their own, on paper: frames of one length that vary by a fifth, workers that start once."""
    rng = np.random.default_rng(5)
    lengths = frame_s * rng.normal(1.0, 0.2, frames)
    alone = start_s + lengths.sum()
    told = []
    for workers in (2, 4, 8, 16, 32, 64):
        free = np.full(workers, start_s)
        for length in lengths:
            free[free.argmin()] += length
        told.append(f"{workers}: {alone / free.max():.1f}")
    rows.append(
        (f"on paper, {frames} frames of about {frame_s:.0f} s: faster by, for so many machines", ", ".join(told), "")
    )


def main() -> None:
    keep_tables_in(sky_folder())
    rows: Rows = []
    for part in (keys, playing, balance_only, steadiness, kills, farm, lost_workers, on_paper):
        first = len(rows)
        part(rows)
        print(*rows[first:], sep="\n", file=sys.stderr)
    tell("Time", "Made by `.venv/bin/python bench/frames.py`.", rows)


if __name__ == "__main__":
    main()
