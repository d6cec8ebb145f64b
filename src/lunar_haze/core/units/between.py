"""Small pictures and grids read between the middles of their pixels, straight from one to the next."""

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def between(pixel, extent, count):
    """Of ``count`` middles along an extent [px]: the one before a pixel, the one after it, and the share of that."""
    half, zero = np.float32(0.5), np.float32(0.0)
    at = (np.float32(pixel) + half) * np.float32(count) / np.float32(extent) - half
    at = min(max(at, zero), np.float32(count - 1))
    before = min(np.int32(at), np.int32(max(count - 2, 0)))
    return before, min(before + 1, count - 1), at - np.float32(before)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _along(down, out):
    """``out`` (W,) = a row (w,), read between its pixels."""
    columns, width = down.size, out.size
    if columns == width:
        out[:] = down
    elif 2 * columns == width:
        # The same as below, for the usual case: a quarter of the way, and three.
        quarter = np.float32(0.25)
        out[0], out[width - 1] = down[0], down[columns - 1]
        for n in range(columns - 1):
            here, there = down[n], down[n + 1]
            out[2 * n + 1] = here + quarter * (there - here)
            out[2 * n + 2] = there + quarter * (here - there)
    else:
        for x in range(width):
            left, right, share = between(x, width, columns)
            out[x] = down[left] + share * (down[right] - down[left])


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def read_row(small, channel, row, height, room, out):
    """``out`` (W,) = one channel of a row of a picture of a height, read between those of a ``small`` one (h, w, n).

    ``room`` (w,) at least is room for numbers.
    """
    above, below, share = between(row, height, small.shape[0])
    upper, lower = small[above], small[below]
    down = room[: small.shape[1]]
    for n in range(down.size):
        down[n] = upper[n, channel] + share * (lower[n, channel] - upper[n, channel])
    _along(down, out)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def times_grid(picture, grid, out):
    """``out`` = a picture (H, W, 3) float32 times a grid over it (h, w, 3) float32, read between its middles.

    ``out`` may be the picture.
    """
    for row in nb.prange(out.shape[0]):
        room, line = np.empty(grid.shape[1], np.float32), np.empty(out.shape[1], np.float32)
        for c in range(3):
            read_row(grid, c, row, out.shape[0], room, line)
            for x in range(line.size):
                out[row, x, c] = picture[row, x, c] * line[x]
