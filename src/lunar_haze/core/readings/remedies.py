"""What would help, tried on the shares: of the moves that a hand could make, the one that mends most and harms least.

Every candidate is measured by the sums that it would make, on fewer pixels than the reading itself.
"""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.readings.levels import DARKEST, ENDS, Latitude, stops
from lunar_haze.core.readings.outline import FAR, NEAR, SAMPLES
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.units.photometry import MID_GREY

#: Moves of a dimmer or of the exposure that are tried [stops]; in every n-th pixel each way.
_MOVES = np.array([1.0, -1.0, 2.0, -2.0, 3.0, -3.0])
_EACH = 8
#: How far the sides of an outline have to lie apart to be told apart [stops], and of how many points that is asked.
_APART, _POINTS = 0.8, 150
#: What makes a move worth proposing, and what a stop of it and a stop of the subject's light cost; all in shares of
#: the fault at hand.
_WORTH, _COST_OF_A_STOP, _COST_OF_SUBJECT = 0.04, 0.03, 0.1
#: Shares of the picture, and stops, that count as a whole fault.
_CLIPPED, _STOPS = 0.125, 3.0


@attrs.frozen
class Remedy:
    """What would help: dimmers to be moved [stops] by source id, sources to be muted, exposure to be moved [stops]."""

    words: str
    dimmers: tuple[tuple[str, float], ...] = ()
    mute: tuple[str, ...] = ()
    exposure: float = 0.0


def moved(shares: Shares, number: int, move: float) -> Remedy:
    """The remedy of moving the dimmer of source ``number`` by ``move`` [stops]."""
    source = shares.sources[number]
    return Remedy(f"{source.name} {told(move)}", ((source.id, move),))


def exposed(move: float) -> Remedy:
    """The remedy of another exposure."""
    return Remedy(f"exposure {told(move)}", exposure=move)


def told(move: float) -> str:
    """A move in words."""
    size = f"{abs(move):.2g}".rstrip("0").rstrip(".") if abs(move) % 1 else f"{abs(move):.0f}"
    return f"{'up' if move > 0 else 'down'} by {size} stop{'' if abs(abs(move) - 1) < 1e-9 else 's'}"


@attrs.frozen(eq=False)
class Faults:
    """How much of each fault the tried pictures have (candidates,), 0 for none, 1 for all of it."""

    merged: NDArray[np.float64]
    everywhere: NDArray[np.float64]
    flat: NDArray[np.float64]
    clipped: NDArray[np.float64]


class Trials:
    """Every source's dimmer and the exposure, moved by each of a few stops, and what becomes of the picture's faults.

    ``dark`` is the share of a night that lies under ``under`` stops; None by day. ``flat`` is the spread under which
    a picture is flat [stops].
    """

    def __init__(self, shares: Shares, latitude: Latitude, flat: float, dark: float | None, under: float) -> None:
        self._shares, self._latitude, self._flat, self._dark, self._under = shares, latitude, flat, dark, under
        count = len(shares.sources)
        # The last in the row is the exposure; the first picture tried is the present one.
        self._who = np.concatenate([[0], np.repeat(np.arange(count + 1), len(_MOVES))])
        self._move = np.concatenate([[0.0], np.tile(_MOVES, count + 1)])

    def _moved(self, parts: NDArray) -> NDArray[np.floating]:
        """The sums of parts (n, m) under every candidate (c, m)."""
        gain = np.exp2(self._move).astype(parts.dtype)[:, None]
        total = parts.sum(0)
        own = np.concatenate([parts, total[None]])[self._who]
        return np.maximum(total + (gain - 1.0) * own, 0.0)

    @functools.cached_property
    def faults(self) -> Faults:
        """What becomes of each fault."""
        shares, latitude = self._shares, self._latitude
        few = shares.luminances[:, ::_EACH, ::_EACH].reshape(len(shares.sources), -1)
        light = np.sort(stops(self._moved(few), shares.scale), axis=1)

        def at(share: float) -> NDArray[np.floating]:
            return light[:, round(share * (light.shape[1] - 1))]

        spread = at(1 - ENDS) - np.maximum(at(ENDS), DARKEST)
        dark = np.zeros(len(light)) if self._dark is None else np.maximum(at(self._dark) - self._under, 0.0)
        return Faults(
            self._merged(),
            dark / _STOPS,
            np.maximum(self._flat - spread, 0.0) / _STOPS,
            (light > latitude.high).mean(1) / _CLIPPED,
        )

    def _merged(self) -> NDArray[np.float64]:
        shares = self._shares
        found = shares.edge
        if found is None:
            return np.zeros(len(self._move))
        rows, columns, normal = found
        each = max(len(rows) // _POINTS, 1)
        floor = MID_GREY * 2.0**self._latitude.low / max(shares.scale, 1e-30)
        sides = []
        for way in (1.0, -1.0):
            total = np.zeros((len(shares.sources), len(rows[::each])), np.float32)
            for away in np.linspace(NEAR, FAR, SAMPLES):
                at = [
                    np.clip(np.rint(start[::each] + way * away * slope[::each]).astype(int), 0, most - 1)
                    for start, slope, most in zip((rows, columns), normal, shares.shape)
                ]
                total += shares.luminances[:, at[0], at[1]]
            sides.append(np.log2(self._moved(total / SAMPLES) + floor))
        apart = np.clip(np.abs(sides[0] - sides[1]) / _APART, 0.0, 1.0)
        return 1.0 - apart.mean(1)

    def best(self, fault: str) -> tuple[int | None, Remedy] | None:
        """The move that takes most of a fault away and makes no other worse; None when none is worth it.

        The number of its source, None for the exposure, and the remedy.
        """
        mine = getattr(self.faults, fault)
        cost = mine + _COST_OF_A_STOP * np.abs(self._move) + _COST_OF_SUBJECT * self._subject_lost()
        for field in attrs.fields(Faults):
            other = getattr(self.faults, field.name)
            if field.name != fault:
                cost += np.maximum(other - other[0], 0.0)
        n = int(np.argmin(cost))
        if n == 0 or mine[0] - mine[n] < _WORTH:
            return None
        number, move = int(self._who[n]), float(self._move[n])
        if number == len(self._shares.sources):
            return None, exposed(move)
        return number, moved(self._shares, number, move)

    def _subject_lost(self) -> NDArray[np.float64]:
        """Stops of light that the subject loses (candidates,), never below 0."""
        sums = self._shares.sums
        on = (sums.subject if self._shares.subject is not None else sums.frame)[:, None]
        level = np.log2(np.maximum(self._moved(on)[:, 0], 1e-30))
        return np.maximum(level[0] - level, 0.0)
