"""Rayleigh scattering of dry air.

Bodhaine, B. A., Wood, N. B., Dutton, E. G. & Slusser, J. R. (1999). On Rayleigh optical depth
calculations. Journal of Atmospheric and Oceanic Technology 16, 1854-1861, equation 29: valid from
250 to 850 nm for air with 360 ppm of CO2, within 0.01 %.
"""

import numpy as np
from numpy.typing import NDArray

#: Molecules in a cubic metre of air at 15 C and 1013.25 hPa.
SEA_LEVEL_PER_M3 = 2.546899e25


def scattering_per_km(wavelength_nm: NDArray) -> NDArray[np.float64]:
    """Scattering coefficient of air at sea level [1/km] at wavelengths [nm] of any shape."""
    x = np.asarray(wavelength_nm, float) / 1000.0
    cross_section_cm2 = (
        1e-28 * (1.0455996 - 341.29061 * x**-2 - 0.90230850 * x**2) / (1.0 + 0.0027059889 * x**-2 - 85.968563 * x**2)
    )
    return cross_section_cm2 * 1e-4 * SEA_LEVEL_PER_M3 * 1000.0
