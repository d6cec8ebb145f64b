"""Phase functions of the medium: Henyey-Greenstein, alone or blended with Draine's for droplets.

Henyey, L. G. & Greenstein, J. L. (1941). Diffuse radiation in the galaxy. Astrophys. J. 93, 70-83.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.draine2003 import draine
from lunar_haze.core.air.medium_row import DRAINE_ALPHA, DRAINE_G, DRAINE_SHARE, LOBE_G


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def henyey_greenstein(cos_theta, g):
    """Phase function [1/sr], normalised over the sphere.

    ``cos_theta`` is the cosine between the directions of travel before and after scattering; it
    is one for light that goes straight on.
    """
    # (1 - g)^2 + 2 g (1 - cos) is 1 + g^2 - 2 g cos without its loss of digits straight ahead.
    k = (np.float32(1.0) - g) * (np.float32(1.0) - g) + np.float32(2.0) * g * (np.float32(1.0) - cos_theta)
    k = max(k, np.float32(1e-7))
    return np.float32(0.25 / math.pi) * (np.float32(1.0) - g) * (np.float32(1.0) + g) / (k * math.sqrt(k))


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def blended(cos_theta, g, g_draine, alpha, share):
    """A medium's phase function [1/sr] at ``cos_theta``, the cosine of deflection: Henyey and Greenstein's of ``g``,
    and to a ``share`` Draine's of ``g_draine`` and ``alpha``.
    """
    onward = henyey_greenstein(cos_theta, g)
    if share <= np.float32(0.0):
        return onward
    return onward + share * (draine(cos_theta, g_draine, alpha) - onward)


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def medium_phase(medium, cos_theta):
    """`blended` of a packed medium at ``cos_theta``."""
    return blended(cos_theta, medium[LOBE_G], medium[DRAINE_G], medium[DRAINE_ALPHA], medium[DRAINE_SHARE])
