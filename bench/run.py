"""Speed, as ratios and times taken in one run: ``python bench/run.py``. Prints a table and keeps it in docs/bench.md."""

import os
import platform
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

from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.layers.model import LayerGain, LayerImage, LayerSpec, View
from lunar_haze.core.picture.display import DisplayTable, bake
from lunar_haze.core.picture.mix import Mixer
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.transport.embree import CLEAR, SOLID, aligned, intersect, ray_buffer
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.path import CHUNK
from lunar_haze.core.transport.sampling import combine, cosine_hemisphere, sample_pair
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view import pack_view, primary_direction
from lunar_haze.service.client import RenderClient
from lunar_haze.service.protocol import Cleaned, Published

ROOT = Path(__file__).resolve().parents[1]
DEMO = ROOT / "demo" / "gannet-reach.haze"
f32, u32 = np.float32, np.uint32


@nb.njit(nogil=True, fastmath=True)
def _raw_chunk(handle, camera, width, first, last, sun):
    """The rays of one pass with two bounces and one shadow ray a vertex, and nothing else; how many."""
    memory = ray_buffer()
    ray = aligned(memory)
    count = 0
    for pixel in range(first, last):
        dx, dy, dz = primary_direction(camera, f32(pixel % width) + f32(0.5), f32(pixel // width) + f32(0.5))
        ox, oy, oz = camera[0], camera[1], camera[2]
        for vertex in range(3):
            prim, _g, t, _u, _v = intersect(handle, ray, ox, oy, oz, dx, dy, dz, f32(1e-3), FAR, SOLID | CLEAR)
            count += 1
            if prim < 0:
                break
            ox, oy, oz = ox + t * dx, oy + t * dy, oz + t * dz
            intersect(handle, ray, ox, oy, oz, sun[0], sun[1], sun[2], f32(1e-3), FAR, SOLID | CLEAR)
            count += 1
            u, v = sample_pair(combine(u32(pixel), u32(vertex)), 0, 1)
            dx, dy, dz = cosine_hemisphere(u, v)
    memory[0] = f32(0.0)
    return count


@nb.njit(nogil=True, parallel=True, fastmath=True)
def _raw(handle, camera, width, pixels, threads, sun):
    chunks = (pixels + CHUNK - 1) // CHUNK
    total = np.zeros(threads, np.int64)
    for thread in nb.prange(threads):
        for i in range(thread, chunks, threads):
            total[thread] += _raw_chunk(handle, camera, width, i * CHUNK, min((i + 1) * CHUNK, pixels), sun)
    return total.sum()


def best(act, times: int = 5) -> float:
    """Shortest of several runs [s]."""
    taken = []
    for _ in range(times):
        started = time.perf_counter()
        act()
        taken.append(time.perf_counter() - started)
    return min(taken)


def kernels(rows: list) -> None:
    document, _ = load(DEMO)
    place = PackedPlace(load_place(Path(document.place.path)))
    threads = nb.get_num_threads()
    view = View(document.shot_named("Landing").camera, 640, 360)
    look = document.look_named("clear noon")
    sun = next(s.shape for s in look.sources if s.name == "sun")
    camera = pack_view(view)
    towards = np.array(sun.towards(), np.float32)
    _raw(place.arrays.handle, camera, 640, 640 * 360, threads, towards)
    count = _raw(place.arrays.handle, camera, 640, 640 * 360, threads, towards)
    raw = best(lambda: _raw(place.arrays.handle, camera, 640, 640 * 360, threads, towards))
    frame = Frame(place, view)
    frame.add_guides(1)
    keys = frame.want([LayerSpec("bench", view, sun, attrs.evolve(look.medium, visibility_m=np.inf), 2)])
    frame.trace(keys)
    whole = best(lambda: frame.trace(keys))
    rows.append(("raw rays, same scene and threads", f"{count / raw / 1e6:.1f} million/s", ""))
    rows.append(("whole pass over raw tracing of its rays (1 source, 2 bounces)", f"{raw / whole:.2f}", "at least 0.5"))
    nb.set_num_threads(1)
    single = best(lambda: frame.trace(keys), 3)
    nb.set_num_threads(threads)
    double = best(lambda: frame.trace(keys), 3)
    rows.append((f"{threads} threads over one", f"{single / double:.2f}", "at least 1.7"))

    for count in (1, 4, 11, 16, 32):
        lamps = [Ball((-20 + 1.3 * i, 1.5, 3.0), 0.1) for i in range(count)]
        keys = frame.want([LayerSpec("bench", view, lamp, look.medium, 2) for lamp in lamps])
        frame.trace(keys)
        rows.append((f"pass of {count} lamps in haze, 640x360", f"{best(lambda k=keys: frame.trace(k), 2):.2f} s", ""))

    mist = document.look_named("moonlit mist")
    shot = View(document.shot_named("Landing").camera, 640, 360)
    frame = Frame(place, shot)
    frame.add_guides(1)
    shapes = [s.shape for s in mist.sources] + [Ball((-20 + 3.0 * i, 3.0, 2.5), 0.1) for i in range(4)]
    specs = [LayerSpec("bench", shot, s, mist.medium, 1) for s in shapes][:12]
    keys = frame.want(specs)
    frame.trace(keys)
    live = LiveAir()
    for _ in range(30):
        live.gather(frame, specs, 1, 10.0)
    thicker = attrs.evolve(mist.medium, visibility_m=60.0)
    changed = [attrs.evolve(s, medium=thicker) for s in specs]
    wanted = dict(zip(frame.want(changed), changed))
    live.answer(frame, wanted)
    rows.append((f"air re-integrated for {len(specs)} sources, 640x360", f"{1e3 * best(lambda: live.answer(frame, wanted)):.0f} ms", "at most 150 ms"))
    place.close()

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
    keys = frame.want([LayerSpec("b", view, Ball((0, 0, 8), 0.2), attrs.evolve(load(DEMO)[0].look.medium, visibility_m=np.inf), 2)])
    frame.trace(keys)
    took = best(lambda: frame.trace(keys), 3)
    packed.close()
    return (f"{len(ground.triangles):,} triangles: build; pass of one lamp", f"{built:.2f} s; {took:.2f} s", "")


def mixing(rows: list) -> None:
    rng = np.random.default_rng(1)
    layers = [
        LayerImage(str(i), 1, rng.random((720, 1280, 3), np.float32), rng.random((720, 1280, 3), np.float32)) for i in range(16)
    ]
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
    rows.append(("one dimmer of 16 moved, to screen pixels at 1280x720", f"{1e3 * best(move, 15):.0f} ms", "at most 20 ms"))


def service(rows: list) -> None:
    document, _ = load(DEMO)
    spec = place_spec(document.place)
    shot, look = document.shot_named("Landing"), document.look_named("clear noon")
    events: queue.SimpleQueue = queue.SimpleQueue()
    with tempfile.TemporaryDirectory() as cache:
        client = RenderClient(Path(cache))
        started = time.perf_counter()
        client.start(events.put)
        client.want(frame_request(1, spec, shot, look, (640, 360), 16))

        def until(request_id: int, passes: int) -> float:
            while True:
                event = events.get(timeout=300)
                if isinstance(event, Cleaned) and event.request_id == request_id and event.passes >= passes:
                    return time.perf_counter()
                if isinstance(event, Published):
                    continue

        first = until(1, 0)
        one = until(1, 1)
        clean = until(1, 16)
        rows.append(("render process started to first denoised picture, Landing 640x360", f"{first - started:.1f} s", ""))
        rows.append(("... to one full pass denoised", f"{one - started:.1f} s", ""))
        rows.append(("... from there to the clean picture (16 passes, denoised)", f"{clean - first:.1f} s", "at most 6 s"))
        night = document.look_named("moonlit mist")
        client.want(frame_request(2, spec, shot, night, (640, 360), 4))
        until(2, 4)
        times = []
        for number in range(3, 7):
            lamp = attrs.evolve(night.source("window"), shape=Ball((2.0, 6.4, 2.0 + 0.1 * number), 0.08))
            moved = attrs.evolve(night, sources=tuple(lamp if s.id == "window" else s for s in night.sources))
            asked = time.perf_counter()
            client.want(frame_request(number, spec, shot, moved, (640, 360), 4))
            times.append(until(number, 1) - asked)
        rows.append(("one lamp of 7 moved in mist, to its denoised picture 640x360", f"{min(times):.2f} s", "at most 0.6 s"))
        client.close()


def start(rows: list) -> None:
    """Second start: from the command to the painted window, and to the first picture in it."""
    code = """
import sys, time
started = float(sys.argv[1])
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from pathlib import Path
import tempfile
from lunar_haze.service.client import RenderClient
from lunar_haze.ui import theme
from lunar_haze.ui.session import Session
from lunar_haze.ui.window import Window
app = QApplication([])
theme.apply(app)
state = Path(tempfile.mkdtemp())
session = Session(state)
window = Window(session, RenderClient(state / "layers"), state)
window.show()
app.processEvents()
print("window", time.time() - started, flush=True)
window.open_path(Path(sys.argv[2]))
while window.bridge._clean is None and time.time() - started < 60:
    app.processEvents()
    time.sleep(0.005)
print("picture", time.time() - started, flush=True)
window.close()
"""
    shown, painted = [], []
    for _ in range(3):
        done = subprocess.run([sys.executable, "-c", code, str(time.time()), str(DEMO)], capture_output=True, text=True)
        told = dict(line.split() for line in done.stdout.strip().splitlines())
        shown.append(float(told["window"]))
        painted.append(float(told["picture"]) - float(told["window"]))
    rows.append(("second start to the window", f"{min(shown):.1f} s", "at most 2.5 s"))
    rows.append(("... and from there to its first denoised picture", f"{min(painted):.1f} s", "at most 1.5 s"))


def main() -> None:
    rows: list = []
    for part in (kernels, mixing, service, start):
        part(rows)
    width = max(len(r[0]) for r in rows)
    lines = [f"| {'what':<{width}} | measured | bar |", f"|{'-' * (width + 2)}|---|---|"]
    lines += [f"| {what:<{width}} | {value} | {bar} |" for what, value, bar in rows]
    table = "\n".join(lines)
    print(table)
    cpu = next((x.split(":")[1].strip() for x in Path("/proc/cpuinfo").read_text().splitlines() if "model name" in x), platform.machine())
    text = (
        "# Speed\n\nMade by `.venv/bin/python bench/run.py`, all in one run; machines are noisy, so ratios tell more than times.\n\n"
        f"{time.strftime('%Y-%m-%d')}, {len(os.sched_getaffinity(0))} threads of {cpu}, Python {platform.python_version()}.\n\n{table}\n"
    )
    (ROOT / "docs" / "bench.md").write_text(text)


if __name__ == "__main__":
    main()
