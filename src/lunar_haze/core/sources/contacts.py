"""Lamps that fail: a fluorescent tube that will not stay lit, and a filament with a loose contact."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.flicker_kinds import SEED, Course, Flicker, by_blocks, drawn, flicker_kind, kept
from lunar_haze.core.units.row import row

#: Time is drawn in blocks of this length [s]; each begins lit, as the last one ends.
BLOCK_S = 12.0
#: While it is not lit a tube glows at its ends: so much of its light, and so warm.
END_GLOW = 0.015
_END_COLOUR = np.array([1.6, 0.85, 0.45])
#: A tube that has just struck is dimmer and colder than a warm one, for some seconds.
_COLD, _WARM_UP_S = 0.75, 2.5
_COLD_COLOUR = np.array([0.93, 1.02, 1.08])


@kept
def _tube_course(seed: int, block: int, lit_share: float, strikes_hz: float) -> Course:
    """When a tube strikes and drops: levels are 1 lit, 0 not. It is lit for its share of the block, to the moment."""
    rng = drawn(seed, block, "tube")
    lit, dark = lit_share * BLOCK_S, (1.0 - lit_share) * BLOCK_S
    # The starter heats the ends, then opens: the tube strikes, and drops after a few tens of milliseconds.
    heated: list[float] = []
    while (missing := dark - sum(heated)) > 1e-9:
        heated.append(min(float(rng.gamma(3.0, 1.0 / (3.0 * strikes_hz))), missing))
    flashes = rng.gamma(2.0, 0.03, len(heated))
    # Tries come in bouts; from one to the next, before the first and after the last, it burns.
    bouts = min(max(round(dark / 3.0), 1), len(heated))
    last_of_bout = set(rng.choice(len(heated), bouts, replace=False).tolist()) | {len(heated) - 1} if heated else set()
    burning = rng.exponential(1.0, len(last_of_bout) + 1) + 0.1
    ends = np.array([n in last_of_bout for n in range(len(heated))], bool)
    tries = flashes[~ends].sum()
    flashes *= min(1.0, 0.5 * lit / max(tries, 1e-9))
    flashes[ends] = burning[1:] / burning.sum() * (lit - flashes[~ends].sum())
    times, levels, at = [0.0], [1.0], (lit - flashes.sum()) if heated else BLOCK_S
    for off, on in zip(heated, flashes):
        times += [at, at + off]
        levels += [0.0, 1.0]
        at += off + float(on)
    return Course(np.array(times), np.array(levels))


@flicker_kind(
    "failing tube", "a fluorescent tube that strikes again and again",
    rows=(
        row("lit share", "share of time lit", "lit_share", "", 0.1, 1.0, 0.6, floor=0.02, ceiling=1.0,
            tip="how much of the time it burns between its tries"),
        row("strikes", "strikes", "strikes_hz", "Hz", 0.5, 8.0, 2.5, ratio=True, floor=0.1, ceiling=25.0,
            tip="how often it tries while it fails"),
        SEED,
    ),
)  # fmt: skip
@attrs.frozen
class FailingTube(Flicker):
    """After the working of a glow starter: it heats the tube's ends, which glow warm, and opens; the tube strikes, cold
    and dim at first, and drops again or stays lit. The source's level is that of the warm tube.
    """

    lit_share: float = 0.6
    strikes_hz: float = 2.5
    seed: int = 1

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        def block(number: int, at: NDArray) -> NDArray:
            course = _tube_course(self.seed, number, self.lit_share, self.strikes_hz)
            index = course.part_at(at)
            lit = course.levels[index] > 0.5
            since = at - course.times[index]
            # The first stretch of a block goes on from the one before it: it is warm.
            cold = np.where(index == 0, 0.0, np.exp(-since / _WARM_UP_S))[:, None]
            warm = (1 - (1 - _COLD) * cold) * (1 + (_COLD_COLOUR - 1) * cold)
            return np.where(lit[:, None], warm, END_GLOW * _END_COLOUR)

        return by_blocks(seconds, BLOCK_S, block)


#: How fast a filament follows its current [s].
FILAMENT_S = 0.06


@kept
def _contact_course(seed: int, block: int, bursts_per_min: float) -> Course:
    """When a contact opens and closes: 1 closed, 0 open."""
    rng = drawn(seed, block, "contact")
    events: list[tuple[float, float]] = []
    for start in np.sort(rng.uniform(0.2, BLOCK_S - 1.2, rng.poisson(bursts_per_min * BLOCK_S / 60.0))):
        at = float(start)
        for _ in range(1 + int(rng.geometric(0.3))):
            events.append((at, 0.0))
            at += float(rng.lognormal(np.log(0.05), 0.7))
            events.append((at, 1.0))
            at += float(rng.lognormal(np.log(0.08), 0.7))
    times, levels, last = [0.0], [1.0], 0.0
    for at, level in events:
        if at > last:
            times.append(at)
            levels.append(level)
            last = at
    return Course.of_switch(times, levels, BLOCK_S - 0.5)


@flicker_kind(
    "loose contact", "a bulb that cuts out for moments",
    rows=(
        row("bursts", "bursts", "bursts_per_min", "/min", 1.0, 60.0, 12.0, ratio=True, floor=0.05, ceiling=600.0,
            tip="how often the contact gives way"),
        row("flicker depth", "depth", "depth", "", 0.0, 1.0, 0.9, floor=0.0, ceiling=1.0,
            tip="how dark it gets while the contact is open"),
        SEED,
    ),
)  # fmt: skip
@attrs.frozen
class LooseContact(Flicker):
    """Bursts of short breaks, at random; a filament follows its current within some hundredths of a second. The
    source's level is that of the closed contact.
    """

    bursts_per_min: float = 12.0
    depth: float = 0.9
    seed: int = 1

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        def block(number: int, at: NDArray) -> NDArray:
            course = _contact_course(self.seed, number, self.bursts_per_min)
            glow = np.ones(len(course.times) + 1)
            spans = np.diff(np.append(course.times, BLOCK_S))
            for i, (level, span) in enumerate(zip(course.levels, spans)):
                glow[i + 1] = level + (glow[i] - level) * np.exp(-span / FILAMENT_S)
            index = course.part_at(at)
            level, since = course.levels[index], at - course.times[index]
            return level + (glow[index] - level) * np.exp(-since / FILAMENT_S)

        burning = by_blocks(seconds, BLOCK_S, block)
        return np.repeat((1 - self.depth * (1 - burning))[:, None], 3, 1)
