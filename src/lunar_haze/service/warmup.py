"""Compiles the kernels once, with progress: ``python -m lunar_haze.service.warmup``.

Where they are compiled already nothing is loaded and the command returns at once. The paths of light take as long as
all the rest: where there are two processors another process compiles them.
"""

import itertools
import os
import subprocess
import sys
from collections.abc import Callable, Iterator

from lunar_haze import KERNELS
from lunar_haze.core.units.kernel_cache import forget_old_kernels

_STAMP = KERNELS / "all-compiled"
#: So many of the first steps another process takes.
_FIRST = 2


def is_warm() -> bool:
    """Whether all kernels of the present sources are compiled."""
    try:
        return _STAMP.exists()
    except OSError:
        return False


def steps() -> Iterator[tuple[str, float, Callable[[], object]]]:
    """What is to be compiled: a name, about how many seconds it takes, and the act.

    The first two stand by themselves, and so do all others.
    """
    import attrs
    import numpy as np

    from lunar_haze.core.air.medium import Bank, Medium, Patches, optical_depth
    from lunar_haze.core.finish.dust import dusted
    from lunar_haze.core.finish.glow import HALF_FROM
    from lunar_haze.core.finish.grade import graded_nodes
    from lunar_haze.core.finish.live import Finisher
    from lunar_haze.core.finish.mask_model import Stroke
    from lunar_haze.core.finish.model import Finish
    from lunar_haze.core.finish.scene_light import in_light
    from lunar_haze.core.finish.strokes import strokes_cover
    from lunar_haze.core.finish.values import Cdl, Dust, Glow, Grade, Vignette, White
    from lunar_haze.core.layers.model import LayerGain, LayerImage, LayerSpec, View
    from lunar_haze.core.layers.motes import LitMotes, Motes, floating
    from lunar_haze.core.picture.display import TABLE_SIZE, DisplayTable
    from lunar_haze.core.picture.drift import quotient
    from lunar_haze.core.picture.frame_mix import FrameMix
    from lunar_haze.core.picture.mix import Mixer, block_mean, enlarge
    from lunar_haze.core.picture.rebalance import Rebalance
    from lunar_haze.core.picture.views import FALSE_COLOUR
    from lunar_haze.core.place.camera import Camera
    from lunar_haze.core.place.model import Material, Place
    from lunar_haze.core.place.plan_map import Sheet, plan_map
    from lunar_haze.core.place.rays import RayIndex
    from lunar_haze.core.readings.adding import add
    from lunar_haze.core.sky.clear_air import Atmosphere
    from lunar_haze.core.sky.dome import dome_map
    from lunar_haze.core.sky.model import CLOUDS, ClearSky, Weather
    from lunar_haze.core.sky.tables import keep_tables_in, tables_of
    from lunar_haze.core.sources.amounts import natural_light
    from lunar_haze.core.sources.model import Ball, Sky, Sun, Surface
    from lunar_haze.core.transport.denoise import with_the_light_of
    from lunar_haze.core.transport.frame import Frame
    from lunar_haze.core.transport.live import LiveAir
    from lunar_haze.core.transport.mote_light import mote_light
    from lunar_haze.core.transport.scene import PackedPlace
    from lunar_haze.core.transport.upsample import lay_out
    from lunar_haze.core.units.between import times_grid
    from lunar_haze.service.folders import sky_folder

    place = Place(
        np.array([[-9, -9, 0], [9, -9, 0], [0, 9, 0], [-1, 2, 1], [1, 2, 1], [0, 2, 2]], np.float32),
        np.tile(np.array([0, 0, 1], np.float32), (6, 1)),
        np.zeros((6, 2), np.float32),
        np.array([[0, 1, 2], [3, 4, 5]], np.uint32),
        np.array([0, 1], np.int32),
        np.zeros(2, np.int32),
        (Material("plain"), Material("glowing", emissive=(9.0, 9.0, 9.0))),
        (),
        ("floor",),
    )
    view = View(Camera((0.0, -5.0, 2.0), (0.0, 0.0, 0.5)), 32, 18)
    mist, thicker = Medium(visibility_m=50.0), Medium(visibility_m=20.0)
    banked = Medium(visibility_m=20.0, multiple=1.0, banks=(Bank(),), patches=Patches(0.5))
    specs = [LayerSpec("warm", view, shape, mist, 1) for shape in (Ball(), Sun(), Sky(), Surface("glowing"))]
    frame = Frame(PackedPlace(place), view)
    live = LiveAir()
    keys = frame.want(specs)

    room = np.empty((2, 18, 32, 3), np.float32)

    def looks() -> None:
        frame.add_guides(1)
        live.gather(frame, specs, 1, 60.0)

    def answer() -> None:
        for key in keys:
            frame.put(key, LayerImage(key, 1, np.ones_like(room[0]), np.ones_like(room[0])))
        changed = [LayerSpec("warm", view, s.shape, thicker, 1) for s in specs]
        wanted = frame.want(changed)
        live.answer(frame, dict(zip(wanted, changed)), lambda key: (room[0], room[1]))
        gains = [LayerGain(key, (1.0,) * 3, (1.0,) * 3) for key in wanted]
        # Twice: the second answer stands on the first.
        for _ in range(2):
            live.mixed_answer(frame, [attrs.evolve(s, medium=banked) for s in changed], gains, room[0])
            live.remember(frame, changed, gains, room[0])

    def mix() -> None:
        mixer = Mixer()
        mixer.set_layers([frame.image(k) for k in keys])
        told = tuple(LayerGain(k, (1.0,) * 3, (1.0,) * 3) for k in keys)
        mixer.picture(told)
        each = {k: frame.image(k) for k in keys}
        small = {k: (block_mean(i.surface, 2), block_mean(i.air, 2)) for k, i in each.items()}
        Rebalance(room[0], told, small, {}).to((), room[1])
        ready = FrameMix(each, room[0], (), True)
        ready.picture(told)
        times_grid(room[0], quotient(room[1][::2, ::2].copy(), room[0]), room[1])
        for step in (2, 3):
            enlarge(block_mean(frame.image(keys[0]).surface, step), room[0])
        lay_out(frame.image(keys[0]).surface, frame.edge_guides(mist), frame.edge_guides(mist), room[0])
        with_the_light_of(room[0], room[1])
        add([room[0]])

    def sky() -> None:
        # Air that no one has: the usual tables may lie in their folder, and nothing would be compiled to make them.
        tables_of(Atmosphere(ground_albedo=0.123))
        # Into the folder where the window and its render process look for them.
        keep_tables_in(sky_folder())
        dome_map(ClearSky(20.0, weather=Weather(clouds=CLOUDS["broken"])))
        natural_light(Sun(), Atmosphere())

    def answers() -> None:
        ends = np.array([[0.0, 0.0, 2.0]]), np.array([[0.0, 0.0, -2.0]])
        RayIndex(place).sees(*ends)
        plan_map(place, Sheet("above", (0.0, 0.0), 0.5, 32, 18))
        optical_depth(mist, *ends)

    table = np.zeros((TABLE_SIZE,) * 3 + (3,), np.float32)

    def finish() -> None:
        display = DisplayTable(table)
        display.show(room[0], 1.0)
        display.values(table)
        every = Finish(
            night=1.0, white=White(5000.0), vignette=Vignette(-1.0), star=1.0, ghosts=1e6, acuity=1.0, dark_noise=1.0
        )
        lit = np.full((18, 32, 3), 0.001, np.float32)
        lit[9, 9] = 1e5
        in_light(lit, every, 1.0, 0.5)
        Finisher().show(lit, attrs.evolve(every, view=FALSE_COLOUR), 1.0, 0.5)
        # A glow is laid by itself where what it lies on is softened after it.
        high = np.full((HALF_FROM, 32, 3), 0.001, np.float32)
        Finisher().show(high, Finish(glow=Glow(0.2), acuity=1.0), 1.0, 0.5)
        graded_nodes(Grade(split=0.5), Cdl())
        strokes_cover((Stroke(((0.0, 0.0), (0.1, 0.0)), 0.1),), 0.5, 18, 32)

    def dust() -> None:
        motes = floating(Motes(5.0), view.camera, view.width / view.height)
        lit = LitMotes(motes, dict(zip(keys, mote_light(frame, specs[:1], motes.at))))
        depth, gain = np.full((18, 32), 9.0, np.float32), LayerGain(keys[0], (1.0,) * 3, (1.0,) * 3)
        dusted(room[0], Finish(dust=Dust(5.0)), view.camera, lit, (gain,), depth)

    yield "what the lens sees", 12.0, lambda: frame.add_guides(1)
    yield "paths of light", 113.0, lambda: frame.trace(frame.want(specs))
    yield "the sky", 10.0, sky
    yield "the finish and the display", 22.0, finish
    yield "what sees what", 4.0, answers
    yield "looks into the air", 14.0, looks
    yield "air under the hand", 79.0, answer
    yield "the mix", 14.0, mix
    yield "floating dust", 8.0, dust


