"""The airlight of many sources gathered into one volume of colour, save what lies about each lamp in the picture.

Column by column, so that what the sources share of the air is at hand once for all of them.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.transport.air_integral import apart2_along, spot_line
from lunar_haze.core.transport.air_ways import between
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.lights import KIND, POSITION, SUN
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.outside import as_pointer

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
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


Bounds = tuple[int, int, int, int]


def core_bounds(
    about: tuple[np.float32, np.float32], width: int, height: int, grid: tuple[int, int, int]
) -> tuple[Bounds, Bounds] | None:
    """First and past the last of the columns and rows that read what a lamp keeps to itself.

    Of pixels, and of the grid that they read; None when there are none.
    """
    reach = OUTER + 1.5
    across, down = width / grid[1], height / grid[0]
    x0, x1 = (float(about[0]) + 0.5 - reach) * across, (float(about[0]) + 0.5 + reach) * across
    y0, y1 = (float(about[1]) + 0.5 - reach) * down, (float(about[1]) + 0.5 + reach) * down
    left, right = max(int(x0), 0), min(math.ceil(x1), width)
    top, bottom = max(int(y0), 0), min(math.ceil(y1), height)
    if left >= right or top >= bottom:
        return None
    cells = (
        max(int(left / across) - 2, 0), min(int(right / across) + 3, grid[1]),
        max(int(top / down) - 2, 0), min(int(bottom / down) + 3, grid[0]),
    )  # fmt: skip
    return (left, right, top, bottom), cells


@_inline
def _own_share(core_x, core_y, i, row):
    """How much of its light a lamp keeps to itself in a column."""
    x, y = core_x - f32(i), core_y - f32(row)
    if abs(x) >= f32(OUTER) or abs(y) >= f32(OUTER):
        return f32(0.0)
    own = min(max((f32(OUTER) - f32(math.sqrt(x * x + y * y))) / f32(OUTER - INNER), f32(0.0)), f32(1.0))
    return own * own * (f32(3.0) - f32(2.0) * own)


@_plain
def keep_own(core_x, core_y, bounds, volume):
    """Leave in one lamp's volume (rows, columns, slices + 2) what it keeps to itself."""
    for row in range(bounds[2], bounds[3]):
        for i in range(bounds[0], bounds[1]):
            own = _own_share(core_x, core_y, i, row)
            for k in range(volume.shape[2]):
                volume[row, i, k] *= own


@_inline
def _line_at(address, index, length):
    return nb.carray(as_pointer(address + np.int64(4) * np.int64(index)), (length,), np.float32)


@_plain
def _add_sky(sky, row, i, rows, columns, slices, line, sums):
    """Add sums of a coarser volume (rows, columns, slices + 2, 3) to those of one column (3, ..) of a finer grid."""
    j, fy = between(f32(row), rows, sky.shape[0])
    c, fx = between(f32(i), columns, sky.shape[1])
    w00, w01, w10, w11 = (f32(1.0) - fx) * (f32(1.0) - fy), fx * (f32(1.0) - fy), (f32(1.0) - fx) * fy, fx * fy
    size, coarse = sky.shape[2] * 3, sky.shape[2] - 2
    a, b = sky[j, c].reshape(size), sky[j, c + 1].reshape(size)
    d, e = sky[j + 1, c].reshape(size), sky[j + 1, c + 1].reshape(size)
    for n in range(size):
        line[n] = w00 * a[n] + w01 * b[n] + w10 * d[n] + w11 * e[n]
    for channel in range(3):
        for k in range(slices + 1):
            at = f32(k) * f32(coarse) / f32(slices)
            s = np.uint32(min(at, f32(coarse) - f32(0.5)))
            low, high = line[3 * s + channel], line[3 * s + 3 + channel]
            sums[channel, k] += low + (at - f32(s)) * (high - low)
        sums[channel, slices + 1] += line[3 * coarse + 3 + channel]


@_plain
def _gather_row(camera, medium, reach, row, last, ends, scattered, below, lights, colours, glows, beds, cores, seen_at,
                open_at, ways_at, coarse, sky, out):  # fmt: skip
    camera, medium, ends, lights = floats(camera), floats(medium), floats(ends), floats(lights)
    scattered, below, glows, beds, cores = floats(scattered), floats(below), floats(glows), floats(beds), floats(cores)
    colours, sky, out = floats(colours), floats(sky), floats(out)
    rows, columns, slices = scattered.shape
    value, along = np.empty(slices, np.float32), np.empty(slices, np.float32)
    line, sky_line = np.empty(coarse[2], np.float32), np.empty(sky.shape[2] * 3, np.float32)
    sums = np.empty((3, slices + 2), np.float32)
    red, green, blue = sums[0], sums[1], sums[2]
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        count, back, index = last[row, i], scattered[row, i], (row * columns + i) * slices
        sums[...] = f32(0.0)
        for n in range(lights.shape[0]):
            light = lights[n]
            kind = int(light[KIND])
            given = f32(1.0)
            if kind != SUN:
                given = f32(1.0) - _own_share(cores[n, 0], cores[n, 1], i, row)
                if given <= f32(0.0):
                    continue
                apart2, _along = apart2_along(light, camera, dx, dy, dz)
                given /= f32(math.sqrt(apart2))
            way = nb.carray(as_pointer(ways_at[n]), coarse, np.float32)
            beyond = spot_line(
                kind, light, camera, medium, way, (glows[n, 0], glows[n, 1]), beds[n], reach, row, i, rows, columns,
                dx, dy, dz, count, slices, ends, below[row, i], _line_at(seen_at[n], index, slices),
                _line_at(open_at[n], index, slices), line, along, value,
            )  # fmt: skip
            r, g, b = colours[n, 0] * given, colours[n, 1] * given, colours[n, 2] * given
            for k in range(count):
                v = value[k] * back[k]
                red[k + 1] += v * r
                green[k + 1] += v * g
                blue[k + 1] += v * b
            red[slices + 1] += beyond * r
            green[slices + 1] += beyond * g
            blue[slices + 1] += beyond * b
        for k in range(slices + 1):
            red[k + 1] += red[k]
            green[k + 1] += green[k]
            blue[k + 1] += blue[k]
        _add_sky(sky, row, i, rows, columns, slices, sky_line, sums)
        answer = out[row, i]
        for k in range(slices + 2):
            answer[k, 0], answer[k, 1], answer[k, 2] = red[k], green[k], blue[k]


@_threads
def gather(camera, medium, reach, threads, last, ends, scattered, below, lights, colours, glows, beds, cores, seen_at,
           open_at, ways_at, coarse, sky, out):  # fmt: skip
    """Cumulative airlight of all sources: ``out`` (rows, columns, slices + 2, 3).

    ``lights`` are the rows of lamps and suns, with ``colours`` (n, 3), ``glows`` (n, 2) and ``beds``
    (n, heights) of their ways, and ``cores`` (n, 2), where they lie in the picture; ``seen_at``,
    ``open_at`` and ``ways_at`` (n,) the addresses of their looks, of what lies open to them (each
    rows, columns, slices) and of their ways (``coarse``). ``sky`` is the sum of skies' volumes.
    """
    for thread in nb.prange(threads):
        for row in range(thread, scattered.shape[0], threads):
            _gather_row(camera, medium, reach, row, last, ends, scattered, below, lights, colours, glows, beds, cores,
                        seen_at, open_at, ways_at, coarse, sky, out)  # fmt: skip
