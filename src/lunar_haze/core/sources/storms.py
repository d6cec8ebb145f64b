"""The flashes of lightning in time.

A flash to ground has three to five strokes, one in six a single one, sixty milliseconds apart in the geometric mean;
strokes after the first are about half as strong, and a third of all flashes keeps glowing for a tenth of a second and
more after one of them (Rakov and Uman 2003, Lightning: Physics and Effects, ch. 1 and 4).
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.flicker_kinds import SEED, Flicker, by_blocks, drawn, flicker_kind, kept
from lunar_haze.core.units.row import row

BLOCK_S = 60.0
#: Mean number of strokes, and the share of flashes that have one; geometric mean [s] and spread of the logarithm of the
#: times between them.
STROKES, SINGLE, BETWEEN_S, BETWEEN_SPREAD = 4.0, 0.17, 0.06, 0.75
#: A later stroke's light over the first one's, and the spread of its logarithm.
LATER, LATER_SPREAD = 0.5, 0.4
#: How fast a stroke's light falls [s] when the cloud has spread it in time (Thomason and Krider 1982, The effects of
#: clouds on the light produced by lightning, J. Atmos. Sci. 39).
FALLS_S = 0.0015
#: A glow that goes on: how often, how long [s], how bright.
CONTINUING, CONTINUES_S, CONTINUES_AT = 0.35, 0.12, 0.03


@kept
def flash(seed: int, number: int) -> NDArray[np.float64]:
    """Strokes of a flash: (n, 4) time [s] from the first, strength, how long it glows on [s] and how strongly."""
    rng = drawn(seed, number, "flash")
    n = 1 if rng.random() < SINGLE else 2 + int(rng.poisson((STROKES - SINGLE) / (1.0 - SINGLE) - 2.0))
    times = np.concatenate([[0.0], np.cumsum(rng.lognormal(math.log(BETWEEN_S), BETWEEN_SPREAD, n - 1))])
    strengths = np.concatenate([[1.0], LATER * np.exp(rng.normal(0.0, LATER_SPREAD, n - 1))])
    glows = np.zeros((n, 2))
    glows[:, 0] = 1.0
    if rng.random() < CONTINUING:
        glows[int(rng.integers(n))] = CONTINUES_S * math.exp(rng.normal(0.0, 0.5)), CONTINUES_AT
    return np.concatenate([times[:, None], strengths[:, None], glows], 1)


def flash_light(strokes: NDArray, seconds: NDArray) -> NDArray[np.float64]:
    """Light (m,) of a flash at moments (m,) [s] from its first stroke, 1 at the first stroke's peak."""
    since = np.asarray(seconds, float)[:, None] - strokes[:, 0]
    after = np.maximum(since, 0.0)
    each = np.exp(-after / FALLS_S) + strokes[:, 3] * np.exp(-after / strokes[:, 2])
    return (np.where(since >= 0.0, each * strokes[:, 1], 0.0)).sum(1)


def flash_mean(strokes: NDArray, second: float, open_s: float) -> float:
    """Mean of `flash_light` while a shutter is open for ``open_s`` [s] from a moment [s]: what falls exponentially has
    an integral, and a stroke is over sooner than any number of looks would tell. ``strokes`` are (n, 2), as
    `flash_light` takes them.
    """
    if open_s <= 0.0:
        return float(flash_light(strokes, np.array([second]))[0])
    begins, ends = (np.maximum(moment - strokes[:, 0], 0.0) for moment in (second, second + open_s))

    def integral(falls_s: NDArray | float) -> NDArray:
        return np.asarray(falls_s * (np.exp(-begins / falls_s) - np.exp(-ends / falls_s)))

    each = integral(FALLS_S) + strokes[:, 3] * integral(strokes[:, 2])
    return float((strokes[:, 1] * each).sum() / open_s)


@kept
def _starts(seed: int, block: int, per_min: float) -> NDArray[np.float64]:
    """When flashes begin within a block [s]; none in its last two seconds, which belong to those before."""
    rng = drawn(seed, block, "storm")
    return np.sort(rng.uniform(0.0, BLOCK_S - 2.0, rng.poisson(per_min * BLOCK_S / 60.0)))


@flicker_kind(
    "lightning", "flashes of several strokes, dark between them",
    rows=(
        row("flash at", "first flash at", "at_s", "s", 0.0, 10.0, 0.5, floor=-1.0, ceiling=1e5,
            tip="from the shot's first frame; below 0 for none of its own"),
        row("flashes", "more flashes", "per_min", "/min", 0.0, 20.0, 0.0, floor=0.0, ceiling=200.0,
            tip="at random, besides the first one: 0 for none"),
        SEED,
    ),
)  # fmt: skip
@attrs.frozen
class Storm(Flicker):
    """A flash ``at_s`` (none below 0), and others at random. The source's level is that of a first stroke's peak."""

    at_s: float = 0.5
    per_min: float = 0.0
    seed: int = 1

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        seconds = np.asarray(seconds, float)

        def block(number: int, at: NDArray) -> NDArray:
            total = np.zeros(len(at))
            for k, start in enumerate(_starts(self.seed, number, self.per_min)):
                total += flash_light(flash(self.seed, 1000 * number + k + 1), at - start)
            return total

        level = by_blocks(seconds, BLOCK_S, block) if self.per_min > 0 else np.zeros(len(seconds))
        if self.at_s >= 0.0:
            level = level + flash_light(flash(self.seed, 0), seconds - self.at_s)
        return np.repeat(level[:, None], 3, 1)

    def exposed(self, second: float, open_s: float, kelvin: float) -> NDArray[np.float64]:
        total = flash_mean(flash(self.seed, 0), second - self.at_s, open_s) if self.at_s >= 0.0 else 0.0
        blocks = range(math.floor(second / BLOCK_S), math.floor((second + open_s) / BLOCK_S) + 1)
        for number in blocks if self.per_min > 0 else ():
            # A block's flashes end with it.
            begins, ends = max(second, number * BLOCK_S), min(second + open_s, (number + 1) * BLOCK_S)
            share = (ends - begins) / open_s if open_s > 0 else 1.0
            for k, start in enumerate(_starts(self.seed, number, self.per_min)):
                strokes = flash(self.seed, 1000 * number + k + 1)
                total += share * flash_mean(strokes, begins - number * BLOCK_S - start, ends - begins)
        return np.full(3, total)
