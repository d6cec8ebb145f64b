"""Lat-long maps of the whole sphere: row 0 the zenith, columns from north through east."""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS


def direction_of(altitude_deg: float, azimuth_deg: float) -> NDArray[np.float64]:
    """Unit vector (3,), x east, y north, z up, towards an altitude over the horizon and an azimuth from north [deg]."""
    alt, az = math.radians(altitude_deg), math.radians(azimuth_deg)
    return np.array([math.sin(az) * math.cos(alt), math.cos(az) * math.cos(alt), math.sin(alt)])


def bearing_of(direction: NDArray) -> tuple[float, float]:
    """(altitude, azimuth) [deg] of a vector (3,)."""
    x, y, z = (float(v) for v in direction)
    return math.degrees(math.atan2(z, math.hypot(x, y))), math.degrees(math.atan2(x, y)) % 360.0


@functools.lru_cache(maxsize=6)
def map_directions(height: int, width: int) -> tuple[NDArray, NDArray]:
    """Unit directions (H, W, 3) float64 of a map's pixel centres and their solid angles (H, W) [sr]."""
    theta = (np.arange(height) + 0.5) * math.pi / height
    azimuth = (np.arange(width) + 0.5) * 2 * math.pi / width
    sin_t = np.sin(theta)[:, None]
    directions = np.stack(
        [sin_t * np.sin(azimuth), sin_t * np.cos(azimuth), np.repeat(np.cos(theta)[:, None], width, 1)], -1
    )
    return directions, np.repeat(row_solid_angles(height, width)[:, None], width, 1)


def row_solid_angles(height: int, width: int) -> NDArray[np.float64]:
    """Solid angle (H,) [sr] of one pixel in each row of a map of ``height`` by ``width`` pixels."""
    edges = np.cos(np.arange(height + 1) * math.pi / height)
    return (edges[:-1] - edges[1:]) * 2 * math.pi / width


def irradiance(radiance: NDArray) -> NDArray[np.float64]:
    """Irradiance (3,) on level ground under a map (H, W, 3) [unit of the map times sr]."""
    height, width, _ = radiance.shape
    edges = np.arange(height + 1) * math.pi / height
    # The cosine is integrated exactly over each row.
    above = np.clip(edges, 0.0, math.pi / 2)
    weight = 0.5 * (np.sin(above[1:]) ** 2 - np.sin(above[:-1]) ** 2) * 2 * math.pi / width
    return np.einsum("hwc,h->c", radiance, weight, dtype=np.float64)


def illuminance_lx(radiance: NDArray) -> float:
    """Illuminance [lx] on level ground under a map (H, W, 3) [cd/m2]."""
    return float(irradiance(radiance) @ LUMINANCE_WEIGHTS)
