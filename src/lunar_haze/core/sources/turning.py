"""Lamps that turn: a beacon, and headlamps that pass."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.flicker_kinds import Flicker, flicker_kind
from lunar_haze.core.units.row import row
from lunar_haze.core.units.smooth import smoothstep


@flicker_kind(
    "beacon", "a lamp that turns round and round",
    rows=(
        row("turns", "turns", "rpm", "rpm", 1.0, 60.0, 12.0, ratio=True, floor=0.01, ceiling=600.0,
            tip="how often it comes round in a minute"),
        row("turned by", "rotation at first", "first_deg", "°", 0.0, 360.0, 0.0, floor=-360.0, ceiling=360.0,
            tip="away from its aim, clockwise, at the first frame"),
    ),
)  # fmt: skip
@attrs.frozen
class Beacon(Flicker):
    """Turns clockwise from ``first_deg`` away from its aim, ``rpm`` times a minute."""

    rpm: float = 12.0
    first_deg: float = 0.0

    def turned_deg(self, second: float) -> float:
        return (self.first_deg + 6.0 * self.rpm * second) % 360.0

    @property
    def turns(self) -> bool:
        return True


@flicker_kind(
    "headlamps", "beams that sweep past, then nothing for a while",
    rows=(
        row("sweep", "sweep", "sweep_deg", "°", 20.0, 180.0, 90.0, floor=-360.0, ceiling=360.0,
            tip="how far they turn while they pass, clockwise above 0; their aim is in the middle"),
        row("pass time", "time to pass", "pass_s", "s", 0.5, 10.0, 2.5, ratio=True, floor=0.05, ceiling=600.0,
            tip="from when they come up to when they are gone"),
        row("every", "every", "every_s", "s", 2.0, 60.0, 6.0, ratio=True, floor=0.1, ceiling=3600.0,
            tip="time from one car to the next"),
    ),
)  # fmt: skip
@attrs.frozen
class Headlamps(Flicker):
    """Come up, sweep by about their aim and fade within ``pass_s``, again ``every_s``."""

    sweep_deg: float = 90.0
    pass_s: float = 2.5
    every_s: float = 6.0

    def _share(self, seconds: NDArray) -> NDArray[np.float64]:
        """How far a pass has come at moments, 0 to 1; past 1 it is over."""
        return np.mod(seconds, max(self.every_s, self.pass_s)) / self.pass_s

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        share = self._share(np.asarray(seconds, float))
        level = np.array([smoothstep(min(s / 0.2, (1 - s) / 0.2)) if s < 1 else 0.0 for s in share.tolist()])
        return np.repeat(level[:, None], 3, 1)

    def turned_deg(self, second: float) -> float:
        share = min(float(self._share(np.array([second]))[0]), 1.0)
        # As a car on a straight road is seen from its side: slow far off, fast as it passes.
        return self.sweep_deg / 2 * math.atan(6.0 * (share - 0.5)) / math.atan(3.0)

    @property
    def turns(self) -> bool:
        return True