def warm(progress: Callable[[str, float], None]) -> None:
    """Compile whatever is not compiled; ``progress`` gets a name and a share done."""
    if is_warm():
        return
    progress("loading", 0.0)
    todo, aside = list(steps()), None
    if (os.cpu_count() or 1) > 1:
        aside = subprocess.Popen([sys.executable, "-m", "lunar_haze.service.warmup", "the first"])
        todo = [*todo[_FIRST:], *todo[:_FIRST]]
    whole, done = sum(seconds for _name, seconds, _act in todo), 0.0
    for name, seconds, act in todo:
        progress(name, done / whole)
        # What the other process has compiled is read from disk, in a moment; what it has not is compiled here.
        if aside is not None and name == todo[-_FIRST][0]:
            aside.wait()
        act()
        done += seconds
    progress("done", 1.0)
    try:
        _STAMP.parent.mkdir(parents=True, exist_ok=True)
        _STAMP.touch()
    except OSError:
        return  # numba finds a folder of its own; looking whether all is compiled costs seconds at every start
    forget_old_kernels(KERNELS)


if __name__ == "__main__":
    if sys.argv[1:] == ["the first"]:
        for _name, _seconds, act in itertools.islice(steps(), _FIRST):
            act()
    elif not is_warm():
        print("lunar haze: compiling the light kernels, once (about two minutes)", flush=True)
        warm(lambda what, share: print(f"  {share:4.0%}  {what}", flush=True))
