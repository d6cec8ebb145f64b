"""Darker corners: by hand, and by the lens's own falloff, cos^4 of the angle of view."""

import functools

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.values import Vignette

#: How steeply darkness by hand grows towards the corners.
_POWER = 2.4


@functools.lru_cache(maxsize=4)
def gains(height: int, width: int, vignette: Vignette, tan_half_width: float) -> NDArray[np.float32]:
    """Factor (h, w) of every pixel; ``tan_half_width`` is the lens's half width over its focal length."""
    y = (np.arange(height) + 0.5 - height / 2)[:, None] / (width / 2)
    x = (np.arange(width) + 0.5 - width / 2)[None] / (width / 2)
    square = x * x + y * y
    corner = 1.0 + (height / width) ** 2
    by_hand = np.exp2(vignette.stops * (square / corner) ** (_POWER / 2))
    # cos^2 = 1 / (1 + tan^2)
    own = (1.0 + square * tan_half_width**2) ** -2.0
    return (by_hand * own**vignette.falloff).astype(np.float32)
