"""Other balances of the same light, spread so that they look as different as they can.

After Marks et al. (1997), Design galleries: many random balances are made, seen, and thinned to the few that lie
farthest from the present one and from each other (farthest-point selection: Gonzalez 1985). The mean level is kept:
mere brightness would win otherwise.
"""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.readings.ratios import groups
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Share, Shares

#: Balances that are tried, moves that a dimmer may make [stops], pixels across that they are compared on.
TRIED, MOVES, WIDTH = 1200, (-2.0, 0.0, 2.0), 24
#: Balances that are tried beside each that was chosen, and how often.
BESIDE, _ROUNDS = 24, 5
#: Hue counts so much more than value.
_WEIGHTS = np.array([1.0, 2.0, 2.0], np.float32)

Show = Callable[[NDArray[np.float32], float], NDArray[np.uint8]]


@attrs.frozen(eq=False)
class Variation:
    """A balance: dimmer moves [stops] by source id, how it differs in words, how far it looks from the present one."""

    moves: tuple[tuple[str, float], ...]
    words: str
    apart: float


def variations(
    shares: Shares, show: Show, count: int = 9, held: frozenset[str] = frozenset(), seed: int = 0
) -> tuple[Variation, ...]:
    """Up to ``count`` balances of ``shares`` as unlike as they can be; ``held`` sources keep their dimmers.

    The same ``seed`` gives the same ones.

    ``show`` turns light (h, w, 3) [cd/m2] under an exposure factor into screen pixels (h, w, 3), red first.
    """
    free = np.array([share.id not in held for share in shares.sources])
    if not free.any() or not shares.luminance.max() > 0:
        return ()
    small = _smaller(shares)
    lights = np.stack([share.light for share in small.sources])
    moves = _tried(small, free, seed)
    seen = _seen(lights, moves, shares.scale, show)
    first = _seen(lights, np.zeros((1, len(free))), shares.scale, show)
    from_now = _apart(seen, first[0])
    chosen = _spread(seen, from_now, count)
    # What lies beside those that were chosen may lie farther from the rest.
    for again in range(_ROUNDS):
        more = _beside(small, moves[chosen], free, seed + again)
        moves = np.concatenate([moves[chosen], more])
        seen = np.concatenate([seen[chosen], _seen(lights, more, shares.scale, show)])
        from_now = _apart(seen, first[0])
        chosen = _exchanged(seen, from_now, list(range(len(chosen))))
    ids = [share.id for share in shares.sources]
    found = []
    for n in chosen:
        lines = tuple((i, round(float(m), 2)) for i, m in zip(ids, moves[n]) if abs(m) > 0.02)
        found.append(Variation(lines, _words(small, moves[n]), float(from_now[n])))
    return tuple(found)


def _spread(seen: NDArray, from_now: NDArray, count: int) -> list[int]:
    """Those that lie farthest from the present one and from each other."""
    chosen: list[int] = []
    nearest = from_now.copy()
    for _ in range(min(count, len(seen))):
        pick = int(np.argmax(nearest))
        if nearest[pick] < 1e-4:
            break
        chosen.append(pick)
        nearest = np.minimum(nearest, _apart(seen, seen[pick]))
    return chosen


def _exchanged(seen: NDArray, from_now: NDArray, chosen: list[int]) -> list[int]:
    """Each that was chosen gives way to whatever lies farther from all the others."""
    chosen, rows = list(chosen), [_apart(seen, seen[pick]) for pick in chosen]
    for k in range(len(chosen)):
        others = np.minimum.reduce([from_now, *(row for n, row in enumerate(rows) if n != k)])
        pick = int(np.argmax(others))
        if others[pick] > 1.001 * others[chosen[k]]:
            chosen[k], rows[k] = pick, _apart(seen, seen[pick])
    return chosen


