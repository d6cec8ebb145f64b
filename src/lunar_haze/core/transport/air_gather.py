"""The airlight of many sources gathered into one volume of colour, save what lies about each lamp in the picture.

Column by column, so that what the sources share of the air is at hand once for all of them. What
varies little across the picture, the light of a lamp that is not near a column and has no edge, is
worked out for one column in a few and read in between; what the place hides is not.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from lunar_haze.core.transport.air_integral import apart2_along, borrowed_air, lamp_line, spot_line
from lunar_haze.core.transport.air_values import Cell, Column, Scratch, Spotlight
from lunar_haze.core.transport.air_ways import between
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE, FORWARD, RIGHT, TAN_HALF, UPWARD
from lunar_haze.core.transport.source_row import BEAM, KIND, POSITION, SUN
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.outside import as_pointer

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: A lamp in the picture keeps its light to itself within this many columns of it, and gives it all up beyond the other.
INNER, OUTER = 3.0, 5.5
#: From one column for which lamps are worked out to the next, and how near to a lamp they all are.
STEP, BY_ITSELF = 8, 9.0
#: Stands for a lamp that is not before the lens.
_AWAY = -1e6


def reach_of_nodes(last: NDArray[np.int32]) -> None:
    """Let the columns that others are read between reach as many slices (rows, columns) as any of those does."""
    wide = maximum_filter1d(last, 2 * STEP - 1, axis=1, mode="nearest")
    last[:, ::STEP], last[:, -1] = wide[:, ::STEP], wide[:, -1]


def core_of(light: NDArray, camera: NDArray, grid: tuple[int, int, int]) -> tuple[np.float32, np.float32]:
    """Where a lamp lies in the picture, in columns and rows of the grid; far away when it is not before the lens.

    ``light`` is a packed row (COLUMNS,), ``camera`` one of `camera_row`, (n,).
    """
    if int(light[KIND]) == SUN:
        return f32(_AWAY), f32(_AWAY)
    towards = light[POSITION : POSITION + 3] - camera[EYE : EYE + 3]
    x, y, ahead = (float(towards @ camera[i : i + 3]) for i in (RIGHT, UPWARD, FORWARD))
    if ahead <= 1e-3:
        return f32(_AWAY), f32(_AWAY)
    scale = grid[1] / 2 / (float(camera[TAN_HALF]) * ahead)
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
        max(int(left / across) - 2, 0),
        min(int(right / across) + 3, grid[1]),
        max(int(top / down) - 2, 0),
        min(int(bottom / down) + 3, grid[0]),
    )
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
def _sky_column(sky, j, fy, c, slices, line, out):
    """Sums of column ``c`` of a coarser volume (rows, columns, slices + 2, 3), for finer slices: (3, slices + 2)."""
    size, coarse = sky.shape[2] * 3, sky.shape[2] - 2
    upper, lower = sky[j, c].reshape(size), sky[j + 1, c].reshape(size)
    for n in range(size):
        line[n] = upper[n] + fy * (lower[n] - upper[n])
    step = f32(coarse) / f32(slices)
    for k in range(slices + 1):
        at = f32(k) * step
        s = np.uint32(min(at, f32(coarse) - f32(0.5)))
        rest, s = at - f32(s), np.uint32(3) * s
        for channel in range(3):
            low, high = line[s + np.uint32(channel)], line[s + np.uint32(channel + 3)]
            out[channel, k] = low + rest * (high - low)
    for channel in range(3):
        out[channel, slices + 1] = line[3 * coarse + 3 + channel]


@_inline
def _between_nodes(kind, core_x, core_y, first, stop, row):
    """Whether a source's light over the columns ``first``..``stop`` may be read between the two."""
    if kind == SUN or kind == BEAM:
        return False
    apart = max(f32(first) - core_x, core_x - f32(stop))
    return max(apart, abs(core_y - f32(row))) >= f32(BY_ITSELF)


