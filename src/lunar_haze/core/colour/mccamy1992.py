"""Correlated colour temperature from chromaticity.

McCamy, C. S. (1992). Correlated color temperature as an explicit function of chromaticity
coordinates. Color Research & Application 17(2), 142-144. Within a few kelvin from 2,856 to 6,500 K
near the locus; a fair guess from 1,700 to 15,000 K, to which it is held.
"""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ


def kelvin_of(rgb: NDArray) -> float:
    """Correlated colour temperature [K] of an ACEScg colour (3,)."""
    xyz = ACESCG_TO_XYZ @ np.asarray(rgb, float)
    x, y = xyz[0] / xyz.sum(), xyz[1] / xyz.sum()
    n = (x - 0.3320) / (0.1858 - y)
    return float(np.clip(449.0 * n**3 + 3525.0 * n**2 + 6823.3 * n + 5520.33, 1700.0, 15000.0))
