"""A beam whose light fills an oval cone: wide one way, narrow the other, as lamps for façades and paths have it."""

import functools
import math
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.beam import EDGE_ROW, GATE_ROWS, Beam
from lunar_haze.core.sources.facing import facing_frame
from lunar_haze.core.sources.kinds import source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp, radius_row
from lunar_haze.core.units.row import row
from lunar_haze.core.units.smooth import smoothstep


def oval_profile(x: NDArray, y: NDArray, oval: float, inner: float) -> NDArray[np.float64]:
    """Share of the axial luminance at a point of the gate, counted in half widths of its opening.

    One within an ellipse, a smooth step to zero at the ellipse (1, ``oval``); ``inner`` is where the step begins.
    """
    return smoothstep((1.0 - np.hypot(x, y / oval)) / max(1.0 - inner, 1e-6))


@functools.lru_cache(maxsize=64)
def oval_integral_sr(tan_outer: float, oval: float, inner: float) -> float:
    """Integral of the profile times the cosine over the hemisphere [sr].

    Over the plane at distance one, where a piece of area is cos^3 of solid angle: Gauss-Legendre along rays of the
    ellipse, from 0 to where the step begins and from there to its end, and even steps round it.
    """
    nodes, weights = np.polynomial.legendre.leggauss(24)
    turn = (np.arange(256) + 0.5) * 2 * math.pi / 256
    total = 0.0
    for low, high in ((0.0, inner), (inner, 1.0)):
        r = (0.5 * (high - low) * nodes + 0.5 * (high + low))[:, None]
        x, y = r * np.cos(turn), r * np.sin(turn) * oval
        cosine2 = 1.0 / (1.0 + tan_outer**2 * (x * x + y * y))
        piece = oval_profile(x, y, oval, inner) * cosine2**2 * r * oval * tan_outer**2
        total += 0.5 * (high - low) * float((weights @ piece).sum()) * 2 * math.pi / 256
    return total


@source_kind(
    "oval beam",
    rows=(
        radius_row(),
        row("cone", "wide angle", "cone_deg", "°", 4.0, 120.0, 60.0, ratio=True, floor=0.5, ceiling=170.0,
            tip="full angle across its width where the edge has fallen to half"),
        row("narrow angle", "narrow angle", "narrow_deg", "°", 2.0, 120.0, 20.0, ratio=True, floor=0.5, ceiling=170.0,
            tip="full angle the other way"),
        row("turned", "rotation", "turn_deg", "°", -180.0, 180.0, 0.0, tip="its width from level, about its axis"),
        EDGE_ROW, *GATE_ROWS, REACH_ROW,
    ),
)  # fmt: skip
@attrs.frozen
class OvalBeam(Beam):
    """A beam with a wide angle, ``cone_deg``, and a narrow one; ``turn_deg`` turns its width from level."""

    cone_deg: float = 60.0
    narrow_deg: float = 20.0
    turn_deg: float = 0.0

    def plain(self) -> Lamp:
        # Its opening is a gate: where that stands decides how soft its edge is.
        return self

    def _opening(self) -> tuple[float, float, float]:
        """Tangent of half the width at its end, height over width there, where the edge begins (of half the width).

        The edge has fallen to half at the two angles.
        """
        wide, narrow = (math.tan(math.radians(min(max(a, 0.5), 170.0)) / 2) for a in (self.cone_deg, self.narrow_deg))
        half = min(max(self.edge, 0.01), 0.98) / 2
        return wide * (1 + half), narrow / wide, (1 - half) / (1 + half)

    def radiance_per_lumen(self) -> float:
        return 1.0 / (math.pi * self.radius_m**2 * oval_integral_sr(*self._opening()))

    def relative_intensity(self, direction: NDArray) -> float:
        side, up, axis = self.frame()
        cosine = float(direction @ axis)
        if cosine <= 1e-6:
            return 0.0
        tan_outer, oval, inner = self._opening()
        x, y = (float(direction @ way) / cosine / tan_outer for way in (side, up))
        return cosine * float(oval_profile(np.array(x), np.array(y), oval, inner))

    def frame(self) -> tuple[NDArray, NDArray, NDArray]:
        return facing_frame(self.position, self.aim, self.turn_deg)

    def columns(self) -> dict[str, Any]:
        # The cone of a round beam about it, whose edge lies beyond the opening that decides.
        tan_outer, oval, inner = self._opening()
        widest = math.atan(tan_outer * max(oval, 1.0))
        return super().columns() | {
            "cos_inner": math.cos(widest), "cos_outer": math.cos(min(widest * 1.02, math.radians(89.9))),
            "gate_tan": tan_outer, "oval": oval, "oval_inner": inner,
        }  # fmt: skip
