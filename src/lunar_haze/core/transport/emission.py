"""Sampling and evaluating the sources, compiled. Every density is per solid angle at the receiver.

Ball and measured lamp: even over the cone they subtend. Tube: even over the side that is seen.
Disc, rectangle, beam and glowing triangles: even over their area. Sun: even over its disc. Sky: by
a table of its luminance. A rig: each of its lamps as often as the next. `lamp_hit` and `sky_radiance`
are the other half of multiple importance sampling (Veach & Guibas 1995): what a ray meets by
chance, and the density with which the sampling above would have chosen that direction.
"""

import math
from typing import Any, NamedTuple

import numba as nb
import numpy as np

from lunar_haze.core.transport.heaven_light import disc_radiance, draw_sky, sky_radiance
from lunar_haze.core.transport.lamp_lobes import gate, measured, smooth_edge, window
from lunar_haze.core.transport.sampling import basis, find_share, uniform_cone, uniform_disc
from lunar_haze.core.transport.sky_guide import SKY_SHARE, density_in_cell, guide_cell, guided_direction
from lunar_haze.core.transport.source_row import (
    AREA,
    ARRAY,
    AXIS,
    BALL,
    BEAM,
    COS_INNER,
    COS_OUTER,
    COUNT,
    FIRST,
    GUIDED,
    HALF_H,
    HALF_W,
    IES_LAMP,
    KIND,
    LIGHTS,
    NO_REACH,
    ONE_MINUS_COS,
    POSITION,
    RADIANCE,
    RADIUS,
    REACH,
    RECTANGLE,
    SIDE,
    SKY,
    SUN,
    SURFACE,
    TABLE,
    TUBE,
    UP,
)
from lunar_haze.core.transport.surfaces import FAR, corners, edges, emission_at, emits_towards

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_PI = f32(math.pi)


class LightSample(NamedTuple):
    """A unit direction towards a source, its distance [m], the radiance rgb that arrives, and its density [1/sr].

    A density of zero means that nothing was found.
    """

    dx: Any
    dy: Any
    dz: Any
    distance: Any
    r: Any
    g: Any
    b: Any
    pdf: Any


@_jit
def _nothing():
    zero = f32(0.0)
    return LightSample(zero, zero, f32(1.0), zero, zero, zero, zero, zero)


@_jit
def _towards(p, q, n, area_density, light, two_sided):
    """The sample of a point q, drawn with ``area_density`` [1/m2], of a flat emitter of normal n, as p sees it."""
    (px, py, pz), (qx, qy, qz), (nx, ny, nz), (r, g, b) = p, q, n, light
    zero = f32(0.0)
    dx, dy, dz = qx - px, qy - py, qz - pz
    d2 = dx * dx + dy * dy + dz * dz
    if d2 < f32(1e-12):
        return _nothing()
    distance = f32(math.sqrt(d2))
    dx, dy, dz = dx / distance, dy / distance, dz / distance
    cos_e = -(dx * nx + dy * ny + dz * nz)
    if two_sided:
        cos_e = abs(cos_e)
    if cos_e <= f32(1e-6):
        return LightSample(dx, dy, dz, distance, zero, zero, zero, zero)
    return LightSample(dx, dy, dz, distance, r, g, b, area_density * d2 / cos_e)


@_jit
def sample_light(s, lights, number, px, py, pz, u, v):
    """A direction from p towards source ``number`` (`LightSample`)."""
    row = lights.rows[number]
    chance = f32(1.0)
    if int(row[KIND]) == ARRAY:
        count = int(row[COUNT])
        one = min(int(u * f32(count)), count - 1)
        u = u * f32(count) - f32(one)
        row = lights.rows[int(row[FIRST]) + one]
        chance = f32(1.0) / f32(count)
    kind = int(row[KIND])
    p = (px, py, pz)
    if kind == SUN:
        found = _sample_sun(lights, row, p, u, v)
    elif kind == SKY:
        found = _sample_sky(lights, row, p, u, v)
    elif kind == SURFACE:
        found = _sample_surface(s, lights, row, p, u, v)
    else:
        found = _sample_lamp(lights, row, kind, p, u, v)
    dx, dy, dz, distance, r, g, b, pdf = found
    return LightSample(dx, dy, dz, distance, r, g, b, pdf * chance)


