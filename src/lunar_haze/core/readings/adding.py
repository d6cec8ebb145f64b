"""Adding up what sources give: their sum, the luminance of each, and how much of it is warm, in one pass over each."""

from collections.abc import Sequence

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS


@attrs.frozen(eq=False)
class Added:
    """The sum (h, w, 3) float32, luminances (n, h, w) float32, never below zero, and the mean of each that is warm
    (n,); all in cd/m2. Light is warm that is redder than it is blue, in ACEScg: warmer than the picture's white.
    """

    picture: NDArray[np.float32]
    luminances: NDArray[np.float32]
    warm: NDArray[np.float64]


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _add(light, weights, picture, luminance):
    """Adds one light (pixels, 3) to the picture; the warm part of its luminance, summed."""
    red, green, blue = weights
    warm = 0.0
    for p in range(light.shape[0]):
        r, g, b = light[p, 0], light[p, 1], light[p, 2]
        y = max(r * red + g * green + b * blue, np.float32(0.0))
        luminance[p] = y
        picture[p, 0] += r
        picture[p, 1] += g
        picture[p, 2] += b
        if r > b:
            warm += y
    return warm


def add(lights: Sequence[NDArray[np.float32]]) -> Added:
    """Add up lights (h, w, 3) float32 [cd/m2, ACEScg], of which there is one at least."""
    shape = lights[0].shape[:2]
    picture = np.zeros((*shape, 3), np.float32)
    luminances = np.empty((len(lights), *shape), np.float32)
    weights = tuple(np.float32(w) for w in LUMINANCE_WEIGHTS)
    pixels = picture.reshape(-1, 3)
    warm = [
        _add(np.require(light, np.float32, ["C", "W"]).reshape(-1, 3), weights, pixels, luminance.reshape(-1))
        for light, luminance in zip(lights, luminances)
    ]
    return Added(picture, luminances, np.array(warm) / len(pixels))
