"""The medium for single rays, compiled: density, optical depth and its inverse.

Functions take the packed medium of `Medium.pack` and heights in metres; `optical_depth` in
`lunar_haze.core.air.medium` is their NumPy twin.
"""

import math

import numba as nb
import numpy as np

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


@_jit
def density(m, z):
    """Extinction at height ``z`` over the extinction at the base, dimensionless."""
    if z > m[3]:
        return f32(0.0)
    return f32(math.exp(-max(z - m[1], f32(0.0)) / m[2]))


@_jit
def column(m, z):
    """Vertical optical depth up to height ``z`` per unit of base extinction [m]."""
    above = min(max(z, m[1]), m[3]) - m[1]
    return f32(min(z, m[1]) - m[2] * math.expm1(-above / m[2]))


@_jit
def ray_optical_depth(m, oz, dz, t):
    """Optical depth over distance ``t`` [m] of a ray from height ``oz`` with unit direction z ``dz``."""
    if m[0] == f32(0.0) or t <= f32(0.0):
        return f32(0.0)
    if abs(dz) < f32(1e-4):
        return m[0] * density(m, oz + f32(0.5) * dz * t) * t
    return m[0] * (column(m, oz + dz * t) - column(m, oz)) / dz


@_jit
def transmittance(m, oz, dz, t):
    """Share of light left after distance ``t`` [m] along the ray, in [0, 1]."""
    return f32(math.exp(-ray_optical_depth(m, oz, dz, t)))


@_jit
def distance_to_depth(m, oz, dz, depth):
    """Distance [m] at which the ray has gathered optical depth ``depth``; large when it never does.

    Inverts the closed form piece by piece: the constant part under the base, the exponential part
    between base and top.
    """
    if abs(dz) < f32(1e-4):
        rate = m[0] * density(m, oz)
        return depth / rate if rate > f32(0.0) else f32(1e30)
    goal = column(m, oz) + depth * dz / m[0]
    if goal <= m[1]:
        z = goal
        if oz > m[1] and dz > f32(0.0):
            return f32(1e30)
    else:
        share = (goal - m[1]) / m[2]
        if share >= f32(1.0):
            return f32(1e30)
        z = m[1] - m[2] * f32(math.log1p(-share))
    if dz > f32(0.0) and z > m[3]:
        return f32(1e30)
    return max((z - oz) / dz, f32(0.0))
