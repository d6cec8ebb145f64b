"""White balance as a chromatic adaptation: what is to be neutral becomes so.

CAT16 with full adaptation (Li, Li, Wang, Zu, Luo, Cui, Melgosa, Brill & Pointer 2017, "Comprehensive color solutions:
CAM16, CAT16, and CAM16-UCS", Color Research & Application 42).
"""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import planckian_uv
from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ, XYZ_TO_ACESCG, xy_to_acescg
from lunar_haze.core.finish.values import COOLEST_K, HOTTEST_K, MOST_DUV, NEUTRAL_K, White

CAT16 = np.array([[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]])


def adapted(white: NDArray, to: NDArray) -> NDArray[np.float64]:
    """Matrix (3, 3) on XYZ under which one white (3,) XYZ becomes another."""
    return np.linalg.inv(CAT16) @ np.diag((CAT16 @ to) / (CAT16 @ white)) @ CAT16


def matrix(white: White) -> NDArray[np.float64]:
    """Matrix (3, 3) on ACEScg under which light of ``white`` is as grey as the working space's own white; the unit
    matrix for the usual white.
    """
    if white == White():
        return np.eye(3)
    return XYZ_TO_ACESCG @ adapted(_xyz(_whites(white.kelvin, white.tint_duv)), _OWN_WHITE) @ ACESCG_TO_XYZ


def _uv(xyz: NDArray) -> NDArray[np.float64]:
    """CIE 1960 u, v of XYZ."""
    return np.array([4.0 * xyz[0], 6.0 * xyz[1]]) / (xyz @ (1.0, 15.0, 3.0))


def _xyz(uv: NDArray) -> NDArray[np.float64]:
    """XYZ of CIE 1960 u, v, as the working space holds them."""
    u, v = uv
    scale = 2.0 * u - 8.0 * v + 4.0
    return np.asarray(ACESCG_TO_XYZ @ xy_to_acescg(3.0 * u / scale, 2.0 * v / scale))


_OWN_WHITE = ACESCG_TO_XYZ @ np.ones(3)
#: The white of a colour is found by so many rounds, each from the one before.
_ROUNDS = 24
#: How far the working space's white lies off the black body that stands for it, and over how many mired and how much of
#: a tint (Duv) beside that it is felt: elsewhere a white is the black body that it is named after.
_ASIDE, _FELT_MIRED, _FELT_DUV = _uv(_OWN_WHITE) - planckian_uv(NEUTRAL_K), 6.0, 0.004


def _aside(mired: float, tint_duv: float) -> NDArray[np.float64]:
    off = (mired - 1e6 / NEUTRAL_K) / _FELT_MIRED, tint_duv / _FELT_DUV
    return np.asarray(np.exp(-(off[0] ** 2) - off[1] ** 2) * _ASIDE)


def _whites(kelvin: float, tint_duv: float) -> NDArray[np.float64]:
    """CIE 1960 u, v of a white: so far off the locus of black bodies, towards green above 0. The usual white is that of
    the working space, with no step beside it.
    """
    mired = 1e6 / kelvin
    return np.array(planckian_uv(kelvin)) + tint_duv * _greenward(mired) + _aside(mired, tint_duv)


def _greenward(mired: float) -> NDArray[np.float64]:
    """Unit vector across the locus, towards green."""
    along = np.subtract(planckian_uv(1e6 / (mired + 0.01)), planckian_uv(1e6 / (mired - 0.01)))
    across = np.array([-along[1], along[0]]) / np.linalg.norm(along)
    return across if across[1] > 0 else -across


def white_of(light: NDArray) -> White:
    """The white that makes a colour (3,) ACEScg grey: the nearest black body, and how far off its locus it lies.

    Distances are those of CIE 1960 u, v. Raises ValueError for black.
    """
    rgb = np.maximum(np.asarray(light, float), 0.0)
    xyz = ACESCG_TO_XYZ @ rgb
    if not xyz[1] > 0:
        raise ValueError("black has no colour that could be neutral")
    here = wanted = _uv(xyz)
    mired, off = 0.0, 0.0
    for _ in range(_ROUNDS):
        wanted = here - _aside(mired, off)
        mired, off = _nearest(wanted)
    return White(round(1e6 / mired, 1), round(min(max(off, -MOST_DUV), MOST_DUV), 6))


def _nearest(uv: NDArray) -> tuple[float, float]:
    """The black body nearest to CIE 1960 u, v [mired], and how far off the locus that lies, towards green above 0."""
    from scipy.optimize import minimize_scalar

    def square(mired: float) -> float:
        return float(np.sum((np.array(planckian_uv(1e6 / mired)) - uv) ** 2))

    found = minimize_scalar(
        square, bounds=(1e6 / HOTTEST_K, 1e6 / COOLEST_K), method="bounded", options={"xatol": 1e-4}
    )
    mired = float(found.x)
    return mired, float((uv - planckian_uv(1e6 / mired)) @ _greenward(mired))
