"""The compiled loops of the dark, row by row: what they are for is told in `dark`."""

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.units.between import read_row
from lunar_haze.core.units.shapes import entry


class Softness(NamedTuple):
    """A picture (h, w, 3) blurred thrice, each softer and at most as large as the one before.

    ``levels`` (h', w', 1) tells which of the four a place is read from: 0 for the picture itself, 3 for the softest; a
    single pixel of it for none.
    """

    first: NDArray[np.float32]
    second: NDArray[np.float32]
    third: NDArray[np.float32]
    levels: NDArray[np.float32]


class Eye(NamedTuple):
    """An eye whose day vision takes part by ``day`` (see `night`); a ``strength`` of 0 is no eye."""

    to_xyz: NDArray[np.float32]
    blue: NDArray[np.float32]
    day: np.float32
    k: np.float32
    strength: np.float32
    white_ratio: np.float32


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


class Dark(NamedTuple):
    """What the dark does to a picture, in this order: it is softened, seen by an eye, and has noise."""

    soft: Softness
    eye: Eye
    quanta: Quanta

    @property
    def is_on(self) -> bool:
        """Whether it does anything."""
        return bool(self.soft.levels.shape[0] > 1 or self.eye.strength > 0.0 or self.quanta.strength > 0.0)


#: What does nothing: a picture that stays sharp, and no noise.
_NONE = np.zeros((1, 1, 3), np.float32)
SHARP = Softness(_NONE, _NONE, _NONE, np.zeros((1, 1, 1), np.float32))
QUIET = Quanta(np.zeros((1, 1), np.float32), np.zeros(3, np.float32), *(np.float32(n) for n in (0.0, 1.0, 1.0, 1.0)))


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add_level(picture, level, row, height, at, room, line):
    """A row's share of one of the blurred pictures: all of it where ``at`` is its level, none from one level away."""
    zero, one, mine = np.float32(0.0), np.float32(1.0), np.float32(level)
    values = room[at.size : 2 * at.size]
    for c in range(3):
        read_row(picture, c, row, height, room, values)
        here = line[c]
        for x in range(at.size):
            here[x] += max(one - abs(at[x] - mine), zero) * values[x]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _soften_row(soft, row, height, line, room, at):
    """A row (3, W) of a picture of that height as soft as it is to be; ``room`` (2 W,) and ``at`` (W,) are room."""
    zero, one, two, three = np.float32(0.0), np.float32(1.0), np.float32(2.0), np.float32(3.0)
    read_row(soft.levels, 0, row, height, room, at)
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
def _see_row(eye, line):
    """A row (3, W) as an `Eye` sees it: see `night`."""
    zero, one, most, tiny = np.float32(0.0), np.float32(1.0), np.float32(4.0), np.float32(1e-12)
    to_xyz, blue, m, k, strength = eye.to_xyz, eye.blue, eye.day, eye.k, eye.strength
    red, green, blues = line[0], line[1], line[2]
    for n in range(red.size):
        r, g, b = red[n], green[n], blues[n]
        x = to_xyz[0, 0] * r + to_xyz[0, 1] * g + to_xyz[0, 2] * b
        y = max(to_xyz[1, 0] * r + to_xyz[1, 1] * g + to_xyz[1, 2] * b, zero)
        z = to_xyz[2, 0] * r + to_xyz[2, 1] * g + to_xyz[2, 2] * b
        ratio = np.float32(1.33) * (one + (y + z) / max(x, np.float32(1e-9))) - np.float32(1.68)
        # Grey stays as bright as it is: what counts is how much bluer than white light is.
        rod = y * min(max(ratio / eye.white_ratio, zero), most)
        level = (m * y + (one - m) * k * rod) / (m + (one - m) * k)
        scale = m * level / max(y, tiny)
        level *= one - m
        red[n] = r + strength * (scale * r + level * blue[0] - r)
        green[n] = g + strength * (scale * g + level * blue[1] - g)
        blues[n] = b + strength * (scale * b + level * blue[2] - b)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _noise_row(quanta, row, line):
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


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def dark_row(soft, eye, quanta, row, height, line, room, at):
    """A row, ``line`` (3, W), of a picture of that height with what the dark does to it; ``room`` (2 W,) and ``at``
    (W,) are room for numbers.
    """
    if soft.levels.shape[0] > 1:
        _soften_row(soft, row, height, line, room, at)
    if eye.strength > np.float32(0.0):
        _see_row(eye, line)
    if quanta.strength > np.float32(0.0):
        _noise_row(quanta, row, line)


@entry(picture="h w 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def dark_rows(picture, soft, eye, quanta, out):
    """``out`` = a picture (h, w, 3), which it may be, softened, as an eye sees it, with noise: what of it is on."""
    height, width = picture.shape[0], picture.shape[1]
    for row in nb.prange(height):
        line, room, at = np.empty((3, width), np.float32), np.empty(2 * width, np.float32), np.empty(width, np.float32)
        for c in range(3):
            line[c] = picture[row, :, c]
        dark_row(soft, eye, quanta, row, height, line, room, at)
        for c in range(3):
            out[row, :, c] = line[c]
