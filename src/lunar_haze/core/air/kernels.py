"""The medium for single rays, compiled: extinction, optical depth and its inverse.

Functions take the packed medium of `Medium.pack`. Fog alone has closed forms in height only;
banks, and a stretch with a soft end, are integrated piece by piece, exactly or nearly (`banks`,
Gauss-Legendre on the ramps). Patches have no closed form: they are summed in steps of a part of a
patch, as the difference to the even mist, from a start that differs from ray to ray.
"""

import math

import numba as nb
import numpy as np
from numba import types

from lunar_haze.core.air.banks import (
    AT,
    GAUSS_INNER,
    GAUSS_NODE,
    GAUSS_OUTER,
    ROW,
    bank_interval,
    bank_length,
    banks_extinction,
)
from lunar_haze.core.air.fog import density, distance_in_fog, fog_depth
from lunar_haze.core.air.medium_row import (
    BANKS,
    FOG_SIGMA,
    FOG_TOP,
    PLAIN,
    STRETCH,
    STRETCH_AXIS,
    STRETCH_BEGINS,
    STRETCH_ENDS,
    STRETCH_FADES,
    STRETCH_ORIGIN,
)
from lunar_haze.core.air.patches import PATCHES, TILE_AT, TILE_ROOM, patchiness
from lunar_haze.core.units.fast_math import exp, floor
from lunar_haze.core.units.outside import as_pointer, outside

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")

#: Patches are summed in steps of this share of one, in this many at the least and at the most.
PATCH_STEP, _FEWEST_STEPS, _MOST_STEPS = f32(0.18), 2, 40
#: Optical depth past which what patches do no longer matters.
_DEEP = f32(12.0)


@nb.njit(cache=True, forceinline=True)
def borrowed_medium(address):
    """A packed medium by its address; its end is not guarded."""
    return nb.carray(as_pointer(address), (TILE_AT + TILE_ROOM,), np.float32)  # type: ignore[call-arg]


@_jit
def _share_at(m, w):
    """Share of the mist that is there at distance ``w`` along the lens's axis."""
    up = (w - m[STRETCH_BEGINS]) / m[STRETCH_FADES] + f32(1.0)
    down = (m[STRETCH_ENDS] - w) / m[STRETCH_FADES] + f32(1.0)
    # Nothing is taken away before a stretch that begins at the lens.
    up = up if m[STRETCH_BEGINS] > f32(0.0) else f32(1.0)
    return min(max(up, f32(0.0)), f32(1.0)) * min(max(down, f32(0.0)), f32(1.0))


@_jit
def _along_axis(m, x, y, z):
    return (
        (x - m[STRETCH_ORIGIN]) * m[STRETCH_AXIS]
        + (y - m[STRETCH_ORIGIN + 1]) * m[STRETCH_AXIS + 1]
        + (z - m[STRETCH_ORIGIN + 2]) * m[STRETCH_AXIS + 2]
    )


@_plain
def _even_extinction(m, x, y, z):
    sigma = m[FOG_SIGMA] * density(m, z) + banks_extinction(m, x, y, z)
    if m[STRETCH] > f32(0.0):
        sigma *= _share_at(m, _along_axis(m, x, y, z))
    return sigma


@outside(types.float32(types.uintp, *(types.float32,) * 4))
def _mixed_extinction(address, x, y, z, patchy):
    m = borrowed_medium(address)
    sigma = _even_extinction(m, x, y, z)
    if patchy * m[PATCHES] > f32(0.0) and sigma > f32(0.0):
        sigma *= patchiness(m, x, y, z)
    return sigma


@outside(types.float32(types.uintp, *(types.float32,) * 3))
def _patches_at(address, x, y, z):
    return patchiness(borrowed_medium(address), x, y, z)


@_jit
def patches_at(m, x, y, z):
    """Density at a point over its mean: what patches make of the even mist."""
    return _patches_at(m.ctypes.data, x, y, z) if m[PATCHES] > f32(0.0) else f32(1.0)


