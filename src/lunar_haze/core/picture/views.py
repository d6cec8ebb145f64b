"""The views: how exposed light becomes what a screen shows, by the name that an artist chooses.

All but false colour are transforms of OpenColorIO's built-in configs.
"""

import functools

import attrs
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.units.photometry import MID_GREY

_ACES_2 = "cg-config-v4.0.0_aces-v2.0_ocio-v2.5"
_ACES_1 = "cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
SRGB, DISPLAY_P3 = "sRGB", "Display P3"
SCREENS = (SRGB, DISPLAY_P3)
#: Where light is held to before a view: views are made for neither negative nor endless values.
BRIGHTEST = 2.0**9


@attrs.frozen
class ViewTransform:
    """A view of a config, by the name that it has there for each screen; ``tip`` says what it does to the picture."""

    config: str
    names: dict[str, str] = attrs.field(hash=False)
    tip: str = ""

    @property
    def is_false_colour(self) -> bool:
        """Whether it shows levels in colours of their own."""
        return not self.config


FALSE_COLOUR = "false colour"
VIEWS: dict[str, ViewTransform] = {
    "ACES 2.0": ViewTransform(
        _ACES_2,
        {SRGB: "ACES 2.0 - SDR 100 nits (Rec.709)", DISPLAY_P3: "ACES 2.0 - SDR 100 nits (P3 D65)"},
        "bright light rolls off and keeps its hue",
    ),
    "ACES 1.3": ViewTransform(
        _ACES_1, dict.fromkeys(SCREENS, "ACES 1.0 - SDR Video"), "more contrast; bright colours lean to the primaries"
    ),
    "unrendered": ViewTransform(
        _ACES_2, dict.fromkeys(SCREENS, "Un-tone-mapped"), "the light as it is: what is brighter than white is cut off"
    ),
    FALSE_COLOUR: ViewTransform(
        "", {}, "every colour is a whole stop: grey is mid grey, blue under it, orange over it"
    ),
}
USUAL_VIEW = "ACES 2.0"

#: Stops about mid grey that false colour tells apart: what lies past them has the outermost colours.
FALSE_LOW, FALSE_HIGH = -7, 6
#: Their colours from dark to bright (sRGB), grey in the middle: night blues and greens under, straw and clay over.
FALSE_COLOURS = np.array(
    [
        (14, 12, 28), (30, 26, 66), (42, 46, 104), (46, 74, 134), (50, 106, 148), (76, 138, 146), (116, 164, 146),
        (150, 150, 150),
        (196, 188, 134), (222, 186, 92), (226, 152, 62), (210, 108, 52), (174, 62, 56), (250, 240, 246),
    ],
    np.uint8,
)  # fmt: skip


@functools.lru_cache(maxsize=8)
def processor(view: str, screen: str = SRGB) -> ocio.CPUProcessor:
    """OpenColorIO's transform from exposed ACEScg to a screen, for any view but false colour."""
    wanted = VIEWS[view]
    transform = ocio.DisplayViewTransform(src="ACEScg", display=f"{screen} - Display", view=wanted.names[screen])
    return ocio.Config.CreateFromBuiltinConfig(wanted.config).getProcessor(transform).getDefaultCPUProcessor()


def direct(exposed: NDArray[np.float32], view: str = USUAL_VIEW, screen: str = SRGB) -> NDArray[np.float32]:
    """Display-encoded picture (..., 3) in [0, 1] of exposed ACEScg under a view, without any shortcut."""
    picture = np.clip(np.nan_to_num(exposed, posinf=BRIGHTEST), 0.0, BRIGHTEST).astype(np.float32)
    if VIEWS[view].is_false_colour:
        stops = np.log2(np.maximum(picture @ LUMINANCE_WEIGHTS, 1e-12) / MID_GREY)
        return (FALSE_COLOURS[false_step(stops)] / 255.0).astype(np.float32)
    picture = np.ascontiguousarray(picture)
    processor(view, screen).applyRGB(picture)
    return np.clip(picture, 0.0, 1.0)


def false_step(stops: NDArray) -> NDArray[np.int64]:
    """Which of the false colours stands for light so many stops from mid grey. Arrays of any shape."""
    return np.clip(np.rint(stops), FALSE_LOW, FALSE_HIGH).astype(np.int64) - FALSE_LOW
