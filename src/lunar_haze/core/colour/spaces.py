"""ACEScg (AP1 primaries, D60 white), the working space, and its ways in and out.

Matrices: ACEScg to XYZ from S-2014-004 (Academy of Motion Picture Arts and Sciences); linear
sRGB (IEC 61966-2-1) to ACEScg with a Bradford adaptation from D65 to D60.
"""

import numpy as np
from numpy.typing import NDArray

ACESCG_TO_XYZ = np.array(
    [
        [0.6624541811, 0.1340042065, 0.1561876870],
        [0.2722287168, 0.6740817658, 0.0536895174],
        [-0.0055746495, 0.0040607335, 1.0103391003],
    ]
)
XYZ_TO_ACESCG = np.linalg.inv(ACESCG_TO_XYZ)
SRGB_TO_ACESCG = np.array(
    [
        [0.6130974024, 0.3395231462, 0.0473794514],
        [0.0701937225, 0.9163538791, 0.0134523985],
        [0.0206155929, 0.1095697729, 0.8698146342],
    ]
)
ACESCG_TO_SRGB = np.linalg.inv(SRGB_TO_ACESCG)
#: Luminance Y of the three ACEScg primaries; they sum to one.
LUMINANCE_WEIGHTS = ACESCG_TO_XYZ[1]


#: Cone responses of the Bradford adaptation (ICC.1:2010, annex E).
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_ACES_WHITE = (0.32168, 0.33767)


def primaries_to_acescg(chromaticities: tuple[float, ...]) -> NDArray:
    """Matrix (3, 3) from linear RGB of any primaries and white to ACEScg, white to white (Bradford).

    ``chromaticities`` are CIE 1931 x, y of red, green, blue and white. The matrix after SMPTE RP 177-1993.
    Raises ValueError for primaries that span no colours.
    """
    if len(chromaticities) != 8 or not np.isfinite(chromaticities).all() or 0.0 in chromaticities[1::2]:
        raise ValueError(f"{chromaticities} are no primaries")
    xyz = np.array([[x / y, 1.0, (1.0 - x - y) / y] for x, y in zip(chromaticities[::2], chromaticities[1::2])]).T
    if abs(np.linalg.det(xyz[:, :3])) < 1e-6:
        raise ValueError(f"{chromaticities} span no colours")
    to_xyz = xyz[:, :3] * np.linalg.solve(xyz[:, :3], xyz[:, 3])
    x, y = _ACES_WHITE
    ours = np.array([x / y, 1.0, (1.0 - x - y) / y])
    adapt = np.linalg.inv(_BRADFORD) @ np.diag((_BRADFORD @ ours) / (_BRADFORD @ xyz[:, 3])) @ _BRADFORD
    return XYZ_TO_ACESCG @ adapt @ to_xyz


def luminance(rgb: NDArray) -> NDArray:
    """Photometric luminance of ACEScg values (..., 3), in the unit of the input."""
    return np.asarray(rgb) @ LUMINANCE_WEIGHTS.astype(np.asarray(rgb).dtype)


def srgb_decode(encoded: NDArray) -> NDArray:
    """Linear value of sRGB-encoded ones in [0, 1] (IEC 61966-2-1). Arrays of any shape; the dtype stays."""
    encoded = np.asarray(encoded)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0) + 0.055) / 1.055) ** 2.4)


def srgb_encode(linear: NDArray) -> NDArray:
    """sRGB encoding of linear values in [0, 1] (IEC 61966-2-1). Arrays of any shape; the dtype stays."""
    linear = np.maximum(np.asarray(linear), 0.0)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


def xy_to_acescg(x: float, y: float) -> NDArray:
    """ACEScg colour (3,) of luminance 1 with CIE 1931 chromaticity (x, y).

    A chromaticity outside the ACEScg gamut is mixed with the D60 white until no channel is
    negative: a lamp's colour must not take light away.
    """
    rgb = XYZ_TO_ACESCG @ np.array([x / y, 1.0, (1.0 - x - y) / y])
    return desaturate_into_gamut(rgb)


def desaturate_into_gamut(rgb: NDArray) -> NDArray:
    """Move one ACEScg colour (3,) towards its own grey until no channel is negative."""
    lowest = rgb.min()
    if lowest >= 0:
        return rgb
    grey = float(rgb @ LUMINANCE_WEIGHTS)
    return grey + (rgb - grey) * (grey / (grey - lowest))


def acescg_to_hex(rgb: NDArray) -> str:
    """Opaque sRGB hex of an ACEScg colour, scaled so that its largest channel is full. ``rgb`` is (3,), of any unit."""
    linear = np.maximum(ACESCG_TO_SRGB @ np.asarray(rgb, float), 0.0)
    linear = linear / max(linear.max(), 1e-9)
    return "#{:02x}{:02x}{:02x}".format(*np.round(srgb_encode(linear) * 255).astype(int))


def hex_to_acescg(text: str) -> NDArray:
    """ACEScg colour (3,) of an sRGB hex such as ``#ffcc88``."""
    channels = [int(text.lstrip("#")[i : i + 2], 16) / 255 for i in (0, 2, 4)]
    return SRGB_TO_ACESCG @ srgb_decode(np.array(channels))
