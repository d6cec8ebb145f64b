"""Random numbers and warps, compiled.

Samples are Owen-scrambled Sobol points in padded pairs of dimensions, shuffled independently for
each pair: Burley, B. (2020). Practical hash-based Owen scrambling. JCGT 9(4), 1-20. A pair is
named by (pixel seed, dimension); its points over the passes are a (0, 2)-sequence. Up to 4096
passes are stratified.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.units.fast_math import hash32, turned

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_TO_UNIT = f32(2.0**-24)


@nb.njit(cache=True, forceinline=True)
def combine(a, b):
    """Hash of two 32-bit values, ``a`` and ``b``."""
    return hash32(u32(u32(a) ^ hash32(u32(u32(b) + u32(0x9E3779B9)))))


@nb.njit(cache=True, forceinline=True)
def _reverse(x):
    x = u32((x >> u32(16)) | (x << u32(16)))
    x = u32(((x & u32(0xFF00FF00)) >> u32(8)) | ((x & u32(0x00FF00FF)) << u32(8)))
    x = u32(((x & u32(0xF0F0F0F0)) >> u32(4)) | ((x & u32(0x0F0F0F0F)) << u32(4)))
    x = u32(((x & u32(0xCCCCCCCC)) >> u32(2)) | ((x & u32(0x33333333)) << u32(2)))
    return u32(((x & u32(0xAAAAAAAA)) >> u32(1)) | ((x & u32(0x55555555)) << u32(1)))


@nb.njit(cache=True, forceinline=True)
def _laine_karras(x, seed):
    x = u32(x + seed)
    x = u32(x ^ u32(x * u32(0x6C50B47C)))
    x = u32(x ^ u32(x * u32(0xB82F1E52)))
    x = u32(x ^ u32(x * u32(0xC7AFE638)))
    return u32(x ^ u32(x * u32(0x8D22F6E6)))


@nb.njit(cache=True, forceinline=True)
def _pascal(x):
    """Second Sobol coordinate of point x < 2^16, its bits reversed.

    Bit j of x adds the polynomial (1 + t)^j over GF(2), so the sum is x with t replaced by 1 + t:
    halves of halves are added to their neighbours (Ahmed 2024, An implementation algorithm of 2D
    Sobol sequence fast, elegant, and compact).
    """
    x = u32(x ^ ((x >> u32(8)) & u32(0x000000FF)))
    x = u32(x ^ ((x >> u32(4)) & u32(0x00000F0F)))
    x = u32(x ^ ((x >> u32(2)) & u32(0x00003333)))
    return u32(x ^ ((x >> u32(1)) & u32(0x00005555)))


@nb.njit(cache=True, forceinline=True)
def sample_pair(seed, dimension, index):
    """Two numbers in [0, 1), point ``index`` of the sequence named by seed and dimension."""
    name = combine(seed, u32(dimension))
    # Shuffle the index within blocks of 4096.
    shuffled = _reverse(_laine_karras(_reverse(u32(index)), name)) & u32(0xFFF)
    first = _reverse(_laine_karras(shuffled, hash32(u32(name ^ u32(0x68BC21EB)))))
    second = _reverse(_laine_karras(_pascal(shuffled), hash32(u32(name ^ u32(0x02E5BE93)))))
    return f32(first >> u32(8)) * _TO_UNIT, f32(second >> u32(8)) * _TO_UNIT


@nb.njit(cache=True, forceinline=True)
def random_pair(seed, dimension, index):
    """Two independent numbers in [0, 1): a third of the cost, for dimensions past the first surface."""
    a = combine(combine(seed, u32(dimension)), u32(index))
    return f32(a >> u32(8)) * _TO_UNIT, f32(hash32(a) >> u32(8)) * _TO_UNIT


@nb.njit(cache=True, forceinline=True)
def find_share(ends, starts, value):
    """First of ``ends``, cumulative shares up to one, that is past ``value``, the last at the most.

    ``starts`` (`search_starts`) tells where to begin to look (indexed search: Chen & Asau 1974, On
    generating random variates from an empirical distribution).
    """
    last = u32(starts.shape[0] - 1)
    i = u32(starts[min(u32(value * f32(starts.shape[0])), last)])
    while i < last and ends[i] <= value:
        i = u32(i + u32(1))
    return i


def search_starts(ends: NDArray) -> NDArray[np.int32]:
    """Where `find_share` begins in cumulative shares (..., count) for each count-th of the values: the same shape."""
    count = ends.shape[-1]
    rows = ends.reshape(-1, count)
    found = np.stack([np.searchsorted(row, np.arange(count) / count, side="right") for row in rows])
    return np.minimum(found, count - 1).astype(np.int32).reshape(ends.shape)


@_jit
def basis(nx, ny, nz):
    """Two unit vectors that complete a unit vector to a right-handed frame (Duff et al. 2017)."""
    sign = f32(1.0) if nz >= f32(0.0) else f32(-1.0)
    a = f32(-1.0) / (sign + nz)
    b = nx * ny * a
    return (f32(1.0) + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny)


@_jit
def cosine_hemisphere(u, v):
    """Direction about +z with density cos / pi."""
    r = f32(math.sqrt(u))
    c, s = turned(v)
    return r * c, r * s, f32(math.sqrt(max(f32(1.0) - u, f32(0.0))))


@_jit
def uniform_disc(u, v):
    """Point of the unit disc with even density."""
    r = f32(math.sqrt(u))
    c, s = turned(v)
    return r * c, r * s


@_jit
def uniform_cone(u, v, one_minus_cos):
    """Direction about +z, even over a cone; ``one_minus_cos`` is 1 - the cosine of its half-angle."""
    h = u * one_minus_cos
    sin_t = f32(math.sqrt(max(h * (f32(2.0) - h), f32(0.0))))
    c, s = turned(v)
    return sin_t * c, sin_t * s, f32(1.0) - h
