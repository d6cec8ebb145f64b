"""Settle: the smallest change of dimmers, colour temperatures and exposure under which readings are what is asked for.

Every ask is ``log2(n . g / d . g) = t`` on region sums of the shares, with the sources' gains g: no pixels enter.
Where a colour temperature may move, its source's sums are known at steps of mired and read in between. Gauss and
Newton's steps of least norm, with bounds as an active set; where many bounds are active SciPy's trust region takes over
(Branch, Coleman & Li 1999). Colour temperatures are then held at what was found, and the dimmers solved once more with
the exact sums. What cannot be met is named, with the source that stands in the way.
"""

import math
from typing import Protocol

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.readings.ratios import groups
from lunar_haze.core.readings.shares import Shares, Sums
from lunar_haze.core.solve.asks import Ask, AskError
from lunar_haze.core.solve.tints import Tint, TintTables, tinted
from lunar_haze.core.units.photometry import MID_GREY

#: An ask is met within so many stops.
MET = 0.05
#: A step moves no dimmer by more [stops]; so many are tried.
_STEP, _STEPS = 2.0, 40
#: How far dimmers go when nothing else is said [stops].
SPAN = (-10.0, 10.0)
#: Mired that weigh as much as a stop of a dimmer, and below which a colour temperature stays.
STEP_MIRED, LEAST_MIRED = 20.0, 1.0
#: A second solution looks so far about the first [mired].
_FINER = 6.0
#: How much a stop of change weighs against a stop of an ask, where asks cannot all be met.
_SMALL = 1e-4


@attrs.frozen(eq=False)
class Row:
    """One ask on sums: log2((n . g) e / (d . g e + c)) = target, n and d (sources,); with c the exposure e counts."""

    over: NDArray[np.float64]
    under: NDArray[np.float64]
    constant: float
    target: float


def rows_of(shares: Shares, asks: tuple[Ask, ...]) -> list[Row]:
    """The asks on the region sums of shares. Raises AskError for what a picture like this has not."""
    sides = _Sides(shares)
    rows = []
    for ask in asks:
        if ask.kind in ("subject", "subject level") and shares.subject is None:
            raise AskError(f"{ask.words}: there is no subject in the picture; click it, “make ... the subject”")
        row = sides.row(ask, shares.sums)
        if row.over.sum() <= 0 or row.under.sum() + row.constant <= 0:
            side = "one" if row.over.sum() <= 0 else "other"
            raise AskError(f"{ask.words}: nothing gives the {side} side of it")
        rows.append(row)
    return rows


class _Sides:
    """Which sums stand on the two sides of an ask, with the roles that sources have now; linear in the sums, so that
    their slopes pass through as well.
    """

    def __init__(self, shares: Shares) -> None:
        self._shares = shares
        self._key, self._fill, self._rim = groups(shares, self._on(shares.sums))

    def _on(self, sums: Sums) -> NDArray:
        return sums.subject if self._shares.subject is not None else sums.frame

    def row(self, ask: Ask, sums: Sums) -> Row:
        on = self._on(sums)
        if ask.kind == "key to fill":
            return Row(on * self._key, on * self._fill, 0.0, _log(ask, ask.value - 1.0))
        if ask.kind == "rim to key":
            return Row(on * self._rim, on * self._key, 0.0, _log(ask, ask.value))
        if ask.kind == "warm":
            return Row(sums.warm, sums.frame - sums.warm, 0.0, _odds(ask))
        if ask.kind == "share":
            mine = np.zeros(len(on))
            mine[self._shares.index(ask.source_id)] = 1.0
            return Row(on * mine, on * (1 - mine), 0.0, _odds(ask))
        if ask.kind == "subject":
            return Row(sums.subject, sums.rest, 0.0, ask.value)
        return Row(sums.subject * self._shares.scale, np.zeros(len(on)), MID_GREY, ask.value)


def _log(ask: Ask, value: float) -> float:
    if not value > 0:
        raise AskError(f"{ask.words} cannot be: no light at all on one side of it")
    return math.log2(value)


