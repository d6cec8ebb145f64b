"""Benchmarks of the air: how noisy, how near, how quick, how steady."""

import math
import sys
import time
from pathlib import Path

import attrs
import numba as nb
import numpy as np
import OpenImageIO as oiio

from lunar_haze.core.air.kernels import extinction, transmittance
from lunar_haze.core.air.medium import Bank, Medium, Patches
from lunar_haze.core.air.phase import medium_phase
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.picture.display import DisplayTable, bake
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import air_before, gains, layers_of
from lunar_haze.core.sky.model import Gradient
from lunar_haze.core.sources.model import Ball, Sky
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene
from lunar_haze.core.transport.denoise import denoise
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.frame import Frame, lit_of
from lunar_haze.core.transport.lights import pack_lights
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.path_values import Ray
from lunar_haze.core.transport.sampling import combine, random_pair
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.surfaces import shadow
from lunar_haze.core.transport.view import primary_direction
from lunar_haze.core.transport.walk import scatter_unshadowed
from lunar_haze.core.units.photometry import exposure_scale
from raw_rays import scaled

f32, u32 = np.float32, np.uint32
#: Plain marching goes no farther than this [m].
MARCH_M = f32(60.0)
SHEET = Path(__file__).resolve().parents[1] / "docs" / "screenshots" / "live-and-refined.png"


