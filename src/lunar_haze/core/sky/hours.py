"""Where the sun stands at an hour, and how strong its light and the sky's are.

Bearings are degrees from north, clockwise; altitudes degrees above the horizon. The levels are a
table of clear days and nights in the range of Seidelmann, P. K. (ed., 1992), Explanatory
Supplement to the Astronomical Almanac, interpolated in log illuminance.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

#: The demo landing: a summer day on a coast at 52 degrees north.
LATITUDE_DEG = 52.0
DECLINATION_DEG = 12.0

_ALTITUDE_DEG = np.array([-18.0, -12.0, -6.0, -4.0, -2.0, 0.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 90.0])
_SKY_LX = np.array([6e-4, 6e-3, 2.9, 24.0, 140.0, 560.0, 1500.0, 3300.0, 5600.0, 8600.0, 10800.0, 15000.0, 17000.0])
_SUN_LX = np.array([1e-6, 1e-6, 1e-6, 1e-6, 1e-3, 700.0, 6000.0, 21e3, 44e3, 69e3, 82e3, 103e3, 110e3])
_SUN_KELVIN = np.array([1900.0, 1900, 1900, 1900, 1900, 1900, 1950, 2800, 3700, 4450, 4800, 5200, 5400])


@attrs.frozen
class SunPosition:
    """Direction of the sun: ``altitude_deg`` above the horizon, ``azimuth_deg`` from north clockwise."""

    altitude_deg: float
    azimuth_deg: float


def sun_at_hour(hour_h: float) -> SunPosition:
    """Place of the sun at local solar time ``hour_h`` [h], from the spherical triangle."""
    hour_angle = math.radians((hour_h - 12.0) * 15.0)
    lat, dec = math.radians(LATITUDE_DEG), math.radians(DECLINATION_DEG)
    sin_alt = math.sin(lat) * math.sin(dec) + math.cos(lat) * math.cos(dec) * math.cos(hour_angle)
    altitude = math.asin(max(-1.0, min(1.0, sin_alt)))
    east = -math.cos(dec) * math.sin(hour_angle)
    north = math.cos(lat) * math.sin(dec) - math.sin(lat) * math.cos(dec) * math.cos(hour_angle)
    return SunPosition(math.degrees(altitude), math.degrees(math.atan2(east, north)) % 360.0)


def direction_of(altitude_deg: float, azimuth_deg: float) -> NDArray[np.float64]:
    """Unit vector (3,) towards a bearing: x east, y north, z up."""
    alt, az = math.radians(altitude_deg), math.radians(azimuth_deg)
    return np.array([math.sin(az) * math.cos(alt), math.cos(az) * math.cos(alt), math.sin(alt)])


def _interpolate_log(altitude_deg: float, table: NDArray) -> float:
    return float(np.exp(np.interp(altitude_deg, _ALTITUDE_DEG, np.log(table))))


def sky_illuminance_lx(sun_altitude_deg: float) -> float:
    """Horizontal illuminance of the clear sky without the sun's disc [lx]."""
    return _interpolate_log(sun_altitude_deg, _SKY_LX)


def sun_illuminance_lx(sun_altitude_deg: float) -> float:
    """Illuminance of the sun's disc on a surface that faces it [lx]; zero once it has set."""
    level = _interpolate_log(sun_altitude_deg, _SUN_LX)
    return level if level > 1e-2 else 0.0


def sun_kelvin(sun_altitude_deg: float) -> float:
    """Colour temperature of the direct sun [K] through a clear atmosphere."""
    return float(np.interp(sun_altitude_deg, _ALTITUDE_DEG, _SUN_KELVIN))
