"""Elementary functions for compiled loops: short enough to be inlined, plain enough to be vectorised.

The library's versions are calls, which keep a loop from running on several numbers at once. Each
function states its largest error; tests hold them to it.
"""

import numba as nb
import numpy as np

f32, i32, u32 = np.float32, np.int32, np.uint32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


@nb.njit(cache=True, forceinline=True)
def hash32(x):
    """A well-mixed 32-bit hash (Wellons, C. (2018), lowbias32)."""
    x = u32(x ^ (x >> u32(16)))
    x = u32(x * u32(0x7FEB352D))
    x = u32(x ^ (x >> u32(15)))
    x = u32(x * u32(0x846CA68B))
    return u32(x ^ (x >> u32(16)))


@_inline
def floor(x):
    """The largest whole int32 not above a float32 within +-2^31: exact."""
    whole = i32(x)
    return i32(whole - i32(x < f32(whole)))


@_inline
def log2(x):
    """log2 of a positive normal float32, to 2e-6: exponent, and a series in (m - 1) / (m + 1)."""
    bits = f32(x).view(i32)
    # The mantissa is brought between sqrt(1/2) and sqrt(2), where the series is short.
    exponent = (bits - i32(0x3F3504F3)) >> i32(23)
    mantissa = i32(bits - (exponent << i32(23))).view(f32)
    t = (mantissa - f32(1.0)) / (mantissa + f32(1.0))
    t2 = t * t
    series = f32(2.8853901) + t2 * (f32(0.9617967) + t2 * f32(0.5770780))
    return f32(exponent) + t * series


@_inline
def log(x):
    """Natural logarithm of a positive normal float32, to 1.5e-6."""
    return f32(0.69314718) * log2(x)


@_inline
def exp(x):
    """e^x of a float32 to 4e-6 of its value; held at e^-87 and e^88."""
    y = min(max(x, f32(-87.0)), f32(88.0)) * f32(1.44269504)
    whole = i32(y + f32(1024.5)) - i32(1024)
    t = (y - f32(whole)) * f32(0.69314718)
    # |t| <= 0.35: a Taylor polynomial of degree 6.
    p = f32(1.0) + t * (
        f32(1.0) + t * (f32(0.5) + t * (f32(1 / 6) + t * (f32(1 / 24) + t * (f32(1 / 120) + t * f32(1 / 720)))))
    )
    return p * i32((whole + i32(127)) << i32(23)).view(f32)


@_inline
def turned(share):
    """Cosine and sine of a share of a whole turn, of a few turns at the most, to 4e-7."""
    quarters = share * f32(4.0)
    nearest = floor(quarters + f32(0.5))
    a = (quarters - f32(nearest)) * f32(1.57079633)
    # |a| <= pi / 4: Taylor polynomials of degrees 8 and 7.
    a2 = a * a
    c = f32(1.0) - a2 * (f32(1 / 2) - a2 * (f32(1 / 24) - a2 * (f32(1 / 720) - a2 * f32(1 / 40320))))
    s = a * (f32(1.0) - a2 * (f32(1 / 6) - a2 * (f32(1 / 120) - a2 * f32(1 / 5040))))
    c, s = (s, c) if nearest & i32(1) else (c, s)
    c = -c if (nearest + i32(1)) & i32(2) else c
    s = -s if nearest & i32(2) else s
    return c, s


@_inline
def short_arctan(u):
    """arctan of a float32 in [0, 0.5], to 3e-6."""
    u2 = u * u
    return u * (
        f32(1.0) + u2 * (f32(-1 / 3) + u2 * (f32(1 / 5) + u2 * (f32(-1 / 7) + u2 * (f32(1 / 9) - u2 * f32(0.075)))))
    )


@_inline
def angle_of(y, x):
    """Angle [rad] in 0..pi of a point whose ``y`` is not below zero, as arctan2, to 4e-6 of its value."""
    wide = max(abs(x), f32(1e-30))
    ratio = min(y, wide) / max(y, wide)
    # Past a half, arctan is a quarter turn less arctan of something short.
    if ratio > f32(0.5):
        angle = f32(0.78539816) + short_arctan((ratio - f32(1.0)) / (ratio + f32(1.0)))
    else:
        angle = short_arctan(ratio)
    if y > wide:
        angle = f32(1.57079633) - angle
    return angle if x >= f32(0.0) else f32(3.14159265) - angle


@_inline
def one_minus_exp(x):
    """1 - e^-x of a float32 not below zero, to 2e-5 of its value."""
    short = x * (
        f32(1.0) - x * (f32(1 / 2) - x * (f32(1 / 6) - x * (f32(1 / 24) - x * (f32(1 / 120) - x * f32(1 / 720)))))
    )
    return short if x < f32(0.25) else f32(1.0) - exp(-x)


@_inline
def minus_log_rest(share):
    """-log(1 - share) of a float32 in [0, 1), to 1e-5 of its value: the depth that stops so much light."""
    if share < f32(0.3):
        t = share / (f32(2.0) - share)
        t2 = t * t
        return f32(2.0) * t * (f32(1.0) + t2 * (f32(1 / 3) + t2 * (f32(1 / 5) + t2 * f32(1 / 7))))
    return -log(max(f32(1.0) - share, f32(1e-30)))