@nb.njit(nogil=True, fastmath=True)
def _air_pass(s, lights, medium, camera, width, depth, index, weights, plainly, out):
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    for pixel in range(depth.shape[0]):
        seed = combine(u32(pixel), u32(99))
        dx, dy, dz = primary_direction(camera, f32(pixel % width) + f32(0.5), f32(pixel // width) + f32(0.5))
        ox, oy, oz, far = camera[0], camera[1], camera[2], depth[pixel]
        for k in range(weights.shape[0]):
            au, av = random_pair(seed, 4 * k, index)
            bu, bv = random_pair(seed, 4 * k + 1, index)
            if plainly:
                reach = min(far, MARCH_M)
                t = au * reach
                px, py, pz = ox + t * dx, oy + t * dy, oz + t * dz
                lx, ly, lz, distance, _r, g, _b, pdf = sample_light(s, lights, k, px, py, pz, bu, bv)
                if pdf <= f32(0.0):
                    continue
                w = extinction(medium, px, py, pz) * transmittance(medium, ox, oy, oz, dx, dy, dz, t) * reach / pdf
                w *= medium_phase(medium, lx * dx + ly * dy + lz * dz)
                g *= w * transmittance(medium, px, py, pz, lx, ly, lz, distance)
            else:
                px, py, pz, lx, ly, lz, distance, _r, g, _b = scatter_unshadowed(
                    s, lights, medium, k, Ray(ox, oy, oz, dx, dy, dz), far, (au, av), (bu, bv)
                )
            if g > f32(0.0):
                _r, through, _b = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
                out[pixel] += g * through * weights[k]
    memory[0] = f32(0.0)


def _loft_noise(place: PackedPlace, document: Document) -> tuple:
    """Variance at equal time of plain uniform marching over that of the renderer's draws."""
    look, shot = document.look_named("loft shafts"), document.shot_named("Loft")
    view = View(shot.seen_from, 320, 180)
    frame = Frame(place, view)
    frame.add_guides(1)
    specs = [spec for s in look.balanced() for spec in layers_of(s, look, view, "bench")]
    by_key = {g.key: g for g in gains(look, view, "bench")}
    keys = frame.want(specs)
    frame.trace(keys)
    weights = np.array([by_key[k].air[1] for k in keys], np.float32)
    bare = pack_lights([lit_of(s) for s in specs], place.place, place.order)
    medium = specs[0].medium.pack()
    cost = []
    for lights, plainly in ((bare, True), (frame._lights, False)):
        passes = []
        started = 0.0
        for index in range(17):
            out = np.zeros(frame.pixels, np.float32)
            _air_pass(frame.arrays, lights, medium, frame.camera, 320, frame.guides.depth, index, weights, plainly, out)
            started = started or time.perf_counter()
            passes.append(out)
        took = (time.perf_counter() - started) / 16
        cost.append(float(np.var(passes, axis=0).mean()) * took)
    return ("air of Loft: variance of plain uniform marching over ours, at equal time", f"{cost[0] / cost[1]:.1f}",
            "at least 4")  # fmt: skip


def twelve_sources(
    place: PackedPlace, document: Document, size: tuple[int, int]
) -> tuple[Frame, list[LayerSpec], LiveAir]:
    """A misty night with twelve sources, each traced once and looked at once from the air."""
    mist = document.look_named("moonlit mist")
    view = View(document.shot_named("Landing").camera, *size)
    frame = Frame(place, view)
    frame.add_guides(1)
    shapes = [s.shape for s in mist.sources] + [Ball((-20 + 3.0 * i, 3.0, 2.5), 0.1) for i in range(4)]
    specs = [LayerSpec("bench", view, s, mist.medium, 1) for s in shapes][:12]
    frame.trace(frame.want(specs))
    live = LiveAir()
    for _ in range(15):
        live.gather(frame, specs, 1, 10.0)
    return frame, specs, live


def _steps(rows: list, place: PackedPlace, document: Document, rate: float) -> None:
    """An edit of the medium among 12 sources, to the whole picture at 960x540."""
    frame, specs, live = twelve_sources(place, document, (960, 540))
    thicker = attrs.evolve(specs[0].medium, visibility_m=60.0)
    for name, medium in (
        ("fog", thicker),
        ("fog and a bank", attrs.evolve(thicker, banks=(Bank(centre=(-22.0, 2.0, 1.0)),))),
        ("patchy fog", attrs.evolve(thicker, patches=Patches(0.6))),
        ("fog with all its glow", attrs.evolve(thicker, multiple=1.0)),
    ):
        changed = [attrs.evolve(s, medium=medium) for s in specs]
        keys = frame.want(changed)
        wanted = [LayerGain(k, (1.0,) * 3, (1.0,) * 3) for k in keys]
        out = np.empty((540, 960, 3), np.float32)
        taken = []
        for _ in range(5):
            started = time.perf_counter()
            assert live.mixed_answer(frame, changed, wanted, out)
            taken.append(time.perf_counter() - started)
        edit = f"edit of {name} to the whole picture, 12 sources, 960x540"
        rows.append((edit, scaled(min(taken), rate), "at most 0.12 s"))


NEAR_LOOKS = (("golden hour", "Landing"), ("blue hour", "Landing"), ("bank at dawn", "Landing"),
              ("moonlit mist", "Waiting"), ("lamplit wait", "Waiting"), ("loft shafts", "Loft"))  # fmt: skip
NEAR_PASSES = 64


def _mix(frame: Frame, keys: list[str], gains: list[LayerGain]) -> np.ndarray:
    images = [frame.image(key) for key in keys]
    total = sum(i.surface * np.float32(g.surface) + i.air * np.float32(g.air) for i, g in zip(images, gains))
    return np.asarray(total, np.float32)


def _near(place: PackedPlace, document: Document) -> list:
    """Live answers against the refined pictures that take over from them, both free of grain, after tone mapping."""
    table = DisplayTable(bake(Path("/tmp")))
    rows, sheet = [], []
    for name, shot_name in NEAR_LOOKS:
        look: Look = document.look_named(name)
        view = View(document.shot_named(shot_name).seen_from, 320, 180)
        frame = Frame(place, view)
        frame.add_guides(8)
        other = attrs.evolve(look, medium=attrs.evolve(look.medium, visibility_m=look.medium.visibility_m * 1.6))
        found = []
        for which in (other, look):
            specs = list(dict.fromkeys(spec for s in which.balanced() for spec in layers_of(s, which, view, "near")))
            by_key = {g.key: g for g in gains(which, view, "near")}
            found.append((specs, [by_key[spec.key()] for spec in specs]))
        (before, gains_before), (after, gains_after) = found
        keys = frame.want(before)
        for _ in range(NEAR_PASSES):
            frame.trace(keys)
        live = LiveAir()
        for _ in range(60):
            live.gather(frame, after, 6, 10.0)
        clean = denoise(_mix(frame, keys, gains_before), *frame.guide_images(before[0].medium), "balanced")
        live.remember(frame, before, gains_before, clean)
        keys = frame.want(after)
        quick = np.empty((180, 320, 3), np.float32)
        assert live.mixed_answer(frame, after, gains_after, quick)
        for _ in range(NEAR_PASSES):
            frame.trace(keys)
        slow = denoise(_mix(frame, keys, gains_after), *frame.guide_images(after[0].medium), "balanced")
        shown = [table.show(p, exposure_scale(look.ev100, look.stops))[..., 2::-1] for p in (quick, slow)]
        sheet.append(np.concatenate(shown, 1))
        # Sixteen pixels a block: what grain is left does not count.
        blocks = [p.astype(float).reshape(45, 4, 80, 4, 3).mean((1, 3)) for p in shown]
        rms = float(np.sqrt(np.mean((blocks[0] - blocks[1]) ** 2)) / blocks[1].mean())
        rows.append(
            (f"live against refined, {name} at {shot_name}, visibility x 1.6, tone mapped", f"{rms:.1%}", "at most 2 %")
        )
        if shot_name == "Loft":
            rows.append(
                ("... how far its shafts lie apart, in pixels of 960x540", f"{3 * _apart(*shown):.2f}", "at most 1")
            )
    SHEET.parent.mkdir(exist_ok=True)
    oiio.ImageBuf(np.ascontiguousarray(np.concatenate(sheet, 0))).write(str(SHEET))
    return rows


def _apart(one: np.ndarray, other: np.ndarray) -> float:
    """By how many columns the upright edges of one picture lie beside those of the other."""
    edges = [np.diff(p.astype(float).mean(-1), axis=1) for p in (one, other)]
    steps = np.arange(-3, 4)
    likeness = [float((np.roll(edges[0], step, 1) * edges[1])[:, 4:-4].sum()) for step in steps]
    best = int(np.argmax(likeness[1:-1])) + 1
    left, middle, right = likeness[best - 1 : best + 2]
    # The top of a parabola through the three.
    return abs(float(steps[best]) + 0.5 * (left - right) / (left - 2 * middle + right))


def _slabs() -> list:
    """Reflection and transmission of slabs that scatter many times, against published figures."""
    # The slabs of the tests, with more passes.
    sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
    from tests.core.test_scattering import H_OF, HALF_SKY, _h_function, _seen_from, _slab

    rows = []
    worst = 0.0
    for depth, g in ((1.0, 0.0), (4.0, 0.0), (8.0, 0.6)):
        for cosine in (0.9, 0.4):
            total = sum(_seen_from(_slab(depth, g=g), cosine, up, HALF_SKY, 384) for up in (True, False))
            worst = max(worst, abs(total - 1))
    rows.append(("slabs that absorb nothing: largest |R + T - 1|", f"{worst:.2%}", "at most 0.5 %"))
    through = max(
        abs(_seen_from(_slab(5.0), mu, False, HALF_SKY, 256) * math.sqrt(3) * (5.0 + 2 * 0.710446) / h - 1)
        for mu, h in H_OF.items()
    )
    rows.append(
        ("transmission of a slab of depth 5 against H (Chandrasekhar, table XI)", f"{through:.2%}", "at most 1 %")
    )
    back = 0.0
    for albedo in (0.5, 0.9):
        for mu in (0.3, 0.8):
            expected = 1 - math.sqrt(1 - albedo) * float(_h_function(albedo, np.array([mu]))[0])
            back = max(back, abs(_seen_from(_slab(30.0, albedo), mu, True, HALF_SKY, 128) / expected - 1))
    rows.append(("reflection of a deep slab against 1 - sqrt(1 - albedo) H", f"{back:.2%}", "at most 1 %"))
    return rows


def _flicker(place: PackedPlace) -> tuple:
    """Second difference over 48 frames of drifting patches, over the mean: what is not smooth motion."""
    view = View(Camera((-34.0, -8.0, 2.0), (-20.0, 2.0, 2.0)), 96, 54)
    sky = Sky(Gradient((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)), follows_hour=False)
    medium = Medium(40.0, patches=Patches(0.7, 6.0, speed_m_s=1.0))
    frame = Frame(place, view)
    frame.add_guides(1)
    live = LiveAir()
    pictures = []
    base = LayerSpec("drift", view, sky, Medium(40.0), 0)
    frame.trace(frame.want([base]))
    for number in range(48):
        spec = attrs.evolve(base, medium=air_before(medium, attrs.evolve(view, seconds=number / 24)))
        key = frame.want([spec])[0]
        live.gather(frame, [spec], 2, 10.0)
        live.gather(frame, [spec], 2, 10.0)
        room = np.empty((2, 54, 96, 3), np.float32)
        assert live.answer(frame, {key: spec}, lambda _k, room=room: (room[0], room[1]))
        pictures.append(room[1].mean(-1))
    film = np.array(pictures)
    jitter = np.abs(np.diff(film, 2, axis=0)).mean() / film.mean()
    moved = np.abs(np.diff(film, 1, axis=0)).mean() / film.mean()
    return ("drifting patches over 48 frames: change a frame; what of it is not smooth", f"{moved:.3%}; {jitter:.3%}",
            "below 1 % (visible)")  # fmt: skip


def air(rows: list, place: PackedPlace, document: Document, rate: float) -> None:
    """All rows of the air."""
    _steps(rows, place, document, rate)
    rows.append(_loft_noise(place, document))
    rows += _near(place, document)
    rows += _slabs()
    rows.append(_flicker(place))
