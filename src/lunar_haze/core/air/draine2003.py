"""Draine's phase function: Henyey-Greenstein with a share of the dipole's two sides.

Draine, B. T. (2003). Scattering by interstellar dust grains. I. Optical and ultraviolet.
Astrophys. J. 598, 1017-1025, equation 4. Alpha 0 is Henyey-Greenstein, alpha 1 and g 0 Rayleigh.
"""

import math

import numba as nb
import numpy as np

f32 = np.float32


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def draine(cos_theta, g, alpha):
    """Phase function [1/sr] by the paper's g and ``alpha``, normalised over the sphere; ``cos_theta`` is one for
    light that goes straight on.
    """
    k = max((f32(1.0) - g) * (f32(1.0) - g) + f32(2.0) * g * (f32(1.0) - cos_theta), f32(1e-7))
    norm = f32(1.0) + alpha * (f32(1.0) + f32(2.0) * g * g) * f32(1 / 3)
    lobe = (f32(1.0) - g) * (f32(1.0) + g) * (f32(1.0) + alpha * cos_theta * cos_theta) / norm
    return f32(0.25 / math.pi) * lobe / (k * math.sqrt(k))
