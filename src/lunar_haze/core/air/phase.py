"""Henyey-Greenstein phase function.

Henyey, L. G. & Greenstein, J. L. (1941). Diffuse radiation in the galaxy. Astrophys. J. 93, 70-83.
"""

import math

import numba as nb
import numpy as np


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def henyey_greenstein(cos_theta, g):
    """Phase function [1/sr], normalised over the sphere.

    ``cos_theta`` is the cosine between the directions of travel before and after scattering; it
    is one for light that goes straight on.
    """
    k = np.float32(1.0) + g * g - np.float32(2.0) * g * cos_theta
    k = max(k, np.float32(1e-6))
    return np.float32(0.25 / math.pi) * (np.float32(1.0) - g * g) / (k * math.sqrt(k))
