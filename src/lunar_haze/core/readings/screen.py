"""A picture as the screen shows it, in Oklab."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.ottosson2020 import acescg_to_oklab
from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, srgb_decode

_DECODED = srgb_decode(np.arange(256) / 255.0).astype(np.float32)
_TO_ACESCG = SRGB_TO_ACESCG.T.astype(np.float32)


def screen_lab(screen: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Oklab (h, w, 3) of screen pixels (h, w, 3), red first."""
    return acescg_to_oklab(_DECODED[screen] @ _TO_ACESCG)
