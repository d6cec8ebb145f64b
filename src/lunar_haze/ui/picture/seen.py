"""What lies under a place of the picture, by what the lens sees there."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.service.board import Board


@attrs.frozen(eq=False)
class Seen:
    """What lies under a pixel: surface point and normal (3,) [m], distance [m], object and material numbers."""

    point: NDArray[np.float64]
    normal: NDArray[np.float64]
    distance_m: float
    object: int
    material: int


def seen_at(view: View, board: Board, x: float, y: float) -> Seen | None:
    """What lies under picture position x, y in [0, 1] of a board of a view; None for the sky."""
    if not (0 <= x < 1 and 0 <= y < 1):
        return None
    column, row = int(x * board.width), int(y * board.height)
    distance = float(board.depth[row, column])
    if not np.isfinite(distance) or distance <= 0:
        return None
    origin, direction = view.camera.ray(column + 0.5, row + 0.5, board.width, board.height)
    owner = board.owner[row, column]
    return Seen(
        origin + direction * distance,
        board.ground[row, column].astype(float),
        distance,
        int(owner[0]),
        int(owner[1]),
    )
