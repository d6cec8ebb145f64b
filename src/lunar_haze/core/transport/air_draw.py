"""Where in the air light is scattered, and where it goes from there: draws for distances and directions.

A distance is drawn by what the mist lets through: in closed form in fog alone, and by finding the
distance of a depth in other mist. For a sun that comes through openings several distances are tried
and one is kept by how much light may come from it (resampled importance sampling: Talbot, Cline &
Egbert 2005); what is lit is guessed from a map of what the sun sees (`sun_map`), and never taken to
be wholly dark, so that the draw stays unbiased whatever the map says.
"""

import math

import numba as nb
import numpy as np
from numba import types

from lunar_haze.core.air.fog import distance_in_fog, fog_depth, fog_extinctions
from lunar_haze.core.air.kernels import (
    borrowed_medium,
    even_depth,
    even_extinction,
    misty_interval,
    patches_at,
    ray_optical_depth,
    transmittance,
)
from lunar_haze.core.air.medium_row import DRAINE_ALPHA, DRAINE_G, DRAINE_SHARE, LOBE_G, PLAIN
from lunar_haze.core.air.patches import PATCHES, patchiness
from lunar_haze.core.transport.sampling import basis, combine, random_pair
from lunar_haze.core.transport.source_row import AXIS, COLUMNS, MAP, MAP_AT, MAP_SCALE
from lunar_haze.core.units.fast_math import exp, log, minus_log_rest, one_minus_exp, turned
from lunar_haze.core.units.outside import as_pointer, outside

f32, i32, u32 = np.float32, np.int32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")

#: Distances that are tried, one in each of as many strata.
TRIED = 16
#: What is thought to be dark counts as this much lit.
_DARK = f32(0.07)
#: Strata grow with distance when the way is longer than this [m].
_EVEN_M = f32(8.0)


@_jit
def _on_map(row, x, y, z):
    """What a way [m] is on a sun's map: columns, rows, and metres of height above it."""
    ax, ay, az, bx, by, bz = basis(row[AXIS], row[AXIS + 1], row[AXIS + 2])
    scale = row[MAP_SCALE]
    return (
        (x * ax + y * ay + z * az) * scale,
        (x * bx + y * by + z * bz) * scale,
        x * row[AXIS] + y * row[AXIS + 1] + z * row[AXIS + 2],
    )


@_jit
def _lit(tile, u, v, height):
    """How much of a sun is thought to reach a point of its map at a height, at least `_DARK`."""
    count = tile.shape[0]
    if u < f32(2.0) or v < f32(2.0) or u >= f32(count - 2) or v >= f32(count - 2):
        return f32(1.0)
    # A cross of five texels stands in for the half shadow.
    x, y, two = u32(u), u32(v), u32(2)
    lit = f32(2.0) if height > tile[y, x] else f32(0.0)
    lit += f32(1.0) if height > tile[u32(y - two), x] else f32(0.0)
    lit += f32(1.0) if height > tile[u32(y + two), x] else f32(0.0)
    lit += f32(1.0) if height > tile[y, u32(x - two)] else f32(0.0)
    lit += f32(1.0) if height > tile[y, u32(x + two)] else f32(0.0)
    return max(lit * f32(1 / 6), _DARK)


@_jit
def _both(t, weight):
    """Two numbers in one, as a plain call gives back one."""
    return (types.int64(f32(weight).view(i32)) << 32) | (types.int64(f32(t).view(i32)) & types.int64(0xFFFFFFFF))


@_jit
def _apart(both):
    """The two numbers of `_both`."""
    return i32(both & types.int64(0xFFFFFFFF)).view(f32), i32(both >> 32).view(f32)


# Thirteen arguments: what is called by address from kernels takes plain numbers only.
@outside(types.int64(types.uintp, types.uintp, types.uintp, types.int64, *(types.float32,) * 9))
def _draw_among(medium, sun, map_, side, ox, oy, oz, dx, dy, dz, far, u, v):
    m = borrowed_medium(medium)
    row = nb.carray(as_pointer(sun), (COLUMNS,), np.float32)
    tile = nb.carray(as_pointer(map_), (side, side), np.float32)
    low, high = misty_interval(m, ox, oy, oz, dx, dy, dz, far)
    if high <= low:
        return types.int64(0)
    growth = min(max(log((high - low) / _EVEN_M), f32(0.05)), f32(4.0))
    scale = (high - low) / (exp(growth) - f32(1.0))
    room = np.empty((4, TRIED + 1), np.float32)
    begins, tries, sigmas, worths = room[0], room[1], room[2], room[3]
    # Short loops, one thing each: most of them run on all tries at once.
    for k in range(TRIED + 1):
        begins[k] = low + scale * (exp(growth * f32(k) * f32(1 / TRIED)) - f32(1.0))
    for k in range(TRIED):
        tries[k] = begins[k] + u * (begins[k + 1] - begins[k])
    if m[PLAIN] > f32(0.0):
        fog_extinctions(m, oz, dz, tries, TRIED, sigmas)
    else:
        for k in range(TRIED):
            sigmas[k] = even_extinction(m, ox + tries[k] * dx, oy + tries[k] * dy, oz + tries[k] * dz)
    depth = f32(0.0)
    for k in range(TRIED):
        span = begins[k + 1] - begins[k]
        worths[k] = -depth - sigmas[k] * u * span
        depth += sigmas[k] * span
    for k in range(TRIED):
        worths[k] = (begins[k + 1] - begins[k]) * sigmas[k] * exp(worths[k])
    total = f32(0.0)
    u0, v0, height = _on_map(row, ox - row[MAP_AT], oy - row[MAP_AT + 1], oz - row[MAP_AT + 2])
    u0, v0 = u0 + f32(0.5) * f32(side), v0 + f32(0.5) * f32(side)
    du, dv, rise = _on_map(row, dx, dy, dz)
    for k in range(TRIED):
        if worths[k] > f32(0.0):
            t = tries[k]
            worths[k] *= _lit(tile, u0 + t * du, v0 + t * dv, height + t * rise)
            total += worths[k]
    if total <= f32(0.0):
        return types.int64(0)
    kept, left = 0, v * total
    while kept < TRIED - 1 and (left >= worths[kept] or worths[kept] <= f32(0.0)):
        left -= worths[kept]
        kept += 1
    if worths[kept] <= f32(0.0):
        return types.int64(0)
    t, span = tries[kept], begins[kept + 1] - begins[kept]
    # Patches, which cost more than they tell of many tries, are asked for at the one that is taken.
    sigma = sigmas[kept] * patches_at(m, ox + t * dx, oy + t * dy, oz + t * dz)
    return _both(t, sigma * transmittance(m, ox, oy, oz, dx, dy, dz, t) * total * span / worths[kept])


