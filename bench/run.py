"""Speed, as ratios and times taken in one run: ``python bench/run.py``. Prints a table and keeps it in docs/bench.md.

With names of parts (mixing, service, sky, start) these alone are run, and nothing is kept.
"""

import os
import queue
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import attrs
import numba as nb
import numpy as np
import OpenImageIO as oiio

from air import air, twelve_sources
from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.layers.model import LayerGain, LayerImage, LayerSpec, View
from lunar_haze.core.picture.display import DisplayTable, bake
from lunar_haze.core.picture.mix import Mixer
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.dome import dome_illuminance_lx, dome_map, dome_radiance
from lunar_haze.core.sky.model import ClearSky, Panorama
from lunar_haze.core.sky.panorama import file_digest, read_panorama
from lunar_haze.core.sky.tables import keep_tables_in, tables_of
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder
from lunar_haze.service.protocol import Cleaned
from lunar_haze.service.urgency import standings
from many_lamps import many_lamps
from page import write
from raw_rays import DEMO, REFERENCE_RATE, demo_place, landing, recorded, replay, scaled

ROOT = Path(__file__).resolve().parents[1]


#: Passes after which the service calls a picture clean.
CLEAN_PASSES = 8


def best(act, times: int = 5) -> float:
    """Shortest of several runs [s]."""
    taken = []
    for _ in range(times):
        started = time.perf_counter()
        act()
        taken.append(time.perf_counter() - started)
    return min(taken)


def kernels(rows: list) -> float:
    document, _ = load(DEMO)
    place = demo_place()
    threads = nb.get_num_threads()
    view = View(document.shot_named("Landing").camera, 640, 360)
    look = document.look_named("clear noon")
    frame, keys = landing(place)
    rays = recorded()
    replay(place, rays)
    frame.trace(keys)
    # In turn, since the machine's speed drifts.
    pairs = [(best(lambda: replay(place, rays), 1), best(lambda: frame.trace(keys), 1)) for _ in range(16)]
    raw, whole = min(p[0] for p in pairs), min(p[1] for p in pairs)
    rate = len(rays) / raw / 1e6
    rows.append(("raw rays: those of one pass, recorded and traced again", f"{rate:.1f} million/s", ""))
    rows.append(("whole pass over raw tracing of its rays (1 source, 2 bounces)", f"{raw / whole:.2f}", "at least 0.5"))
    single, double = [], []
    for _ in range(5):
        for count, taken in ((1, single), (threads, double)):
            nb.set_num_threads(count)
            taken.append(best(lambda: frame.trace(keys), 1))
    single, double = min(single), min(double)
    rows.append((f"{threads} threads over one", f"{single / double:.2f}", "at least 1.7"))

    for count in (1, 4, 11, 16, 32):
        lamps = [Ball((-20 + 1.3 * i, 1.5, 3.0), 0.1) for i in range(count)]
        keys = frame.want([LayerSpec("bench", view, lamp, look.medium, 2) for lamp in lamps])
        frame.trace(keys)
        rows.append((f"pass of {count} lamps in haze, 640x360", f"{best(lambda k=keys: frame.trace(k), 2):.2f} s", ""))

    rows += many_lamps(place, document)

    frame, specs, live = twelve_sources(place, document, (640, 360))
    thicker = attrs.evolve(specs[0].medium, visibility_m=60.0)
    changed = [attrs.evolve(s, medium=thicker) for s in specs]
    wanted = dict(zip(frame.want(changed), changed))
    room = {key: np.empty((2, 360, 640, 3), np.float32) for key in wanted}

    def answer() -> None:
        assert live.answer(frame, wanted, lambda key: (room[key][0], room[key][1]))

    answer()
    rows.append(
        (
            f"air re-integrated for {len(specs)} sources, 640x360",
            scaled(best(answer), rate),
            "at most 0.15 s",
        )
    )
    air(rows, place, document, rate)
    place.close()
    _sizes(rows)
    return rate


