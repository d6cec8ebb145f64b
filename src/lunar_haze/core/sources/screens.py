"""The light of a screen that shows a film: it changes with the cuts, and little between them.

Lengths of shots are about log-normal, four seconds on average in films of our time (Cutting, DeLong and Nothelfer 2010,
Attention and the evolution of Hollywood film, Psychological Science 21).
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sources.flicker_kinds import SEED, Course, Flicker, by_blocks, drawn, flicker_kind, kept
from lunar_haze.core.units.row import row

BLOCK_S = 120.0
#: Spread of the logarithm of shots' lengths.
LENGTHS_SPREAD = 0.8
#: How far the light wanders within a shot, as a share of how far apart shots are.
_WITHIN = 0.25


@kept
def _cuts(seed: int, block: int, shot_s: float, depth: float, colour: float) -> tuple[Course, NDArray]:
    """Light (n, 3) of the shots of a block, and how each one's wanders: rate [rad/s] and phase (n, 2)."""
    rng = drawn(seed, block, "screen")
    times = [0.0]
    while times[-1] < BLOCK_S:
        length = float(rng.lognormal(math.log(shot_s) - LENGTHS_SPREAD**2 / 2, LENGTHS_SPREAD))
        times.append(times[-1] + max(length, 0.2))
    n = len(times)
    levels = np.exp(rng.normal(0.0, depth, n) - depth**2 / 2)
    hues = np.exp(rng.normal(0.0, 0.35 * colour, (n, 3)))
    hues /= (hues @ LUMINANCE_WEIGHTS)[:, None]
    return Course(np.array(times), levels[:, None] * hues), rng.uniform(0.3, 2 * math.pi, (n, 2))


@flicker_kind(
    "screen", "a television or a projector, seen by what it lights",
    rows=(
        row("shot length", "length of its shots", "shot_s", "s", 0.5, 12.0, 4.0, ratio=True, floor=0.2, ceiling=600.0,
            tip="the mean; lengths vary as those of films do"),
        row("flicker depth", "depth", "depth", "", 0.0, 1.5, 0.6, floor=0.0, ceiling=3.0,
            tip="how far its shots lie apart in light; its mean stays"),
        row("flicker colour", "colour of its shots", "colour", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0,
            tip="how far its shots lie apart in colour"),
        SEED,
    ),
)  # fmt: skip
@attrs.frozen
class ScreenLight(Flicker):
    """``shot_s`` the mean length of its shots, ``depth`` the spread of the logarithm of their light, of mean 1."""

    shot_s: float = 4.0
    depth: float = 0.6
    colour: float = 1.0
    seed: int = 1

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        def block(number: int, at: NDArray) -> NDArray:
            course, ways = _cuts(self.seed, number, self.shot_s, self.depth, self.colour)
            shot = course.part_at(at)
            way = ways[shot]
            wandering = _WITHIN * self.depth * np.sin(way[:, 0] * at + way[:, 1])
            return course.levels[shot] * (1.0 + np.clip(wandering, -0.9, 0.9))[:, None]

        return by_blocks(seconds, BLOCK_S, block)
