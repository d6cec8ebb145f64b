"""A plan as it is drawn: relief, edges and height lines, in neutral greys, from a map of heights."""

from collections.abc import Sequence

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.place.model import Place
from lunar_haze.core.place.plan_map import SIDES, PlanMap, Sheet, plan_map

#: Pixels of the map across one of the drawing: lines are smooth.
FINE = 2
#: A step in height [m] that is an edge.
STEP_M = 0.2


@attrs.frozen(eq=False)
class Drawing:
    """What a sheet looks like without light, (height, width) float32 each.

    ``shade`` in [0, 1] is its grey, ``reflectance`` what its surfaces are taken to reflect, ``ground`` their heights
    [m] (nan where there is nothing), ``covered`` how much leaves hide in [0, 1].
    """

    sheet: Sheet
    shade: NDArray[np.float32]
    reflectance: NDArray[np.float32]
    ground: NDArray[np.float32]
    covered: NDArray[np.float32]


def flat(side: str, point: Sequence[float]) -> tuple[float, float]:
    """A point of the place (3,) as it lies in a view: to the right and up [m]."""
    right, up, _depth, _sign = SIDES[side]
    return float(point[right]), float(point[up])


def moved_in(side: str, point: Sequence[float], right_m: float, up_m: float) -> tuple[float, float, float]:
    """A point (3,) moved to another spot of a view; how deep it lies stays."""
    right, up, _depth, _sign = SIDES[side]
    moved = [float(v) for v in point]
    moved[right], moved[up] = right_m, up_m
    return moved[0], moved[1], moved[2]


def draw(place: Place, sheet: Sheet) -> Drawing:
    """The drawing of a sheet of a place."""
    finer = attrs.evolve(
        sheet,
        metres_per_pixel=sheet.metres_per_pixel / FINE,
        width=sheet.width * FINE,
        height=sheet.height * FINE,
    )
    found = plan_map(place, finer)
    shade, reflectance = _shaded(place, found)
    with np.errstate(invalid="ignore"):
        ground = found.level[FINE // 2 :: FINE, FINE // 2 :: FINE]
    return Drawing(sheet, _coarser(shade), _coarser(reflectance), ground, _coarser(found.growth))


def _coarser(fine: NDArray[np.floating]) -> NDArray[np.float32]:
    height, width = fine.shape[0] // FINE, fine.shape[1] // FINE
    coarse: NDArray[np.float32] = fine.reshape(height, FINE, width, FINE).mean((1, 3)).astype(np.float32)
    return coarse


def _shaded(place: Place, found: PlanMap) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """Grey and reflectance of a map, at its own size."""
    # Smooth surfaces are dark (water), textured ones have their factor alone.
    grey = np.array([float(np.mean(m.base_colour)) * (0.1 if m.roughness < 0.1 else 1.0) for m in place.materials])
    nothing = found.triangle < 0
    reflectance = np.clip(grey, 0.02, 0.8)[place.material_of[found.triangle]]
    reflectance = np.where(nothing, 0.0, reflectance)
    metres = found.sheet.metres_per_pixel
    level = np.where(nothing, np.nanmin(found.level, initial=0.0), found.level).astype(float)
    # A little smoother than the triangles are: relief is the lie of the land, not its mesh.
    slope_y, slope_x = np.gradient(gaussian_filter(level, 1.0), metres)
    steep = np.sqrt(slope_x**2 + slope_y**2)
    light = (1.0 - 0.5 * slope_x + 0.5 * slope_y) / np.sqrt(1 + steep**2)
    shade = (0.10 + 0.26 * np.sqrt(reflectance)) * (0.55 + 0.45 * np.clip(light, 0.15, 1.8))
    shade = np.where(nothing, 0.06, shade)
    owner = np.where(nothing, -1, place.object_of[found.triangle])
    edge, line = _edges(owner, level), _height_lines(level, steep, metres)
    shade = np.where(line, shade * 0.86, shade)
    shade = shade * (1.0 - 0.45 * found.growth) + 0.05 * found.growth
    return np.where(edge, shade * 0.4, shade), reflectance


def _edges(owner: NDArray[np.integer], level: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Where one thing ends and another begins, or the same one steps down."""
    edge = np.zeros(owner.shape, bool)
    for axis in (0, 1):
        apart = np.diff(owner, axis=axis) != 0
        # Between parts of the ground that meet at one height there is nothing to see.
        stepped = np.abs(np.diff(level, axis=axis)) > STEP_M
        here = stepped | (apart & (np.abs(np.diff(level, axis=axis)) > 0.05))
        if axis == 0:
            edge[1:] |= here
        else:
            edge[:, 1:] |= here
    return edge


def _height_lines(
    level: NDArray[np.floating], steep: NDArray[np.floating], metres_per_pixel: float
) -> NDArray[np.bool_]:
    step = 0.5 if metres_per_pixel < 0.03 else 1.0 if metres_per_pixel < 0.15 else 5.0
    band = np.floor(gaussian_filter(level, 2.0) / step)
    line = (np.diff(band, axis=0, prepend=band[:1]) != 0) | (np.diff(band, axis=1, prepend=band[:, :1]) != 0)
    gentle: NDArray[np.bool_] = line & (steep < 0.6)
    return gentle