def _sizes(rows: list) -> None:
    for triangles in (10_000, 200_000, 2_000_000):
        rows.append(_size(triangles))


def _size(triangles: int) -> tuple:
    from lunar_haze.core.place.camera import Camera
    from lunar_haze.core.place.gannet_reach.solids import sheet
    from lunar_haze.core.place.model import Material, Place

    side = int((triangles / 2) ** 0.5)
    rng = np.random.default_rng(0)
    axis = np.linspace(-50, 50, side + 1)
    ground = sheet(axis, axis, rng.normal(0, 0.05, (side + 1, side + 1)), 1.0)
    place = Place(
        ground.positions.astype(np.float32), ground.normals.astype(np.float32), ground.uvs.astype(np.float32),
        ground.triangles.astype(np.uint32), np.zeros(len(ground.triangles), np.int32),
        np.zeros(len(ground.triangles), np.int32), (Material("ground"),), (), ("ground",),
    )  # fmt: skip
    started = time.perf_counter()
    packed = PackedPlace(place)
    built = time.perf_counter() - started
    view = View(Camera((0, -40, 6), (0, 0, 0)), 640, 360)
    frame = Frame(packed, view)
    keys = frame.want(
        [LayerSpec("b", view, Ball((0, 0, 8), 0.2), attrs.evolve(load(DEMO)[0].look.medium, visibility_m=np.inf), 2)]
    )
    frame.trace(keys)
    took = best(lambda: frame.trace(keys), 3)
    packed.close()
    return (f"{len(ground.triangles):,} triangles: build; pass of one lamp", f"{built:.2f} s; {took:.2f} s", "")


def mixing(rows: list) -> None:
    rng = np.random.default_rng(1)

    def layer(name: str) -> LayerImage:
        """Shapes of some fifty pixels with a tenth of grain, as a picture after a few passes."""
        coarse = rng.random((18, 32, 1), np.float32) * rng.uniform(0.7, 1.0, (18, 32, 3)).astype(np.float32)
        shapes = np.kron(coarse, np.ones((40, 40, 1), np.float32))
        surface, air = (shapes * rng.uniform(0.9, 1.1, (720, 1280, 1)).astype(np.float32) for _ in range(2))
        return LayerImage(name, 1, surface, air)

    layers = [layer(str(i)) for i in range(16)]
    mixer, table = Mixer(), DisplayTable(bake())
    mixer.set_layers(layers)
    gains = [LayerGain(str(i), (1.0, 0.9, 0.8), (0.1, 0.1, 0.1)) for i in range(16)]
    state = {"stops": 0.0}

    def move() -> None:
        state["stops"] += 0.01
        gains[3] = LayerGain("3", (1.0 + state["stops"],) * 3, (0.1,) * 3)
        table.show(mixer.picture(tuple(gains)), 0.05)

    move()
    move()
    rows.append(
        ("one dimmer of 16 moved, to screen pixels at 1280x720", f"{1e3 * best(move, 15):.0f} ms", "at most 20 ms")
    )


def _reference(spec, shot, look, size: tuple[int, int], passes: int) -> tuple:
    """Two independent pictures (H, W, 3) of ``passes`` passes each, not denoised."""
    place = PackedPlace(load_place(Path(spec.path), spec.scale))
    request = frame_request(1, spec, shot, look, size)
    pictures = []
    for first in (1 << 8, 1 << 10):
        frame = Frame(place, request.view)
        keys = frame.want(list(request.layers))
        for key in keys:
            frame.sums[key].next_samples[:] = first
        frame.trace(keys)
        emphasis = {key: s.emphasis for key, s in standings(frame, request.gains).items()}
        for _ in range(passes - 1):
            frame.trace(keys, emphasis=emphasis)
        mixer = Mixer()
        mixer.set_layers([frame.image(k) for k in keys])
        pictures.append(mixer.picture(request.gains))
    place.close()
    return tuple(pictures)


