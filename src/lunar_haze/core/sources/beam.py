"""A lamp with a lens whose light fills a cone, with shutters and a cut-out before it."""

import functools
import math
from typing import Any, ClassVar

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row
from lunar_haze.core.units.row import row, under
from lunar_haze.core.units.smooth import smoothstep


def beam_profile(cos_angle: np.ndarray, cos_inner: float, cos_outer: float) -> np.ndarray:
    """Radiance of the lens over its axial radiance: one inside, a smooth step to zero at the edge.

    Cosines of any shape.
    """
    return smoothstep((cos_angle - cos_outer) / max(cos_inner - cos_outer, 1e-7))


@functools.lru_cache(maxsize=256)
def beam_cone_integral_sr(inner_rad: float, outer_rad: float) -> float:
    """Integral of the beam's profile times cosine over the hemisphere [sr], by Gauss-Legendre."""
    nodes, weights = np.polynomial.legendre.leggauss(48)

    def part(a: float, b: float) -> float:
        theta = 0.5 * (b - a) * nodes + 0.5 * (a + b)
        profile = beam_profile(np.cos(theta), math.cos(inner_rad), math.cos(outer_rad))
        return 0.5 * (b - a) * float((weights * profile * np.cos(theta) * np.sin(theta)).sum())

    return 2 * math.pi * (part(0.0, inner_rad) + part(inner_rad, outer_rad))


EDGE_ROW = row("edge", "edge", "edge", "", 0.0, 1.0, 0.35, floor=0.0, ceiling=1.0, tip="0 hard, 1 soft")
GATE_ROWS = under(
    "beam",
    *(
        row(f"{side} shutter", f"{side} shutter", f"shutters.{i}", "", 0.0, 2.0, 0.0, floor=0.0, ceiling=2.0,
            tip="share of the cone that it covers: 1 is half")
        for i, side in enumerate(("left", "right", "lower", "upper"))
    ),
    row("gate", "cut-out plane", "gate_m", "m", 0.1, 10.0, 0.5, ratio=True, floor=0.01, ceiling=1e4,
        tip="how far before the lens shutters and cut-out stand: nearer is softer"),
)  # fmt: skip


@source_kind(
    "beam",
    rows=(
        radius_row(),
        row("cone", "cone", "cone_deg", "°", 4.0, 120.0, 40.0, ratio=True, floor=0.5, ceiling=170.0,
            tip="full angle where the edge has fallen to half"),
        EDGE_ROW, *GATE_ROWS, REACH_ROW,
    ),
)  # fmt: skip
@attrs.frozen
class Beam(Lamp):
    """A lamp with a lens of ``radius_m`` whose light fills a cone.

    ``cone_deg`` is the full angle where the edge has fallen to half; ``edge`` is the share of the
    cone's angle over which it falls, 0 hard to 1 soft. Shutters (left, right, bottom, top) and a
    cut-out stand ``gate_m`` [m] before the lens: a larger lens, or a nearer gate, a softer pattern.
    Each shutter covers a share of the cone's width, 0 open to 2 shut.
    """

    sampled_as: ClassVar[str] = "beam"

    position: Vec3 = (0.0, 0.0, 4.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.06
    cone_deg: float = 40.0
    edge: float = 0.35
    shutters: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    cutout: CutOut | None = None
    gate_m: float = 0.5

    def plain(self) -> Lamp:
        # A gate that holds nothing may stand anywhere.
        return attrs.evolve(self, gate_m=0.5) if self.cutout is None and not any(self.shutters) else self

    def half_angles_rad(self) -> tuple[float, float]:
        """Angles from the axis where the fall begins and where nothing is left [rad]."""
        half = math.radians(min(max(self.cone_deg, 0.5), 170.0)) / 2
        spread = half * min(max(self.edge, 0.01), 0.98)
        return half - spread / 2, min(half + spread / 2, math.radians(89.5))

    def area_m2(self) -> float:
        return math.pi * self.radius_m**2

    def radiance_per_lumen(self) -> float:
        return 1.0 / (math.pi * self.radius_m**2 * beam_cone_integral_sr(*self.half_angles_rad()))

    def relative_intensity(self, direction: NDArray) -> float:
        _side, _up, axis = self.frame()
        cosine = float(direction @ axis)
        inner, outer = self.half_angles_rad()
        return max(cosine, 0.0) * float(beam_profile(np.array(cosine), math.cos(inner), math.cos(outer)))

    def half_size_m(self) -> tuple[float, float]:
        return self.radius_m, self.radius_m

    def columns(self) -> dict[str, Any]:
        inner, outer = self.half_angles_rad()
        return {
            "radius": self.radius_m, "cos_inner": math.cos(inner), "cos_outer": math.cos(outer), "gate": self.gate_m,
            "gate_tan": math.tan(outer), "shutters": self.shutters, "cutout": self.cutout,
        }  # fmt: skip