def _smaller(shares: Shares) -> Shares:
    step = max(shares.shape[1] // WIDTH, 1)
    sources = tuple(
        Share(s.id, s.name, s.role, np.ascontiguousarray(block_mean(np.ascontiguousarray(s.light), step)))
        for s in shares.sources
    )
    return Shares(sources, shares.scale)


def _tried(small: Shares, free: NDArray[np.bool_], seed: int) -> NDArray[np.float64]:
    """Moves (n, sources) [stops] that keep the mean level of the picture in stops, where a free source can."""
    rng = np.random.default_rng(seed)
    by_chance = rng.choice(MOVES, (TRIED // 3, len(free)))
    # Moves by chance alone cancel out where there are many sources: others go by colour, by place, or for one source.
    about = _traits(small) @ rng.normal(size=(4, TRIED - TRIED // 3))
    about += 0.3 * rng.normal(size=about.shape)
    together = MOVES[2] * np.sign(about).T
    alone = MOVES[0] + (MOVES[2] - MOVES[0]) * np.eye(len(free))
    return _levelled(small, np.concatenate([by_chance, together, alone]), free)


def _beside(small: Shares, moves: NDArray, free: NDArray[np.bool_], seed: int) -> NDArray[np.float64]:
    """Balances beside each of some: a few of their dimmers go another way."""
    rng = np.random.default_rng(seed + 1)
    made = np.repeat(moves, BESIDE, axis=0)
    others = rng.choice(MOVES, made.shape)
    return _levelled(small, np.where(rng.random(made.shape) < 2.5 / made.shape[1], others, made), free)


def _levelled(small: Shares, moves: NDArray, free: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Moves (n, sources) [stops] of free sources under which the picture's mean level in stops stays."""
    moves = moves * free
    light = small.luminances.reshape(len(free), -1).astype(np.float64)
    floor = 1e-3 * float(light.sum(0).mean()) + 1e-30
    level = float(np.log2(light.sum(0) + floor).mean())
    for _ in range(3):
        now = np.log2(np.exp2(moves) @ light + floor).mean(1)
        moves = moves - (now - level)[:, None] * free
    return np.clip(moves, -8.0, 8.0)


def _traits(small: Shares) -> NDArray[np.float64]:
    """What tells sources apart (sources, 4), each about zero and of one width: warmth, where in the frame, level."""
    light = small.luminances.reshape(len(small.sources), -1).astype(np.float64) + 1e-30
    rows, columns = (axis.ravel() for axis in np.mgrid[0 : small.shape[0], 0 : small.shape[1]])
    total = light.sum(1)
    mean = np.stack([s.light.reshape(-1, 3).mean(0, dtype=np.float64) for s in small.sources]) + 1e-30
    found = np.stack(
        [np.log2(mean[:, 0] / mean[:, 2]), light @ columns / total, light @ rows / total, np.log2(total)], axis=1
    )
    return (found - found.mean(0)) / np.maximum(found.std(0), 1e-9)


def _seen(lights: NDArray, moves: NDArray, scale: float, show: Show) -> NDArray[np.float64]:
    """Balances as the screen shows them, in Oklab: (n, pixels, 3)."""
    count, height, width, _ = lights.shape
    pictures = np.exp2(moves) @ lights.reshape(count, -1).astype(np.float64)
    screen = show(np.ascontiguousarray(pictures.reshape(len(moves) * height, width, 3), np.float32), scale)
    return screen_lab(screen).reshape(len(moves), height * width, 3).astype(np.float32)


def _apart(seen: NDArray, one: NDArray) -> NDArray[np.float64]:
    change = seen - one
    change *= _WEIGHTS
    return np.sqrt(np.einsum("npc,npc->np", change, change)).mean(1)


def _words(small: Shares, moves: NDArray) -> str:
    """What differs most, in a few words: which source leads, warmth, key against fill."""
    gain = np.exp2(moves)
    sums = small.sums
    before, after = sums.frame, sums.frame * gain
    told = []
    if np.argmax(after) != np.argmax(before):
        told.append(f"{small.sources[int(np.argmax(after))].name} leads")
    warm = [float(sums.warm @ g) / max(float(sums.frame @ g), 1e-30) for g in (np.ones(len(gain)), gain)]
    if abs(warm[1] - warm[0]) > 0.08:
        told.append("warmer" if warm[1] > warm[0] else "cooler")
    key, fill, _rim = groups(small, before)
    hard = [float(g[key] @ before[key]) / max(float(g[fill] @ before[fill]), 1e-30) for g in (np.ones(len(gain)), gain)]
    if hard[0] > 0 and hard[1] > 0 and not 0.5 < hard[1] / hard[0] < 2.0:
        told.append("harder" if hard[1] > hard[0] else "softer")
    if not told:
        most = int(np.argmax(np.abs(moves) * after))
        told.append(f"{small.sources[most].name} {'up' if moves[most] > 0 else 'down'}")
    return ", ".join(told)
