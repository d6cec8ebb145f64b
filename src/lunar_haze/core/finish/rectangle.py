"""A rectangle in the picture: a window, a door, a wall, with an edge that fades inwards."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.finish.region_kinds import MIDDLE, Outline, Scene, half_axis, in_frame, region_kind
from lunar_haze.core.units.smooth import smoothstep


def _outlines(region: Region) -> tuple[Outline, ...]:
    def ring(across: float, high: float) -> tuple[tuple[float, float], ...]:
        return (-across, -high), (across, -high), (across, high), (-across, high), (-across, -high)

    soft = region.feather * min(region.width, region.height)
    inner = region.width - soft, region.height - soft
    fading = (Outline(ring(*inner), dotted=True),) if min(inner) > 0.0 else ()
    return (Outline(ring(region.width, region.height)), *fading)


@region_kind(
    "rectangle", "rectangle", "a rectangle in the picture: drag it, and its sides",
    Region("rectangle", width=0.25, height=0.2, feather=0.15),
    ("region x", "region y", "region width", "region height", "region turn", "region feather"),
    handles=(MIDDLE, half_axis("width", True), half_axis("height", False)), outlines=_outlines,
)  # fmt: skip
def rectangle_cover(region: Region, scene: Scene, with_edges: bool) -> NDArray[np.float64]:
    """How much of every pixel (h, w) lies in a rectangle, in [0, 1].

    Its edge fades over the feather's share of the shorter half side, and over a pixel at the least.
    """
    along, down = in_frame(region, scene)
    inside = np.minimum(region.width - np.abs(along), region.height - np.abs(down))
    a_pixel = 1.0 / scene.size[0]
    soft = min(region.feather, 1.0) * min(region.width, region.height)
    if soft > a_pixel:
        return smoothstep(np.clip(inside / soft, 0.0, 1.0))
    return np.clip(inside / a_pixel + 0.5, 0.0, 1.0)
