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
from lunar_haze.core.transport.path_values import NUMBER, SLOT, STARS
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
    SEEN_TABLE,
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
    """Weight of a sample of density ``a`` beside one of ``b`` (the power heuristic, Veach & Guibas 1995)."""
    a2 = a * a
    return a2 / (a2 + b * b) if a2 > f32(0.0) else f32(0.0)


@_jit
def add(layer, pixel, r, g, b):
    """Add light to a pixel of a ``layer`` (pixels, 3)."""
    layer[pixel, 0] += r
    layer[pixel, 1] += g
    layer[pixel, 2] += b


@_jit
def part_of(part, r, g, b, matte_r, matte_g, matte_b):
    """The part of a reflection rgb, of which ``matte_r``, ``matte_g``, ``matte_b`` are matte, that a layer gathers."""
    if part == MATTE:
        return matte_r, matte_g, matte_b
    if part == HIGHLIGHTS:
        return max(r - matte_r, f32(0.0)), max(g - matte_g, f32(0.0)), max(b - matte_b, f32(0.0))
    return r, g, b


@_jit
def gather_hit(at, medium, ray, end, carried, target, pixel, picked):
    """Light that a ray met by chance at its ``end``, or in a lamp on its way, into its source's layer of ``target``.

    ``carried`` is what the path carries along the ray; ``picked`` tells that at its start one source was drawn to be
    asked, not every one.
    """
    for k in range(at.active.shape[0]):
        number = at.active[k, NUMBER]
        row = at.lights.rows[number]
        if row[SPARES] > f32(0.0) and carried.left >= 0 and at.lights.spared[number, carried.left] > f32(0.0):
            continue
        chance = at.emphasis[k, PICK] if picked else f32(1.0)
        r, g, b = _light_met(at, medium, ray, end, number, carried.pdf, chance, False)
        mr, mg, mb = carried.r * carried.matte_r, carried.g * carried.matte_g, carried.b * carried.matte_b
        tr, tg, tb = part_of(row[PART], carried.r, carried.g, carried.b, mr, mg, mb)
        add(target[at.active[k, SLOT]], pixel, tr * r, tg * g, tb * b)


@_jit
def gather_seen(at, medium, ray, end, tint, target, pixel, stars):
    """`gather_hit` of a ray from the lens to its ``end``, into ``target`` (layers, pixels, 3): lamps, skies and stars
    that it sees; ``tint`` is what panes left.
    """
    tr, tg, tb = tint
    for k in range(at.active.shape[0]):
        number = at.active[k, NUMBER]
        # What the lens itself sees counts as matte.
        if at.lights.rows[number, PART] == HIGHLIGHTS:
            continue
        r, g, b = _light_met(at, medium, ray, end, number, f32(-1.0), f32(1.0), True)
        first = at.active[k, STARS]
        if first >= 0 and end.triangle < 0 and at.lights.rows[number, SEEN] > f32(0.0):
            r += end.through * stars[first + pixel, 0]
            g += end.through * stars[first + pixel, 1]
            b += end.through * stars[first + pixel, 2]
        add(target[at.active[k, SLOT]], pixel, tr * r, tg * g, tb * b)


@_jit
def _light_met(at, medium, ray, end, number, pdf, chance, first):
    """Light rgb of one source that arrives along a ray from its end, or from a lamp on its way [cd/m2].

    Weighed against the shadow rays where its ``pdf`` is not below zero; ``first`` tells that it comes from the lens.
    """
    s, lights = at.scene, at.lights
    ox, oy, oz, dx, dy, dz = ray
    kind = int(lights.rows[number, KIND])
    r, g, b = f32(0.0), f32(0.0), f32(0.0)
    if kind == SKY:
        if end.triangle < 0 and lights.rows[number, SEEN if first else BOUNCES] > f32(0.0):
            table = int(lights.rows[number, SEEN_TABLE if first else TABLE])
            r, g, b, density = sky_radiance(lights, table, dx, dy, dz)
            density = guided_density(lights, lights.rows[number], ox, oy, oz, dx, dy, dz, density)
            alone = first or pdf < f32(0.0) or lights.rows[number, LIGHTS] <= f32(0.0)
            w = (f32(1.0) if alone else power(pdf, density * chance)) * end.through
            r, g, b = w * r, w * g, w * b
    elif kind == SUN or (kind != SURFACE and (not first or lights.rows[number, SEEN] > f32(0.0))):
        row, count = number, 1
        if kind == ARRAY:
            row, count = int(lights.rows[number, FIRST]), int(lights.rows[number, COUNT])
            chance /= f32(count)
        for lamp in range(row, row + count):
            radiance, density, reached_at = lamp_hit(lights, lamp, ox, oy, oz, dx, dy, dz, end.far)
            if radiance > f32(0.0):
                w = f32(1.0) if first or pdf < f32(0.0) else power(pdf, density * chance)
                w *= radiance
                if kind == SUN:
                    w *= end.through
                elif medium[CLEAR] == f32(0.0):
                    w *= transmittance(medium, ox, oy, oz, dx, dy, dz, reached_at)
                r, g, b = r + w, g + w, b + w
    elif _glows_at(s, lights, end, number) and (not first or lights.rows[number, SEEN] > f32(0.0)):
        w = end.through
        if not first and pdf >= f32(0.0):
            density = lights.area_density[end.triangle] * end.far * end.far / _cosine(s, end.triangle, ray)
            w *= power(pdf, chance * density)
        r, g, b = emission_at(s, end.triangle, end.u, end.v)
        r, g, b = w * r, w * g, w * b
    return r, g, b


@_jit
def _glows_at(s, lights, end, number):
    """Whether a ray ends at a triangle of a glowing source, on its shining side."""
    if end.triangle < 0 or end.triangle >= s.faces.shape[0] or lights.light_of[end.triangle] != number:
        return False
    return emits_towards(s, end.triangle, end.front)


@_jit
def _cosine(s, triangle, ray):
    """Cosine between a ray and a triangle's normal, at least 1e-6."""
    ax, ay, az, bx, by, bz = edges(s, *corners(s, triangle))
    gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    n = f32(math.sqrt(gx * gx + gy * gy + gz * gz))
    return max(abs(gx * ray.dx + gy * ray.dy + gz * ray.dz) / max(n, f32(1e-20)), f32(1e-6))
