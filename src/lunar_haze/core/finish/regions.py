"""The kinds of regions of a picture that ship, and how much of every pixel they cover.

Regions are told in the frame (ellipse, rectangle, line, brush strokes) or in the place (objects, materials, a span of
distance, a span of height): those of the place follow it when the camera moves. Lengths in the frame are shares of its
height, counted from its middle. A new kind is a function with `region_kind` before it; what is new in its values has
rows in `mask_model`.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import rectangle
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.finish.region_kinds import (
    KINDS,
    MIDDLE,
    TURN,
    Outline,
    RegionKind,
    Scene,
    half_axis,
    in_frame,
    met,
    region_kind,
    scene_of,
)
from lunar_haze.core.finish.strokes import strokes_cover
from lunar_haze.core.units.smooth import smoothstep

__all__ = ["Outline", "RegionKind", "Scene", "asks_rays", "cover_of", "heights_of", "materials_cover", "objects_cover",
           "region_kinds", "scene_of"]  # fmt: skip

#: Kinds with modules of their own: to bring them in declares them.
OWN_MODULES = (rectangle,)
#: Rays each way through a pixel at an object's edge.
_RAYS = 4
_PLACED = ("region x", "region y")
_ROUND = np.linspace(0.0, 2.0 * math.pi, 65)


def region_kinds() -> dict[str, RegionKind]:
    """All kinds by name, in the order they are offered."""
    return KINDS


def cover_of(region: Region, scene: Scene, with_edges: bool = True) -> NDArray[np.float32]:
    """How much of every pixel (h, w) lies in a region, in [0, 1]; without edges no rays are asked."""
    cover = KINDS[region.kind].cover(region, scene, with_edges)
    return (1.0 - cover if region.inverted else cover).astype(np.float32)


def asks_rays(regions: tuple[Region, ...]) -> bool:
    """Whether the cover of some of the regions waits for rays."""
    return any(KINDS[region.kind].asks_rays for region in regions)


def _ellipse_outlines(region: Region) -> tuple[Outline, ...]:
    def ring(share: float) -> tuple[tuple[float, float], ...]:
        along, down = region.width * share * np.cos(_ROUND), region.height * share * np.sin(_ROUND)
        return tuple(zip(along.tolist(), down.tolist(), strict=True))

    inner = 1.0 - region.feather
    soft = (Outline(ring(inner), dotted=True),) if inner > 0.02 else ()
    return (Outline(ring(1.0)), *soft)


@region_kind(
    "ellipse", "ellipse", "an ellipse in the picture: drag it, and its rim", Region(),
    (*_PLACED, "region width", "region height", "region turn", "region feather"),
    handles=(MIDDLE, half_axis("width", True), half_axis("height", False)), outlines=_ellipse_outlines,
)  # fmt: skip
def _ellipse(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    along, down = in_frame(region, scene)
    wide, high = max(region.width, 1e-4), max(region.height, 1e-4)
    out = np.hypot(along / wide, down / high)
    # How much further out the next pixel lies: an edge is soft over one at the least, half of it either side.
    a_pixel = np.hypot(along / wide**2, down / high**2) / np.maximum(out, 1e-9) / scene.size[0]
    feather = min(region.feather, 1.0)
    hard = np.maximum(1.0 - feather / a_pixel, 0.0)
    share = np.clip((1.0 - out) / np.maximum(feather, a_pixel) + 0.5 * hard, 0.0, 1.0)
    return smoothstep(share) + hard * (share - smoothstep(share))


def _line_outlines(region: Region) -> tuple[Outline, ...]:
    soft = region.height * region.feather / 2
    return tuple(Outline(((-3.0, down), (3.0, down)), dotted=down != 0.0) for down in (0.0, -soft, soft))


@region_kind(
    "line", "line", "all below a line that fades: a darker foreground, a brighter sky",
    Region("line", y=0.1, height=0.25, feather=1.0), (*_PLACED, "region height", "region turn", "region feather"),
    handles=(MIDDLE, TURN, half_axis("height", False)), outlines=_line_outlines,
)  # fmt: skip
def _line(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    _along, down = in_frame(region, scene)
    return smoothstep(0.5 - down / max(region.height * region.feather, 1.0 / scene.size[0]))


@region_kind(
    "strokes", "brush", "painted in the picture; Alt erases", Region("strokes", width=0.05, feather=0.8),
    ("region brush", "region feather"),
)  # fmt: skip
def _strokes(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return strokes_cover(region.strokes, region.feather, *scene.size)


@region_kind("objects", "subject", "the shot's subject, with its edges", Region("objects", feather=0.0), asks_rays=True)
def _objects(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return objects_cover(scene, region.objects, with_edges)


@region_kind(
    "materials", "", "all that wears a material, with its edges", Region("materials", feather=0.0), asks_rays=True
)
def _materials(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return materials_cover(scene, region.materials, with_edges)


@region_kind(
    "distance", "distance", "all from one distance to another",
    Region("distance", near_m=0.0, far_m=20.0, feather=0.3), ("region near", "region far", "region feather"),
)  # fmt: skip
def _distance(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return _span(scene.distance, region)


@region_kind(
    "height", "height", "all from one height of the place to another",
    Region("height", near_m=0.0, far_m=2.0, feather=0.3), ("region near", "region far", "region feather"),
)  # fmt: skip
def _height(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return _span(heights_of(scene), region)


def _span(values: NDArray, region: Region) -> NDArray:
    """Within a span, its ends softened by the feather's share of its length."""
    soft = max((region.far_m - region.near_m) * region.feather, 1e-3)
    with np.errstate(invalid="ignore"):
        low = smoothstep((values - region.near_m) / soft + 0.5)
        high = smoothstep((region.far_m - values) / soft + 0.5)
    return np.where(np.isfinite(values), low * high, 0.0)


