"""Flat Lambertian emitters: a disc and a rectangle, each with one shining side.

Axial illuminance of a disc of radius r at d: E = pi L r^2 / (r^2 + d^2); of a centred rectangle from four corner
configuration factors (Siegel & Howell, Thermal Radiation Heat Transfer, C-11).
"""

import math
from typing import Any, ClassVar

import attrs

from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row
from lunar_haze.core.units.row import Row, row


@source_kind("disc", rows=(radius_row(), REACH_ROW))
@attrs.frozen
class Disc(Lamp):
    """A flat round emitter that faces ``aim``; Lambertian, one side."""

    sampled_as: ClassVar[str] = "disc"

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.4

    def area_m2(self) -> float:
        return math.pi * self.radius_m**2

    def illuminance_per_radiance(self, distance_m: float) -> float:
        return math.pi * self.radius_m**2 / (self.radius_m**2 + distance_m**2)

    def half_size_m(self) -> tuple[float, float]:
        return self.radius_m, self.radius_m

    def columns(self) -> dict[str, Any]:
        return {"radius": self.radius_m}


def _side_row(name: str, path: str) -> Row:
    return row(name, name, path, "m", 0.05, 6.0, 1.0, ratio=True, floor=0.005, ceiling=100.0, tip="larger is softer")


@source_kind("rectangle", rows=(_side_row("width", "width_m"), _side_row("height", "height_m"), REACH_ROW))
@attrs.frozen
class Rectangle(Lamp):
    """A flat panel that faces ``aim``; Lambertian, one side; its width stays level."""

    sampled_as: ClassVar[str] = "rectangle"

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    width_m: float = 1.2
    height_m: float = 0.8

    def area_m2(self) -> float:
        return self.width_m * self.height_m

    def illuminance_per_radiance(self, distance_m: float) -> float:
        a, b = self.width_m / 2 / distance_m, self.height_m / 2 / distance_m
        corner = a / math.hypot(1, a) * math.atan(b / math.hypot(1, a))
        corner += b / math.hypot(1, b) * math.atan(a / math.hypot(1, b))
        return 4 * corner / 2

    def half_size_m(self) -> tuple[float, float]:
        return self.width_m / 2, self.height_m / 2

    def columns(self) -> dict[str, Any]:
        return {"half_w": self.width_m / 2, "half_h": self.height_m / 2}
