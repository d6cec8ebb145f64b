"""The moon's light: how much by phase, of what colour, and where on its disc.

Seidelmann, P. K. (ed., 1992), Explanatory supplement to the astronomical almanac: the
logarithm of moonlight on the ground falls by 0.00868 |a| + 2.2e-9 a^4 at a phase angle of a degrees
(0 full, 180 new), and a full moon in the zenith gives 0.269 lx. Our clear air lets 0.929 of that
through, its own skylight counted. The moon is redder than the sun:
B - V is 0.92 against 0.65 (Allen's Astrophysical Quantities, 4th ed.), taken as a power of the
wavelength. Earthshine: the full earth gives the dark side about 1/10,000 of what the sun gives the
lit one (Goode, P. R. et al., 2001, Geophysical Research Letters 28, 1671).
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.clear_air import SUN_ACESCG, WAVELENGTH_NM

#: Illuminance of a full moon above the air [lx].
FULL_LX = 0.269 / 0.929
EARTHSHINE = 1e-4
_TINT = (WAVELENGTH_NM / 550.0) ** 1.1


def illuminance_lx(phase_deg: float) -> float:
    """Illuminance above the air on a surface that faces the moon [lx]; zero beyond 170 degrees."""
    if phase_deg > 170.0:
        return 0.0
    return FULL_LX * 10 ** (-8.68e-3 * abs(phase_deg) - 2.2e-9 * phase_deg**4)


def moon_acescg(phase_deg: float) -> NDArray[np.float64]:
    """Illuminance above the air, band by band in ACEScg (12, 3) [lx]."""
    bands = SUN_ACESCG * _TINT[:, None]
    luminance = float((bands @ LUMINANCE_WEIGHTS).sum())
    return bands * illuminance_lx(phase_deg) / luminance


def lit_share(phase_deg: float) -> float:
    """Share of the disc's area that the sun lights."""
    return 0.5 * (1.0 + math.cos(math.radians(phase_deg)))
