"""Where a lamp stands as its aim sees it."""

import math
from typing import Any

import attrs
import numpy as np

from lunar_haze.core.sources.array import Placed


def distance_to_aim(shape: Placed) -> float:
    """How far a lamp stands from its aim [m]."""
    return max(math.dist(shape.position, shape.aim), 0.05)


def azimuth_and_elevation(shape: Placed) -> tuple[float, float]:
    """Where a lamp stands as its aim sees it: azimuth from north and elevation [deg]."""
    x, y, z = np.subtract(shape.position, shape.aim)
    return math.degrees(math.atan2(x, y)) % 360.0, math.degrees(math.atan2(z, math.hypot(x, y)))


def orbited(shape: Placed, azimuth_deg: float, elevation_deg: float, distance_m: float) -> Placed:
    """The lamp at an azimuth, elevation and distance from its aim."""
    b, a = math.radians(azimuth_deg), math.radians(max(min(elevation_deg, 89.9), -89.9))
    offset = distance_m * np.array([math.sin(b) * math.cos(a), math.cos(b) * math.cos(a), math.sin(a)])
    x, y, z = (np.asarray(shape.aim) + offset).tolist()
    own: Any = shape
    return attrs.evolve(own, position=(x, y, z))
