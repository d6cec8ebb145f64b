"""Sampling and evaluating the sources, compiled. Every density is per solid angle at the receiver.

Ball: even over the cone it subtends. Disc, rectangle, beam and glowing triangles: even over their
area. Sun: even over its disc. Sky: by a table of its luminance. `lamp_hit` and `sky_radiance`
are the other half of multiple importance sampling (Veach & Guibas 1995): what a ray meets by
chance, and the density with which the sampling above would have chosen that direction.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.transport.lights import (
    AREA,
    AXIS,
    BALL,
    BEAM,
    COS_INNER,
    COS_OUTER,
    COUNT,
    FIRST,
    HALF_H,
    HALF_W,
    KIND,
    ONE_MINUS_COS,
    POSITION,
    RADIANCE,
    RADIUS,
    RECTANGLE,
    SIDE,
    SKY,
    SUN,
    SURFACE,
    TABLE,
    UP,
)  # fmt: skip
from lunar_haze.core.transport.sampling import basis, uniform_cone, uniform_disc
from lunar_haze.core.transport.surfaces import FAR, emission_at, emits_towards

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_PI = f32(math.pi)


@_jit
def _beam_profile(row, cos_angle):
    t = (cos_angle - row[COS_OUTER]) / max(row[COS_INNER] - row[COS_OUTER], f32(1e-7))
    t = min(max(t, f32(0.0)), f32(1.0))
    return t * t * (f32(3.0) - f32(2.0) * t)


@_jit
def sky_radiance(lights, table, dx, dy, dz):
    """Bilinear radiance rgb of a sky in a direction, and the table's density [1/sr] there."""
    sky = lights.sky[table]
    height, width = sky.shape[0], sky.shape[1]
    row = f32(math.acos(min(max(dz, f32(-1.0)), f32(1.0)))) * f32(height) / _PI
    azimuth = f32(math.atan2(dx, dy))
    if azimuth < f32(0.0):
        azimuth += f32(2.0) * _PI
    column = azimuth * f32(width) / (f32(2.0) * _PI)
    i = min(int(row), height - 1)
    j = min(int(column), width - 1)
    density = lights.sky_density[table, i, j]
    y = min(max(row - f32(0.5), f32(0.0)), f32(height) - f32(1.001))
    x = column - f32(0.5)
    y0, x0 = int(y), int(math.floor(x))
    fy, fx = y - f32(y0), x - f32(x0)
    xa, xb = (x0 + width) % width, (x0 + 1) % width
    r, g, b = f32(0.0), f32(0.0), f32(0.0)
    for k in range(4):
        w = (fy if k >> 1 else f32(1.0) - fy) * (fx if k & 1 else f32(1.0) - fx)
        px = sky[y0 + (k >> 1), xb if k & 1 else xa]
        r += w * px[0]
        g += w * px[1]
        b += w * px[2]
    return r, g, b, density


@_jit
def _find(cumulative, value):
    """Largest i with cumulative[i] <= value, for an array that starts at 0 and ends at 1."""
    low, high = 0, cumulative.shape[0] - 1
    while high - low > 1:
        middle = (low + high) >> 1
        if cumulative[middle] <= value:
            low = middle
        else:
            high = middle
    return low


@_jit
def _sample_sky(lights, table, u, v):
    rows = lights.sky_rows[table]
    i = _find(rows, u)
    columns = lights.sky_columns[table, i]
    j = _find(columns, v)
    height = rows.shape[0] - 1
    width = columns.shape[0] - 1
    fu = (u - rows[i]) / max(rows[i + 1] - rows[i], f32(1e-12))
    fv = (v - columns[j]) / max(columns[j + 1] - columns[j], f32(1e-12))
    # Even over the solid angle of the cell: linear in the cosine.
    c0 = f32(math.cos(_PI * f32(i) / f32(height)))
    c1 = f32(math.cos(_PI * f32(i + 1) / f32(height)))
    cos_t = c0 + (c1 - c0) * fu
    sin_t = f32(math.sqrt(max(f32(1.0) - cos_t * cos_t, f32(0.0))))
    azimuth = f32(2.0) * _PI * (f32(j) + fv) / f32(width)
    return sin_t * f32(math.sin(azimuth)), sin_t * f32(math.cos(azimuth)), cos_t


