"""What flickers do to a source at a moment: its light while the shutter is open, and where it has turned to."""

import math
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.contacts import FailingTube, LooseContact
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.flicker_kinds import Flicker
from lunar_haze.core.sources.kinds import Shape, kind_of
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.core.sources.screens import ScreenLight
from lunar_haze.core.sources.storms import Storm
from lunar_haze.core.sources.turning import Beacon, Headlamps

#: The kinds that ship: to bring in their modules declares them.
FLICKERS = (Flicker, Flame, FailingTube, LooseContact, ScreenLight, FilmedScreen, Storm, Beacon, Headlamps)
#: No flicker.
STEADY = Flicker()


def flicker_light(flicker: Flicker, second: float, open_s: float, kelvin: float) -> NDArray[np.float64]:
    """Factor (3,) on a source's ACEScg light: its mean while the shutter is open, ``open_s`` [s] from a moment."""
    if flicker == STEADY:
        return np.ones(3)
    return flicker.exposed(second, open_s, kelvin)


def turned(shape: Shape, flicker: Flicker, second: float) -> Shape:
    """A shape as its flicker has turned it about the vertical by a moment; what has no front stays as it is."""
    if not flicker.turns or not kind_of(shape).aimed:
        return shape
    placed: Any = shape
    angle = -math.radians(flicker.turned_deg(second))
    east, north = placed.aim[0] - placed.position[0], placed.aim[1] - placed.position[1]
    cosine, sine = math.cos(angle), math.sin(angle)
    aim = (
        placed.position[0] + cosine * east - sine * north,
        placed.position[1] + sine * east + cosine * north,
        placed.aim[2],
    )
    return attrs.evolve(placed, aim=aim)
