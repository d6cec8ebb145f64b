"""Settle: the smallest change of dimmers under which readings are what is asked for.

Every ask is ``log2(n . g / d . g) = t`` on region sums of the shares, with the sources' gains g: no pixels enter.
Gauss and Newton's steps of least norm, with bounds as an active set; where many bounds are active SciPy's trust
region takes over (Branch, Coleman & Li 1999). What cannot be met is named, with the source that stands in the way.
"""

import math
import re

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from lunar_haze.core.errors import HazeError
from lunar_haze.core.readings.ratios import groups
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.units.photometry import MID_GREY

#: An ask is met within so many stops.
MET = 0.05
#: A step moves no dimmer by more [stops]; so many are tried.
_STEP, _STEPS = 2.0, 40
#: How far dimmers go when nothing else is said [stops].
SPAN = (-10.0, 10.0)
#: How much a stop of change weighs against a stop of an ask, where asks cannot all be met.
_SMALL = 1e-4

KINDS = ("key to fill", "rim to key", "subject", "subject level", "warm", "share")


class AskError(HazeError):
    """An ask that is none: a sentence to show."""


@attrs.frozen
class Ask:
    """A reading with a wanted value.

    ``kind`` is one of KINDS; ``value`` a ratio (key to fill, rim to key), stops (subject over the rest; subject level
    about mid grey) or a share in [0, 1] (warm; a source's share of the subject, ``source_id``).
    """

    kind: str
    value: float
    source_id: str = ""

    @property
    def words(self) -> str:
        """What is asked for, as it is told."""
        if self.kind in ("key to fill", "rim to key"):
            return f"{self.kind} {self.value:.3g} : 1"
        if self.kind in ("warm", "share"):
            return f"{self.kind} {self.value:.0%}"
        return f"{self.kind} {self.value:+.2g} stops"


_RATIO = re.compile(r"^\s*(?P<a>[\d.,]+)\s*(?::|to|/)\s*(?P<b>[\d.,]+)\s*$")
_STOPS = re.compile(
    r"^\s*(?P<n>[+−-]?[\d.,]+)\s*(?:stops?|ev)?\s*(?P<way>under|over|below|above)?(?:\s+the\s+\w+)?\s*$", re.I
)
_SHARE = re.compile(r"^\s*(?:warm|cool)?\s*(?P<n>[\d.,]+)\s*(?P<unit>%)?\s*(?:warm)?\s*$", re.I)


def parse_ask(kind: str, text: str, source_id: str = "") -> Ask:
    """An ask as a person types it: ``4:1``, ``-2 stops``, ``3 stops under``, ``60 %``. Raises AskError."""
    if kind in ("key to fill", "rim to key"):
        match = _RATIO.match(text)
        number = _SHARE.match(text) if match is None else None
        if match is not None and _number(match["b"]) > 0:
            value = _number(match["a"]) / _number(match["b"])
        elif number is not None and not number["unit"]:
            value = _number(number["n"])
        else:
            raise AskError(f"“{text}” is no ratio; type one as 4:1")
        least = 1.0 if kind == "key to fill" else 0.0
        if not least < value <= 1e4:
            more = "more than 1:1, since fill counts on both sides" if least else "more than 0:1"
            raise AskError(f"“{text}” cannot be: {kind} is {more}, and at most 10000:1")
        return Ask(kind, value)
    if kind in ("subject", "subject level"):
        found = _STOPS.match(text)
        if found is None:
            raise AskError(f"“{text}” is no number of stops; type one as -2 stops, or 2 stops under")
        stops = _number(found["n"]) * (-1.0 if (found["way"] or "").lower() in ("under", "below") else 1.0)
        if abs(stops) > 20:
            raise AskError(f"“{text}” cannot be: between -20 and +20 stops")
        return Ask(kind, stops)
    share = _SHARE.match(text)
    if share is None:
        raise AskError(f"“{text}” is no share; type one as 60 %")
    value = _number(share["n"]) / (100.0 if share["unit"] or _number(share["n"]) > 1.0 else 1.0)
    if not 0.0 < value < 1.0:
        raise AskError(f"“{text}” cannot be: a share lies between 0 % and 100 %, both left out")
    if text.strip().lower().startswith("cool"):
        value = 1.0 - value
    return Ask(kind, value, source_id)


def _number(text: str) -> float:
    try:
        value = float(text.replace("−", "-").replace(",", "."))
    except ValueError as error:
        raise AskError(f"“{text}” is no number") from error
    if not math.isfinite(value):
        raise AskError(f"“{text}” is no number that can be used")
    return value


@attrs.frozen(eq=False)
class Row:
    """One ask on sums: log2((n . g) / (d . g + c)) = target, n and d (sources,)."""

    over: NDArray[np.float64]
    under: NDArray[np.float64]
    constant: float
    target: float


