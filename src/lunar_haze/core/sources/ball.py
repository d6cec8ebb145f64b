"""A ball that shines evenly to all sides: Phi = 4 pi^2 r^2 L, I = Phi / 4 pi, E = pi L (r / d)^2."""

import math
from typing import Any, ClassVar

import attrs
from numpy.typing import NDArray

from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row


@source_kind("ball", aimed=False, rows=(radius_row(), REACH_ROW))
@attrs.frozen
class Ball(Lamp):
    """A sphere that shines evenly to all sides. ``aim`` is where its level is told in lux."""

    sampled_as: ClassVar[str] = "ball"
    shines_alike: ClassVar[bool] = True

    position: Vec3 = (0.0, 0.0, 2.0)
    radius_m: float = 0.05
    aim: Vec3 = attrs.field(default=(0.0, 0.0, 0.0), kw_only=True)

    def area_m2(self) -> float:
        return math.pi * self.radius_m**2

    def radiance_per_lumen(self) -> float:
        return 1.0 / (4 * math.pi**2 * self.radius_m**2)

    def illuminance_per_radiance(self, distance_m: float) -> float:
        return math.pi * min(self.radius_m**2 / distance_m**2, 1.0)

    def relative_intensity(self, direction: NDArray) -> float:
        return 1.0

    def frame(self) -> tuple[NDArray, NDArray, NDArray]:
        return facing_frame((0.0, 0.0, 0.0), (0.0, 0.0, -1.0))

    def half_size_m(self) -> tuple[float, float]:
        return self.radius_m, self.radius_m

    def columns(self) -> dict[str, Any]:
        return {"radius": self.radius_m}