@_plain
def _gather_row(air, row, last, along_rays, lamps, coarse, sky, out):
    air, lights = borrowed_air(air), floats(lamps.rows)
    scattered, below = floats(along_rays.scattered), floats(along_rays.below)
    glows, beds, cores = floats(lamps.glows), floats(lamps.beds), floats(lamps.cores)
    colours, sky, out = floats(lamps.colours), floats(sky), floats(out)
    rows, columns, slices = scattered.shape
    room = np.empty((4, max(slices, coarse[2], sky.shape[2] * 3)), np.float32)
    value, along, line, sky_line = floats(room[0]), floats(room[1]), floats(room[2]), floats(room[3])
    scratch = Scratch(line, along, value)
    # Sums, and those of skies at the coarser column on either side.
    colour_room, sky_known = np.empty((3, 3, slices + 2), np.float32), np.full(2, -1, np.int64)
    sums, sky_nodes = floats(colour_room)[0], floats(colour_room)[1:]
    red, green, blue = sums[0], sums[1], sums[2]
    j, fy = between(f32(row), rows, sky.shape[0])
    # What every lamp gives at the column worked out on either side, and the numbers of those two.
    # Numbers, not what memory held: past the last slice that a column sees they are read, and count for nothing.
    nodes_room, known = np.zeros((2, lights.shape[0], slices), np.float32), np.full((2, lights.shape[0]), -1, np.int64)
    nodes = floats(nodes_room)
    for i in range(columns):
        dx, dy, dz = column_direction(air.camera, row, i, rows, columns)
        count, back, index = last[row, i], scattered[row, i], (row * columns + i) * slices
        node = i // STEP
        left, right = node * STEP, min((node + 1) * STEP, columns - 1)
        share = f32(i - left) / f32(max(right - left, 1))
        sums[...] = f32(0.0)
        for n in range(lights.shape[0]):
            light = lights[n]
            kind = int(light[KIND])
            given = f32(1.0)
            if kind != SUN:
                given = f32(1.0) - _own_share(cores[n, 0], cores[n, 1], i, row)
                if given <= f32(0.0):
                    continue
                apart2, _along = apart2_along(light, air.camera, dx, dy, dz)
                given /= f32(math.sqrt(apart2))
            way = nb.carray(as_pointer(lamps.ways_at[n]), coarse, np.float32)
            seen, beyond = _line_at(lamps.seen_at[n], index, slices), f32(0.0)
            lamp = Spotlight(kind, light, way, glows[n], beds[n])
            if _between_nodes(kind, cores[n, 0], cores[n, 1], left, right, row):
                for number in range(node, node + 2):
                    side = number & 1
                    if known[side, n] == number:
                        continue
                    known[side, n] = number
                    at = left if number == node else right
                    nx, ny, nz = column_direction(air.camera, row, at, rows, columns)
                    ray, cell = Column(nx, ny, nz, last[row, at]), Cell(f32(row), f32(at), rows, columns)
                    lamp_line(lamp, air, ray, cell, below[row, at], Scratch(line, along, nodes[side, n]))
                one, other = nodes[node & 1, n], nodes[1 - (node & 1), n]
                for k in range(count):
                    value[k] = (one[k] + share * (other[k] - one[k])) * seen[k]
            else:
                ray, cell = Column(dx, dy, dz, count), Cell(f32(row), f32(i), rows, columns)
                open_here = _line_at(lamps.open_at[n], index, slices)
                beyond = spot_line(lamp, air, ray, cell, below[row, i], seen, open_here, scratch)
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
        c, fx = between(f32(i), columns, sky.shape[1])
        for number in range(c, c + 2):
            if sky_known[number & 1] != number:
                sky_known[number & 1] = number
                _sky_column(sky, j, fy, number, slices, sky_line, sky_nodes[number & 1])
        for channel in range(3):
            one, other, total = sky_nodes[c & 1, channel], sky_nodes[1 - (c & 1), channel], sums[channel]
            for k in range(slices + 2):
                total[k] += one[k] + fx * (other[k] - one[k])
        answer = out[row, i]
        for k in range(slices + 2):
            answer[k, 0], answer[k, 1], answer[k, 2] = red[k], green[k], blue[k]
    # Keeps them alive to here: what is borrowed is counted by nobody.
    room[0, 0], colour_room[0, 0, 0], nodes_room[0, 0, 0] = f32(0.0), f32(0.0), f32(0.0)


@_threads
def gather(air, threads, last, along, lamps, coarse, sky, out):
    """Cumulative airlight of all sources: ``out`` (rows, columns, slices + 2, 3).

    ``last`` (rows, columns) are the slices seen, ``along`` the `Slices`, ``lamps`` the `Spotlights`, whose ways are of
    the shape ``coarse``; ``sky`` is the sum of skies' volumes.
    """
    for thread in nb.prange(threads):
        for row in range(thread, along.scattered.shape[0], threads):
            _gather_row(air, row, last, along, lamps, coarse, sky, out)