def relative_error(picture: np.ndarray, one: np.ndarray, other: np.ndarray) -> float:
    """Relative squared error, mean over pixels, free of the references' own grain since the two are independent.

    A pixel counts one at most: beside the sun's disc, a million times brighter, ratios mean nothing.
    """
    true = 0.5 * (one + other)
    error = (picture - one) * (picture - other) / (true**2 + 0.01 * np.median(true) ** 2)
    return float(np.clip(error, -1.0, 1.0).mean())


def service(rows: list, rate: float) -> None:
    document, _ = load(DEMO)
    spec = place_spec(document.place)
    shot, look = document.shot_named("Landing"), document.look
    events: queue.Queue = queue.Queue()
    with tempfile.TemporaryDirectory() as folder:
        client = RenderClient(Path(folder))
        started = time.perf_counter()
        client.start(lambda event: events.put((time.perf_counter(), event)))
        client.want(frame_request(1, spec, shot, look, (640, 360), 16))

        def until(request_id: int, cleaned_at: int) -> float:
            while True:
                at, event = events.get(timeout=180)
                if isinstance(event, Cleaned) and event.request_id == request_id and event.passes >= cleaned_at:
                    return at

        first = until(1, 0)
        one = until(1, 1)
        clean = until(1, CLEAN_PASSES)
        picture = client.board.clean.copy()
        until(1, 16)
        rows.append(
            ("render process started to first denoised picture, Landing 640x360", scaled(first - started, rate), "")
        )
        rows.append(("... to one full pass denoised", scaled(one - started, rate), ""))
        rows.append(
            (f"... from first to clean ({CLEAN_PASSES} passes, denoised)", scaled(clean - first, rate), "at most 6 s")
        )
        night = document.look_named("moonlit mist")
        client.want(frame_request(2, spec, shot, night, (640, 360), 4))
        until(2, 4)
        halves, times = [], []
        for number in range(3, 7):
            sources = [
                attrs.evolve(s, shape=Ball((0.2 * number, 6, 3.5), 0.1)) if s.id == "window" else s
                for s in night.sources
            ]
            moved = attrs.evolve(night, sources=tuple(sources))
            asked = time.perf_counter()
            client.want(frame_request(number, spec, shot, moved, (640, 360), 4))
            halves.append(until(number, 0) - asked)
            times.append(until(number, 1) - asked)
        moved_words = (
            "one lamp of 7 moved in mist, 640x360, to its first denoised picture (the lamp's share at half size)"
        )
        rows.append((moved_words, scaled(min(halves), rate), "at most 0.5 s"))
        rows.append(("... to a whole pass of it denoised", scaled(min(times), rate), "at most 0.6 s"))
        client.close()
    error = relative_error(picture, *_reference(spec, shot, look, (640, 360), 32))
    rows.append(("relative squared error of that clean picture", f"{error:.4f}", ""))


