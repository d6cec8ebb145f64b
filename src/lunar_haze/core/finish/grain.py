"""Grain in the finished picture: soft noise that keeps to the frame and lies strongest in the middle tones."""

import functools

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.finish.model import Grain

#: Side of the piece of noise that is laid side by side [px].
TILE = 512


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


@functools.lru_cache(maxsize=4)
def live_noise(seed: int, size_px: float) -> NDArray[np.float32]:
    """`noise` of a seed and a size for `one_pass` (TILE, 4 TILE): four numbers a pixel, none for the opaque channel."""
    four = np.repeat(noise(seed, size_px)[..., None], 4, -1)
    four[..., 3] = 0.0
    return np.ascontiguousarray(four.reshape(TILE, 4 * TILE))


def held_at(value: NDArray) -> NDArray:
    """How much of the grain shows at values in [0, 1]: film and sensors show least of it in black and in white."""
    return 0.25 + 3.0 * value * (1.0 - value)


def grained_signal(screen: NDArray[np.float32], grain: Grain, first: int, height: int) -> NDArray[np.float32]:
    """Rows (h, w, 3) in [0, 1] with grain, of a picture of that height, from its row ``first`` on."""
    if grain.strength == 0.0:
        return screen
    tile = noise(grain.seed, width_px(grain, height))
    laid = tile[np.arange(first, first + len(screen))[:, None] % TILE, np.arange(screen.shape[1])[None] % TILE, None]
    return np.clip(screen + laid * held_at(screen) * np.float32(grain.strength / 255.0), 0.0, 1.0).astype(np.float32)
