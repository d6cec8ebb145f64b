"""What all lamps share: where they stand, how far they reach, and the photometry that each kind answers for itself.

Lambertian emitters: Phi = pi L A, axial intensity I = L A. "lx" is meant at a lamp's aim, facing the lamp, in clear
air.
"""

import math
from typing import TYPE_CHECKING, Any, ClassVar

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.units.row import Row, row


@attrs.frozen(kw_only=True)
class Lamp(Shape):
    """Base of all lamps: past ``reach_m`` [m] nothing arrives, and the lens sees the lamp itself, or not."""

    reach_m: float = math.inf
    seen: bool = False

    #: Which sampling the kernels use for it.
    sampled_as: ClassVar[str]
    #: Whether its light leaves alike whichever way it faces, so that its aim is only where its level is told.
    shines_alike: ClassVar[bool] = False

    if TYPE_CHECKING:  # every kind has them, each with a place to begin with
        position: Vec3
        aim: Vec3

    def area_m2(self) -> float:
        """Emitting area as seen along the axis, or from beside a tube [m2]."""
        raise NotImplementedError

    def radiance_per_lumen(self) -> float:
        """Axial radiance when it emits one lumen [cd/m2 per lm]; of a Lambertian side 1 / (pi A)."""
        return 1.0 / (math.pi * self.area_m2())

    def illuminance_per_radiance(self, distance_m: float) -> float:
        """Illuminance on a surface that faces the lamp on its axis, per axial radiance [lx per cd/m2]."""
        return self.area_m2() / distance_m**2

    def relative_intensity(self, direction: NDArray) -> float:
        """Intensity along a unit ``direction`` (3,) over the one along the axis; Lambertian unless a kind says more."""
        _side, _up, axis = self.frame()
        return max(float(direction @ axis), 0.0)

    def frame(self) -> tuple[NDArray, NDArray, NDArray]:
        """Side, up and axis (3,): how it stands."""
        return facing_frame(self.position, self.aim)

    def half_size_m(self) -> tuple[float, float]:
        """Half of how wide and how high it is, as what it faces sees it [m]."""
        raise NotImplementedError

    def points(self) -> NDArray[np.float64]:
        """Points of it (n, 3) [m] that a lens may see: its middle and its corners."""
        side, up, _axis = facing_frame(self.position, self.aim)
        a, b = self.half_size_m()
        corners = [x * a * side + y * b * up for x, y in ((0, 0), (1, 1), (1, -1), (-1, 1), (-1, -1))]
        return np.asarray(self.position, float) + np.array(corners)

    def moved(self, **where: Vec3) -> "Lamp":
        """The lamp with another ``position``, another ``aim``, or both."""
        own: Any = self
        return attrs.evolve(own, **where)

    def plain(self) -> "Lamp":
        # Where the level of one is told that shines alike in all directions is no light.
        return self.moved(aim=(0.0, 0.0, 0.0)) if self.shines_alike else self

    def columns(self) -> dict[str, Any]:
        """What kernels read of it beyond what all lamps have, by the names of `transport.source_row`."""
        raise NotImplementedError


def radius_row(usual: float = 0.05) -> Row:
    """The row of a radius."""
    return row("radius", "radius", "radius_m", "m", 0.005, 3.0, usual, ratio=True, floor=0.001, ceiling=100.0,
               tip="a larger lamp throws softer shadows")  # fmt: skip


#: A reach well past this [m] has none.
FREE_BEYOND_M = 900.0
REACH_ROW = row(
    "reach", "reach", "reach_m", "m", 0.5, 300.0, math.inf, ratio=True, floor=0.05, endless="no end",
    endless_from=FREE_BEYOND_M, tip="where its light ends, so that pools stay apart; past the right end it has none",
)  # fmt: skip