def _odds(ask: Ask) -> float:
    return _log(ask, ask.value / (1 - ask.value) if ask.value < 1 else 0.0)


class Problem(Protocol):
    """What is left of each ask (m,) [stops] at x, and how that changes with each number of x (m, len(x))."""

    def residuals(self, x: NDArray) -> NDArray[np.float64]:
        """What is left of each ask (m,) [stops] at x (n,)."""
        ...

    def slopes(self, x: NDArray) -> NDArray[np.float64]:
        """How each of that changes with each number of x (n,): (m, n)."""
        ...


class ByDimmers:
    """Asks on fixed sums: x is the dimmers' moves and the exposure's, in stops."""

    def __init__(self, rows: list[Row]) -> None:
        self.rows = rows

    def residuals(self, x: NDArray) -> NDArray[np.float64]:
        gain = np.exp2(x[:-1])
        return np.array([_left(row, gain, x[-1]) for row in self.rows])

    def slopes(self, x: NDArray) -> NDArray[np.float64]:
        gain = np.exp2(x[:-1])
        return np.stack([np.append(_by_dimmer(row, gain), float(row.constant > 0)) for row in self.rows])


class ByColours:
    """Asks on sums that change with colour temperatures: x is dimmers [stops], colours [steps of mired], exposure."""

    def __init__(self, shares: Shares, asks: tuple[Ask, ...], tables: TintTables) -> None:
        self._asks, self._tables, self._sides = asks, tables, _Sides(shares)
        self._count = len(shares.sources)

    def _at(self, x: NDArray) -> tuple[NDArray, list[Row], list[Row]]:
        n = self._count
        now, change = self._tables.at(STEP_MIRED * x[n : 2 * n])
        return np.exp2(x[:n]), *([self._sides.row(ask, sums) for ask in self._asks] for sums in (now, change))

    def residuals(self, x: NDArray) -> NDArray[np.float64]:
        gain, rows, _changes = self._at(x)
        return np.array([_left(row, gain, x[-1]) for row in rows])

    def slopes(self, x: NDArray) -> NDArray[np.float64]:
        gain, rows, changes = self._at(x)
        found = []
        for row, change in zip(rows, changes):
            over, under = _floored(row.over @ gain), _floored(row.under @ gain + row.constant)
            by_colour = (change.over * gain / over - change.under * gain / under) * STEP_MIRED / math.log(2.0)
            found.append(np.concatenate([_by_dimmer(row, gain), by_colour, [float(row.constant > 0)]]))
        return np.stack(found)


def _floored(light: float) -> float:
    return max(float(light), 1e-300)


def _left(row: Row, gain: NDArray, exposure: float) -> float:
    ratio = _floored(row.over @ gain) / _floored(row.under @ gain + row.constant)
    return math.log2(ratio) - row.target + (exposure if row.constant > 0 else 0.0)


def _by_dimmer(row: Row, gain: NDArray) -> NDArray[np.float64]:
    return row.over * gain / _floored(row.over @ gain) - row.under * gain / _floored(row.under @ gain + row.constant)


@attrs.frozen(eq=False)
class Settled:
    """What moves: dimmers (n,) [stops], colour temperatures (n,) [mired, warmer above 0], the exposure [stops]; what is
    left of each ask (m,) [stops], and sentences on what cannot be met.
    """

    moves: NDArray[np.float64]
    mireds: NDArray[np.float64]
    exposure: float
    left: NDArray[np.float64]
    unmet: tuple[str, ...]