@_jit
def _sample_sun(lights, row, p, u, v):
    px, py, pz = p
    x, y, z = uniform_cone(u, v, row[ONE_MINUS_COS])
    dx = x * row[SIDE] + y * row[UP] + z * row[AXIS]
    dy = x * row[SIDE + 1] + y * row[UP + 1] + z * row[AXIS + 1]
    dz = x * row[SIDE + 2] + y * row[UP + 2] + z * row[AXIS + 2]
    radiance = disc_radiance(lights, row, px, py, pz, dx, dy, dz)
    pdf = f32(1.0) / (f32(2.0) * _PI * row[ONE_MINUS_COS])
    return LightSample(dx, dy, dz, FAR, radiance, radiance, radiance, pdf)


@_jit
def _sample_sky(lights, row, p, u, v):
    if row[LIGHTS] <= f32(0.0):
        return _nothing()
    px, py, pz = p
    table = int(row[TABLE])
    cell = guide_cell(lights, px, py, pz) if row[GUIDED] > f32(0.0) else -1
    if cell < 0 or u < SKY_SHARE:
        dx, dy, dz, r, g, b, density = draw_sky(lights, table, u if cell < 0 else u / SKY_SHARE, v)
    else:
        dx, dy, dz = guided_direction(lights, cell, (u - SKY_SHARE) / (f32(1.0) - SKY_SHARE), v)
        r, g, b, density = sky_radiance(lights, table, dx, dy, dz)
    return LightSample(dx, dy, dz, FAR, r, g, b, density_in_cell(lights, cell, dx, dy, dz, density))


@_jit
def _sample_surface(s, lights, row, p, u, v):
    zero = f32(0.0)
    first, count = int(row[FIRST]), int(row[COUNT])
    ends = lights.emitter_sum[first : first + count]
    found = find_share(ends, lights.emitter_starts[first : first + count], u)
    before = ends[u32(found - u32(1))] if found > u32(0) else zero
    u = min(max((u - before) / max(ends[found] - before, f32(1e-12)), zero), f32(1.0))
    triangle = lights.emitters[u32(first + found)]
    root = f32(math.sqrt(u))
    bu, bv = root * (f32(1.0) - v), root * v
    i0, i1, i2 = corners(s, triangle)
    at = s.vertices
    ax, ay, az, bx, by, bz = edges(s, i0, i1, i2)
    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    k = f32(1.0) / max(f32(math.sqrt(nx * nx + ny * ny + nz * nz)), f32(1e-30))
    q = (
        at[i0, 0] + bu * ax + bv * bx,
        at[i0, 1] + bu * ay + bv * by,
        at[i0, 2] + bu * az + bv * bz,
    )
    light, two_sided = emission_at(s, triangle, bu, bv), emits_towards(s, triangle, False)
    return _towards(p, q, (nx * k, ny * k, nz * k), lights.area_density[u32(triangle)], light, two_sided)


@_jit
def _sample_lamp(lights, row, kind, p, u, v):
    if kind == BALL or kind == IES_LAMP:
        found = _sample_ball(lights, row, kind, p, u, v)
    elif kind == TUBE:
        found = _sample_tube(row, p, u, v)
    else:
        found = _sample_flat(lights, row, kind, p, u, v)
    if row[REACH] >= f32(NO_REACH):
        return found
    px, py, pz = p
    dx, dy, dz, distance, r, g, b, pdf = found
    k = window(row, px, py, pz)
    return LightSample(dx, dy, dz, distance, r * k, g * k, b * k, pdf)


@_jit
def _sample_ball(lights, row, kind, p, u, v):
    px, py, pz = p
    cx, cy, cz = row[POSITION] - px, row[POSITION + 1] - py, row[POSITION + 2] - pz
    d2 = cx * cx + cy * cy + cz * cz
    radius, radiance = row[RADIUS], row[RADIANCE]
    if d2 <= radius * radius * f32(1.0001):
        return _nothing()
    d = f32(math.sqrt(d2))
    cx, cy, cz = cx / d, cy / d, cz / d
    if kind == IES_LAMP:
        radiance *= measured(lights, row, -cx, -cy, -cz)
    sin2 = radius * radius / d2
    one_minus = sin2 / (f32(1.0) + f32(math.sqrt(f32(1.0) - sin2)))
    x, y, z = uniform_cone(u, v, one_minus)
    ax, ay, az, bx, by, bz = basis(cx, cy, cz)
    dx, dy, dz = x * ax + y * bx + z * cx, x * ay + y * by + z * cy, x * az + y * bz + z * cz
    # Distance to the near side of the ball along the sampled direction.
    along = d * z
    half_chord = f32(math.sqrt(max(radius * radius - (d2 - along * along), f32(0.0))))
    pdf = f32(1.0) / (f32(2.0) * _PI * one_minus)
    return LightSample(dx, dy, dz, along - half_chord, radiance, radiance, radiance, pdf)


