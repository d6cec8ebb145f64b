"""What a finish does to each pixel by itself, and the screen's code values: one pass over the rows of a live picture.

Each step takes a row and gives it to the next, so that a pixel is read from memory once and written once, as code
values. What the steps mean is told in the modules they are named after; a test holds them to a still's.
"""

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.dark_rows import dark_row
from lunar_haze.core.finish.grain import WIDEST
from lunar_haze.core.picture.display import look_up_row, round_row, shape_row
from lunar_haze.core.units.between import read_row
from lunar_haze.core.units.fast_math import exp, log2
from lunar_haze.core.units.shapes import entry

_LN2 = np.float32(np.log(2.0))


class LaidGlow(NamedTuple):
    """A share ``stays`` (3,) of the picture, and ``share`` times light (h / 2, w / 2, 3), one pixel of it for none."""

    stays: NDArray[np.float32]
    scattered: NDArray[np.float32]
    share: np.float32


class Balance(NamedTuple):
    """A matrix (3, 3) and each pixel's gain (h, w), or (1, 1) for one and the same."""

    matrix: NDArray[np.float32]
    gains: NDArray[np.float32]
    is_on: bool


class Tone(NamedTuple):
    """The grade: ``curves`` (3, N) over the display table's shaper, and what is done to colours after them.

    Where nothing is done to colours the curves give the place in a table (see `grade.live_tone`), else exposed values,
    or the signal in ACEScct when the CDL changes its saturation.
    """

    curves: NDArray[np.float32]
    is_on: bool
    couples: bool
    is_signal: bool
    saturation: np.float32
    luma: NDArray[np.float32]
    #: Signal up to which ACEScct is a straight line, its slope and offset, and its stops and bias above that.
    decoding: NDArray[np.float32]
    split: np.float32
    shadows: NDArray[np.float32]
    lights: NDArray[np.float32]
    luminance: NDArray[np.float32]
    grey: np.float32
    per_stop: np.float32


class Shown(NamedTuple):
    """A display table of ``size`` nodes a side, rounding noise in [0, 1), and grain by its strength.

    Both lie in four numbers a pixel, as in the screen's: the noise in tiles, grains for all of the picture.
    """

    flat: NDArray[np.float32]
    size: int
    noise: NDArray[np.float32]
    grains: NDArray[np.float32]
    grain: np.float32


# A row is kept as three, one for each channel: loops over them run on several pixels at once.


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add_glow(row, height, glow, line, room, values):
    """The glow is read between the pixels of its smaller picture; ``room`` and ``values`` (W,) are room."""
    for c in range(3):
        read_row(glow.scattered, c, row, height, room, values)
        stays, here = glow.stays[c], line[c]
        for x in range(values.size):
            here[x] = stays * here[x] + glow.share * values[x]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _weigh(balance, row, line):
    m, none = balance.matrix, np.float32(0.0)
    red, green, blue = line[0], line[1], line[2]
    for x in range(red.size):
        r, g, b = red[x], green[x], blue[x]
        red[x] = max(m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, none)
        green[x] = max(m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, none)
        blue[x] = max(m[2, 0] * r + m[2, 1] * g + m[2, 2] * b, none)
    if balance.gains.shape[0] > 1:
        gains = balance.gains[row]
        for c in range(3):
            values = line[c]
            for x in range(values.size):
                values[x] *= gains[x]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _curve(curves, scale, line, at):
    """Each channel through its own curve; ``at`` (W,) is room for its places along it."""
    last = np.float32(curves.shape[1] - 1)
    for c in range(3):
        curve, values = curves[c], line[c]
        shape_row(values, scale, last, at)
        for x in range(values.size):
            i = np.int32(min(at[x], last - np.float32(1.0)))
            values[x] = curve[i] + (at[x] - np.float32(i)) * (curve[i + 1] - curve[i])


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _saturate(tone, line):
    """Saturation of a signal in ACEScct, which is decoded."""
    zero, one = np.float32(0.0), np.float32(1.0)
    wr, wg, wb, saturation = tone.luma[0], tone.luma[1], tone.luma[2], tone.saturation
    cut, slope, offset = tone.decoding[0], tone.decoding[1], tone.decoding[2]
    stops, bias = tone.decoding[3] * _LN2, tone.decoding[4] * _LN2
    red, green, blue = line[0], line[1], line[2]
    for x in range(red.size):
        y = wr * red[x] + wg * green[x] + wb * blue[x]
        red[x] = y + saturation * (red[x] - y)
        green[x] = y + saturation * (green[x] - y)
        blue[x] = y + saturation * (blue[x] - y)
    for c in range(3):
        values = line[c]
        for x in range(values.size):
            signal = min(max(values[x], zero), one)
            values[x] = exp(signal * stops - bias) if signal > cut else (signal - offset) / slope


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _split(tone, line):
    """The split tone: what `grade.coupled` does."""
    zero, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    least, split = np.float32(1e-10), tone.split * _LN2
    wr, wg, wb = tone.luminance[0], tone.luminance[1], tone.luminance[2]
    s0, s1, s2 = split * tone.shadows[0], split * tone.shadows[1], split * tone.shadows[2]
    d0, d1, d2 = split * tone.lights[0] - s0, split * tone.lights[1] - s1, split * tone.lights[2] - s2
    per_stop, grey, three, two = tone.per_stop, log2(tone.grey), np.float32(3.0), np.float32(2.0)
    red, green, blue = line[0], line[1], line[2]
    for x in range(red.size):
        r, g, b = red[x], green[x], blue[x]
        level = max(r * wr + g * wg + b * wb, least)
        t = min(max((log2(level) - grey) * per_stop + half, zero), one)
        t = t * t * (three - two * t)
        r = max(r, zero) * exp(s0 + t * d0)
        g = max(g, zero) * exp(s1 + t * d1)
        b = max(b, zero) * exp(s2 + t * d2)
        again = level / max(r * wr + g * wg + b * wb, least)
        red[x], green[x], blue[x] = r * again, g * again, b * again


