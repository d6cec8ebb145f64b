"""Stars on the picture: points whose light falls on pixels as it does on a sensor, so that they make no grain."""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.core.sky.clouds import star_share
from lunar_haze.core.sky.dome import dome_illuminance_lx
from lunar_haze.core.sky.model import ClearSky
from lunar_haze.core.sky.night import stars, turn
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Sky

#: With the sun above this they are outshone [deg].
STARS_BELOW_DEG = -4.0
#: Extinction of the air at the zenith, for stars.
_ZENITH_DEPTH = 0.2


def has_stars(shape: Shape) -> bool:
    """Whether stars stand in a sky that the lens may see."""
    dome = shape.dome if isinstance(shape, Sky) and shape.seen else None
    return isinstance(dome, ClearSky) and dome.weather.stars > 0.0 and dome.sun_altitude_deg < STARS_BELOW_DEG


@functools.lru_cache(maxsize=4)
def star_picture(dome: ClearSky, view: View) -> NDArray[np.float32]:
    """Radiance (pixels, 3) float32 of the stars in a view, for a sky that puts 1 lx on level ground."""
    towards, lux, colour = stars()
    there = towards @ turn(dome.sidereal_deg, dome.latitude_deg, dome.north_deg).T
    right, up, forward = view.camera.axes()
    ahead = there @ forward
    visible = (ahead > 0.05) & (there[:, 2] > 0.005)
    there, ahead, lux, colour = there[visible], ahead[visible], lux[visible], colour[visible]
    scale = view.width / (2.0 * view.camera.tan_half_width)
    x = view.width / 2 + there @ right / ahead * scale
    y = view.height / 2 - there @ up / ahead * scale
    lost = np.exp(-_ZENITH_DEPTH / np.maximum(there[:, 2], 0.03)) * star_share(dome.weather.clouds, there)
    # A pixel away from the middle spans less sky.
    solid_angle = ahead**3 / scale**2
    light = (dome.weather.stars * lux * lost / solid_angle)[:, None] * colour / max(dome_illuminance_lx(dome), 1e-30)
    picture = np.zeros((view.height, view.width, 3))
    # A soft disc two pixels wide, a little wider in larger pictures, so that a still looks like its preview.
    spread = max(view.width / 1280.0, 0.6)
    reach = math.ceil(2 * spread)
    for j in range(-reach, reach + 1):
        for i in range(-reach, reach + 1):
            row, column = np.floor(y).astype(int) + j, np.floor(x).astype(int) + i
            weight = np.exp(-((row + 0.5 - y) ** 2 + (column + 0.5 - x) ** 2) / (2 * (0.6 * spread) ** 2))
            weight /= 2 * math.pi * (0.6 * spread) ** 2
            inside = (row >= 0) & (row < view.height) & (column >= 0) & (column < view.width)
            np.add.at(picture, (row[inside], column[inside]), (weight[:, None] * light)[inside])
    return np.ascontiguousarray(picture.reshape(-1, 3), np.float32)