@_jit
def _sample_tube(row, p, u, v):
    px, py, pz = p
    wx, wy, wz = px - row[POSITION], py - row[POSITION + 1], pz - row[POSITION + 2]
    h = wx * row[AXIS] + wy * row[AXIS + 1] + wz * row[AXIS + 2]
    wx, wy, wz = wx - h * row[AXIS], wy - h * row[AXIS + 1], wz - h * row[AXIS + 2]
    apart = f32(math.sqrt(wx * wx + wy * wy + wz * wz))
    if apart <= row[RADIUS] * f32(1.0001):
        return _nothing()
    wx, wy, wz = wx / apart, wy / apart, wz / apart
    vx = row[AXIS + 1] * wz - row[AXIS + 2] * wy
    vy = row[AXIS + 2] * wx - row[AXIS] * wz
    vz = row[AXIS] * wy - row[AXIS + 1] * wx
    # Even over the part of the side that faces p.
    half = f32(math.acos(row[RADIUS] / apart))
    angle = (f32(2.0) * u - f32(1.0)) * half
    c, d = f32(math.cos(angle)), f32(math.sin(angle))
    nx, ny, nz = c * wx + d * vx, c * wy + d * vy, c * wz + d * vz
    z = (f32(2.0) * v - f32(1.0)) * row[HALF_W]
    q = (
        row[POSITION] + z * row[AXIS] + row[RADIUS] * nx,
        row[POSITION + 1] + z * row[AXIS + 1] + row[RADIUS] * ny,
        row[POSITION + 2] + z * row[AXIS + 2] + row[RADIUS] * nz,
    )
    density = f32(1.0) / (f32(4.0) * half * row[RADIUS] * row[HALF_W])
    radiance = row[RADIANCE]
    return _towards(p, q, (nx, ny, nz), density, (radiance, radiance, radiance), False)


@_jit
def _sample_flat(lights, row, kind, p, u, v):
    if kind == RECTANGLE:
        x, y = (f32(2.0) * u - f32(1.0)) * row[HALF_W], (f32(2.0) * v - f32(1.0)) * row[HALF_H]
    else:
        x, y = uniform_disc(u, v)
        x, y = x * row[RADIUS], y * row[RADIUS]
    qx = row[POSITION] + x * row[SIDE] + y * row[UP]
    qy = row[POSITION + 1] + x * row[SIDE + 1] + y * row[UP + 1]
    qz = row[POSITION + 2] + x * row[SIDE + 2] + y * row[UP + 2]
    n, radiance = (row[AXIS], row[AXIS + 1], row[AXIS + 2]), row[RADIANCE]
    found = _towards(p, (qx, qy, qz), n, f32(1.0) / row[AREA], (radiance, radiance, radiance), False)
    if kind != BEAM or found.pdf <= f32(0.0):
        return found
    dx, dy, dz, distance, r, g, b, pdf = found
    k = smooth_edge(-(dx * n[0] + dy * n[1] + dz * n[2]), row[COS_INNER], row[COS_OUTER])
    k *= gate(lights, row, qx - row[POSITION], qy - row[POSITION + 1], qz - row[POSITION + 2], -dx, -dy, -dz)
    return LightSample(dx, dy, dz, distance, r * k, g * k, b * k, pdf)


@_jit
def _tube_hit(row, reached, cx, cy, cz, dx, dy, dz, far):
    """`lamp_hit` of a tube whose middle lies at ``c`` from the ray's origin."""
    zero = f32(0.0)
    slide = dx * row[AXIS] + dy * row[AXIS + 1] + dz * row[AXIS + 2]
    lift = cx * row[AXIS] + cy * row[AXIS + 1] + cz * row[AXIS + 2]
    ax, ay, az = dx - slide * row[AXIS], dy - slide * row[AXIS + 1], dz - slide * row[AXIS + 2]
    bx, by, bz = cx - lift * row[AXIS], cy - lift * row[AXIS + 1], cz - lift * row[AXIS + 2]
    aa = ax * ax + ay * ay + az * az
    apart2 = bx * bx + by * by + bz * bz
    r2 = row[RADIUS] * row[RADIUS]
    if aa < f32(1e-12) or apart2 <= r2 * f32(1.0002):
        return zero, zero, zero
    middle = (ax * bx + ay * by + az * bz) / aa
    # Its nearest approach to the axis, from vectors that are small there.
    px, py, pz = bx - middle * ax, by - middle * ay, bz - middle * az
    miss2 = px * px + py * py + pz * pz
    if middle <= zero or miss2 >= r2:
        return zero, zero, zero
    t = middle - f32(math.sqrt((r2 - miss2) / aa))
    if t <= zero or t > far or abs(t * slide - lift) > row[HALF_W]:
        return zero, zero, zero
    # The normal there points from the axis to the hit.
    cos_e = -((t * ax - bx) * dx + (t * ay - by) * dy + (t * az - bz) * dz) / row[RADIUS]
    if cos_e <= f32(1e-6):
        return zero, zero, zero
    half = f32(math.acos(f32(math.sqrt(r2 / apart2))))
    density = t * t / (f32(4.0) * half * row[RADIUS] * row[HALF_W] * cos_e)
    return row[RADIANCE] * reached, density, t