@entry(values="h w 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def couple_rows(tone, values, out):
    """``out`` = what is done to colours, ``values`` (h, w, 3), after the curves."""
    for row in nb.prange(values.shape[0]):
        line = np.empty((3, values.shape[1]), np.float32)
        for c in range(3):
            line[c] = values[row, :, c]
        if tone.is_signal:
            _saturate(tone, line)
        if tone.split > np.float32(0.0):
            _split(tone, line)
        for c in range(3):
            out[row, :, c] = line[c]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _round_with_grain(values, noise, grains, strength, out):
    """Code values (4 W,) of a row with its grain, none past black and white (see `grain.spread_at`)."""
    zero, one, full = np.float32(0.0), np.float32(1.0), np.float32(255.0)
    most = full / np.float32(WIDEST)
    for start in range(0, out.size, noise.size):
        count = min(noise.size, out.size - start)
        here, there, laid = values[start : start + count], out[start : start + count], grains[start : start + count]
        for n in range(count):
            value = here[n]
            spread = strength * (np.float32(0.25) + np.float32(3.0) * value * (one - value))
            grain = laid[n] * min(spread, most * max(min(value, one - value), zero))
            there[n] = np.int32(min(max(value * full + noise[n] + grain, zero), full))


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _rows(picture, scale, glow, soft, eye, quanta, balance, tone, shown, first, last, out):
    width, top = picture.shape[1], np.float32(shown.size - 1)
    line, at, values = np.empty((3, width), np.float32), np.empty(width, np.float32), np.empty(width * 4, np.float32)
    for row in range(first, last):
        for x in range(width):
            line[0, x], line[1, x], line[2, x] = picture[row, x, 0], picture[row, x, 1], picture[row, x, 2]
        if glow.scattered.shape[0] > 1:
            _add_glow(row, picture.shape[0], glow, line, values, at)
        dark_row(soft, eye, quanta, row, picture.shape[0], line, values, at)
        if balance.is_on:
            _weigh(balance, row, line)
        if tone.is_on:
            _curve(tone.curves, scale, line, at)
        if tone.is_signal:
            _saturate(tone, line)
        if tone.split > np.float32(0.0):
            _split(tone, line)
        if tone.couples or not tone.is_on:
            for c in range(3):
                shape_row(line[c], np.float32(1.0) if tone.couples else scale, top, at)
                line[c] = at
        look_up_row(line[0], line[1], line[2], shown.size, shown.flat, values)
        codes, noise = out[row].reshape(values.size), shown.noise[row % shown.noise.shape[0]]
        if shown.grain > np.float32(0.0):
            _round_with_grain(values, noise, shown.grains[row], shown.grain, codes)
        else:
            round_row(values, noise, codes)


@entry(picture="h w 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def lay_glow(picture, glow, out):
    """``out`` = a picture (h, w, 3) with its glow."""
    for row in nb.prange(picture.shape[0]):
        line, room = np.empty((3, picture.shape[1]), np.float32), np.empty((2, picture.shape[1]), np.float32)
        for c in range(3):
            line[c] = picture[row, :, c]
        _add_glow(row, picture.shape[0], glow, line, room[0], room[1])
        for c in range(3):
            out[row, :, c] = line[c]


@entry(picture="h w 3 f4", out="h w 4 u1")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def finish_rows(picture, scale, glow, soft, eye, quanta, balance, tone, shown, out):
    """``out`` (h, w, 4) uint8, blue first, of a ``picture`` (h, w, 3) [cd/m2] at an exposure, all steps in their order.

    ``glow`` is a `LaidGlow`, ``balance`` a `Balance`, ``shown`` a `Shown`.
    """
    height = picture.shape[0]
    for block in nb.prange((height + 15) // 16):
        first = block * 16
        _rows(picture, scale, glow, soft, eye, quanta, balance, tone, shown, first, min(first + 16, height), out)
