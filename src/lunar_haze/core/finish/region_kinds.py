"""What a kind of region is: declared once, by the function that tells how much of every pixel it covers.

Files, facets, buttons, handles in the picture, live pictures and stills ask the registry. The kinds that ship are in
`regions`, which is what others import.
"""

import functools
import math
from collections.abc import Callable
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.mask_model import REGION_ROWS, SHOWN_FOR, Region
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex

#: The least half axis that a hand pulls a region to, in frame heights.
LEAST = 0.01


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
        return met(self, ways, self.material_of).reshape(height, width)


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
#: A place on a region's own two axes, in frame heights.
Place2 = tuple[float, float]


@attrs.frozen(eq=False)
class Handle:
    """What a hand takes hold of: where it lies on the region's own axes, and what a pull changes.

    ``pulled`` is given the region and where the pointer is: on its own axes (along, down) and in the frame (x, y).
    """

    name: str
    at: Callable[[Region], Place2]
    pulled: Callable[[Region, float, float, float, float], dict[str, Any]]


@attrs.frozen(eq=False)
class Outline:
    """A line of a region as it is drawn: places on its own axes in turn; dotted where it only fades."""

    places: tuple[Place2, ...]
    dotted: bool = False


@attrs.frozen(eq=False)
class RegionKind:
    """``name`` stands for it in files and lists; ``button`` is what a mask that begins with it is called, "" where it
    is chosen otherwise, and ``begins`` its first values; ``rows`` are the names of the rows it has among REGION_ROWS;
    ``asks_rays`` when its edges are asked by rays; ``handles`` and ``outlines`` are what is drawn and pulled of one
    that lies in the frame.
    """

    name: str
    cover: Cover
    button: str
    tip: str
    begins: Region
    rows: tuple[str, ...]
    asks_rays: bool
    handles: tuple[Handle, ...]
    outlines: Callable[[Region], tuple[Outline, ...]]


KINDS: dict[str, RegionKind] = {}


def no_outlines(region: Region) -> tuple[Outline, ...]:
    """Of a region of the place nothing is drawn but what it covers."""
    return ()


def region_kind(
    name: str,
    button: str,
    tip: str,
    begins: Region,
    rows: tuple[str, ...] = (),
    *,
    asks_rays: bool = False,
    handles: tuple[Handle, ...] = (),
    outlines: Callable[[Region], tuple[Outline, ...]] = no_outlines,
) -> Callable[[Cover], Cover]:
    """Declares a kind of region by the function that tells its cover (see `RegionKind`).

    Raises ValueError for a name that is taken, a row that there is not, or handles without an outline.
    """
    known = {row.name for row in REGION_ROWS}
    if name in KINDS or not set(rows) <= known:
        raise ValueError(f"there is a region “{name}” already, or no row of {sorted(set(rows) - known)}")
    if bool(handles) != (outlines is not no_outlines):
        raise ValueError(f"the region “{name}” has handles without an outline, or the other way round")

    def declare(cover: Cover) -> Cover:
        KINDS[name] = RegionKind(name, cover, button, tip, begins, rows, asks_rays, handles, outlines)
        SHOWN_FOR.update({row: SHOWN_FOR.get(row, frozenset()) | {name} for row in rows})
        return cover

    return declare


def in_frame(region: Region, scene: Scene) -> tuple[NDArray, NDArray]:
    """Every pixel's place along the region's own two axes, in frame heights."""
    height, width = scene.size
    y = ((np.arange(height) + 0.5) / height - 0.5)[:, None]
    x = (((np.arange(width) + 0.5) - width / 2) / height)[None]
    return region.to_own(x, y)


# -- handles that several kinds have -------------------------------------------------------------------


def half_axis(field: str, is_across: bool) -> Handle:
    """A handle on the rim that sets a half axis, across or down."""

    def at(region: Region) -> Place2:
        length = getattr(region, field)
        return (length, 0.0) if is_across else (0.0, length)

    def pulled(region: Region, along: float, down: float, x: float, y: float) -> dict[str, Any]:
        return {field: round(max(abs(along if is_across else down), LEAST), 4)}

    return Handle(field, at, pulled)


MIDDLE = Handle(
    "middle", lambda region: (0.0, 0.0), lambda region, along, down, x, y: {"x": round(x, 4), "y": round(y, 4)}
)
TURN = Handle(
    "turn",
    lambda region: (0.4, 0.0),
    lambda region, along, down, x, y: {"turn_deg": round(math.degrees(math.atan2(y - region.y, x - region.x)), 2)},
)


def met(scene: Scene, ways: NDArray, kind_of: NDArray) -> NDArray[np.int64]:
    """The number of what rays (n, 3) from the lens meet, by its triangle; -1 for nothing.

    ``kind_of`` gives each triangle's number.
    """
    _far, triangle = scene.index.nearest(np.asarray(scene.camera.position, float), ways)
    return np.where(triangle >= 0, kind_of[np.maximum(triangle, 0)], -1)
