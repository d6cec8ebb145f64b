"""How far one sees in a medium."""

import math

import numpy as np

from lunar_haze.core.air.medium import KOSCHMIEDER, Medium, optical_depth

FARTHEST_M = 50_000.0


def metres_seen(medium: Medium, position: tuple[float, float, float], direction: tuple[float, float, float]) -> float:
    """Distance [m] along a unit ``direction`` at which a dark thing has lost its contrast (Koschmieder's 2 %).

    Infinite when it never is within 50 km.
    """
    distances = np.concatenate([[0.0], np.geomspace(0.1, FARTHEST_M, 400)])
    origin = np.array(position, np.float32)
    ends = (origin + distances[:, None] * np.asarray(direction)).astype(np.float32)
    depths = optical_depth(medium, origin, ends)
    past = np.flatnonzero(depths >= KOSCHMIEDER)
    if not past.size:
        return math.inf
    last = past[0]
    share = (KOSCHMIEDER - depths[last - 1]) / max(depths[last] - depths[last - 1], 1e-12)
    return float(distances[last - 1] + share * (distances[last] - distances[last - 1]))