def rows_of(shares: Shares, asks: tuple[Ask, ...]) -> list[Row]:
    """The asks on the region sums of shares. Raises AskError for what a picture like this has not."""
    found = shares.sums
    on = found.subject if shares.subject is not None else found.frame
    key, fill, rim = groups(shares, on)
    rows = []
    for ask in asks:
        if ask.kind == "key to fill":
            rows.append(_row(ask, on * key, on * fill, _log(ask, ask.value - 1.0)))
        elif ask.kind == "rim to key":
            rows.append(_row(ask, on * rim, on * key, _log(ask, ask.value)))
        elif ask.kind == "warm":
            rows.append(_row(ask, found.warm, found.frame - found.warm, _odds(ask)))
        elif ask.kind == "share":
            mine = np.zeros(len(on))
            mine[shares.index(ask.source_id)] = 1.0
            rows.append(_row(ask, on * mine, on * (1 - mine), _odds(ask)))
        else:
            if shares.subject is None:
                raise AskError(f"{ask.words}: there is no subject in the picture; click it, “make ... the subject”")
            if ask.kind == "subject":
                rows.append(_row(ask, found.subject, found.rest, ask.value))
            else:
                rows.append(Row(found.subject * shares.scale, np.zeros(len(on)), MID_GREY, ask.value))
    return rows


def _log(ask: Ask, value: float) -> float:
    if not value > 0:
        raise AskError(f"{ask.words} cannot be: no light at all on one side of it")
    return math.log2(value)


def _odds(ask: Ask) -> float:
    return _log(ask, ask.value / (1 - ask.value) if ask.value < 1 else 0.0)


def _row(ask: Ask, over: NDArray, under: NDArray, target: float) -> Row:
    if over.sum() <= 0 or under.sum() <= 0:
        missing = "nothing gives the one side of it" if over.sum() <= 0 else "nothing gives the other side of it"
        raise AskError(f"{ask.words}: {missing}")
    return Row(over, under, 0.0, target)


@attrs.frozen(eq=False)
class Settled:
    """Dimmer moves (n,) [stops], what is left of each ask (m,) [stops], and sentences on what cannot be met."""

    moves: NDArray[np.float64]
    left: NDArray[np.float64]
    unmet: tuple[str, ...]


def settle(
    shares: Shares, asks: tuple[Ask, ...], locked: frozenset[str] = frozenset(),
    spans: dict[str, tuple[float, float]] | None = None,
) -> Settled:  # fmt: skip
    """The smallest change of dimmers that meets asks; ``locked`` sources stay, others keep to their ``spans`` [stops].

    Raises AskError for an ask that this picture has no sides for.
    """
    rows = rows_of(shares, asks)
    low, high = np.full(len(shares.sources), SPAN[0]), np.full(len(shares.sources), SPAN[1])
    for n, share in enumerate(shares.sources):
        if share.id in locked:
            low[n] = high[n] = 0.0
        elif spans and share.id in spans:
            low[n], high[n] = max(spans[share.id][0], SPAN[0]), min(spans[share.id][1], SPAN[1])
    moves = solve(rows, low, high)
    left = _residuals(rows, moves)
    return Settled(moves, left, _named(shares, asks, rows, left, low, high))


def _residuals(rows: list[Row], moves: NDArray) -> NDArray[np.float64]:
    gain = np.exp2(moves)
    return np.array([math.log2((r.over @ gain) / (r.under @ gain + r.constant)) - r.target for r in rows])


def _slopes(rows: list[Row], moves: NDArray) -> NDArray[np.float64]:
    gain = np.exp2(moves)
    return np.stack([r.over * gain / (r.over @ gain) - r.under * gain / (r.under @ gain + r.constant) for r in rows])


def solve(rows: list[Row], low: NDArray, high: NDArray) -> NDArray[np.float64]:
    """Moves (n,) [stops] of least norm within bounds that meet the rows, or come as near as they can."""
    moves = np.clip(np.zeros(len(low)), low, high)
    for _ in range(_STEPS):
        left, slopes = _residuals(rows, moves), _slopes(rows, moves)
        if np.abs(left).max() < 1e-4 * MET:
            break
        step = _least_norm(slopes, left, moves, low, high)
        longest = np.abs(step).max()
        if longest < 1e-9:
            break
        moves = np.clip(moves + step * min(1.0, _STEP / longest), low, high)
    if np.abs(_residuals(rows, moves)).max() < 0.2 * MET:
        return moves
    free = high - low > 1e-9
    if not free.any():
        return moves

    def spread(x: NDArray) -> NDArray:
        whole = moves.copy()
        whole[free] = x
        return whole

    def wrong(x: NDArray) -> NDArray:
        return np.concatenate([_residuals(rows, spread(x)), _SMALL * x])

    start = np.clip(np.zeros(free.sum()), low[free] + 1e-9, high[free] - 1e-9)
    best = spread(least_squares(wrong, start, bounds=(low[free], high[free]), x_scale=1.0).x)
    nearer = np.abs(_residuals(rows, best)).max() <= np.abs(_residuals(rows, moves)).max()
    return best if nearer else moves


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

    A ratio of two sums is extreme where every gain is at one of its ends: those with the larger n / d up, the rest
    down, for some place of the parting (a fractional programme: Dinkelbach 1967).
    """
    ends = np.exp2(low), np.exp2(high)
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
    return found[1], found[0]


def _named(
    shares: Shares, asks: tuple[Ask, ...], rows: list[Row], left: NDArray, low: NDArray, high: NDArray
) -> tuple[str, ...]:
    if not (np.abs(left) > MET).any():
        return ()
    told = []
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
    held = high - low < 2.0
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
        if rest and np.abs(_residuals([rows[k] for k in rest], solve([rows[k] for k in rest], low, high))).max() > MET:
            kept = rest
    return kept
