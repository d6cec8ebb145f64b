"""Light that a path meets by chance: skies and suns at its end, lamps and glowing surfaces on its way.

Balanced against the shadow rays (power heuristic, Veach & Guibas 1995).
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import transmittance
from lunar_haze.core.air.medium_row import CLEAR
from lunar_haze.core.transport.emission import lamp_hit
from lunar_haze.core.transport.heaven_light import sky_radiance
from lunar_haze.core.transport.importance import PICK
from lunar_haze.core.transport.sky_guide import guided_density
from lunar_haze.core.transport.source_row import (
    ARRAY,
    BOUNCES,
    COUNT,
    FIRST,
    KIND,
    LIGHTS,
    PART,
    SEEN,
    SKY,
    SPARES,
    SUN,
    SURFACE,
    TABLE,
)
from lunar_haze.core.transport.surfaces import corners, edges, emission_at, emits_towards

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: Parts of a layer.
MATTE, HIGHLIGHTS = f32(1.0), f32(2.0)


@_jit
def power(a, b):
    a2 = a * a
    return a2 / (a2 + b * b) if a2 > f32(0.0) else f32(0.0)


@_jit
def add(layer, pixel, r, g, b):
    layer[pixel, 0] += r
    layer[pixel, 1] += g
    layer[pixel, 2] += b


@_jit
def part_of(part, r, g, b, matte_r, matte_g, matte_b):
    """The part of a reflection that a layer gathers."""
    if part == MATTE:
        return matte_r, matte_g, matte_b
    if part == HIGHLIGHTS:
        return max(r - matte_r, f32(0.0)), max(g - matte_g, f32(0.0)), max(b - matte_b, f32(0.0))
    return r, g, b


@_jit
def gather_hit(s, lights, active, emphasis, triangle, u, v, front, prev_pdf, picked, cr, cg, cb, matte_r, matte_g,
                matte_b, left, ox, oy, oz, dx, dy, dz, far, medium, through, surface, pixel, first, stars,
                star_owner):  # fmt: skip
    """Light that the ray met by chance at its end, or in a lamp on its way, into its source's layer.

    ``c`` is what the path carries, ``matte`` the share of it that its last surface reflected as
    matte; ``left`` is the object that it left, -1 for none; ``through`` what the air lets through on
    the way to its end.
    """
    for k in range(active.shape[0]):
        number = active[k, 0]
        chance = emphasis[k, PICK] if picked else f32(1.0)
        kind = int(lights.rows[number, KIND])
        if lights.rows[number, SPARES] > f32(0.0) and left >= 0 and lights.spared[number, left] > f32(0.0):
            continue
        # What the lens itself sees counts as matte.
        tr, tg, tb = cr, cg, cb
        if not first or lights.rows[number, PART] == HIGHLIGHTS:
            tr, tg, tb = part_of(lights.rows[number, PART], cr, cg, cb, cr * matte_r, cg * matte_g, cb * matte_b)
        if kind == SKY:
            if triangle < 0 and lights.rows[number, SEEN if first else BOUNCES] > f32(0.0):
                r, g, b, pdf = sky_radiance(lights, int(lights.rows[number, TABLE]), dx, dy, dz)
                pdf = guided_density(lights, lights.rows[number], ox, oy, oz, dx, dy, dz, pdf)
                alone = first or prev_pdf < f32(0.0) or lights.rows[number, LIGHTS] <= f32(0.0)
                w = f32(1.0) if alone else power(prev_pdf, pdf * chance)
                w *= through
                if first and number == star_owner:
                    r, g, b = r + stars[pixel, 0], g + stars[pixel, 1], b + stars[pixel, 2]
                add(surface[active[k, 1]], pixel, w * tr * r, w * tg * g, w * tb * b)
        elif kind == SUN or (kind != SURFACE and (not first or lights.rows[number, SEEN] > f32(0.0))):
            row, count = number, 1
            if kind == ARRAY:
                row, count = int(lights.rows[number, FIRST]), int(lights.rows[number, COUNT])
                chance /= f32(count)
            for lamp in range(row, row + count):
                radiance, pdf, reached_at = lamp_hit(lights, lamp, ox, oy, oz, dx, dy, dz, far)
                if radiance > f32(0.0):
                    w = f32(1.0) if first or prev_pdf < f32(0.0) else power(prev_pdf, pdf * chance)
                    w *= radiance
                    if kind == SUN:
                        w *= through
                    elif medium[CLEAR] == f32(0.0):
                        w *= transmittance(medium, ox, oy, oz, dx, dy, dz, reached_at)
                    add(surface[active[k, 1]], pixel, w * tr, w * tg, w * tb)
        if (
            kind == SURFACE and 0 <= triangle < s.faces.shape[0] and lights.light_of[triangle] == number
            and emits_towards(s, triangle, front) and (not first or lights.rows[number, SEEN] > f32(0.0))
        ):  # fmt: skip
            w = f32(1.0)
            if not first and prev_pdf >= f32(0.0):
                ax, ay, az, bx, by, bz = edges(s, *corners(s, triangle))
                gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                n = f32(math.sqrt(gx * gx + gy * gy + gz * gz))
                cos_e = abs(gx * dx + gy * dy + gz * dz) / max(n, f32(1e-20))
                w = power(prev_pdf, chance * lights.area_density[triangle] * far * far / max(cos_e, f32(1e-6)))
            r, g, b = emission_at(s, triangle, u, v)
            w *= through
            add(surface[active[k, 1]], pixel, w * tr * r, w * tg * g, w * tb * b)
