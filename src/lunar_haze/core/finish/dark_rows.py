"""The compiled loops of the dark, row by row: what they are for is told in `dark`."""

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray


class Softness(NamedTuple):
    """A picture (h, w, 3) blurred thrice, each softer and at most as large as the one before.

    ``levels`` (h', w', 1) tells which of the four a place is read from: 0 for the picture itself, 3 for the softest; a
    single pixel of it for none.
    """

    first: NDArray[np.float32]
    second: NDArray[np.float32]
    third: NDArray[np.float32]
    levels: NDArray[np.float32]


class Quanta(NamedTuple):
    """Noise of the dark: a tile (N, N) of spread 1, and by how much of it a level is spread; 0 for none.

    ``strength`` is the spread over the level ``at`` [cd/m2]; the level counts as no darker than ``darkest``, and has no
    noise at ``brightest``.
    """

    tile: NDArray[np.float32]
    weights: NDArray[np.float32]
    strength: np.float32
    at: np.float32
    darkest: np.float32
    brightest: np.float32


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _row_of(small, row, height, out):
    """``out`` (W,) = a row of a picture of that height, read between the rows of a smaller one; all channels of it."""
    half, zero = np.float32(0.5), np.float32(0.0)
    rows = small.shape[0]
    y = min(max((np.float32(row) + half) * np.float32(rows) / np.float32(height) - half, zero), np.float32(rows - 1))
    j = min(int(y), max(rows - 2, 0))
    upper, lower, fy = small[j].reshape(-1), small[min(j + 1, rows - 1)].reshape(-1), y - np.float32(j)
    for k in range(upper.size):
        out[k] = upper[k] + fy * (lower[k] - upper[k])


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _along(down, channel, channels, columns, out):
    """``out`` (W,) = one channel of a row of so many pixels, read between them."""
    width, half, zero = out.size, np.float32(0.5), np.float32(0.0)
    step = width // columns
    if step == 1:
        for x in range(width):
            out[x] = down[channels * x + channel]
    elif step * columns == width and step % 2 == 0:
        # The same as below, for the usual case: the same steps from each pixel to the next.
        for x in range(step // 2):
            out[x] = down[channel]
            out[width - 1 - x] = down[channels * (columns - 1) + channel]
        for n in range(columns - 1):
            here = down[channels * n + channel]
            slope = (down[channels * (n + 1) + channel] - here) / np.float32(step)
            begin = step // 2 + n * step
            for k in range(step):
                out[begin + k] = here + (np.float32(k) + half) * slope
    else:
        for x in range(width):
            at = (np.float32(x) + half) * np.float32(columns) / np.float32(width) - half
            at = min(max(at, zero), np.float32(columns - 1))
            i = min(np.int32(at), np.int32(max(columns - 2, 0)))
            here = down[channels * i + channel]
            out[x] = here + (at - np.float32(i)) * (down[channels * min(i + 1, columns - 1) + channel] - here)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add_level(picture, level, row, height, at, room, line):
    """A row's share of one of the blurred pictures: all of it where ``at`` is its level, none from one level away."""
    zero, one, mine, columns, width = np.float32(0.0), np.float32(1.0), np.float32(level), picture.shape[1], at.size
    down, values = room[: 3 * columns], room[3 * width :]
    _row_of(picture, row, height, down)
    for c in range(3):
        _along(down, c, 3, columns, values)
        here = line[c]
        for x in range(width):
            here[x] += max(one - abs(at[x] - mine), zero) * values[x]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def soften_row(soft, row, height, line, room, at):
    """A row (3, W) of a picture of that height as soft as it is to be; ``room`` (4 W,) and ``at`` (W,) are room."""
    zero, one, two, three = np.float32(0.0), np.float32(1.0), np.float32(2.0), np.float32(3.0)
    columns = soft.levels.shape[1]
    _row_of(soft.levels, row, height, room[:columns])
    _along(room, 0, 1, columns, at)
    low, high = three, zero
    for x in range(at.size):
        low, high = min(low, at[x]), max(high, at[x])
    if high <= zero:
        return
    for c in range(3):
        values = line[c]
        for x in range(at.size):
            values[x] *= max(one - at[x], zero)
    # Most rows lie between two of the four: the others are not read.
    if low < two:
        _add_level(soft.first, 1, row, height, at, room, line)
    if high > one and low < three:
        _add_level(soft.second, 2, row, height, at, room, line)
    if high > two:
        _add_level(soft.third, 3, row, height, at, room, line)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def noise_row(quanta, row, line):
    """A row (3, W) times 1 and the noise of the dark."""
    zero, one, half, most = np.float32(0.0), np.float32(1.0), np.float32(0.5), np.float32(0.95)
    grains = quanta.tile[row % quanta.tile.shape[0]]
    wr, wg, wb = quanta.weights[0], quanta.weights[1], quanta.weights[2]
    darkest, at, fading = quanta.darkest, quanta.strength * np.sqrt(quanta.at), one / quanta.brightest
    for start in range(0, line.shape[1], grains.size):
        count = min(grains.size, line.shape[1] - start)
        here = line[:, start : start + count]
        red, green, blue = here[0], here[1], here[2]
        for n in range(count):
            level = max(wr * red[n] + wg * green[n] + wb * blue[n], darkest)
            spread = at / np.sqrt(level) * min(max(one - level * fading, zero), one)
            # No darker than black, and as far up as down.
            factor = one + min(max(min(spread, half) * grains[n], -most), most)
            red[n] *= factor
            green[n] *= factor
            blue[n] *= factor


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def dark_rows(picture, soft, quanta, out):
    """``out`` = a picture (h, w, 3) softened, or with noise."""
    height, width = picture.shape[0], picture.shape[1]
    for row in nb.prange(height):
        line, room, at = np.empty((3, width), np.float32), np.empty(4 * width, np.float32), np.empty(width, np.float32)
        for c in range(3):
            line[c] = picture[row, :, c]
        if soft.levels.shape[0] > 1:
            soften_row(soft, row, height, line, room, at)
        if quanta.strength > np.float32(0.0):
            noise_row(quanta, row, line)
        for c in range(3):
            out[row, :, c] = line[c]
