"""Light of the heavens along a direction: skies from their maps, discs of sun and moon under their clouds."""

import math

import numba as nb
import numpy as np

from lunar_haze.core.sky.moonlight import EARTHSHINE
from lunar_haze.core.transport.lights import (
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

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

_PI = f32(math.pi)
_EARTHSHINE = f32(EARTHSHINE)


@_jit
def sky_radiance(lights, table, dx, dy, dz):
    """Bilinear radiance rgb of a sky in a direction, and the table's density [1/sr] there."""
    sky = lights.sky[table]
    height, width = sky.shape[0], sky.shape[1]
    row = f32(math.acos(min(max(dz, f32(-1.0)), f32(1.0)))) * f32(height) / _PI
    azimuth = f32(math.atan2(dx, dy))
    if azimuth < f32(0.0):
        azimuth += f32(2.0) * _PI
    column = azimuth * f32(width) / (f32(2.0) * _PI)
    i = min(int(row), height - 1)
    j = min(int(column), width - 1)
    density = lights.sky_density[table, i, j]
    y = min(max(row - f32(0.5), f32(0.0)), f32(height) - f32(1.001))
    x = column - f32(0.5)
    y0, x0 = int(y), int(math.floor(x))
    fy, fx = y - f32(y0), x - f32(x0)
    xa, xb = (x0 + width) % width, (x0 + 1) % width
    r, g, b = f32(0.0), f32(0.0), f32(0.0)
    for k in range(4):
        w = (fy if k >> 1 else f32(1.0) - fy) * (fx if k & 1 else f32(1.0) - fx)
        px = sky[y0 + (k >> 1), xb if k & 1 else xa]
        r += w * px[0]
        g += w * px[1]
        b += w * px[2]
    return r, g, b, density


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
    x = (x - f32(math.floor(x))) * f32(count) - f32(0.5)
    y = (y - f32(math.floor(y))) * f32(count) - f32(0.5)
    i, j = int(math.floor(y)), int(math.floor(x))
    fy, fx = y - f32(i), x - f32(j)
    i1, j1 = (i + 1 if i + 1 < count else 0), (j + 1 if j + 1 < count else 0)
    i, j = (i if i >= 0 else count - 1), (j if j >= 0 else count - 1)
    low = tile[i, j] + fx * (tile[i, j1] - tile[i, j])
    return low + fy * (tile[i1, j] + fx * (tile[i1, j1] - tile[i1, j]) - low)


@_jit
def find_interval(cumulative, value):
    """Largest i with cumulative[i] <= value, for an array that starts at 0 and ends at 1."""
    low, high = 0, cumulative.shape[0] - 1
    while high - low > 1:
        middle = (low + high) >> 1
        if cumulative[middle] <= value:
            low = middle
        else:
            high = middle
    return low


@_jit
def sample_sky(lights, table, u, v):
    rows = lights.sky_rows[table]
    i = find_interval(rows, u)
    columns = lights.sky_columns[table, i]
    j = find_interval(columns, v)
    height = rows.shape[0] - 1
    width = columns.shape[0] - 1
    fu = (u - rows[i]) / max(rows[i + 1] - rows[i], f32(1e-12))
    fv = (v - columns[j]) / max(columns[j + 1] - columns[j], f32(1e-12))
    # Even over the solid angle of the cell: linear in the cosine.
    c0 = f32(math.cos(_PI * f32(i) / f32(height)))
    c1 = f32(math.cos(_PI * f32(i + 1) / f32(height)))
    cos_t = c0 + (c1 - c0) * fu
    sin_t = f32(math.sqrt(max(f32(1.0) - cos_t * cos_t, f32(0.0))))
    azimuth = f32(2.0) * _PI * (f32(j) + fv) / f32(width)
    return sin_t * f32(math.sin(azimuth)), sin_t * f32(math.cos(azimuth)), cos_t
