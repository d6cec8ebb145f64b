"""Oklab: hue and chroma that stay even to the eye (Ottosson, B. (2020), A perceptual color space for image processing).

Defined for CIE XYZ with a D65 white; ACEScg comes with its D60 white taken for it, so that greys
stay grey. Colours (..., 3); hue in degrees.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, desaturate_into_gamut

_SRGB_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_LMS_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_LAB_TO_LMS = np.linalg.inv(_LMS_TO_LAB)
_LMS_TO_SRGB = np.linalg.inv(_SRGB_TO_LMS)


def acescg_to_oklab(rgb: NDArray) -> NDArray[np.float64]:
    """Lightness, a, b of ACEScg colours. Both (..., 3)."""
    linear = np.asarray(rgb, float) @ ACESCG_TO_SRGB.T
    return np.cbrt(linear @ _SRGB_TO_LMS.T) @ _LMS_TO_LAB.T


def oklab_to_acescg(lab: NDArray) -> NDArray[np.float64]:
    """ACEScg of Oklab colours. Both (..., 3)."""
    lms = (np.asarray(lab, float) @ _LAB_TO_LMS.T) ** 3
    return (lms @ _LMS_TO_SRGB.T) @ SRGB_TO_ACESCG.T


def hue_deg(rgb: NDArray) -> float:
    """Hue of an ACEScg colour (3,) [deg], 0 to 360."""
    _lightness, a, b = acescg_to_oklab(rgb)
    return math.degrees(math.atan2(b, a)) % 360.0


def hue_turned(rgb: NDArray, degrees: float) -> NDArray[np.float64]:
    """An ACEScg colour ``rgb`` (3,) with its hue turned by ``degrees``, of the same luminance.

    What lies outside the gamut then is brought into it towards its grey.
    """
    rgb = np.asarray(rgb, float)
    lightness, a, b = acescg_to_oklab(rgb)
    turn = math.radians(degrees)
    lab = (lightness, a * math.cos(turn) - b * math.sin(turn), a * math.sin(turn) + b * math.cos(turn))
    found = desaturate_into_gamut(oklab_to_acescg(np.array(lab)))
    level = float(found @ LUMINANCE_WEIGHTS)
    return found * (float(rgb @ LUMINANCE_WEIGHTS) / level) if level > 0 else found
