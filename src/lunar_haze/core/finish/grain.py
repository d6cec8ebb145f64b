"""Grain in the finished picture: soft noise that keeps to the frame and lies strongest in the middle tones."""

import functools
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.finish.values import Grain

#: Side of the piece of noise that is laid side by side [px].
TILE = 512
#: Grains stand out by so many times their spread at the most.
WIDEST = 3.0


@functools.lru_cache(maxsize=4)
def noise(seed: int, size_px: float) -> NDArray[np.float32]:
    """Noise (TILE, TILE) of spread 1, its grains ``size_px`` across; it goes on at its edges without a seam."""
    grains = np.random.default_rng(seed).standard_normal((TILE, TILE)).astype(np.float32)
    if size_px > 0.7:
        grains = gaussian_filter(grains, size_px / 2.355, mode="wrap")
    return grains / grains.std()


def width_px(grain: Grain, height: int) -> float:
    """How wide its grains are in a picture of a height [px]."""
    return grain.size / 1000.0 * height


@functools.lru_cache(maxsize=2)
def live_grains(seed: int, size_px: float, height: int, width: int) -> NDArray[np.float32]:
    """`grains` for `one_pass` (height, 4 width): four numbers a pixel, blue first, none for the opaque channel."""
    four = np.zeros((height, width, 4), np.float32)
    four[..., :3] = grains(seed, size_px, height, width)[..., ::-1]
    return four.reshape(height, 4 * width)


@functools.lru_cache(maxsize=2)
def grains(seed: int, size_px: float, height: int, width: int) -> NDArray[np.float32]:
    """Noise (height, width, 3) of spread 1 that repeats nowhere, held to `WIDEST` times that.

    Half of its power is of all three channels alike, the rest of each by itself, as of the layers of a film.
    """
    rng = np.random.default_rng(seed)
    four = rng.standard_normal((4, height, width), np.float32)
    if size_px > 0.7:
        for one in four:
            gaussian_filter(one, size_px / 2.355, output=one, mode="wrap")
    found = np.stack([four[0] + own for own in four[1:]], -1)
    found -= found.mean((0, 1))
    found /= found.std((0, 1))
    return np.clip(found, -WIDEST, WIDEST)


def spread_at(value: NDArray, strength: float) -> NDArray:
    """Spread of the grain of a strength [codes of 255] at values in [0, 1]: film and sensors show least of it in black
    and in white, and there is none past them, so that it neither lifts the one nor lowers the other. Arrays of any
    shape.
    """
    return np.minimum(
        (0.25 + 3.0 * value * (1.0 - value)) * (strength / 255.0), np.minimum(value, 1.0 - value) / WIDEST
    )


def grained_by(grain: Grain, height: int, width: int) -> Callable[[NDArray[np.float32], int], NDArray[np.float32]]:
    """What lays grain on rows (n, width, 3) in [0, 1] of a picture of that size, from its row ``first`` on."""
    if grain.strength == 0.0:
        return lambda rows, first: rows
    laid = grains(grain.seed, width_px(grain, height), height, width)

    def lay(rows: NDArray[np.float32], first: int) -> NDArray[np.float32]:
        # At its widest it ends at black and white, but for rounding.
        grained = rows + laid[first : first + len(rows)] * spread_at(rows, grain.strength)
        return np.clip(grained, 0.0, 1.0, dtype=np.float32)

    return lay
