"""The inside of a room that was pointed into, as a bank of mist that fills it."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Bank
from lunar_haze.core.errors import HazeError
from lunar_haze.core.place.rays import RayIndex, sphere_directions
from lunar_haze.core.solve.placing import as_vec

#: Rays that feel for the walls; of these so many may find an opening.
_FEELERS, _MOST_OPEN = 600, 0.35
#: Walls are where most of the rays end: a look through a door does not count.
_REACH = 0.9
_FARTHEST_M = 60.0


class NotARoomError(HazeError):
    """The point lies in the open."""


def room_about(index: RayIndex, point: NDArray) -> Bank:
    """A box that fills the room about a point (3,) [m], turned along its walls. Raises NotARoomError in the open."""
    directions = sphere_directions(_FEELERS)
    distances, hit = index.nearest(np.tile(np.asarray(point, float), (_FEELERS, 1)), directions, _FARTHEST_M)
    walls = hit >= 0
    if 1 - walls.mean() > _MOST_OPEN:
        raise NotARoomError("there is no room about that place: point at a wall or a floor inside one")
    ends = directions[walls] * distances[walls, None]

    def extent(turn: float) -> tuple[NDArray, NDArray]:
        c, s = np.cos(turn), np.sin(turn)
        local = ends @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
        # From the middle of the rays outwards: the wall is where nearly all of those that way have ended.
        sides = [
            [np.quantile(-local[local[:, k] < 0, k], _REACH), np.quantile(local[local[:, k] >= 0, k], _REACH)]
            for k in range(3)
        ]
        return np.array(sides)[:, 0], np.array(sides)[:, 1]

    turns = np.radians(np.arange(0, 90, 5))
    best = min(turns, key=lambda turn: float(np.prod(np.sum(extent(turn), 0)[:2])))
    below, above = extent(best)
    c, s = np.cos(best), np.sin(best)
    middle = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ ((above - below) / 2)
    return Bank(
        "room",
        "box",
        as_vec(np.asarray(point, float) + middle),
        as_vec(above + below),
        round(float(np.degrees(best)), 3),
        20.0,
        0.05,
    )
