"""Density of air and ozone with height.

U.S. Standard Atmosphere, 1976 (NOAA, NASA, USAF): hydrostatic layers with linear temperature up to
86 km, tabulated density above. Ozone: its mid-latitude model (Krueger, A. J. & Minzner, R. A.,
1976, Journal of Geophysical Research 81, 4477), of which only the shape is used. Valid from 0 to
100 km.
"""

import numpy as np
from numpy.typing import NDArray

TOP_KM = 100.0
EARTH_RADIUS_KM = 6360.0

# Base of each layer [geopotential km], temperature there [K], lapse rate [K/km].
_LAYERS = ((0.0, 288.15, -6.5), (11.0, 216.65, 0.0), (20.0, 216.65, 1.0), (32.0, 228.65, 2.8), (47.0, 270.65, 0.0),
           (51.0, 270.65, -2.8), (71.0, 214.65, -2.0))  # fmt: skip
_GAS = 34.1632  # g M / R [K/km]
_ABOVE_KM = np.array([86.0, 90.0, 95.0, 100.0])
_ABOVE = np.array([5.680e-6, 2.789e-6, 1.137e-6, 4.575e-7])  # density over sea level
_OZONE_KM = np.arange(0.0, 72.0, 2.0)
_OZONE = np.array([
    7.0e17, 6.8e17, 5.8e17, 5.7e17, 6.5e17, 1.13e18, 2.02e18, 2.35e18, 2.95e18, 4.04e18, 4.77e18, 4.86e18, 4.54e18,
    4.03e18, 3.24e18, 2.52e18, 2.03e18, 1.58e18, 1.22e18, 8.73e17, 6.07e17, 3.98e17, 2.74e17, 1.69e17, 1.03e17,
    6.64e16, 3.84e16, 2.55e16, 1.61e16, 1.12e16, 7.33e15, 4.81e15, 3.17e15, 1.72e15, 7.5e14, 5.4e14,
])  # fmt: skip


def air_density(height_km: NDArray) -> NDArray[np.float64]:
    """Density over that at sea level, at heights [km] of any shape; zero above 100 km."""
    height = np.asarray(height_km, float)
    geopotential = height * 6356.766 / (6356.766 + height)
    density = np.zeros_like(height)
    pressure = 1.0
    for number, (base, temperature, lapse) in enumerate(_LAYERS):
        top = _LAYERS[number + 1][0] if number + 1 < len(_LAYERS) else 84.852
        for at, where in ((geopotential, (geopotential >= base) & (geopotential <= top)), (np.array(top), None)):
            # Heights of other layers are left out below; here they only must not give nonsense.
            warm = np.maximum(temperature + lapse * (at - base), 1.0)
            ratio = np.exp(-_GAS * (at - base) / temperature) if lapse == 0 else (temperature / warm) ** (_GAS / lapse)
            if where is None:
                pressure *= float(ratio)
            else:
                density = np.where(where, pressure * ratio * 288.15 / warm, density)
    above = np.exp(np.interp(height, _ABOVE_KM, np.log(_ABOVE)))
    density = np.where(height > 85.9, above, density)
    return np.where(height > TOP_KM, 0.0, density)


def ozone_share_per_km(height_km: NDArray) -> NDArray[np.float64]:
    """Share of the ozone column in a kilometre of height [1/km]; integrates to one. Arrays of any shape."""
    log = np.interp(height_km, _OZONE_KM, np.log(_OZONE))
    density = np.where(np.asarray(height_km) > _OZONE_KM[-1], 0.0, np.exp(log))
    total = np.trapezoid(_OZONE, _OZONE_KM)
    return density / total
