"""Masks: soft regions of the picture, and what is done to the light under them.

Regions are told in the frame (ellipse, line) or in the place (objects, a span of distance, a span of height): those of
the place follow it when the camera moves. Lengths in the frame are shares of its height, counted from its middle.
What a mask does it does in scene light, before the lens: to all of the picture, or to one source's share of it alone.
"""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import warmed
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import white_balance
from lunar_haze.core.finish.model import NEUTRAL_K, Mask, Region, White
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.core.units.smooth import smoothstep

#: Rays each way through a pixel at an object's edge.
_RAYS = 4


@attrs.frozen(eq=False)
class Scene:
    """What the lens sees: object numbers ``owner`` (h, w), -1 for the sky, and distances [m] (h, w), endless there;
    the camera, the place's ``objects`` by number, of each triangle the object, and rays into the place.
    """

    owner: NDArray[np.int32]
    distance: NDArray[np.float32]
    camera: Camera
    objects: tuple[str, ...]
    object_of: NDArray[np.int32]
    index: RayIndex

    @property
    def size(self) -> tuple[int, int]:
        """Height and width [px]."""
        height, width = self.owner.shape
        return height, width


def scene_of(
    owner: NDArray[np.int32], distance: NDArray[np.float32], camera: Camera, place: Place, index: RayIndex
) -> Scene:
    """What the lens sees of a place, from object numbers and distances (h, w)."""
    return Scene(
        np.where(np.isfinite(distance), owner, -1).astype(np.int32), distance, camera, place.objects, place.object_of,
        index,
    )  # fmt: skip


def _in_frame(region: Region, height: int, width: int) -> tuple[NDArray, NDArray]:
    """Every pixel's place along the region's own two axes, in frame heights."""
    y = ((np.arange(height) + 0.5) / height - 0.5)[:, None]
    x = (((np.arange(width) + 0.5) - width / 2) / height)[None]
    return region.to_own(x, y)


def cover_of(region: Region, scene: Scene, with_edges: bool = True) -> NDArray[np.float32]:
    """How much of every pixel (h, w) lies in a region, in [0, 1]; edges of objects by whole pixels without rays."""
    height, width = scene.size
    match region.kind:
        case "ellipse":
            along, down = _in_frame(region, height, width)
            out = np.hypot(along / max(region.width, 1e-4), down / max(region.height, 1e-4))
            inner = 1.0 - min(max(region.feather, 1e-3), 1.0)
            cover = smoothstep((1.0 - out) / (1.0 - inner))
        case "line":
            _along, down = _in_frame(region, height, width)
            cover = smoothstep(0.5 - down / max(region.height * max(region.feather, 1e-3), 1e-4))
        case "objects":
            cover = objects_cover(scene, region.objects, with_edges)
        case "distance":
            cover = _span(scene.distance, region)
        case "height":
            cover = _span(heights_of(scene), region)
        case _:
            raise ValueError(f"there is no region of kind “{region.kind}”")
    return (1.0 - cover if region.inverted else cover).astype(np.float32)


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
    inside = np.isin(scene.owner, numbers)
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
        cover[rows, columns] = _asked(scene, rows, columns, np.array(numbers, int))
    return cover


def _asked(scene: Scene, rows: NDArray, columns: NDArray, numbers: NDArray) -> NDArray[np.float64]:
    """How many of some rays through each pixel (n,) meet objects of these numbers, as a share."""
    height, width = scene.size
    down, along = (part.ravel() for part in np.mgrid[0:_RAYS, 0:_RAYS] / _RAYS + 0.5 / _RAYS)
    ways = scene.camera.directions(columns[:, None] + along, rows[:, None] + down, width, height)
    _far, triangle = scene.index.nearest(np.asarray(scene.camera.position, float), ways.reshape(-1, 3))
    hit = np.isin(np.where(triangle >= 0, scene.object_of[np.maximum(triangle, 0)], -1), numbers)
    return hit.reshape(len(rows), -1).mean(1)


def cover(regions: tuple[Region, ...], scene: Scene, with_edges: bool = True) -> NDArray[np.float32]:
    """How much of every pixel (h, w) lies under a mask: its regions added, subtracted and intersected in turn."""
    found: NDArray[np.float32] = np.zeros(scene.size, np.float32)
    for number, region in enumerate(regions):
        one = cover_of(region, scene, with_edges)
        if region.how == "subtract":
            found = found * (np.float32(1.0) - one)
        elif region.how == "intersect" and number:
            found = found * one
        else:
            found = found + one - found * one
    return found


def masked(
    picture: NDArray[np.float32], mask: Mask, under: NDArray[np.float32], scale: float, share: NDArray | None = None
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] with a mask's work done where ``under`` (h, w) it lies; ``scale`` is the exposure.

    ``share`` (h, w, 3) in [0, 1] is the part of the picture that comes from the mask's source, where it is of one.
    """
    changed: NDArray = picture
    if mask.contrast != 1.0:
        level = np.maximum(changed @ LUMINANCE_WEIGHTS.astype(np.float32), 1e-12)
        grey = np.float32(MID_GREY / scale)
        changed = changed * ((level / grey) ** np.float32(mask.contrast - 1.0))[..., None]
    if mask.saturation != 1.0:
        level = (changed @ LUMINANCE_WEIGHTS.astype(np.float32))[..., None]
        changed = level + np.float32(mask.saturation) * (changed - level)
    if mask.mired != 0.0:
        # What is neutral at a cooler white is warmer under the usual one.
        changed = changed @ white_balance.matrix(White(warmed(NEUTRAL_K, -mask.mired))).astype(np.float32).T
    if mask.stops != 0.0:
        changed = changed * np.float32(2.0**mask.stops)
    if changed is picture:
        return picture
    weight = under[..., None] if share is None else under[..., None] * share.astype(np.float32)
    return np.asarray(picture + weight * (np.maximum(changed, 0.0) - picture), np.float32)


def with_masks(
    picture: NDArray[np.float32],
    masks: tuple[Mask, ...],
    scale: float,
    cover_of_mask: Callable[[Mask], NDArray[np.float32]],
    share_of_source: Callable[[str], NDArray | None],
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] under masks in turn; one of a source that gives no light does nothing.

    ``share_of_source`` gives the part (h, w, 3) in [0, 1] of the picture that comes from a source, None for none.
    """
    for mask in masks:
        share = share_of_source(mask.source) if mask.source else None
        if mask.source and share is None:
            continue
        picture = masked(picture, mask, cover_of_mask(mask), scale, share)
    return picture


def share_in(total: NDArray[np.float32], part: NDArray[np.float32]) -> NDArray[np.float32]:
    """The part (h, w, 3) in [0, 1] that one source has of a picture; none where all is dark."""
    return np.clip(part / np.maximum(total, 1e-20), 0.0, 1.0).astype(np.float32)
