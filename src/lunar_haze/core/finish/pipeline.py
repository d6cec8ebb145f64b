"""From the light of a still to the screen: all steps of a finish in their order, without a shortcut.

What serves the live picture is in `live`. Both take light in cd/m2 and the camera's exposure.
"""

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import grain
from lunar_haze.core.finish.grade import coloured
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.scene_light import in_light
from lunar_haze.core.finish.tables import graded_by, shown_by
from lunar_haze.core.picture.views import FALSE_COLOUR, SRGB, USUAL_VIEW, direct

#: A still goes through grade and view by so many rows at a time.
_ROWS = 32


def _threads() -> int:
    return os.cpu_count() or 1


def finished(
    picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float, screen: str = SRGB
) -> NDArray[np.float32]:
    """A still (h, w, 3) in [0, 1] as a screen shows it, of light (h, w, 3) ACEScg [cd/m2]; ``scale`` is the exposure.

    Raises PictureError when the finish's table is gone or damaged.
    """
    finish = finish.in_force
    light = in_light(picture, finish, scale, tan_half_width)
    shown = np.empty(light.shape, np.float32)
    grained = grain.grained_by(finish.grain, *light.shape[:2])

    def to_screen(start: int) -> None:
        rows = slice(start, start + _ROWS)
        exposed = graded_by(coloured(light[rows] * np.float32(scale), finish), finish.table)
        shown[rows] = grained(shown_by(direct(exposed, finish.view, screen), finish.table), start)

    # On as many threads as there are processors: NumPy and OpenColorIO both let go of the interpreter.
    with ThreadPoolExecutor(_threads()) as pool:
        list(pool.map(to_screen, range(0, len(light), _ROWS)))
    return shown


def plain_view(finish: Finish) -> str:
    """The view for small pictures of shares, which are no place for false colour."""
    return USUAL_VIEW if finish.view == FALSE_COLOUR else finish.view
