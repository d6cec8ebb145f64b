"""Colour suppression: colours of one hue lose their chroma, all else stays as it is.

Hue and chroma are Oklab's (Ottosson 2020, see `colour.ottosson2020`); luminance is kept, so that a suppressed red is a
grey as bright as it was.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.ottosson2020 import acescg_to_oklab, oklab_to_acescg
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish.step import At, plain_step
from lunar_haze.core.units.row import row
from lunar_haze.core.units.smooth import smoothstep


@attrs.frozen
class Suppression:
    """``share`` of the chroma that is lost at ``hue_deg``, in [0, 1]; half of it ``width_deg`` / 2 to either side."""

    share: float = 0.0
    hue_deg: float = 145.0
    width_deg: float = 60.0


def suppressed(exposed: NDArray, value: Suppression) -> NDArray:
    """Colours (..., 3) ACEScg after a suppression, of the same shape and dtype, none of a negative luminance."""
    given = np.asarray(exposed)
    lab = acescg_to_oklab(np.maximum(given, 0.0))
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))
    apart = np.abs((hue - value.hue_deg + 180.0) % 360.0 - 180.0)
    near = smoothstep(1.0 - apart / max(value.width_deg, 1.0))
    lab[..., 1:] *= (1.0 - value.share * near)[..., None]
    found = np.maximum(oklab_to_acescg(lab), 0.0)
    level, now = (np.maximum(light, 0.0) @ LUMINANCE_WEIGHTS for light in (given, found))
    scale = np.where(now > 0.0, level / np.maximum(now, 1e-30), 0.0)
    return (found * scale[..., None]).astype(given.dtype)


STEP = plain_step(
    "colour suppression", "suppression", At.COLOUR, suppressed, lambda value: value.share > 0.0,
    row("suppress colour", "suppress colour", "share", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
        tip="how much of its colour the chosen hue loses; other hues stay"),
    row("suppressed hue", "hue", "hue_deg", "°", 0.0, 360.0, 145.0, floor=-360.0, ceiling=720.0, period=360.0,
        tip="the hue that loses its colour: red 30, yellow 110, green 145, blue 260, magenta 330"),
    row("suppressed width", "width of hue", "width_deg", "°", 10.0, 180.0, 60.0, floor=1.0, ceiling=360.0,
        tip="how far to either side other hues lose half of it"),
)  # fmt: skip
