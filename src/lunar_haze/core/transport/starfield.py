"""What is finer in a sky than its map, drawn on the picture: stars and bolts of lightning.

Their light falls on pixels as it does on a sensor, so that they make no grain.
"""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.core.sky.clouds import star_share
from lunar_haze.core.sky.dome import dome_illuminance_lx, dome_radiance
from lunar_haze.core.sky.lat_long import illuminance_lx
from lunar_haze.core.sky.lightning import CHANNEL_COLOUR, channel
from lunar_haze.core.sky.model import ClearSky, Lightning
from lunar_haze.core.sky.night import stars, turn
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Sky

#: With the sun above this they are outshone [deg].
STARS_BELOW_DEG = -4.0
#: Extinction of the air at the zenith, for stars.
_ZENITH_DEPTH = 0.2


def is_drawn(shape: Shape) -> bool:
    """Whether a sky that the lens may see has anything finer than its map can hold."""
    dome = shape.dome if isinstance(shape, Sky) and shape.seen else None
    if isinstance(dome, Lightning):
        return dome.bolt > 0.0
    return isinstance(dome, ClearSky) and dome.weather.stars > 0.0 and dome.sun_altitude_deg < STARS_BELOW_DEG


def drawn_sky(shape: Shape, view: View) -> NDArray[np.float32]:
    """Radiance (pixels, 3) float32 of what is drawn of a sky, for one that puts 1 lx on level ground."""
    assert isinstance(shape, Sky)
    if isinstance(shape.dome, Lightning):
        return bolt_picture(shape.dome, view)
    assert isinstance(shape.dome, ClearSky)
    return star_picture(shape.dome, view)


@functools.lru_cache(maxsize=4)
def star_picture(dome: ClearSky, view: View) -> NDArray[np.float32]:
    """Radiance (pixels, 3) float32 of the stars in a view, for a sky that puts 1 lx on level ground."""
    towards, lux, colour = stars()
    there = towards @ turn(dome.sidereal_deg, dome.latitude_deg, dome.north_deg).T
    visible = there[:, 2] > 0.005
    there, lux, colour = there[visible], lux[visible], colour[visible]
    lost = np.exp(-_ZENITH_DEPTH / np.maximum(there[:, 2], 0.03)) * star_share(dome.weather.clouds, there)
    light = (dome.weather.stars * lux * lost)[:, None] * colour / max(dome_illuminance_lx(dome), 1e-30)
    # A soft disc two pixels wide, a little wider in larger pictures, so that a still looks like its preview.
    return np.ascontiguousarray(_splatted(there, light, view, max(view.width / 1280.0, 0.6)).reshape(-1, 3), np.float32)


@functools.lru_cache(maxsize=4)
def bolt_picture(dome: Lightning, view: View) -> NDArray[np.float32]:
    """Radiance (pixels, 3) float32 of the channel in a view, as fine as the picture, for a sky that puts 1 lx on level
    ground: the map in which the lens sees that sky has none of it (see `dome.map_behind`).
    """
    towards, light = channel(dome)
    level = dome.bolt / max(illuminance_lx(dome_radiance(dome)), 1e-30)
    sharp = _splatted(towards, light[:, None] * CHANNEL_COLOUR, view, max(view.width / 960.0, 0.7))
    return np.ascontiguousarray((level * sharp).reshape(-1, 3), np.float32)


def _splatted(there: NDArray, lux: NDArray, view: View, spread: float) -> NDArray[np.float64]:
    """Radiance (H, W, 3) of points in directions (n, 3) that give ``lux`` (n, 3), each a soft disc of ``spread``."""
    right, up, forward = view.camera.axes()
    ahead = there @ forward
    there, lux, ahead = there[ahead > 0.05], lux[ahead > 0.05], ahead[ahead > 0.05]
    scale = view.width / (2.0 * view.camera.tan_half_width)
    x = view.width / 2 + there @ right / ahead * scale
    y = view.height / 2 - there @ up / ahead * scale
    # A pixel away from the middle spans less sky.
    light = lux / (ahead**3 / scale**2)[:, None]
    picture = np.zeros((view.height, view.width, 3))
    reach = math.ceil(2 * spread)
    for j in range(-reach, reach + 1):
        for i in range(-reach, reach + 1):
            row, column = np.floor(y).astype(int) + j, np.floor(x).astype(int) + i
            weight = np.exp(-((row + 0.5 - y) ** 2 + (column + 0.5 - x) ** 2) / (2 * (0.6 * spread) ** 2))
            weight /= 2 * math.pi * (0.6 * spread) ** 2
            inside = (row >= 0) & (row < view.height) & (column >= 0) & (column < view.width)
            np.add.at(picture, (row[inside], column[inside]), (weight[:, None] * light)[inside])
    return picture
