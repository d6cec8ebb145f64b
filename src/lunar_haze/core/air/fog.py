"""The fog of a medium for single rays: closed forms in height, and their inverse.

Functions take the packed medium of `Medium.pack` and heights in metres.
"""

import numba as nb
import numpy as np

from lunar_haze.core.air.medium_row import FOG_BASE, FOG_SCALE, FOG_SIGMA, FOG_TOP
from lunar_haze.core.units.fast_math import exp, minus_log_rest, one_minus_exp

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


@_jit
def _density_at(z, base, scale, top):
    return exp((base - max(z, base)) / scale) if z <= top else f32(0.0)


@_jit
def density(m, z):
    """Extinction of the fog at height ``z`` over that at the base, dimensionless."""
    return _density_at(z, m[FOG_BASE], m[FOG_SCALE], m[FOG_TOP])


@_jit
def fog_extinctions(m, oz, dz, distances, count, out):
    """Extinction of the fog [1/m] at the first ``count`` distances of a ray from height ``oz``, into ``out``."""
    # Of numbers at hand: were they read from memory each time, distances would go one by one.
    thickness, base, scale, top = m[FOG_SIGMA], m[FOG_BASE], m[FOG_SCALE], m[FOG_TOP]
    for k in range(count):
        out[k] = thickness * _density_at(oz + distances[k] * dz, base, scale, top)


@_jit
def _column_at(z, base, scale, top):
    return min(z, base) + scale * one_minus_exp((min(max(z, base), top) - base) / scale)


@_jit
def column(m, z):
    """Vertical optical depth of the fog up to height ``z`` per unit of base extinction [m]."""
    return _column_at(z, m[FOG_BASE], m[FOG_SCALE], m[FOG_TOP])


@_jit
def fog_columns(m, oz, dz, distances, count, out):
    """`column` at the first ``count`` distances of a ray from height ``oz``, into ``out``."""
    base, scale, top = m[FOG_BASE], m[FOG_SCALE], m[FOG_TOP]
    for k in range(count):
        out[k] = _column_at(oz + distances[k] * dz, base, scale, top)


@_jit
def fog_depth(m, oz, dz, t):
    """Optical depth of the fog over distance ``t`` [m] of a ray from height ``oz`` with unit direction z ``dz``."""
    if m[FOG_SIGMA] == f32(0.0) or t <= f32(0.0):
        return f32(0.0)
    base, scale, top = m[FOG_BASE], m[FOG_SCALE], m[FOG_TOP]
    rise = abs(dz) * t
    low = min(oz, oz + dz * t)
    high = low + rise
    if high <= base:
        return m[FOG_SIGMA] * t
    if rise < f32(1e-3) * scale:
        return m[FOG_SIGMA] * density(m, low + f32(0.5) * rise) * t
    # Differences are taken before anything large is, so that float32 keeps its digits.
    start = max(low, base)
    between = rise if low >= base and high <= top else max(min(high, top) - start, f32(0.0))
    thin = scale * exp(-(start - base) / scale) * one_minus_exp(between / scale)
    return m[FOG_SIGMA] * (thin + max(base - low, f32(0.0))) / abs(dz)


@_jit
def distance_in_fog(m, oz, dz, depth):
    """Distance [m] at which the ray has gathered optical depth ``depth`` of fog; large when it never does.

    Inverts the closed form piece by piece: the constant part under the base, the exponential part
    between base and top.
    """
    if abs(dz) < f32(1e-4):
        rate = m[FOG_SIGMA] * density(m, oz)
        return depth / rate if rate > f32(0.0) else f32(1e30)
    goal = column(m, oz) + depth * dz / m[FOG_SIGMA]
    if goal <= m[FOG_BASE]:
        z = goal
        if oz > m[FOG_BASE] and dz > f32(0.0):
            return f32(1e30)
    else:
        share = (goal - m[FOG_BASE]) / m[FOG_SCALE]
        if share >= f32(1.0):
            return f32(1e30)
        z = m[FOG_BASE] + m[FOG_SCALE] * minus_log_rest(share)
    if dz > f32(0.0) and z > m[FOG_TOP]:
        return f32(1e30)
    return max((z - oz) / dz, f32(0.0))