@_jit
def _towards(row, px, py, pz, qx, qy, qz, nx, ny, nz, area_density, r, g, b, two_sided, beam):
    """Direction, distance, radiance and solid-angle density of a sampled point on a flat emitter."""
    zero = f32(0.0)
    dx, dy, dz = qx - px, qy - py, qz - pz
    d2 = dx * dx + dy * dy + dz * dz
    if d2 < f32(1e-12):
        return zero, zero, f32(1.0), zero, zero, zero, zero, zero
    distance = f32(math.sqrt(d2))
    dx, dy, dz = dx / distance, dy / distance, dz / distance
    cos_e = -(dx * nx + dy * ny + dz * nz)
    if two_sided:
        cos_e = abs(cos_e)
    if cos_e <= f32(1e-6):
        return dx, dy, dz, distance, zero, zero, zero, zero
    if beam:
        k = _beam_profile(row, cos_e)
        r, g, b = r * k, g * k, b * k
    return dx, dy, dz, distance, r, g, b, area_density * d2 / cos_e


@_jit
def sample_light(s, lights, number, px, py, pz, u, v):
    """A direction from p towards source ``number``.

    Returns unit direction (3), distance [m], radiance rgb arriving, density [1/sr]; a density of
    zero means that nothing was found.
    """
    row = lights.rows[number]
    kind = int(row[KIND])
    zero = f32(0.0)
    radiance = row[RADIANCE]
    if kind == SUN:
        x, y, z = uniform_cone(u, v, row[ONE_MINUS_COS])
        dx = x * row[SIDE] + y * row[UP] + z * row[AXIS]
        dy = x * row[SIDE + 1] + y * row[UP + 1] + z * row[AXIS + 1]
        dz = x * row[SIDE + 2] + y * row[UP + 2] + z * row[AXIS + 2]
        return dx, dy, dz, FAR, radiance, radiance, radiance, f32(1.0) / (f32(2.0) * _PI * row[ONE_MINUS_COS])
    if kind == SKY:
        table = int(row[TABLE])
        dx, dy, dz = _sample_sky(lights, table, u, v)
        r, g, b, density = sky_radiance(lights, table, dx, dy, dz)
        return dx, dy, dz, FAR, r, g, b, density
    if kind == BALL:
        cx, cy, cz = row[POSITION] - px, row[POSITION + 1] - py, row[POSITION + 2] - pz
        d2 = cx * cx + cy * cy + cz * cz
        radius = row[RADIUS]
        if d2 <= radius * radius * f32(1.0001):
            return zero, zero, f32(1.0), zero, zero, zero, zero, zero
        d = f32(math.sqrt(d2))
        cx, cy, cz = cx / d, cy / d, cz / d
        sin2 = radius * radius / d2
        one_minus = sin2 / (f32(1.0) + f32(math.sqrt(f32(1.0) - sin2)))
        x, y, z = uniform_cone(u, v, one_minus)
        ax, ay, az, bx, by, bz = basis(cx, cy, cz)
        dx, dy, dz = x * ax + y * bx + z * cx, x * ay + y * by + z * cy, x * az + y * bz + z * cz
        # Distance to the near side of the ball along the sampled direction.
        along = d * z
        half_chord = f32(math.sqrt(max(radius * radius - (d2 - along * along), zero)))
        return dx, dy, dz, along - half_chord, radiance, radiance, radiance, f32(1.0) / (f32(2.0) * _PI * one_minus)
    if kind == SURFACE:
        first, count = int(row[FIRST]), int(row[COUNT])
        low, high = first, first + count - 1
        while low < high:
            middle = (low + high) >> 1
            if lights.emitter_sum[middle] <= u:
                low = middle + 1
            else:
                high = middle
        before = lights.emitter_sum[low - 1] if low > first else zero
        u = min(max((u - before) / max(lights.emitter_sum[low] - before, f32(1e-12)), zero), f32(1.0))
        triangle = lights.emitters[low]
        root = f32(math.sqrt(u))
        bu, bv = root * (f32(1.0) - v), root * v
        i0, i1, i2 = s.triangles[triangle, 0], s.triangles[triangle, 1], s.triangles[triangle, 2]
        p = s.positions
        ax, ay, az = p[i1, 0] - p[i0, 0], p[i1, 1] - p[i0, 1], p[i1, 2] - p[i0, 2]
        bx, by, bz = p[i2, 0] - p[i0, 0], p[i2, 1] - p[i0, 1], p[i2, 2] - p[i0, 2]
        nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        k = f32(1.0) / max(f32(math.sqrt(nx * nx + ny * ny + nz * nz)), f32(1e-30))
        r, g, b = emission_at(s, triangle, bu, bv)
        return _towards(
            row, px, py, pz, p[i0, 0] + bu * ax + bv * bx, p[i0, 1] + bu * ay + bv * by, p[i0, 2] + bu * az + bv * bz,
            nx * k, ny * k, nz * k, lights.area_density[triangle], r, g, b, emits_towards(s, triangle, False), False,
        )  # fmt: skip
    if kind == RECTANGLE:
        x, y = (f32(2.0) * u - f32(1.0)) * row[HALF_W], (f32(2.0) * v - f32(1.0)) * row[HALF_H]
    else:
        x, y = uniform_disc(u, v)
        x, y = x * row[RADIUS], y * row[RADIUS]
    return _towards(
        row, px, py, pz,
        row[POSITION] + x * row[SIDE] + y * row[UP], row[POSITION + 1] + x * row[SIDE + 1] + y * row[UP + 1],
        row[POSITION + 2] + x * row[SIDE + 2] + y * row[UP + 2],
        row[AXIS], row[AXIS + 1], row[AXIS + 2], f32(1.0) / row[AREA], radiance, radiance, radiance,
        False, kind == BEAM,
    )  # fmt: skip


