"""Colour of a black body from its temperature.

Krystek, M. (1985). An algorithm to calculate correlated colour temperature. Color Research &
Application 10(1), 38-40: rational approximations of the Planckian locus in CIE 1960 (u, v),
valid from 1,000 K to 15,000 K with errors below 8e-5 in u and 9e-5 in v.
"""

import functools

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import xy_to_acescg

KELVIN_MIN = 1000.0
KELVIN_MAX = 15000.0


def planckian_uv(kelvin: float) -> tuple[float, float]:
    """CIE 1960 (u, v) of a black body; ``kelvin`` is held to the valid range [1000, 15000] K."""
    t = min(max(kelvin, KELVIN_MIN), KELVIN_MAX)
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def warmed(kelvin: float, mired: float) -> float:
    """A colour temperature ``kelvin`` [K] that is ``mired`` [mired] warmer, cooler below 0; held to the valid range."""
    return 1e6 / min(max(1e6 / kelvin + mired, 1e6 / KELVIN_MAX), 1e6 / KELVIN_MIN)


@functools.lru_cache(maxsize=1024)
def _kelvin_colour(kelvin: float, tint_duv: float) -> tuple[float, float, float]:
    u, v = planckian_uv(kelvin)
    step = 0.5
    u0, v0 = planckian_uv(kelvin - step)
    u1, v1 = planckian_uv(kelvin + step)
    along = np.array([u1 - u0, v1 - v0])
    normal = np.array([-along[1], along[0]]) / max(np.linalg.norm(along), 1e-12)
    if normal[1] < 0:
        normal = -normal
    u, v = u + tint_duv * normal[0], v + tint_duv * normal[1]
    scale = 2 * u - 8 * v + 4
    return tuple(xy_to_acescg(3 * u / scale, 2 * v / scale))


def kelvin_to_acescg(kelvin: float, tint_duv: float = 0.0) -> NDArray:
    """ACEScg colour (3,) of luminance 1 of a black body at ``kelvin`` [K].

    ``tint_duv`` is a distance from the locus in CIE 1960 uv, positive towards green (ANSI C78.377).
    """
    return np.array(_kelvin_colour(round(float(kelvin), 2), round(float(tint_duv), 5)))