def heights_of(scene: Scene) -> NDArray[np.float32]:
    """How high what the lens sees lies in the place (h, w) [m]; endless for the sky."""
    height, width = scene.size
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    up = scene.camera.directions(x, y, width, height)[..., 2]
    seen = np.isfinite(scene.distance)
    return np.where(seen, scene.camera.position[2] + np.where(seen, scene.distance, 0.0) * up, np.inf).astype(
        np.float32
    )


def objects_cover(scene: Scene, names: tuple[str, ...], with_edges: bool = True) -> NDArray[np.float64]:
    """How much of every pixel shows some of the objects: a pixel at their edge is asked by rays, the rest by number.

    An object that is gone covers nothing. Without edges all is told by number, at once.
    """
    numbers = [n for n, name in enumerate(scene.objects) if name in names]
    return _with_edges(scene, np.isin(scene.owner, numbers), scene.object_of, np.array(numbers, int), with_edges)


def materials_cover(scene: Scene, names: tuple[str, ...], with_rays: bool = True) -> NDArray[np.float64]:
    """How much of every pixel shows some of the materials, asked by rays; nothing without them."""
    numbers = [n for n, name in enumerate(scene.materials) if name in names]
    if not with_rays or not numbers:
        return np.zeros(scene.size)
    return _with_edges(scene, np.isin(scene.worn, numbers), scene.material_of, np.array(numbers, int), True)


def _with_edges(
    scene: Scene, inside: NDArray[np.bool_], kind_of: NDArray, numbers: NDArray, with_edges: bool
) -> NDArray[np.float64]:
    """What is inside by whole pixels (h, w), those at its edge by how many rays through them meet what is asked for.

    ``kind_of`` gives each triangle's number among ``numbers``.
    """
    edge = np.zeros_like(inside)
    for axis in (0, 1):
        differs = np.diff(inside, axis=axis)
        near = [slice(None), slice(None)]
        for first in (slice(None, -1), slice(1, None)):
            near[axis] = first
            edge[tuple(near)] |= differs
    cover = inside.astype(np.float64)
    rows, columns = np.nonzero(edge)
    if len(rows) and with_edges:
        height, width = scene.size
        down, along = (part.ravel() for part in np.mgrid[0:_RAYS, 0:_RAYS] / _RAYS + 0.5 / _RAYS)
        ways = scene.camera.directions(columns[:, None] + along, rows[:, None] + down, width, height)
        hit = np.isin(met(scene, ways.reshape(-1, 3), kind_of), numbers)
        cover[rows, columns] = hit.reshape(len(rows), -1).mean(1)
    return cover
