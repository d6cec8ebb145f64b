"""How what stands somewhere and faces something lies in space."""

import math

import numpy as np
from numpy.typing import NDArray

Vec3 = tuple[float, float, float]


def facing_frame(position: Vec3, aim: Vec3, turn_deg: float = 0.0) -> tuple[NDArray, NDArray, NDArray]:
    """Side, up and axis (3,) of what stands at a position and faces an aim; the side is level before it is turned."""
    axis = np.subtract(aim, position).astype(float)
    length = float(np.linalg.norm(axis))
    axis = axis / length if length > 1e-9 else np.array([0.0, 0.0, -1.0])
    side = np.cross((0.0, 0.0, 1.0), axis)
    if np.linalg.norm(side) < 1e-6:
        side = np.array([1.0, 0.0, 0.0])
    side = side / np.linalg.norm(side)
    up = np.cross(axis, side)
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    return c * side + s * up, c * up - s * side, axis