def settle(
    shares: Shares,
    asks: tuple[Ask, ...],
    locked: frozenset[str] = frozenset(),
    spans: dict[str, tuple[float, float]] | None = None,
    colours: dict[str, Tint] | None = None,
    exposure: tuple[float, float] = (0.0, 0.0),
) -> Settled:
    """The smallest change that meets asks; ``locked`` sources stay, others keep to their ``spans`` [stops].

    ``colours`` are the colour temperatures that may move and how far; ``exposure`` how far it may [stops]. Raises
    AskError for an ask that this picture has no sides for.
    """
    rows = rows_of(shares, asks)
    count = len(shares.sources)
    low, high = np.full(count + 1, SPAN[0]), np.full(count + 1, SPAN[1])
    low[-1], high[-1] = exposure
    for n, share in enumerate(shares.sources):
        if share.id in locked:
            low[n] = high[n] = 0.0
        elif spans and share.id in spans:
            low[n], high[n] = max(spans[share.id][0], SPAN[0]), min(spans[share.id][1], SPAN[1])
    mireds = np.zeros(count)
    free = {i: tint for i, tint in (colours or {}).items() if i not in locked}
    if free and np.abs(ByDimmers(rows).residuals(np.zeros(count + 1))).max() > 0.2 * MET:
        mireds = _colours_moved(shares, asks, free, low, high)
        rows = rows_of(tinted(shares, {s.id: (free[s.id], m) for s, m in zip(shares.sources, mireds) if m}), asks)
    problem = ByDimmers(rows)
    x = solve(problem, low, high)
    left = problem.residuals(x)
    return Settled(x[:-1], mireds, float(x[-1]), left, _named(shares, asks, problem, left, low, high))


def _colours_moved(
    shares: Shares, asks: tuple[Ask, ...], free: dict[str, Tint], low: NDArray, high: NDArray
) -> NDArray[np.float64]:
    """How far colour temperatures go (n,) [mired] in the smallest change of all that may move."""
    count = len(shares.sources)
    ends = np.array([free[s.id].span if s.id in free else (0.0, 0.0) for s in shares.sources]).T
    near, far = ends
    for _again in range(2):
        bounds = (np.concatenate([a[:-1], end / STEP_MIRED, a[-1:]]) for a, end in zip((low, high), (near, far)))
        x = solve(ByColours(shares, asks, TintTables(shares, free, near, far)), *bounds)
        mireds = STEP_MIRED * x[count : 2 * count]
        # Once more with finer steps about what was found.
        near, far = np.clip(mireds - _FINER, *ends), np.clip(mireds + _FINER, *ends)
    return np.where(np.abs(mireds) > LEAST_MIRED, mireds, 0.0)


def solve(problem: Problem, low: NDArray, high: NDArray) -> NDArray[np.float64]:
    """What moves (n,), of least norm within bounds ``low`` and ``high`` (n,), so that a problem's asks are met.

    Where they cannot be, they come as near as they can. Moves are in stops, and in steps of mired.
    """
    from scipy.optimize import least_squares

    moves = np.clip(np.zeros(len(low)), low, high)
    best, least = moves, math.inf
    for _ in range(_STEPS):
        left = problem.residuals(moves)
        worst = float(np.abs(left).max())
        if worst < least:
            best, least = moves, worst
        if worst < 1e-4 * MET:
            break
        step = _least_norm(problem.slopes(moves), left, moves, low, high)
        longest = np.abs(step).max()
        if longest < 1e-9:
            break
        moves = np.clip(moves + step * min(1.0, _STEP / longest), low, high)
    else:
        worst = float(np.abs(problem.residuals(moves)).max())
        if worst < least:
            best, least = moves, worst
    if least < 0.2 * MET:
        return best
    free = high - low > 1e-9
    if not free.any():
        return best

    def spread(x: NDArray) -> NDArray:
        whole = best.copy()
        whole[free] = x
        return whole

    def wrong(x: NDArray) -> NDArray:
        return np.concatenate([problem.residuals(spread(x)), _SMALL * x])

    start = np.clip(np.zeros(free.sum()), low[free] + 1e-9, high[free] - 1e-9)
    other = spread(least_squares(wrong, start, bounds=(low[free], high[free]), x_scale=1.0).x)
    return other if np.abs(problem.residuals(other)).max() <= least else best


