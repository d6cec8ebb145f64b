"""The exposure of a small picture that is there to be seen, not judged: a share of the light, or the plan's ground."""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.units.photometry import MID_GREY

#: Where a bright end lies that needs no exposure of its own, and where it is brought otherwise [stops over mid grey];
#: what would be brought up farther than `MOST` is as good as nothing.
LOW, HIGH, BROUGHT_TO, MOST = -3.0, 4.0, 0.0, 16
#: The bright end leaves out so many pixels: grain, and lamps in frame.
BRIGHT_END = 0.98


def own_stops(light: NDArray[np.floating], scale: float) -> int | None:
    """By how many stops a small picture (h, w, 3) [cd/m2] is exposed otherwise than the picture, so that it is seen.

    ``scale`` is the picture's exposure factor. 0 for what is seen anyhow, None for what is as good as no light.
    """
    bright = float(np.quantile(np.maximum(luminance(light), 0.0), BRIGHT_END)) * scale / MID_GREY
    over = math.log2(bright) if bright > 0.0 else -math.inf
    if over < BROUGHT_TO - MOST:
        return None
    return 0 if LOW <= over <= HIGH else round(BROUGHT_TO - over)
