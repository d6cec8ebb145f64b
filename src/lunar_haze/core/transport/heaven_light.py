"""Light of the heavens along a direction: skies from their maps, discs of sun and moon under their clouds."""

import math

import numba as nb
import numpy as np

from lunar_haze.core.sky.moonlight import EARTHSHINE
from lunar_haze.core.transport.sampling import find_share
from lunar_haze.core.transport.source_row import (
    ONE_MINUS_COS,
    PHASE_COS,
    PHASE_SIN,
    RADIANCE,
    SHADE,
    SHADE_HEIGHT,
    SHADE_SIDE,
    SIDE,
    UP,
)
from lunar_haze.core.units.fast_math import angle_of, floor, turned

f32, i32, u32 = np.float32, np.int32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

_EARTHSHINE = f32(EARTHSHINE)
#: The least sine of the angle from a pole that densities are told for.
_POLE = f32(1e-4)


@_jit
def _sky_at(sky, row, column):
    """Bilinear rgb of a lat-long map (H, W, 3) at a row and a column; rows end at the poles, columns go round."""
    height, width = sky.shape[0], sky.shape[1]
    y = min(max(row - f32(0.5), f32(0.0)), f32(height) - f32(1.001))
    x = column - f32(0.5)
    y0, x0 = i32(y), floor(x)
    fy, fx = y - f32(y0), x - f32(x0)
    x1 = x0 + 1 if x0 + 1 < width else 0
    x0 = x0 if x0 >= 0 else width - 1
    r, g, b = f32(0.0), f32(0.0), f32(0.0)
    for k in range(4):
        w = (fy if k >> 1 else f32(1.0) - fy) * (fx if k & 1 else f32(1.0) - fx)
        at = sky[u32(y0 + (k >> 1)), u32(x1 if k & 1 else x0)]
        r += w * at[0]
        g += w * at[1]
        b += w * at[2]
    return r, g, b


@_jit
def turn_of(dx, dy):
    """Azimuth of a direction, clockwise from +y, as a share of the whole turn in [0, 1]."""
    share = angle_of(abs(dx), dy) * f32(0.5 / math.pi)
    return share if dx >= f32(0.0) else f32(1.0) - share


@_jit
def sky_radiance(lights, table, dx, dy, dz):
    """Bilinear radiance rgb of a sky in a direction, and the table's density [1/sr] there."""
    sky, density = lights.sky[table], lights.sky_density[table]
    height, width = sky.shape[0], sky.shape[1]
    rows, columns = density.shape[0], density.shape[1]
    sine = f32(math.sqrt(max(f32(1.0) - dz * dz, f32(0.0))))
    down, round_ = angle_of(sine, dz) * f32(1.0 / math.pi), turn_of(dx, dy)
    r, g, b = _sky_at(sky, down * f32(height), min(round_ * f32(width), f32(width) - f32(1e-3)))
    i = u32(min(i32(down * f32(rows)), rows - 1))
    j = u32(min(i32(round_ * f32(columns)), columns - 1))
    return r, g, b, density[i, j] / max(sine, _POLE)


@_jit
def disc_radiance(lights, row, px, py, pz, dx, dy, dz):
    """Radiance of a sun or a moon in a direction on its disc, under its clouds at p."""
    radiance = row[RADIANCE]
    if row[PHASE_COS] < f32(1.0):
        # On the disc: x towards the bright limb, in radii.
        half = f32(1.0) / f32(math.sqrt(row[ONE_MINUS_COS] * (f32(2.0) - row[ONE_MINUS_COS])))
        x = (dx * row[SIDE] + dy * row[SIDE + 1] + dz * row[SIDE + 2]) * half
        y = (dx * row[UP] + dy * row[UP + 1] + dz * row[UP + 2]) * half
        z = f32(math.sqrt(max(f32(1.0) - x * x - y * y, f32(0.0))))
        if x * row[PHASE_SIN] + z * row[PHASE_COS] <= f32(0.0):
            radiance *= _EARTHSHINE
    if row[SHADE] >= f32(0.0) and dz > f32(1e-3):
        radiance *= _shade(lights, row, px, py, pz, dx, dy, dz)
    return radiance


@_jit
def _shade(lights, row, px, py, pz, dx, dy, dz):
    tile = lights.shades[int(row[SHADE])]
    count = tile.shape[0]
    t = (row[SHADE_HEIGHT] - pz) / dz
    if t <= f32(0.0):
        return f32(1.0)
    x, y = (px + t * dx) / row[SHADE_SIDE], (py + t * dy) / row[SHADE_SIDE]
    x = (x - f32(floor(x))) * f32(count) - f32(0.5)
    y = (y - f32(floor(y))) * f32(count) - f32(0.5)
    i, j = floor(y), floor(x)
    fy, fx = y - f32(i), x - f32(j)
    i1, j1 = (i + 1 if i + 1 < count else 0), (j + 1 if j + 1 < count else 0)
    i, j = (i if i >= 0 else count - 1), (j if j >= 0 else count - 1)
    low = tile[i, j] + fx * (tile[i, j1] - tile[i, j])
    return low + fy * (tile[i1, j] + fx * (tile[i1, j1] - tile[i1, j]) - low)


@_jit
def draw_sky(lights, table, u, v):
    """A direction drawn by a sky's table: (direction (3), radiance rgb, density [1/sr]).

    Within a cell of the table both angles are even, so that the radiance is read where it was drawn.
    """
    sky, rows = lights.sky[table], lights.sky_rows[table]
    count, around = lights.sky_density.shape[1], lights.sky_density.shape[2]
    i = find_share(rows[1:], lights.sky_row_starts[table], u)
    columns = lights.sky_columns[table, i]
    j = find_share(columns[1:], lights.sky_column_starts[table, i], v)
    i1, j1 = u32(i + u32(1)), u32(j + u32(1))
    down = (f32(i) + max(u - rows[i], f32(0.0)) / max(rows[i1] - rows[i], f32(1e-12))) / f32(count)
    round_ = (f32(j) + max(v - columns[j], f32(0.0)) / max(columns[j1] - columns[j], f32(1e-12))) / f32(around)
    down, round_ = min(down, f32(1.0)), min(round_, f32(1.0) - f32(1e-6))
    r, g, b = _sky_at(sky, down * f32(sky.shape[0]), round_ * f32(sky.shape[1]))
    up, sine = turned(f32(0.5) * down)
    north, east = turned(round_)
    density = lights.sky_density[table, i, j] / max(sine, _POLE)
    return sine * east, sine * north, up, r, g, b, density