@_jit
def lamp_hit(lights, number, ox, oy, oz, dx, dy, dz, far):
    """Radiance and sampling density [1/sr] of a lamp or a sun that the ray meets before ``far``.

    (0, 0) when it is not met. Skies and glowing surfaces are met by the ray itself, elsewhere.
    """
    row = lights.rows[number]
    kind = int(row[KIND])
    zero = f32(0.0)
    if kind == SUN:
        if far < FAR:
            return zero, zero
        # 1 - cos from the chord, which keeps float32 precision for a disc of a quarter degree.
        ex, ey, ez = dx - row[AXIS], dy - row[AXIS + 1], dz - row[AXIS + 2]
        if f32(0.5) * (ex * ex + ey * ey + ez * ez) > row[ONE_MINUS_COS]:
            return zero, zero
        return row[RADIANCE], f32(1.0) / (f32(2.0) * _PI * row[ONE_MINUS_COS])
    if kind == SKY or kind == SURFACE:
        return zero, zero
    cx, cy, cz = row[POSITION] - ox, row[POSITION + 1] - oy, row[POSITION + 2] - oz
    if kind == BALL:
        d2 = cx * cx + cy * cy + cz * cz
        r2 = row[RADIUS] * row[RADIUS]
        along = cx * dx + cy * dy + cz * dz
        if d2 <= r2 * f32(1.0001) or along <= zero:
            return zero, zero
        px, py, pz = cx - along * dx, cy - along * dy, cz - along * dz
        miss2 = px * px + py * py + pz * pz
        if miss2 > r2 or along - f32(math.sqrt(r2 - miss2)) > far:
            return zero, zero
        sin2 = r2 / d2
        one_minus = sin2 / (f32(1.0) + f32(math.sqrt(f32(1.0) - sin2)))
        return row[RADIANCE], f32(1.0) / (f32(2.0) * _PI * one_minus)
    cos_e = -(dx * row[AXIS] + dy * row[AXIS + 1] + dz * row[AXIS + 2])
    if cos_e <= f32(1e-6):
        return zero, zero
    t = -(cx * row[AXIS] + cy * row[AXIS + 1] + cz * row[AXIS + 2]) / cos_e
    if t <= zero or t >= far:
        return zero, zero
    qx, qy, qz = t * dx - cx, t * dy - cy, t * dz - cz
    x = qx * row[SIDE] + qy * row[SIDE + 1] + qz * row[SIDE + 2]
    y = qx * row[UP] + qy * row[UP + 1] + qz * row[UP + 2]
    if kind == RECTANGLE:
        if abs(x) > row[HALF_W] or abs(y) > row[HALF_H]:
            return zero, zero
    elif x * x + y * y > row[RADIUS] * row[RADIUS]:
        return zero, zero
    radiance = row[RADIANCE]
    if kind == BEAM:
        radiance *= _beam_profile(row, cos_e)
    return radiance, t * t / (row[AREA] * cos_e)