@_jit
def lamp_hit(lights, number, ox, oy, oz, dx, dy, dz, far):
    """Radiance, sampling density [1/sr] and distance [m] of a lamp or a sun that the ray meets before ``far``.

    All zero when it is not met. Skies and glowing surfaces are met by the ray itself, elsewhere; of a
    rig ask for each lamp.
    """
    row = lights.rows[number]
    kind = int(row[KIND])
    zero = f32(0.0)
    if kind == SUN:
        if far < FAR:
            return zero, zero, zero
        # 1 - cos from the chord, which keeps float32 precision for a disc of a quarter degree.
        ex, ey, ez = dx - row[AXIS], dy - row[AXIS + 1], dz - row[AXIS + 2]
        if f32(0.5) * (ex * ex + ey * ey + ez * ez) > row[ONE_MINUS_COS]:
            return zero, zero, zero
        radiance = disc_radiance(lights, row, ox, oy, oz, dx, dy, dz)
        return radiance, f32(1.0) / (f32(2.0) * _PI * row[ONE_MINUS_COS]), FAR
    if kind == SKY or kind == SURFACE or kind == ARRAY:
        return zero, zero, zero
    reached = window(row, ox, oy, oz) if row[REACH] < f32(NO_REACH) else f32(1.0)
    cx, cy, cz = row[POSITION] - ox, row[POSITION + 1] - oy, row[POSITION + 2] - oz
    if kind == TUBE:
        return _tube_hit(row, reached, cx, cy, cz, dx, dy, dz, far)
    if kind == BALL or kind == IES_LAMP:
        d2 = cx * cx + cy * cy + cz * cz
        r2 = row[RADIUS] * row[RADIUS]
        along = cx * dx + cy * dy + cz * dz
        if d2 <= r2 * f32(1.0001) or along <= zero:
            return zero, zero, zero
        px, py, pz = cx - along * dx, cy - along * dy, cz - along * dz
        miss2 = px * px + py * py + pz * pz
        reached_at = along - f32(math.sqrt(max(r2 - miss2, zero)))
        if miss2 > r2 or reached_at > far:
            return zero, zero, zero
        sin2 = r2 / d2
        one_minus = sin2 / (f32(1.0) + f32(math.sqrt(f32(1.0) - sin2)))
        radiance = row[RADIANCE] * reached
        if kind == IES_LAMP:
            k = f32(1.0) / f32(math.sqrt(d2))
            radiance *= measured(lights, row, -cx * k, -cy * k, -cz * k)
        return radiance, f32(1.0) / (f32(2.0) * _PI * one_minus), reached_at
    cos_e = -(dx * row[AXIS] + dy * row[AXIS + 1] + dz * row[AXIS + 2])
    if cos_e <= f32(1e-6):
        return zero, zero, zero
    t = -(cx * row[AXIS] + cy * row[AXIS + 1] + cz * row[AXIS + 2]) / cos_e
    if t <= zero or t >= far:
        return zero, zero, zero
    qx, qy, qz = t * dx - cx, t * dy - cy, t * dz - cz
    x = qx * row[SIDE] + qy * row[SIDE + 1] + qz * row[SIDE + 2]
    y = qx * row[UP] + qy * row[UP + 1] + qz * row[UP + 2]
    if kind == RECTANGLE:
        if abs(x) > row[HALF_W] or abs(y) > row[HALF_H]:
            return zero, zero, zero
    elif x * x + y * y > row[RADIUS] * row[RADIUS]:
        return zero, zero, zero
    radiance = row[RADIANCE] * reached
    if kind == BEAM:
        radiance *= smooth_edge(cos_e, row[COS_INNER], row[COS_OUTER])
        radiance *= gate(lights, row, qx, qy, qz, -dx, -dy, -dz)
    return radiance, t * t / (row[AREA] * cos_e), t
