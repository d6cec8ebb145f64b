"""A straight tube: a line of elements that each send 2 r L sin(angle to the axis) per metre."""

import math
from typing import Any, ClassVar

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.lat_long import direction_of
from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row
from lunar_haze.core.units.row import row

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(32)


@source_kind(
    "tube",
    aimed=False,
    rows=(
        radius_row(),
        row(
            "length",
            "length",
            "length_m",
            "m",
            0.1,
            6.0,
            1.2,
            ratio=True,
            floor=0.01,
            ceiling=200.0,
            tip="longer is softer across it",
        ),
        row(
            "lies along",
            "lies along",
            "bearing_deg",
            "°",
            0.0,
            360.0,
            90.0,
            period=360.0,
            tip="bearing from north, clockwise",
        ),
        row(
            "tilted",
            "tilted",
            "tilt_deg",
            "°",
            -90.0,
            90.0,
            0.0,
            floor=-90.0,
            ceiling=90.0,
            tip="up from level at the end it lies along to",
        ),
        REACH_ROW,
    ),
)
@attrs.frozen
class Tube(Lamp):
    """A straight tube, Lambertian on its side, dark at its ends, lying along a bearing and tilted up from it.

    ``aim`` is where its level is told in lux.
    """

    sampled_as: ClassVar[str] = "tube"
    shines_alike: ClassVar[bool] = True

    position: Vec3 = (0.0, 0.0, 2.4)
    length_m: float = 1.2
    radius_m: float = 0.013
    bearing_deg: float = 90.0
    tilt_deg: float = 0.0
    aim: Vec3 = attrs.field(default=(0.0, 0.0, 0.0), kw_only=True)

    def along(self) -> Vec3:
        """Unit vector along the tube."""
        return tuple(direction_of(self.tilt_deg, self.bearing_deg).tolist())

    def area_m2(self) -> float:
        return 2 * self.radius_m * self.length_m

    def radiance_per_lumen(self) -> float:
        return 1.0 / (2 * math.pi**2 * self.radius_m * self.length_m)

    def illuminance_per_radiance(self, distance_m: float) -> float:
        """At the tube's aim, facing its middle."""
        along = np.asarray(self.along())
        offset = np.subtract(self.aim, self.position)
        distance = max(float(np.linalg.norm(offset)), self.radius_m)
        ways = offset - along * (_NODES[:, None] * self.length_m / 2)
        d2 = np.maximum((ways**2).sum(1), self.radius_m**2)
        sine = np.sqrt(np.maximum(1.0 - (ways @ along) ** 2 / d2, 0.0))
        facing = np.maximum(ways @ offset, 0.0) / (np.sqrt(d2) * distance)
        return float((_WEIGHTS * 2 * self.radius_m * sine * facing / d2).sum() * self.length_m / 2)

    def relative_intensity(self, direction: NDArray) -> float:
        return math.sqrt(max(1.0 - float(direction @ np.asarray(self.along())) ** 2, 0.0))

    def frame(self) -> tuple[NDArray, NDArray, NDArray]:
        return facing_frame((0.0, 0.0, 0.0), self.along())

    def half_size_m(self) -> tuple[float, float]:
        return self.radius_m, self.radius_m

    def points(self) -> NDArray[np.float64]:
        """Its middle, its corners, and its ends."""
        end = np.asarray(self.along()) * self.length_m / 2
        return np.concatenate([super().points(), np.add(self.position, [end, -end])])

    def columns(self) -> dict[str, Any]:
        side_m2 = 2 * math.pi * self.radius_m * self.length_m
        return {"radius": self.radius_m, "half_w": self.length_m / 2, "area": side_m2}
