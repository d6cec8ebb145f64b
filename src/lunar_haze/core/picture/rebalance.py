"""A denoised picture under other gains, as clean as before: what changes is told by small layers that are clean.

Half-size layers, each denoised by itself, mix to a small picture under the gains that the denoised one was made with
and to another under the new gains. The ratio of the two, read between the small pixels that look like the large one, is
laid on the denoised picture: its edges and textures stay, and no grain of a layer comes up. Under unchanged gains the
ratio is one. Where the light rises so far that the old picture tells nothing of it, the small picture takes its place.
"""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.units.between import between
from lunar_haze.core.units.fast_math import log2

f32 = np.float32
#: Up to this rise the old picture tells of the new one wholly, from this on not at all.
TELLS_TO, TELLS_NOT_FROM = 12.0, 40.0
#: A ratio's colour differs from its level by this factor at the most: what is dark in one channel tells little.
MOST_COLOUR = 2.0
#: Small pixels that differ by so many stops from the large one count a quarter.
ALIKE_STOPS = 0.5
#: Levels as far below the mean as this are as good as none.
_LEAST = 1e-6

#: Surface and air (h, w, 3) of a small, clean layer, by its key.
SmallLayers = dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]]


def small_mix(layers: SmallLayers, gains: tuple[LayerGain, ...]) -> NDArray[np.float32] | None:
    """The mix (h, w, 3) [cd/m2] of small layers under gains; None where one that gives light is not there."""
    lit = [gain for gain in gains if not gain.is_silent]
    if not layers or any(gain.key not in layers for gain in lit):
        return None
    total = np.zeros_like(next(iter(layers.values()))[0])
    for gain in lit:
        surface, air = layers[gain.key]
        _add(total, surface, air, np.asarray(gain.surface, f32), np.asarray(gain.air, f32))
    return total


def rebalanced(
    clean: NDArray[np.float32], before: NDArray[np.float32], after: NDArray[np.float32], out: NDArray[np.float32]
) -> None:
    """``out`` (H, W, 3) = a denoised picture ``clean`` as its light goes from the small mix ``before`` to ``after``,
    both (h, w, 3), all [cd/m2].
    """
    least = f32(max(_LEAST * float(after.mean() + before.mean()), 1e-20))
    levels = np.empty(before.shape[:2], f32)
    _levels(before, least, levels)
    _rebalance(clean, before, after, levels, least, out)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _add(total, surface, air, gain, air_gain):
    for row in nb.prange(total.shape[0]):
        for x in range(total.shape[1]):
            for c in range(3):
                total[row, x, c] += gain[c] * surface[row, x, c] + air_gain[c] * air[row, x, c]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _level(picture, row, column, least):
    zero = f32(0.0)
    r, g, b = max(picture[row, column, 0], zero), max(picture[row, column, 1], zero), max(picture[row, column, 2], zero)
    return log2(f32(0.25) * r + f32(0.65) * g + f32(0.1) * b + least)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _levels(picture, least, out):
    for row in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            out[row, x] = _level(picture, row, x, least)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _rebalance(clean, before, after, levels, least, out):
    one, zero, apart = f32(1.0), f32(0.0), f32(1.0 / ALIKE_STOPS)
    low, high = f32(TELLS_TO), f32(TELLS_NOT_FROM)
    for row in nb.prange(clean.shape[0]):
        above, below, fy = between(row, clean.shape[0], before.shape[0])
        for x in range(clean.shape[1]):
            left, right, fx = between(x, clean.shape[1], before.shape[1])
            here = _level(clean, row, x, least)
            total, r0, r1, r2, l0, l1, l2 = zero, zero, zero, zero, zero, zero, zero
            for k in range(4):
                j = below if k >> 1 else above
                i = right if k & 1 else left
                weight = (fy if k >> 1 else one - fy) * (fx if k & 1 else one - fx) + f32(1e-3)
                off = (levels[j, i] - here) * apart
                weight /= (one + off * off) * (one + off * off)
                total += weight
                was, now = before[j, i], after[j, i]
                r0 += weight * (max(now[0], zero) + least) / (max(was[0], zero) + least)
                r1 += weight * (max(now[1], zero) + least) / (max(was[1], zero) + least)
                r2 += weight * (max(now[2], zero) + least) / (max(was[2], zero) + least)
                l0 += weight * max(now[0], zero)
                l1 += weight * max(now[1], zero)
                l2 += weight * max(now[2], zero)
            share = one / total
            r0, r1, r2, l0, l1, l2 = r0 * share, r1 * share, r2 * share, l0 * share, l1 * share, l2 * share
            rise = f32(0.25) * r0 + f32(0.65) * r1 + f32(0.1) * r2
            most, fewest = rise * f32(MOST_COLOUR), rise * f32(1.0 / MOST_COLOUR)
            r0, r1, r2 = min(max(r0, fewest), most), min(max(r1, fewest), most), min(max(r2, fewest), most)
            told = min(max((high - rise) / (high - low), zero), one)
            old, new = clean[row, x], out[row, x]
            new0 = l0 + told * (old[0] * r0 - l0)
            new1 = l1 + told * (old[1] * r1 - l1)
            new2 = l2 + told * (old[2] * r2 - l2)
            new[0], new[1], new[2] = new0, new1, new2