def _least_norm(slopes: NDArray, left: NDArray, moves: NDArray, low: NDArray, high: NDArray) -> NDArray[np.float64]:
    """The step to the point of least norm that meets the linearised asks, what is at a bound left there."""
    step = np.zeros(len(moves))
    free = high - low > 1e-12
    for _ in range(len(moves)):
        if not free.any():
            break
        j = slopes[:, free]
        at = moves[free]
        aim = j @ at - left - slopes[:, ~free] @ (step[~free])
        target, *_ = np.linalg.lstsq(j, aim, rcond=1e-10)
        step[free] = target - at
        past = (moves + step > high + 1e-12) | (moves + step < low - 1e-12)
        past &= free
        if not past.any():
            break
        step[past] = np.clip(moves + step, low, high)[past] - moves[past]
        free &= ~past
    return step


# -- what cannot be met -------------------------------------------------------------------------------


def reach_of(row: Row, low: NDArray, high: NDArray) -> tuple[float, float]:
    """The least and the most [stops about the target] that one row comes to within bounds, exactly.

    The last of the bounds are the exposure's.

    A ratio of two sums is extreme where every gain is at one of its ends: those with the larger n / d up, the rest
    down, for some place of the parting (a fractional programme: Dinkelbach 1967). ``low`` and ``high`` are (unknowns,)
    [stops].
    """
    ends = np.exp2(low[:-1]), np.exp2(high[:-1])
    ratio = row.over / np.maximum(row.under, 1e-300)
    order = np.argsort(-ratio, kind="stable")
    found = []
    for largest in (True, False):
        up, down = (ends[1], ends[0]) if largest else (ends[0], ends[1])
        best = None
        for parted in range(len(order) + 1):
            gain = np.where(np.isin(np.arange(len(order)), order[:parted]), up, down)
            n, d = row.over @ gain, row.under @ gain + row.constant
            if n > 0 and d > 0:
                value = math.log2(n / d) - row.target
                best = value if best is None else (max if largest else min)(best, value)
        found.append(best if best is not None else 0.0)
    exposure = (low[-1], high[-1]) if row.constant > 0 else (0.0, 0.0)
    return found[1] + exposure[0], found[0] + exposure[1]


def _named(
    shares: Shares, asks: tuple[Ask, ...], problem: ByDimmers, left: NDArray, low: NDArray, high: NDArray
) -> tuple[str, ...]:
    if not (np.abs(left) > MET).any():
        return ()
    told, rows = [], problem.rows
    for ask, row in zip(asks, rows):
        least, most = reach_of(row, low, high)
        if least > MET or most < -MET:
            nearest = least if least > 0 else most
            why = _why(shares, row, low, high)
            told.append(f"{ask.words} cannot be met ({why}); the nearest is {nearest:+.1f} stops off")
    if told:
        return tuple(told)
    clash = _clashing(rows, low, high)
    words = [asks[n].words for n in clash]
    return (f"{' and '.join(words)} cannot be met together",)


def _why(shares: Shares, row: Row, low: NDArray, high: NDArray) -> str:
    """The source that is held and would help most."""
    n, d = float(row.over.sum()), float(row.under.sum()) + row.constant
    pull = np.abs(row.over / max(n, 1e-300) - row.under / max(d, 1e-300))
    held = (high - low < 2.0)[:-1]
    if not held.any():
        return "however the dimmers stand"
    which = int(np.argmax(np.where(held, pull, -1.0)))
    how = "is locked" if high[which] - low[which] < 1e-9 else "is held within its span"
    return f"{shares.sources[which].name} {how}"


def _clashing(rows: list[Row], low: NDArray, high: NDArray) -> list[int]:
    """A smallest set of rows that cannot be met together: each is tried without (deletion filter)."""
    kept = list(range(len(rows)))
    for n in list(kept):
        rest = [k for k in kept if k != n]
        others = ByDimmers([rows[k] for k in rest])
        if rest and np.abs(others.residuals(solve(others, low, high))).max() > MET:
            kept = rest
    return kept
