"""White balance as a chromatic adaptation: what is to be neutral becomes so.

CAT16 with full adaptation (Li, Li, Wang, Zu, Luo, Cui, Melgosa, Brill & Pointer 2017, "Comprehensive color solutions:
CAM16, CAT16, and CAM16-UCS", Color Research & Application 42).
"""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg, planckian_uv
from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ, XYZ_TO_ACESCG
from lunar_haze.core.finish.model import COOLEST_K, HOTTEST_K, MOST_DUV, White

CAT16 = np.array([[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]])


def adapted(white: NDArray, to: NDArray) -> NDArray[np.float64]:
    """Matrix (3, 3) on XYZ under which one white (3,) XYZ becomes another."""
    return np.linalg.inv(CAT16) @ np.diag((CAT16 @ to) / (CAT16 @ white)) @ CAT16


def matrix(white: White) -> NDArray[np.float64]:
    """Matrix (3, 3) on ACEScg that makes light of ``white`` neutral; the unit matrix for the usual white."""
    if white == White():
        return np.eye(3)
    # Relative to the usual white as this locus has it, so that there is no step beside it.
    there, here = (ACESCG_TO_XYZ @ kelvin_to_acescg(one.kelvin, one.tint_duv) for one in (white, White()))
    return XYZ_TO_ACESCG @ adapted(there, here) @ ACESCG_TO_XYZ


def white_of(light: NDArray) -> White:
    """The white that makes a colour (3,) ACEScg neutral: the nearest black body, and how far off its locus it lies.

    Distances are those of CIE 1960 u, v. Raises ValueError for black.
    """
    from scipy.optimize import minimize_scalar

    rgb = np.maximum(np.asarray(light, float), 0.0)
    x, y, z = ACESCG_TO_XYZ @ rgb
    if not y > 0:
        raise ValueError("black has no colour that could be neutral")
    here = _uv(x, y, z)

    def square(mired: float) -> float:
        return float(np.sum((np.array(planckian_uv(1e6 / mired)) - here) ** 2))

    found = minimize_scalar(
        square, bounds=(1e6 / HOTTEST_K, 1e6 / COOLEST_K), method="bounded", options={"xatol": 1e-3}
    )
    kelvin = 1e6 / found.x
    sign = 1.0 if here[1] > planckian_uv(kelvin)[1] else -1.0
    return White(round(kelvin, 1), round(sign * min(float(np.sqrt(found.fun)), MOST_DUV), 5))


def _uv(x: float, y: float, z: float) -> NDArray[np.float64]:
    whole = x + 15.0 * y + 3.0 * z
    return np.array([4.0 * x, 6.0 * y]) / whole