@outside(types.int64(types.uintp, *(types.float32,) * 8))
def _draw_by_depth(medium, ox, oy, oz, dx, dy, dz, far, u):
    m = borrowed_medium(medium)
    low, high = misty_interval(m, ox, oy, oz, dx, dy, dz, far)
    if high <= low:
        return types.int64(0)
    total = even_depth(m, ox, oy, oz, dx, dy, dz, high)
    scattered = one_minus_exp(total)
    if scattered <= f32(1e-9):
        return types.int64(0)
    # The distance of a depth, by Newton's steps kept between what is too near and what is too far.
    goal = min(minus_log_rest(u * scattered), total)
    t = low + (high - low) * goal / total
    for _ in range(24):
        over = even_depth(m, ox, oy, oz, dx, dy, dz, t) - goal
        if abs(over) < f32(1e-3) * goal + f32(1e-6):
            break
        if over > f32(0.0):
            high = t
        else:
            low = t
        sigma = even_extinction(m, ox + t * dx, oy + t * dy, oz + t * dz)
        t -= over / max(sigma, f32(1e-12))
        if not low < t < high:
            t = f32(0.5) * (low + high)
    weight = scattered
    if m[PATCHES] > f32(0.0):
        x, y, z = ox + t * dx, oy + t * dy, oz + t * dz
        # Patches are weighed against the even mist that the distance was drawn by.
        more = ray_optical_depth(m, ox, oy, oz, dx, dy, dz, t) - even_depth(m, ox, oy, oz, dx, dy, dz, t)
        weight *= patchiness(m, x, y, z) * exp(-more)
    return _both(t, weight)


@_jit
def draw_distance(lights, m, number, ray, far, u, v):
    """Where light that comes back along a ray was scattered: a distance [m] and its weight.

    The weight is extinction times transmittance over the density that the distance is drawn with
    from ``u`` and ``v`` in [0, 1); zero where there is no mist before ``far``. ``number`` is a sun
    with a map of what it sees, or -1.
    """
    ox, oy, oz, dx, dy, dz = ray
    if number >= 0:
        side = types.int64(lights.sun_maps.shape[1])
        map_ = lights.sun_maps.ctypes.data + types.uintp(int(lights.rows[number, MAP]) * side * side * 4)
        sun = lights.rows.ctypes.data + types.uintp(number * COLUMNS * 4)
        return _apart(_draw_among(m.ctypes.data, sun, map_, side, ox, oy, oz, dx, dy, dz, far, u, v))
    if m[PLAIN] <= f32(0.0):
        return _apart(_draw_by_depth(m.ctypes.data, ox, oy, oz, dx, dy, dz, far, u))
    scattered = one_minus_exp(fog_depth(m, oz, dz, far))
    if scattered <= f32(1e-9):
        return f32(0.0), f32(0.0)
    return min(distance_in_fog(m, oz, dz, minus_log_rest(u * scattered)), far), scattered


@_jit
def _henyey_greenstein_cosine(g, u):
    if abs(g) < f32(1e-3):
        return f32(1.0) - f32(2.0) * u
    k = (f32(1.0) - g * g) / (f32(1.0) + g - f32(2.0) * g * u)
    return min(max((f32(1.0) + g * g - k * k) / (f32(2.0) * g), f32(-1.0)), f32(1.0))


@_plain
def scattered_direction(m, dx, dy, dz, seed, dimension, index):
    """A direction drawn by a medium's phase function, for a path that comes along unit d."""
    name = combine(combine(seed, u32(dimension + 7)), u32(index))
    which, u = random_pair(name, 0, 0)
    around, lot = random_pair(name, 1, 0)
    if which < m[DRAINE_SHARE]:
        # Draine's lobe is Henyey-Greenstein's times 1 + alpha cos^2: draws are kept by that.
        for again in range(64):
            c = _henyey_greenstein_cosine(m[DRAINE_G], u)
            if lot * (f32(1.0) + m[DRAINE_ALPHA]) <= f32(1.0) + m[DRAINE_ALPHA] * c * c:
                break
            u, lot = random_pair(name, again + 2, 0)
    else:
        c = _henyey_greenstein_cosine(m[LOBE_G], u)
    s = f32(math.sqrt(max(f32(1.0) - c * c, f32(0.0))))
    ax, ay, az, bx, by, bz = basis(dx, dy, dz)
    x, y = turned(around)
    x, y = s * x, s * y
    lx, ly, lz = x * ax + y * bx + c * dx, x * ay + y * by + c * dy, x * az + y * bz + c * dz
    k = f32(1.0) / f32(math.sqrt(lx * lx + ly * ly + lz * lz))
    return lx * k, ly * k, lz * k
