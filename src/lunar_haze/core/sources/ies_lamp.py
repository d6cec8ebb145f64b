"""A small lamp whose light leaves it as a measured distribution tells (see `distribution`)."""

import math
from typing import Any, ClassVar

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.distribution import EVEN, Distribution, axial_candela, intensity, lumens
from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row
from lunar_haze.core.units.row import row


@source_kind(
    "IES lamp",
    tag="ieslamp",
    rows=(
        radius_row(),
        row("turned", "rotation", "turn_deg", "°", -180.0, 180.0, 0.0, tip="about its axis"),
        REACH_ROW,
    ),
)
@attrs.frozen
class IesLamp(Lamp):
    """A small lamp whose light leaves it as measured. The distribution's nadir points at ``aim``.

    ``turn_deg`` turns it about that axis; ``radius_m`` is how large it looks, which softens shadows.
    """

    sampled_as: ClassVar[str] = "ies lamp"

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.06
    turn_deg: float = 0.0
    distribution: Distribution = EVEN

    def plain(self) -> Lamp:
        even = self.distribution == EVEN
        return attrs.evolve(self, aim=(0.0, 0.0, 0.0), turn_deg=0.0) if even else self

    def area_m2(self) -> float:
        return math.pi * self.radius_m**2

    def radiance_per_lumen(self) -> float:
        return axial_candela(self.distribution) / lumens(self.distribution) / self.area_m2()

    def relative_intensity(self, direction: NDArray) -> float:
        side, up, axis = self.frame()
        cosine = float(direction @ axis)
        down_deg = math.degrees(math.acos(min(max(cosine, -1.0), 1.0)))
        round_deg = math.degrees(math.atan2(float(direction @ up), float(direction @ side)))
        there = float(intensity(self.distribution, np.array(down_deg), np.array(round_deg)))
        return there / axial_candela(self.distribution)

    def frame(self) -> tuple[NDArray, NDArray, NDArray]:
        return facing_frame(self.position, self.aim, self.turn_deg)

    def half_size_m(self) -> tuple[float, float]:
        return self.radius_m, self.radius_m

    def columns(self) -> dict[str, Any]:
        return {"radius": self.radius_m, "radiance": 1.0 / self.area_m2(), "distribution": self.distribution}
