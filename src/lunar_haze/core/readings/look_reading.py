"""All readings of one picture at once."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.readings.causes import Cause, causes
from lunar_haze.core.readings.levels import Latitude, Levels, levels
from lunar_haze.core.readings.outline import Outline, outline
from lunar_haze.core.readings.palette import Palette, palette
from lunar_haze.core.readings.ratios import Ratios, ratios
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Shares


@attrs.frozen(eq=False)
class Readings:
    """What a picture measures. ``outline`` is None without a subject in the picture."""

    levels: Levels
    ratios: Ratios
    outline: Outline | None
    palette: Palette
    causes: tuple[Cause, ...]


def read(shares: Shares, screen: NDArray[np.uint8], latitude: Latitude, is_night: bool = False) -> Readings:
    """All readings of the shares of a picture, and of it as the screen shows it: ``screen`` (h, w, 3), red first."""
    found, lab = ratios(shares), screen_lab(screen)
    edge = outline(shares.subject, lab) if shares.subject is not None else None
    return Readings(
        levels(shares.luminance, shares.scale, latitude),
        found,
        edge,
        palette(lab),
        causes(shares, found, edge, latitude, is_night),
    )
