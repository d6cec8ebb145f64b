"""What a finish costs, live and in stills, and how near the two come. ``python bench/finish.py``.

With arguments it prints and writes nothing.
"""

import resource
import sys
import time
from pathlib import Path

import attrs
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.page import tell

from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.mask_model import Mask
from lunar_haze.core.finish.masks import masked
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.values import Cdl, Glow, Grade, Grain, Halation, Vignette, White
from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.ui.picture.live_mix import LiveMix

EVERYTHING = Finish(
    Glow(0.1), 1.0, White(5000.0), Vignette(-1.0, 0.5), Grade(0.2, 1.1, 0.2, 0.2, 0.3), Cdl((1.1, 1.0, 1.0), saturation=0.8),
    grain=Grain(4.0),
)  # fmt: skip
#: And what a lens, a film and the dark do besides.
LENS = attrs.evolve(EVERYTHING, star=1.0, ghosts=3.0, halation=Halation(0.1), acuity=1.0, dark_noise=0.5)
TAN, SCALE = 0.5, 0.02


def light(height: int, width: int) -> np.ndarray:
    """A dusk of sorts [cd/m2], with some small lamps."""
    rng = np.random.default_rng(1)
    sky = np.linspace(40.0, 4.0, height)[:, None, None] * np.array([1.0, 0.8, 0.9])
    picture = sky * rng.uniform(0.3, 1.0, (height, width, 1))
    picture[rng.random((height, width)) < 0.0005] = (9000.0, 5200.0, 2100.0)
    return picture.astype(np.float32)


def best_ms(act, times: int = 10) -> float:
    """Shortest of several runs [ms]."""
    act()
    taken = []
    for _ in range(times):
        started = time.perf_counter()
        act()
        taken.append(time.perf_counter() - started)
    return min(taken) * 1e3


def _dimmer(height: int, width: int, finish: Finish, finisher: Finisher) -> float:
    """A dimmer of one of twelve sources, laid on a denoised picture, finished and made pixels of, as in the window [ms]."""
    rng = np.random.default_rng(2)
    images = [
        LayerImage(
            f"k{n}",
            8,
            (rng.random((height, width, 3)) * 10).astype(np.float32),
            np.zeros((height, width, 3), np.float32),
        )
        for n in range(12)
    ]
    mix, step = LiveMix(), [0]
    mix.set_layers(images, {i.key for i in images})
    gains = tuple(LayerGain(i.key, (1.0,) * 3, (1.0,) * 3) for i in images)
    mix.set_clean(np.sum([i.surface for i in images], 0), gains, 8)

    def act() -> None:
        step[0] += 1
        moved = tuple(LayerGain(i.key, (1.0 + 0.01 * step[0] * (i.key == "k3"),) * 3, (1.0,) * 3) for i in images)
        mixed, _ = mix.picture(moved, layer_scatter(finish, height))
        finisher.show(mixed.light, finish, SCALE, TAN, scattered=mixed.scattered)

    return best_ms(act)


def main() -> None:
    finisher = Finisher()
    half, whole = light(540, 960), light(720, 1280)
    dark = half * np.float32(1e-3)
    step = [0]

    scattered = layer_scatter(EVERYTHING, 540)(half)

    def grade_drag() -> None:
        step[0] += 1
        moved = attrs.evolve(EVERYTHING.grade, exposure=0.2 + 1e-3 * step[0])
        finisher.show(half, attrs.evolve(EVERYTHING, grade=moved), SCALE, TAN, scattered=scattered)

    def size_drag() -> None:
        step[0] += 1
        moved = attrs.evolve(EVERYTHING, glow=Glow(0.1, 1.0 + 1e-3 * step[0]))
        finisher.show(half, moved, SCALE, TAN)

    def contrast_drag() -> None:
        step[0] += 1
        finisher.show(half, Finish(grade=Grade(contrast=1.1 + 1e-3 * step[0])), SCALE, TAN)

    under = np.linspace(0.0, 1.0, 960, dtype=np.float32)[None].repeat(540, 0)
    plain, done = _dimmer(720, 1280, Finish(), finisher), _dimmer(720, 1280, EVERYTHING, finisher)
    still = light(2160, 3840)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    started = time.perf_counter()
    finished(still, EVERYTHING, SCALE, TAN)
    took = time.perf_counter() - started
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 2**20
    calm = attrs.evolve(EVERYTHING, grain=Grain())
    live = finisher.show(half, calm, SCALE, TAN, dither=False)[..., 2::-1] / 255.0
    apart = abs(live.mean() / finished(half, calm, SCALE, TAN).mean() - 1.0)
    rows = [
        (
            "everything on, 960x540, light that is new: its glow is worked out",
            f"{best_ms(lambda: finisher.show(half, EVERYTHING, SCALE, TAN)):.0f} ms",
            "at most 35 ms",
        ),
        ("... the grade is moved", f"{best_ms(grade_drag):.0f} ms", "at most 35 ms"),
        ("... the glow's size is moved", f"{best_ms(size_drag):.0f} ms", "at most 35 ms"),
        (
            "... stars, ghosts, halation and the dark besides",
            f"{best_ms(lambda: finisher.show(half, LENS, SCALE, TAN)):.0f} ms",
            "at most 35 ms",
        ),
        (
            "... and all that a thousand times darker, with night by eye",
            f"{best_ms(lambda: finisher.show(dark, attrs.evolve(LENS, night=1.0), SCALE * 1e3, TAN)):.0f} ms",
            "",
        ),
        ("contrast alone, 960x540", f"{best_ms(contrast_drag):.0f} ms", ""),
        (
            "one mask that darkens, 960x540",
            f"{best_ms(lambda: masked(half, Mask('m', 'm', stops=-1.0), under, SCALE)):.0f} ms",
            "",
        ),
        (
            "a dimmer of twelve sources at 1280x720, everything on, over the same without a finish",
            f"{done / plain:.2f} ({done:.0f} ms)",
            "at most 1.6",
        ),
        ("a still of 3840x2160", f"{took:.1f} s, {grown:.1f} GiB more", "at most 7 s, 2 GiB"),
        ("live and still, mean of the screen's values", f"{apart:.2%} apart", "within 0.5 %"),
        ("no finish, 1280x720", f"{best_ms(lambda: finisher.show(whole, Finish(), SCALE, TAN)):.0f} ms", ""),
    ]
    tell("Finish", "Made by `.venv/bin/python bench/finish.py`.", rows)


if __name__ == "__main__":
    main()
