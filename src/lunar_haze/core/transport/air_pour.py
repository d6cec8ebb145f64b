"""The airlight of many lamps gathered into one volume of colour, save what lies about each lamp in the picture."""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.transport.air_integral import apart2_along
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.lights import KIND, POSITION, SUN
from lunar_haze.core.transport.view import column_direction

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: A lamp in the picture keeps its light to itself within this many columns of it, and gives it all up beyond the other.
INNER, OUTER = 3.0, 5.5
#: Stands for a lamp that is not before the lens.
_AWAY = -1e6


def core_of(light: NDArray, camera: NDArray, grid: tuple[int, int, int]) -> tuple[np.float32, np.float32]:
    """Where a lamp lies in the picture, in columns and rows of the grid; far away when it is not before the lens."""
    if int(light[KIND]) == SUN:
        return f32(_AWAY), f32(_AWAY)
    towards = light[POSITION : POSITION + 3] - camera[:3]
    x, y, ahead = (float(towards @ camera[i : i + 3]) for i in (3, 6, 9))
    if ahead <= 1e-3:
        return f32(_AWAY), f32(_AWAY)
    scale = grid[1] / 2 / (float(camera[12]) * ahead)
    return f32(x * scale + (grid[1] - 1) / 2), f32((grid[0] - 1) / 2 - y * scale)


def core_bounds(
    about: tuple[np.float32, np.float32], width: int, height: int, grid: tuple[int, int, int]
) -> tuple[int, int, int, int] | None:
    """Columns and rows of pixels that read what a lamp keeps to itself; None when none do."""
    reach = OUTER + 1.5
    across, down = width / grid[1], height / grid[0]
    x0, x1 = (float(about[0]) + 0.5 - reach) * across, (float(about[0]) + 0.5 + reach) * across
    y0, y1 = (float(about[1]) + 0.5 - reach) * down, (float(about[1]) + 0.5 + reach) * down
    left, right = max(int(x0), 0), min(int(math.ceil(x1)), width)
    top, bottom = max(int(y0), 0), min(int(math.ceil(y1)), height)
    return (left, right, top, bottom) if left < right and top < bottom else None


@_plain
def _pour_row(camera, light, row, volume, colour, core_x, core_y, total):
    camera, light, volume, colour, total = floats(camera), floats(light), floats(volume), floats(colour), floats(total)
    rows, columns, count = volume.shape
    lamp = int(light[KIND]) != SUN
    near_row = abs(core_y - f32(row)) < f32(OUTER)
    for i in range(columns):
        scale = f32(1.0)
        if lamp:
            dx, dy, dz = column_direction(camera, row, i, rows, columns)
            apart2, _along = apart2_along(light, camera, dx, dy, dz)
            scale = f32(1.0) / f32(math.sqrt(apart2))
        own = f32(0.0)
        if near_row and abs(core_x - f32(i)) < f32(OUTER):
            x, y = core_x - f32(i), core_y - f32(row)
            away = f32(math.sqrt(x * x + y * y))
            own = min(max((f32(OUTER) - away) / f32(OUTER - INNER), f32(0.0)), f32(1.0))
            own = own * own * (f32(3.0) - f32(2.0) * own)
        given = scale * (f32(1.0) - own)
        r, g, b = colour[0] * given, colour[1] * given, colour[2] * given
        line, sums = volume[row, i], total[row, i]
        for k in range(count):
            v = line[k]
            sums[k, 0] += v * r
            sums[k, 1] += v * g
            sums[k, 2] += v * b
        for k in range(count):
            line[k] *= own


@_threads
def pour(camera, light, threads, volume, colour, core_x, core_y, total):
    """Add one lamp's volume (rows, columns, slices + 2) to ``total`` (.., 3), and leave in it what is its own.

    Volumes of lamps hold light times the column's distance from the lamp, as `integrate_lamp` has it.
    """
    for thread in nb.prange(threads):
        for row in range(thread, volume.shape[0], threads):
            _pour_row(camera, light, row, volume, colour, core_x, core_y, total)