@_jit
def even_extinction(m, x, y, z):
    """Extinction [1/m] at a point, patches left out."""
    if m[PLAIN] > f32(0.0):
        return m[FOG_SIGMA] * density(m, z)
    return _mixed_extinction(m.ctypes.data, x, y, z, f32(0.0))


@_jit
def extinction(m, x, y, z):
    """Extinction [1/m] at a point."""
    if m[PLAIN] > f32(0.0):
        return m[FOG_SIGMA] * density(m, z)
    return _mixed_extinction(m.ctypes.data, x, y, z, f32(1.0))


@_plain
def _even_piece(m, ox, oy, oz, dx, dy, dz, t0, t1, w0, w1):
    """Optical depth of fog and banks from t0 to t1, where the share that is there is ``w0 + w1 t``."""
    total = f32(0.0)
    if m[FOG_SIGMA] > f32(0.0):
        if w1 == f32(0.0):
            total = w0 * fog_depth(m, oz + t0 * dz, dz, t1 - t0)
        else:
            half, middle = f32(0.5) * (t1 - t0), f32(0.5) * (t1 + t0)
            for point in range(3):
                t = middle + half * GAUSS_NODE * f32(point - 1)
                weight = GAUSS_INNER if point == 1 else GAUSS_OUTER
                total += weight * f32(2.0) * half * (w0 + w1 * t) * m[FOG_SIGMA] * density(m, oz + t * dz)
    for bank in range(int(m[BANKS])):
        length = bank_length(m, bank, ox, oy, oz, dx, dy, dz, t0, t1, w0, w1)
        total += m[AT + bank * ROW + 10] * length
    return total


@_plain
def even_depth(m, ox, oy, oz, dx, dy, dz, t):
    """Optical depth over distance ``t`` [m] of a ray with fog, banks and a stretch; patches left out."""
    if m[STRETCH] == f32(0.0):
        return _even_piece(m, ox, oy, oz, dx, dy, dz, f32(0.0), t, f32(1.0), f32(0.0))
    begins, ends, fades = m[STRETCH_BEGINS], m[STRETCH_ENDS], m[STRETCH_FADES]
    w, dw = _along_axis(m, ox, oy, oz), dx * m[STRETCH_AXIS] + dy * m[STRETCH_AXIS + 1] + dz * m[STRETCH_AXIS + 2]
    total, now = f32(0.0), f32(0.0)
    for _ in range(5):
        then = t
        if abs(dw) > f32(1e-7):
            for edge in range(4):
                at = begins if edge == 0 else begins - fades if edge == 1 else ends if edge == 2 else ends + fades
                there = (at - w) / dw
                then = min(then, there) if there > now + f32(1e-6) * (f32(1.0) + now) else then
        # The share is linear in between: two of its values tell it all, away from the ends where it may grade.
        a, b = now + f32(0.25) * (then - now), now + f32(0.75) * (then - now)
        sa, sb = _share_at(m, w + a * dw), _share_at(m, w + b * dw)
        if sa > f32(0.0) or sb > f32(0.0):
            slope = (sb - sa) / max(b - a, f32(1e-12))
            slope = slope if abs(sb - sa) > f32(1e-6) else f32(0.0)
            total += _even_piece(m, ox, oy, oz, dx, dy, dz, now, then, sa - slope * a, slope)
        if then >= t:
            break
        now = then
    return total


