"""What one place of the picture measures: light, stops from grey, colour, and what each source gives there."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.readings.levels import stops
from lunar_haze.core.readings.shares import Shares


@attrs.frozen(eq=False)
class Spot:
    """Luminance [cd/m2], stops about mid grey, light (3,) [cd/m2, ACEScg], each source's share of it, most first."""

    luminance: float
    stops: float
    light: NDArray[np.float64]
    parts: tuple[tuple[str, str, float], ...]


def spot(shares: Shares, x: float, y: float, radius: float) -> Spot | None:
    """What a disc of the picture measures: ``x``, ``y`` in [0, 1], ``radius`` a share of its height, one pixel at
    the least. None outside the picture.
    """
    height, width = shares.shape
    if not (0.0 <= x < 1.0 and 0.0 <= y < 1.0):
        return None
    rows, columns = np.mgrid[:height, :width] + 0.5
    inside = (columns - x * width) ** 2 + (rows - y * height) ** 2 <= (radius * height) ** 2
    inside[int(y * height), int(x * width)] = True
    given = np.array([share.light[inside].mean(0, dtype=np.float64) for share in shares.sources])
    light = given.sum(0)
    level = float(max(light @ LUMINANCE_WEIGHTS, 0.0))
    own = np.maximum(given @ LUMINANCE_WEIGHTS, 0.0)
    total = max(float(own.sum()), 1e-30)
    order = np.argsort(-own, kind="stable")
    parts = tuple((shares.sources[n].id, shares.sources[n].name, float(own[n] / total)) for n in order)
    return Spot(level, float(stops(np.array(level), shares.scale)), light, parts)
