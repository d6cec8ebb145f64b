"""Kinds of regions of a picture, each declared once, and how much of every pixel they cover.

Regions are told in the frame (ellipse, line, brush strokes) or in the place (objects, materials, a span of distance, a
span of height): those of the place follow it when the camera moves. Lengths in the frame are shares of its height,
counted from its middle. A new kind is a function with `region_kind` before it, and rows in `mask_model` for what is new
in its values.
"""

import functools
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.finish.strokes import strokes_cover
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.units.smooth import smoothstep

#: Rays each way through a pixel at an object's edge.
_RAYS = 4


@attrs.frozen(eq=False, slots=False)
class Scene:
    """What the lens sees: object numbers ``owner`` (h, w), -1 for the sky, and distances [m] (h, w), endless there;
    the camera, the place's ``objects`` and ``materials`` by number, of each triangle both, and rays into the place.
    """

    owner: NDArray[np.int32]
    distance: NDArray[np.float32]
    camera: Camera
    objects: tuple[str, ...]
    object_of: NDArray[np.int32]
    materials: tuple[str, ...]
    material_of: NDArray[np.int32]
    index: RayIndex

    @property
    def size(self) -> tuple[int, int]:
        """Height and width [px]."""
        height, width = self.owner.shape
        return height, width

    @functools.cached_property
    def worn(self) -> NDArray[np.int64]:
        """The material number in the middle of every pixel (h, w), -1 for the sky; asked by rays, at first sight."""
        height, width = self.size
        x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
        ways = self.camera.directions(x, y, width, height).reshape(-1, 3)
        return _met(self, ways, self.material_of).reshape(height, width)


def scene_of(
    owner: NDArray[np.int32], distance: NDArray[np.float32], camera: Camera, place: Place, index: RayIndex
) -> Scene:
    """What the lens sees of a place, from object numbers and distances (h, w)."""
    return Scene(
        np.where(np.isfinite(distance), owner, -1).astype(np.int32), distance, camera, place.objects, place.object_of,
        tuple(material.name for material in place.materials), place.material_of, index,
    )  # fmt: skip


#: How much of every pixel (h, w) lies in a region of one kind; without edges what asks for rays is told roughly.
Cover = Callable[[Region, Scene, bool], NDArray]


@attrs.frozen(eq=False)
class RegionKind:
    """``name`` stands for it in files and lists; ``button`` is what a mask that begins with it is called, "" where it
    is chosen otherwise, and ``begins`` its first values; ``asks_rays`` when its edges are asked by rays.
    """

    name: str
    cover: Cover
    button: str
    tip: str
    begins: Region
    asks_rays: bool


_KINDS: dict[str, RegionKind] = {}


def region_kind(name: str, button: str, tip: str, begins: Region, asks_rays: bool = False) -> Callable[[Cover], Cover]:
    """Declares a kind of region by the function that tells its cover (see `RegionKind`)."""

    def declare(cover: Cover) -> Cover:
        _KINDS[name] = RegionKind(name, cover, button, tip, begins, asks_rays)
        return cover

    return declare


def region_kinds() -> dict[str, RegionKind]:
    """All kinds by name, in the order they are offered."""
    return _KINDS


def cover_of(region: Region, scene: Scene, with_edges: bool = True) -> NDArray[np.float32]:
    """How much of every pixel (h, w) lies in a region, in [0, 1]; without edges no rays are asked."""
    cover = _KINDS[region.kind].cover(region, scene, with_edges)
    return (1.0 - cover if region.inverted else cover).astype(np.float32)


def asks_rays(regions: tuple[Region, ...]) -> bool:
    """Whether the cover of some of the regions waits for rays."""
    return any(_KINDS[region.kind].asks_rays for region in regions)


def _in_frame(region: Region, scene: Scene) -> tuple[NDArray, NDArray]:
    """Every pixel's place along the region's own two axes, in frame heights."""
    height, width = scene.size
    y = ((np.arange(height) + 0.5) / height - 0.5)[:, None]
    x = (((np.arange(width) + 0.5) - width / 2) / height)[None]
    return region.to_own(x, y)


@region_kind("ellipse", "ellipse", "an ellipse in the picture: drag it, and its rim", Region())
def _ellipse(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    along, down = _in_frame(region, scene)
    wide, high = max(region.width, 1e-4), max(region.height, 1e-4)
    out = np.hypot(along / wide, down / high)
    # How much further out the next pixel lies: an edge is soft over one at the least, half of it either side.
    a_pixel = np.hypot(along / wide**2, down / high**2) / np.maximum(out, 1e-9) / scene.size[0]
    feather = min(region.feather, 1.0)
    hard = np.maximum(1.0 - feather / a_pixel, 0.0)
    share = np.clip((1.0 - out) / np.maximum(feather, a_pixel) + 0.5 * hard, 0.0, 1.0)
    return smoothstep(share) + hard * (share - smoothstep(share))


@region_kind(
    "line", "line", "all below a line that fades: a darker foreground, a brighter sky",
    Region("line", y=0.1, height=0.25, feather=1.0),
)  # fmt: skip
def _line(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    _along, down = _in_frame(region, scene)
    return smoothstep(0.5 - down / max(region.height * region.feather, 1.0 / scene.size[0]))


@region_kind("strokes", "brush", "painted in the picture; Alt erases", Region("strokes", width=0.05, feather=0.8))
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
    Region("distance", near_m=0.0, far_m=20.0, feather=0.3),
)  # fmt: skip
def _distance(region: Region, scene: Scene, with_edges: bool) -> NDArray:
    return _span(scene.distance, region)


@region_kind(
    "height", "height", "all from one height of the place to another",
    Region("height", near_m=0.0, far_m=2.0, feather=0.3),
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
        hit = np.isin(_met(scene, ways.reshape(-1, 3), kind_of), numbers)
        cover[rows, columns] = hit.reshape(len(rows), -1).mean(1)
    return cover


def _met(scene: Scene, ways: NDArray, kind_of: NDArray) -> NDArray[np.int64]:
    """The number of what rays (n, 3) from the lens meet, by its triangle; -1 for nothing."""
    _far, triangle = scene.index.nearest(np.asarray(scene.camera.position, float), ways)
    return np.where(triangle >= 0, kind_of[np.maximum(triangle, 0)], -1)
