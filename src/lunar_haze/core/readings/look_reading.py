"""All readings of one picture at once."""

from concurrent.futures import ThreadPoolExecutor

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
    """What a picture measures. ``outline`` is None without a subject in the picture, ``finished`` (the palette of the
    finished picture) without a finish.
    """

    levels: Levels
    ratios: Ratios
    outline: Outline | None
    palette: Palette
    causes: tuple[Cause, ...]
    finished: Palette | None = None


def read(
    shares: Shares, screen: NDArray[np.uint8], latitude: Latitude, is_night: bool = False,
    finished: NDArray[np.uint8] | None = None,
) -> Readings:  # fmt: skip
    """All readings of the shares of a picture, and of it as the screen shows it: ``screen`` (h, w, 3), red first;
    ``finished`` is the same with the look's finish, None for none.
    """

    def on_screen() -> tuple[NDArray, Outline | None]:
        lab = screen_lab(screen)
        return lab, outline(shares.edge, lab)

    # What the screen shows and what the light does are worked out side by side.
    with ThreadPoolExecutor(1) as aside:
        seen = aside.submit(on_screen)
        found, whole = ratios(shares), levels(shares.luminance, shares.scale, latitude)
        lab, edge = seen.result()
        colours = aside.submit(palette, lab)
        after = None if finished is None else aside.submit(lambda: palette(screen_lab(finished)))
        told = causes(shares, found, edge, whole, latitude, is_night)
        return Readings(whole, found, edge, colours.result(), told, None if after is None else after.result())
