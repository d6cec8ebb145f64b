"""Correlated colour temperature from chromaticity.

McCamy, C. S. (1992). Correlated color temperature as an explicit function of chromaticity
coordinates. Color Research & Application 17(2), 142-144. Within a few kelvin from 2,856 to 6,500 K
near the locus; a fair guess from 1,700 to 15,000 K, to which it is held. The formula counts the slope of a line from
a point far below the locus: colours beside that point and beyond it, and reds past the least of its cubic, where it
would rise again, are told as the coolest or the warmest that there is.
"""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ

_WARMEST_K, _COOLEST_K = 1700.0, 15000.0
#: Where the cubic is least.
_LEAST = -1.28


def kelvin_of(rgb: NDArray) -> float:
    """Correlated colour temperature [K] of an ACEScg colour (3,)."""
    xyz = ACESCG_TO_XYZ @ np.asarray(rgb, float)
    x, y = xyz[0] / xyz.sum(), xyz[1] / xyz.sum()
    if y <= 0.1858:
        return _COOLEST_K if x < 0.3320 else _WARMEST_K
    n = max((x - 0.3320) / (0.1858 - y), _LEAST)
    return float(np.clip(449.0 * n**3 + 3525.0 * n**2 + 6823.3 * n + 5520.33, _WARMEST_K, _COOLEST_K))