def sky(rows: list, rate: float) -> None:
    tables_of(Atmosphere())
    domes = iter(ClearSky(20.0 + 0.01 * n, 120.0) for n in range(1000))
    dome_radiance(next(domes))
    rows.append(
        (
            "sky map of a new hour, 512x256",
            f"{1e3 * best(lambda: dome_radiance(next(domes)), 9):.0f} ms",
            "at most 40 ms",
        )
    )
    rows.append(("its level alone", f"{1e3 * best(lambda: dome_illuminance_lx(next(domes)), 9):.0f} ms", ""))
    airs = iter(Atmosphere(visibility_km=20.0 + n) for n in range(100))
    keep_tables_in(None)
    rows.append(("tables of other air", f"{best(lambda: tables_of(next(airs)), 3):.2f} s", "at most 2 s"))
    keep_tables_in(sky_folder())
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "wide.exr"
        rng = np.random.default_rng(1)
        small = rng.random((256, 512, 3), np.float32)
        wide = np.kron(small, np.ones((16, 16, 1), np.float32)) * np.float32(3.0)
        oiio.ImageBuf(wide.astype(np.float16)).write(str(path))
        started = time.perf_counter()
        photograph = read_panorama(path)
        dome_map(Panorama(str(path), file_digest(path), photograph.encoding), 1024, 2048)
        taken = time.perf_counter() - started
        rows.append(("8k panorama read, averaged and made a light", f"{taken:.1f} s", "at most 3 s"))
    document, _ = load(DEMO)
    spec, shot = place_spec(document.place), document.shot_named("Landing")
    events: queue.Queue = queue.Queue()
    with tempfile.TemporaryDirectory() as folder:
        client = RenderClient(Path(folder))
        client.start(lambda event: events.put((time.perf_counter(), event)))

        def picture(number: int, hour: float, passes: int = 0) -> float:
            """Seconds from the edit to the small picture of another hour, freed of grain."""
            asked = time.perf_counter()
            look = edits.set_hour(document, hour).look
            client.want(frame_request(number, spec, shot, look, (960, 540), 16))
            while True:
                at, event = events.get(timeout=120)
                if isinstance(event, Cleaned) and event.request_id == number and event.passes >= passes:
                    return at - asked

        picture(1, 12.0, 1)
        times = [picture(2 + n, 12.0 + 0.1 * n) for n in range(20)]
        client.close()
    shortest = float(np.median(times))
    rows.append(("another hour on the day strip, to its small picture", scaled(shortest, rate), "at most 0.1 s"))


def start(rows: list, rate: float) -> None:
    """Second start: from the command to the painted window, and to the first picture in it."""
    code = """
import sys, time
started = float(sys.argv[1])
from pathlib import Path
import tempfile
from lunar_haze.service.client import RenderClient
state = Path(tempfile.mkdtemp())
client = RenderClient(state / "layers")
client.launch()
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.folders import sky_folder
keep_tables_in(sky_folder())
client.prepare(place_spec(load(Path(sys.argv[2]))[0].place))
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
app = QApplication([])
theme.apply(app)
session = Session(state)
window = Window(session, client, state)
window.show()
app.processEvents()
print("window", time.time() - started, flush=True)
window.files.open_path(Path(sys.argv[2]))
while not window.bridge.light.mix.clean_gains and time.time() - started < 60:
    app.processEvents()
    time.sleep(0.005)
print("picture", time.time() - started, flush=True)
window.close()
"""
    shown, painted = [], []
    for _ in range(3):
        done = subprocess.run([sys.executable, "-c", code, str(time.time()), str(DEMO)], capture_output=True, text=True)
        if done.returncode:
            raise RuntimeError(done.stderr)
        told = dict(line.split() for line in done.stdout.strip().splitlines())
        shown.append(float(told["window"]))
        painted.append(float(told["picture"]) - float(told["window"]))
    rows.append(("second start to the window", scaled(min(shown), rate), "at most 2.5 s"))
    rows.append(("... and from there to its first denoised picture", scaled(min(painted), rate), "at most 1.5 s"))


#: Parts that are run by themselves when they are named; then nothing is written.
PARTS = {"mixing": lambda rows, rate: mixing(rows), "service": service, "sky": sky, "start": start}


#: Parts that are run by themselves when they are named; then nothing is written.
PARTS = {"mixing": lambda rows, rate: mixing(rows), "service": service, "sky": sky, "start": start}


def main() -> None:
    rows: list = []
    keep_tables_in(sky_folder())
    chosen = sys.argv[1:]
    rate = REFERENCE_RATE if chosen else kernels(rows)
    for name, part in PARTS.items():
        if not chosen or name in chosen:
            part(rows, rate)
            print(*rows, sep="\n", file=sys.stderr)
    if chosen:
        return
    write(
        "Speed",
        "Made by `.venv/bin/python bench/run.py`, all in one run. Where two times stand, the second is what the first "
        f"would be at {REFERENCE_RATE:g} million rays a second: the bars were set on a machine of that speed.",
        rows,
    )


if __name__ == "__main__":
    main()