@_plain
def misty_interval(m, ox, oy, oz, dx, dy, dz, t):
    """The part of 0..t of a ray outside which there is no mist, or none that a lens sees light from."""
    low, high = t, f32(0.0)
    if m[FOG_SIGMA] > f32(0.0):
        # Below the top of the fog, and no deeper in it than light comes back from.
        low = f32(0.0) if oz <= m[FOG_TOP] else ((m[FOG_TOP] - oz) / dz if dz < f32(0.0) else t)
        high = (m[FOG_TOP] - oz) / dz if oz < m[FOG_TOP] and dz > f32(1e-6) else t
        if m[STRETCH] == f32(0.0):
            high = min(high, distance_in_fog(m, oz, dz, _DEEP + fog_depth(m, oz, dz, low)))
    for bank in range(int(m[BANKS])):
        a, b = bank_interval(m, bank, ox, oy, oz, dx, dy, dz, f32(0.0), t)
        if a < b:
            low, high = min(low, a), max(high, b)
    return low, min(high, t)


@_jit
def _lot_of(x, y, z, dx, dy, dz):
    """A number in [0, 1) that differs from ray to ray."""
    v = x * f32(12.9898) + y * f32(78.233) + z * f32(37.719) + dx * f32(419.2) + dy * f32(631.7) + dz * f32(853.9)
    v = v * f32(1.61803)
    return v - f32(floor(v))


@_plain
def _patches_add(m, ox, oy, oz, dx, dy, dz, t, depth):
    """What patches add to the optical depth ``depth`` of the even mist, which may be less than nothing."""
    low, high = misty_interval(m, ox, oy, oz, dx, dy, dz, t)
    if high <= low:
        return f32(0.0)
    # No more of them than what the light loses is worth: where it is little, so is what a step gets wrong.
    wanted = min((high - low) / (PATCH_STEP * m[PATCHES + 1]), f32(_MOST_STEPS) * depth)
    steps = min(int(wanted) + _FEWEST_STEPS, _MOST_STEPS)
    step = (high - low) / f32(steps)
    lot = _lot_of(ox, oy, oz, dx, dy, dz)
    total = f32(0.0)
    for k in range(steps):
        s = low + (f32(k) + lot) * step
        x, y, z = ox + s * dx, oy + s * dy, oz + s * dz
        sigma = _even_extinction(m, x, y, z)
        if sigma > f32(0.0):
            total += sigma * (patchiness(m, x, y, z) - f32(1.0))
    return total * step


@outside(types.float32(types.uintp, *(types.float32,) * 7))
def _mixed_depth(address, ox, oy, oz, dx, dy, dz, t):
    m = borrowed_medium(address)
    depth = even_depth(m, ox, oy, oz, dx, dy, dz, t)
    if m[PATCHES] > f32(0.0) and depth > f32(1e-6):
        depth = max(depth + _patches_add(m, ox, oy, oz, dx, dy, dz, t, depth), f32(0.0))
    return depth


@_jit
def ray_optical_depth(m, ox, oy, oz, dx, dy, dz, t):
    """Optical depth over distance ``t`` [m] of a ray from o along unit d."""
    if m[PLAIN] > f32(0.0) or t <= f32(0.0):
        return fog_depth(m, oz, dz, t)
    return _mixed_depth(m.ctypes.data, ox, oy, oz, dx, dy, dz, t)


@_jit
def transmittance(m, ox, oy, oz, dx, dy, dz, t):
    """Share of light left after distance ``t`` [m] along the ray, in [0, 1]."""
    return exp(-ray_optical_depth(m, ox, oy, oz, dx, dy, dz, t))


@_plain
def segment_depths(m, starts, ends):
    """Optical depths (n,) float64 of the segments from ``starts`` to ``ends`` (n, 3) float32 [m]."""
    out = np.empty(starts.shape[0])
    for i in range(starts.shape[0]):
        ox, oy, oz = starts[i, 0], starts[i, 1], starts[i, 2]
        dx, dy, dz = ends[i, 0] - ox, ends[i, 1] - oy, ends[i, 2] - oz
        t = f32(math.sqrt(dx * dx + dy * dy + dz * dz))
        k = f32(1.0) / max(t, f32(1e-20))
        out[i] = ray_optical_depth(m, ox, oy, oz, dx * k, dy * k, dz * k, t)
    return out
