"""The clear atmosphere an artist can grade: haze, its colour, ozone, the ground, the height of the place.

Three kinds of matter, each a profile over height times a coefficient for each of twelve bands:
air (Rayleigh), haze (an exponential layer of 2 km, Angstrom's law) and ozone (absorbs only).
Haze is told as the visibility at the ground: extinction at 550 nm = 3.912 / visibility
(Koschmieder 1924). Heights in km, coefficients in 1/km.
"""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import XYZ_TO_ACESCG
from lunar_haze.core.sky.bands import BANDS
from lunar_haze.core.sky.bodhaine1999 import scattering_per_km
from lunar_haze.core.sky.us76 import TOP_KM, air_density, ozone_share_per_km

WAVELENGTH_NM = BANDS[:, 0]
#: Illuminance of the sun above the air in ACEScg, band by band (12, 3) [lx].
SUN_ACESCG = BANDS[:, 1:4] @ XYZ_TO_ACESCG.T
SUN_LX = float(BANDS[:, 2].sum())
HAZE_HEIGHT_KM = 2.0
HAZE_ALBEDO = 0.94
#: Visibility [km] of a crisp clear day: an optical depth of the haze of 0.12 at 550 nm. Its daylight is that of the
#: IES clear sky (IES Lighting Handbook, 9th ed. 2000, ch. 8) within a tenth of a stop.
CLEAR_KM = 54.7
#: Visibility [km] of the mean clear day, an optical depth of 0.26. The fit of daylight in Seidelmann (1992) is of days
#: so hazy: in crisp air a sun at 20 to 35 degrees gives a quarter more than that fit.
MEAN_CLEAR_KM = 28.0
PROFILE_STEP_KM = 0.1


@attrs.frozen
class Atmosphere:
    """``visibility_km`` at sea level; ``haze_colour`` ACEScg of the haze itself, white by default;
    ``ozone_du`` Dobson units; ``ground_albedo``; ``altitude_m`` of the place."""

    visibility_km: float = CLEAR_KM
    haze_colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    ozone_du: float = 330.0
    ground_albedo: float = 0.2
    altitude_m: float = 0.0


@attrs.frozen(eq=False)
class Coefficients:
    """Per band (12,): scattering and extinction of full air and haze [1/km], and of the whole ozone column.

    ``profile`` (n, 3) float32: relative density of air and haze and the ozone share [1/km], every
    `PROFILE_STEP_KM` from the ground to the top.
    """

    scatter_air: NDArray[np.float32]
    scatter_haze: NDArray[np.float32]
    lose_air: NDArray[np.float32]
    lose_haze: NDArray[np.float32]
    lose_ozone: NDArray[np.float32]
    profile: NDArray[np.float32]


def _angstrom(visibility_km: float) -> float:
    """Angstrom's exponent: 1.3 for fine haze, falling to 0.2 as droplets grow towards mist (our own fit)."""
    return float(np.interp(np.log(visibility_km), np.log([1.0, 4.0, 40.0]), [0.2, 0.7, 1.3]))


@functools.lru_cache(maxsize=8)
def coefficients(atmosphere: Atmosphere) -> Coefficients:
    """The twelve bands of an atmosphere."""
    air = scattering_per_km(WAVELENGTH_NM)
    visibility = min(max(atmosphere.visibility_km, 1.0), 300.0)
    # What one sees through at the ground includes the air itself.
    haze_550 = max(3.912 / visibility - float(scattering_per_km(np.array(550.0))), 1e-4)
    haze = haze_550 * (WAVELENGTH_NM / 550.0) ** -_angstrom(visibility)
    colour = np.asarray(atmosphere.haze_colour, float)
    colour = colour / max(colour.max(), 1e-6)
    albedo = HAZE_ALBEDO * np.interp(WAVELENGTH_NM, [450.0, 540.0, 620.0], colour[::-1])
    height = np.arange(0.0, TOP_KM + 1.5 * PROFILE_STEP_KM, PROFILE_STEP_KM)
    profile = np.stack([air_density(height), np.exp(-height / HAZE_HEIGHT_KM), ozone_share_per_km(height)], -1)
    profile[height > TOP_KM] = 0.0
    return Coefficients(
        air.astype(np.float32),
        (haze * albedo).astype(np.float32),
        air.astype(np.float32),
        haze.astype(np.float32),
        (BANDS[:, 4] * atmosphere.ozone_du / 1000.0).astype(np.float32),
        np.ascontiguousarray(profile, np.float32),
    )
