"""A plain sky whose colours and shape follow the sun's height.

Luminance falls from the horizon to the zenith and rises towards the sun; three colours (zenith,
horizon, and the glow round the sun) are interpolated in a table of sun heights. The map is
normalised, so level is a matter of the mix. Bearings as in `lunar_haze.core.sky.hours`.
"""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, xy_to_acescg
from lunar_haze.core.sky.hours import direction_of

MAP_HEIGHT = 128
MAP_WIDTH = 256

# sun altitude [deg]; chromaticity xy of zenith, horizon and glow; horizon over zenith luminance;
# glow under the sun over zenith luminance.
_TABLE = np.array(
    [
        [-18, 0.280, 0.285, 0.300, 0.310, 0.300, 0.310, 1.6, 0.02],
        [-12, 0.255, 0.265, 0.265, 0.280, 0.340, 0.330, 2.2, 1.5],
        [-6, 0.240, 0.243, 0.262, 0.270, 0.455, 0.365, 2.5, 6.0],
        [-3, 0.244, 0.246, 0.290, 0.292, 0.485, 0.370, 2.5, 9.0],
        [0, 0.250, 0.254, 0.330, 0.325, 0.490, 0.390, 2.6, 16.0],
        [6, 0.256, 0.263, 0.350, 0.350, 0.450, 0.405, 3.0, 20.0],
        [15, 0.258, 0.268, 0.325, 0.338, 0.400, 0.395, 3.0, 12.0],
        [35, 0.258, 0.270, 0.310, 0.325, 0.355, 0.365, 2.4, 6.0],
        [60, 0.262, 0.274, 0.303, 0.318, 0.335, 0.350, 2.0, 3.5],
        [90, 0.266, 0.278, 0.300, 0.315, 0.330, 0.345, 1.8, 2.5],
    ]
)


def map_directions(height: int, width: int) -> tuple[NDArray, NDArray]:
    """Unit directions (H, W, 3) float64 of a lat-long map's pixel centres and their solid angles (H, W) [sr].

    Row 0 is the zenith; columns run from north through east.
    """
    theta = (np.arange(height) + 0.5) * math.pi / height
    azimuth = (np.arange(width) + 0.5) * 2 * math.pi / width
    sin_t = np.sin(theta)[:, None]
    directions = np.stack(
        [sin_t * np.sin(azimuth), sin_t * np.cos(azimuth), np.repeat(np.cos(theta)[:, None], width, 1)], -1
    )
    edges = np.cos(np.arange(height + 1) * math.pi / height)
    solid_angle = np.repeat(((edges[:-1] - edges[1:]) * 2 * math.pi / width)[:, None], width, 1)
    return directions, solid_angle


@functools.lru_cache(maxsize=16)
def sky_map(
    sun_altitude_deg: float, sun_azimuth_deg: float, height: int = MAP_HEIGHT, width: int = MAP_WIDTH
) -> NDArray[np.float32]:
    """Radiance map (H, W, 3) float32 ACEScg that puts 1 lx on level ground [cd/m2 per lx].

    Below the horizon the horizon's colour sinks softly into a dim ground tone, so that no hard
    line shows where the place ends. The array is shared: do not write to it.
    """
    directions, solid_angle = map_directions(height, width)
    row = np.array([np.interp(sun_altitude_deg, _TABLE[:, 0], _TABLE[:, i]) for i in range(1, 9)])
    zenith, horizon, glow = xy_to_acescg(*row[0:2]), xy_to_acescg(*row[2:4]), xy_to_acescg(*row[4:6])
    horizon_level, glow_level = row[6], row[7]

    up = directions[..., 2]
    above = np.clip(up, 0.0, 1.0)[..., None]
    sun = direction_of(max(sun_altitude_deg, -2.0), sun_azimuth_deg)
    cos_sun = np.clip(directions @ sun, -1.0, 1.0)[..., None]
    to_horizon = np.exp(-above / 0.16)
    sky = zenith * (1 - to_horizon) * (1.0 - 0.25 * np.sqrt(above)) + horizon * horizon_level * to_horizon

    # Glow: a wide part that hugs the horizon when the sun is low, and a narrow aureole.
    low = float(np.clip(1.0 - abs(sun_altitude_deg) / 25.0, 0.0, 1.0))
    angle = np.arccos(cos_sun)
    hug = np.exp(-above / (0.11 + 0.5 * (1 - low)))
    wide = np.exp(-((angle / 0.75) ** 2)) * (low * hug + (1 - low)) * 0.45
    aureole = np.exp(-angle / 0.16) * np.exp(-np.maximum(-sun_altitude_deg - 1.0, 0.0) / 2.0)
    sky = sky + glow * glow_level * (wide + aureole)

    below = np.clip(-up, 0.0, 1.0)[..., None]
    sunk = np.exp(-below / 0.05)
    ground = 0.22 * horizon * horizon_level
    sky = sky * sunk + ground * (1 - sunk)

    illuminance = float(((sky @ LUMINANCE_WEIGHTS) * np.maximum(up, 0.0) * solid_angle).sum())
    result = np.ascontiguousarray(sky / illuminance, np.float32)
    result.flags.writeable = False
    return result
