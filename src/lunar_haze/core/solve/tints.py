"""Colour temperatures that may move: what a source's light and its region sums become when it is warmer or cooler."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg, warmed
from lunar_haze.core.readings.shares import Share, Shares, Sums

#: Between these colour temperatures lamps are moved [K].
WARMEST_LAMP_K, COOLEST_LAMP_K = 1500.0, 12_000.0
#: Sums are known at so many steps of a span, and from about so many pixels.
_NODES, _PIXELS = 9, 8000


@attrs.frozen
class Tint:
    """A colour temperature [K] that may become warmer by ``up`` and cooler by ``down`` at the most [mired, >= 0]."""

    kelvin: float
    down: float
    up: float

    @property
    def span(self) -> tuple[float, float]:
        """How far it goes [mired, warmer above 0], within what lamps have."""
        now = 1e6 / self.kelvin
        cool, warm = 1e6 / COOLEST_LAMP_K - now, 1e6 / WARMEST_LAMP_K - now
        return min(max(-self.down, cool), 0.0), max(min(self.up, warm), 0.0)


def factor(kelvin: float, mired: float) -> NDArray[np.float64]:
    """What a lamp's colour (3,) is multiplied by when it becomes ``mired`` [mired] warmer than ``kelvin`` [K]."""
    return kelvin_to_acescg(warmed(kelvin, mired)) / kelvin_to_acescg(kelvin)


def tinted(shares: Shares, by: dict[str, tuple[Tint, float]]) -> Shares:
    """The shares with some sources warmer by so many mired."""
    sources = tuple(
        attrs.evolve(s, light=s.light * factor(by[s.id][0].kelvin, by[s.id][1]).astype(np.float32)) if s.id in by else s
        for s in shares.sources
    )
    return Shares(sources, shares.scale, shares.subject)


class TintTables:
    """Region sums of every source at steps between ``low`` and ``high`` (n,) [mired], read in between."""

    def __init__(self, shares: Shares, free: dict[str, Tint], low: NDArray, high: NDArray) -> None:
        few = shares.thinned(max(round(math.sqrt(shares.shape[0] * shares.shape[1] / _PIXELS)), 1))
        #: (n, nodes) [mired]
        self._mired = np.linspace(low, high, _NODES, axis=1)
        now, thin = shares.sums, few.sums
        table = {name: np.repeat(getattr(now, name)[:, None], _NODES, 1) for name in attrs.fields_dict(Sums)}
        for n, share in enumerate(few.sources):
            if share.id not in free or not self._mired[n, -1] > self._mired[n, 0]:
                continue
            at = tuple(
                Share(
                    share.id, share.name, share.role, share.light * factor(free[share.id].kelvin, m).astype(np.float32)
                )
                for m in self._mired[n]
            )
            sums = Shares(at, few.scale, few.subject).sums
            for name in table:
                # Every n-th pixel tells how a sum changes; what it is now is told by all of them.
                here = getattr(thin, name)[n]
                table[name][n] = getattr(sums, name) * (getattr(now, name)[n] / here if here > 0 else 1.0)
        self._table = table

    def at(self, mired: NDArray) -> tuple[Sums, Sums]:
        """The sums at so many mired (n,), and how they change with each mired."""
        rows = np.arange(len(mired))
        width = (self._mired[:, -1] - self._mired[:, 0]) / (_NODES - 1)
        moves = width > 0
        place = np.where(moves, (mired - self._mired[:, 0]) / np.where(moves, width, 1.0), 0.0)
        low = np.clip(place.astype(int), 0, _NODES - 2)
        f = np.clip(place - low, 0.0, 1.0)
        now, change = {}, {}
        for name, table in self._table.items():
            a, b = table[rows, low], table[rows, low + 1]
            now[name] = a + f * (b - a)
            change[name] = np.where(moves, (b - a) / np.where(moves, width, 1.0), 0.0)
        return Sums(**now), Sums(**change)
