"""The place seen from above, as points with height and colour that can be drawn at any zoom."""

from collections.abc import Sequence

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.model import Place

SAMPLES = 500_000
#: The largest triangles are filled whole: twice this area [m2] and more, this many at most.
LARGE_M2, LARGE_COUNT = 40.0, 64


@attrs.frozen(eq=False)
class Relief:
    """Points of the place's surfaces, lowest first.

    ``points`` (N, 3) float32 [m]; ``tone`` (N,) in [0, 1]; ``is_growth`` (N,) marks cut-outs, which are
    drawn over the ground but do not raise it.
    """

    points: NDArray[np.float32]
    tone: NDArray[np.float32]
    is_growth: NDArray[np.bool_]
    #: Triangles too large for points, (L, 3, 3) float32 [m], and their tone (L,).
    large: NDArray[np.float32]
    large_tone: NDArray[np.float32]


def relief_of(place: Place) -> Relief:
    """Sample a place's surfaces: a third of the points to triangles alike, the rest by their area from above."""
    rng = np.random.default_rng(4)
    corners = place.positions[place.triangles.astype(np.int64)]
    edge_a, edge_b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = np.abs(edge_a[:, 0] * edge_b[:, 1] - edge_a[:, 1] * edge_b[:, 0]).astype(np.float64) + 1e-9
    # Wide flat water would take every point: its share is held down by a root.
    chance = np.sqrt(area)
    by_area = rng.choice(len(area), SAMPLES * 2 // 3, p=chance / chance.sum())
    alike = rng.integers(0, len(area), SAMPLES // 3)
    chosen = np.concatenate([by_area, alike])
    u, v = rng.random((2, len(chosen), 1), np.float32)
    folded = u + v > 1
    u, v = np.where(folded, 1 - u, u), np.where(folded, 1 - v, v)
    points = corners[chosen, 0] + u * edge_a[chosen] + v * edge_b[chosen]
    # Smooth surfaces are drawn dark (water), textured ones by their factor alone.
    grey = [float(np.mean(m.base_colour)) * (0.1 if m.roughness < 0.1 else 1.0) for m in place.materials]
    tone = np.clip(np.array(grey, np.float32), 0.0, 0.9)[place.material_of[chosen]]
    growth = np.array([m.alpha_cutoff > 0 for m in place.materials])[place.material_of[chosen]]
    order = np.argsort(points[:, 2], kind="stable")
    large = np.argsort(area)[::-1][:LARGE_COUNT]
    large = large[area[large] > LARGE_M2]
    large_tone = np.clip(np.array(grey, np.float32), 0.0, 0.9)[place.material_of[large]]
    return Relief(points[order].astype(np.float32), tone[order], growth[order], corners[large], large_tone)


#: Views of the plan: which coordinates run to the right and up, and which comes towards the eye, with its sign.
SIDES = {"above": (0, 1, 2, 1.0), "south": (0, 2, 1, -1.0), "east": (1, 2, 0, 1.0)}


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


def turned(relief: Relief, side: str) -> Relief:
    """A relief as another view has it: its third coordinate is what comes towards the eye."""
    if side == "above":
        return relief
    right, up, depth, sign = SIDES[side]

    def of(points: NDArray) -> NDArray[np.float32]:
        return np.stack([points[..., right], points[..., up], sign * points[..., depth]], -1)

    points = of(relief.points)
    order = np.argsort(points[:, 2], kind="stable")
    return Relief(points[order], relief.tone[order], relief.is_growth[order], of(relief.large), relief.large_tone)


def draw_relief(
    relief: Relief, centre: tuple[float, float], metres_per_pixel: float, width: int, height: int
) -> NDArray[np.uint8]:
    """A shaded drawing (height, width, 4) uint8, north up, with height lines; neutral greys throughout."""
    x = np.floor((relief.points[:, 0] - centre[0]) / metres_per_pixel + width / 2).astype(np.int64)
    y = np.floor((centre[1] - relief.points[:, 1]) / metres_per_pixel + height / 2).astype(np.int64)
    visible = (x >= 0) & (x < width) & (y >= 0) & (y < height)
    inside = visible & ~relief.is_growth
    level = np.full((height, width), np.nan, np.float32)
    tone = np.zeros((height, width), np.float32)
    # Points are in order of height: the last one written is the topmost.
    level[y[inside], x[inside]] = relief.points[inside, 2]
    tone[y[inside], x[inside]] = relief.tone[inside]
    level, tone = _fill(level, tone)
    _fill_large(relief, centre, metres_per_pixel, level, tone)
    growth = np.zeros((height, width), bool)
    grown = visible & relief.is_growth
    growth[y[grown], x[grown]] = True
    flat = np.nan_to_num(level, nan=0.0)
    slope_y, slope_x = np.gradient(flat, metres_per_pixel)
    light = (1.0 - 0.55 * slope_x + 0.55 * slope_y) / np.sqrt(1 + slope_x**2 + slope_y**2)
    grey = (0.09 + 0.24 * np.sqrt(tone)) * (0.5 + 0.5 * np.clip(light, 0.1, 2.0))
    band = np.floor(flat / _height_step(metres_per_pixel))
    gentle = slope_x**2 + slope_y**2 < 0.4
    line = gentle & ((np.diff(band, axis=0, prepend=band[:1]) != 0) | (np.diff(band, axis=1, prepend=band[:, :1]) != 0))
    grey = np.where(line, grey * 0.82, grey)
    grey = np.where(growth, grey * 0.72 + 0.02, grey)
    grey = np.where(np.isnan(level), 0.07, grey)
    value = np.clip(grey * 255, 0, 255).astype(np.uint8)
    return np.dstack([value, value, value, np.full_like(value, 255)])


def _height_step(metres_per_pixel: float) -> float:
    """Height between lines [m]: closer when closer."""
    return 0.5 if metres_per_pixel < 0.06 else 1.0 if metres_per_pixel < 0.3 else 5.0


def _fill(level: NDArray, tone: NDArray) -> tuple[NDArray, NDArray]:
    """Close holes between points from the four neighbours, a few pixels wide at most."""
    for _ in range(6):
        hole = np.isnan(level)
        if not hole.any():
            break
        for axis, shift in ((0, 1), (0, -1), (1, 1), (1, -1)):
            moved = np.roll(level, shift, axis)
            fill = hole & ~np.isnan(moved) & np.isnan(level)
            level = np.where(fill, moved, level)
            tone = np.where(fill, np.roll(tone, shift, axis), tone)
    return level, tone


def _fill_large(
    relief: Relief, centre: tuple[float, float], metres_per_pixel: float, level: NDArray, tone: NDArray
) -> None:
    """Draw the large triangles where they lie above what is there."""
    height, width = level.shape
    x = (np.arange(width) + 0.5 - width / 2) * metres_per_pixel + centre[0]
    y = centre[1] - (np.arange(height) + 0.5 - height / 2) * metres_per_pixel
    gx, gy = np.meshgrid(x, y)
    for (a, b, c), shade in zip(relief.large.astype(float), relief.large_tone):
        whole = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if abs(whole) < 1e-9:
            continue
        u = ((gx - a[0]) * (c[1] - a[1]) - (gy - a[1]) * (c[0] - a[0])) / whole
        v = ((b[0] - a[0]) * (gy - a[1]) - (b[1] - a[1]) * (gx - a[0])) / whole
        z = a[2] + u * (b[2] - a[2]) + v * (c[2] - a[2])
        above = (u >= 0) & (v >= 0) & (u + v <= 1) & ~(level >= z)
        level[above] = z[above]
        tone[above] = shade
