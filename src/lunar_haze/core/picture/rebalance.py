"""A denoised picture under other gains, as clean as before: what changes is told by small layers that are clean.

Half-size layers, each denoised by itself, mix to a small picture under the gains that the denoised one was made with
and to another under the new gains. The ratio of the two, read between the small pixels that look like the large one, is
laid on the denoised picture: its edges and textures stay, and no grain of a layer comes up. Under unchanged gains the
ratio is one. Where the light rises so far that the old picture tells nothing of it, the small picture takes its place.

Layers that the picture hardly shows are denoised at full size as well: what they rise by is added as it is.
"""

from collections.abc import Iterable

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.picture.mix import gain_changes
from lunar_haze.core.units.between import between
from lunar_haze.core.units.fast_math import log2
from lunar_haze.core.units.shapes import entry

f32 = np.float32
#: Up to this rise the old picture tells of the new one wholly, from this on not at all.
TELLS_TO, TELLS_NOT_FROM = 12.0, 40.0
#: A ratio's colour differs from its level by this factor at the most: what is dark in one channel tells little.
MOST_COLOUR = 2.0
#: Small pixels that differ by so many stops from the large one count a quarter.
ALIKE_STOPS = 0.5
#: Levels as far below the mean as this are as good as none.
_LEAST = 1e-6

#: Surface and air (h, w, 3) of a layer that is denoised by itself, small or whole, by its key.
CleanLayers = dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]]


def _add_layers(total: NDArray[np.float32], layers: CleanLayers, gains: Iterable[LayerGain]) -> None:
    """Add layers to a mix (h, w, 3) of their size under gains, or by how much those have changed."""
    for gain in gains:
        surface, air = layers[gain.key]
        _add(total, surface, air, np.asarray(gain.surface, f32), np.asarray(gain.air, f32))


def _parted(change: LayerGain) -> tuple[LayerGain, LayerGain]:
    """A change of gains as what rises and what falls."""
    surface, air = np.array(change.surface), np.array(change.air)
    rise, fall = (
        LayerGain(change.key, tuple(part(surface, 0.0).tolist()), tuple(part(air, 0.0).tolist()))
        for part in (np.maximum, np.minimum)
    )
    return rise, fall


class Rebalance:
    """A denoised picture (H, W, 3) [cd/m2], the gains that it was made with and its layers denoised by themselves.

    Ready to be brought to other gains, as often as a hand moves, on any thread.

    ``small`` holds every layer that gives light in the picture (KeyError for one that is not there), ``whole`` some of
    them at full size.
    """

    def __init__(
        self,
        clean: NDArray[np.float32],
        gains: tuple[LayerGain, ...],
        small: CleanLayers,
        whole: CleanLayers,
    ) -> None:
        self._clean, self._gains, self._small, self._whole = clean, gains, dict(small), dict(whole)
        before = np.zeros_like(next(iter(self._small.values()))[0])
        _add_layers(before, self._small, (gain for gain in gains if not gain.is_silent))
        self._before = before
        self._least = f32(max(_LEAST * float(before.mean()), 1e-20))
        self._levels, self._small_levels = np.empty(clean.shape[:2], f32), np.empty(before.shape[:2], f32)
        _levels(clean, self._least, self._levels)
        _levels(before, self._least, self._small_levels)

    def knows(self, keys: Iterable[str]) -> bool:
        """Whether it can tell of all these layers."""
        return self._small.keys() >= set(keys)

    def to(self, gains: tuple[LayerGain, ...], out: NDArray[np.float32]) -> None:
        """``out`` (H, W, 3) = the picture under other gains."""
        changes = gain_changes(self._gains, gains)
        parted = [_parted(change) for key, change in changes.items() if key in self._whole]
        after = self._before.copy()
        _add_layers(after, self._small, (change for key, change in changes.items() if key not in self._whole))
        _add_layers(after, self._small, (fall for _rise, fall in parted if not fall.is_silent))
        ratio = np.empty_like(after)
        _ratios(self._before, after, self._least, ratio)
        _rebalance(self._clean, self._levels, self._small_levels, ratio, after, out)
        _add_layers(out, self._whole, (rise for rise, _fall in parted if not rise.is_silent))


@entry(total="h w 3 f4", surface="h w 3 f4", air="h w 3 f4", gain="3 f4", air_gain="3 f4")
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


@entry(picture="h w 3 f4", out="h w f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _levels(picture, least, out):
    for row in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            out[row, x] = _level(picture, row, x, least)


@entry(before="h w 3 f4", after="h w 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _ratios(before, after, least, out):
    zero = f32(0.0)
    for row in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                now = max(after[row, x, c], zero)
                after[row, x, c] = now
                out[row, x, c] = (now + least) / (max(before[row, x, c], zero) + least)


@entry(clean="h w 3 f4", levels="h w f4", small_levels="j i f4", ratio="j i 3 f4", after="j i 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _rebalance(clean, levels, small_levels, ratio, after, out):
    one, zero, apart = f32(1.0), f32(0.0), f32(1.0 / ALIKE_STOPS)
    low, high = f32(TELLS_TO), f32(TELLS_NOT_FROM)
    for row in nb.prange(clean.shape[0]):
        above, below, fy = between(row, clean.shape[0], ratio.shape[0])
        for x in range(clean.shape[1]):
            left, right, fx = between(x, clean.shape[1], ratio.shape[1])
            here = levels[row, x]
            total, r0, r1, r2, l0, l1, l2 = zero, zero, zero, zero, zero, zero, zero
            for k in range(4):
                j = below if k >> 1 else above
                i = right if k & 1 else left
                weight = (fy if k >> 1 else one - fy) * (fx if k & 1 else one - fx) + f32(1e-3)
                off = (small_levels[j, i] - here) * apart
                weight /= (one + off * off) * (one + off * off)
                rise, now = ratio[j, i], after[j, i]
                total += weight
                r0 += weight * rise[0]
                r1 += weight * rise[1]
                r2 += weight * rise[2]
                l0 += weight * now[0]
                l1 += weight * now[1]
                l2 += weight * now[2]
            share = one / total
            r0, r1, r2 = r0 * share, r1 * share, r2 * share
            level = f32(0.25) * r0 + f32(0.65) * r1 + f32(0.1) * r2
            most, fewest = level * f32(MOST_COLOUR), level * f32(1.0 / MOST_COLOUR)
            old, new = clean[row, x], out[row, x]
            new[0] = old[0] * min(max(r0, fewest), most)
            new[1] = old[1] * min(max(r1, fewest), most)
            new[2] = old[2] * min(max(r2, fewest), most)
            if level > low:
                told = min(max((high - level) / (high - low), zero), one)
                new[0] = l0 * share + told * (new[0] - l0 * share)
                new[1] = l1 * share + told * (new[1] - l1 * share)
                new[2] = l2 * share + told * (new[2] - l2 * share)
