"""The place straight from above or from a side, as heights: what a plan is drawn from.

Every triangle is filled by a scan over the pixels in its box (Pineda 1988, A parallel algorithm for polygon
rasterization), the nearest to the eye is kept. What lies above the cut is left out: roofs come off.
"""

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.place.model import Place

#: Views of a plan: which coordinates run to the right and up, and which comes towards the eye, with its sign.
SIDES = {"above": (0, 1, 2, 1.0), "south": (0, 2, 1, -1.0), "east": (1, 2, 0, 1.0)}


@attrs.frozen(eq=False)
class Sheet:
    """Part of a plan: ``side`` it is seen from, its ``centre`` [m], metres a pixel, its size [px], the cut [m].

    What comes nearer to the eye than ``cut_m`` is left out; infinite leaves nothing out.
    """

    side: str
    centre: tuple[float, float]
    metres_per_pixel: float
    width: int
    height: int
    cut_m: float = float("inf")


@attrs.frozen(eq=False)
class PlanMap:
    """What a sheet shows, (height, width) each.

    ``level`` float32 [m] of the nearest surface, towards the eye, nan where there is none; ``triangle`` int32, -1 for
    none; ``growth`` float32, how much of a pixel cut-outs cover, in [0, 1].
    """

    sheet: Sheet
    level: NDArray[np.float32]
    triangle: NDArray[np.int32]
    growth: NDArray[np.float32]


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _fill(corners, numbers, cut, level, triangle):
    """Fill triangles (n, 3, 3) of pixel x, pixel y and level into ``level`` and ``triangle`` (H, W)."""
    height, width = level.shape
    for n in range(corners.shape[0]):
        ax, ay, az = corners[n, 0, 0], corners[n, 0, 1], corners[n, 0, 2]
        bx, by, bz = corners[n, 1, 0] - ax, corners[n, 1, 1] - ay, corners[n, 1, 2] - az
        cx, cy, cz = corners[n, 2, 0] - ax, corners[n, 2, 1] - ay, corners[n, 2, 2] - az
        whole = bx * cy - by * cx
        if abs(whole) < 1e-9:
            continue
        x0 = max(int(np.ceil(ax + min(0.0, min(bx, cx)) - 0.5)), 0)
        x1 = min(int(np.floor(ax + max(0.0, max(bx, cx)) - 0.5)), width - 1)
        y0 = max(int(np.ceil(ay + min(0.0, min(by, cy)) - 0.5)), 0)
        y1 = min(int(np.floor(ay + max(0.0, max(by, cy)) - 0.5)), height - 1)
        for y in range(y0, y1 + 1):
            py = y + 0.5 - ay
            for x in range(x0, x1 + 1):
                px = x + 0.5 - ax
                u, v = (px * cy - py * cx) / whole, (bx * py - by * px) / whole
                if u < -1e-9 or v < -1e-9 or u + v > 1.0 + 1e-9:
                    continue
                z = az + u * bz + v * cz
                if z <= cut and not z <= level[y, x]:
                    level[y, x] = z
                    triangle[y, x] = numbers[n]


def plan_map(place: Place, sheet: Sheet) -> PlanMap:
    """The map of a sheet. Glass is left out; what is cut out is told apart, as growth."""
    right, up, depth, sign = SIDES[sheet.side]
    flat = np.empty((len(place.positions), 3))
    flat[:, 0] = (place.positions[:, right] - sheet.centre[0]) / sheet.metres_per_pixel + sheet.width / 2
    flat[:, 1] = (sheet.centre[1] - place.positions[:, up]) / sheet.metres_per_pixel + sheet.height / 2
    flat[:, 2] = sign * place.positions[:, depth]
    cut_out = np.array([m.alpha_cutoff > 0 for m in place.materials])[place.material_of]
    glass = np.array([m.clear > 0 for m in place.materials])[place.material_of]
    corners = flat[place.triangles.astype(np.int64)]
    low, high = corners[..., :2].min(1), corners[..., :2].max(1)
    seen = (high > 0).all(1) & (low < (sheet.width, sheet.height)).all(1)
    level = np.full((sheet.height, sheet.width), np.nan, np.float32)
    triangle = np.full((sheet.height, sheet.width), -1, np.int32)
    solid = np.flatnonzero(seen & ~cut_out & ~glass)
    _fill(corners[solid], solid, sheet.cut_m, level, triangle)
    growth = _growth(corners[seen & cut_out], sheet, level)
    return PlanMap(sheet, level, triangle, growth)


def _growth(corners: NDArray, sheet: Sheet, level: NDArray[np.float32]) -> NDArray[np.float32]:
    """How much of each pixel leaves cover, about: by the area that they have, seen from wherever they are.

    Leaves are thin cards, seen from above by their edges: what they cover is counted where they stand, not drawn.
    """
    middle = corners.mean(1)
    x, y = np.floor(middle[:, 0]).astype(np.int64), np.floor(middle[:, 1]).astype(np.int64)
    inside = (x >= 0) & (x < sheet.width) & (y >= 0) & (y < sheet.height) & (middle[:, 2] <= sheet.cut_m)
    edges = corners[:, 1:] - corners[:, :1]
    edges[..., 2] /= sheet.metres_per_pixel
    area = np.linalg.norm(np.cross(edges[:, 0], edges[:, 1]), axis=1) / 2
    at = y[inside] * sheet.width + x[inside]
    found = np.bincount(at, area[inside], sheet.width * sheet.height).reshape(sheet.height, sheet.width)
    # Each card stands for leaves all about it.
    spread = gaussian_filter(found, max(0.35 / sheet.metres_per_pixel, 1.0))
    return (1.0 - np.exp(-0.5 * spread)).astype(np.float32)
