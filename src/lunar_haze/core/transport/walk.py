"""Where a ray goes: the surface that stops it, and what the air on its way would send back."""

import math
from typing import Any, NamedTuple

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import extinction, transmittance
from lunar_haze.core.air.medium_row import ALBEDO
from lunar_haze.core.air.phase import medium_phase
from lunar_haze.core.transport.air_draw import draw_distance
from lunar_haze.core.transport.embree import CLEAR, SOLID, intersect
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.source_row import ARRAY, COUNT, FIRST, KIND, MAP, POSITION, SKY, SUN
from lunar_haze.core.transport.surfaces import FAR, MAX_CLEAR_LAYERS, clear_passage, ray_epsilon
from lunar_haze.core.units.fast_math import angle_of, turned

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


class Met(NamedTuple):
    """The surface that stops a ray.

    Its ``triangle``, -1 for none, how ``far`` it is [m], where it is met (``u``, ``v``), the share rgb of light let
    through before it, and whether it ``mirrors`` the ray.
    """

    triangle: Any
    far: Any
    u: Any
    v: Any
    r: Any
    g: Any
    b: Any
    mirrors: Any


class AirSample(NamedTuple):
    """A point in the air, the unit direction to a source, its distance [m], and the light rgb sent back from there."""

    x: Any
    y: Any
    z: Any
    dx: Any
    dy: Any
    dz: Any
    distance: Any
    r: Any
    g: Any
    b: Any


@_jit
def _nothing():
    zero = f32(0.0)
    return AirSample(zero, zero, zero, zero, zero, zero, zero, zero, zero, zero)


@_jit
def way_through(medium, ray, far):
    """Share of light that the air lets through along ``far`` metres of a ray."""
    ox, oy, oz, dx, dy, dz = ray
    return transmittance(medium, ox, oy, oz, dx, dy, dz, far)


@_jit
def walk(s, buffer, ray, limit, chance):
    """Nearest surface that stops a ray before ``limit`` [m], through cut-outs, glass and what is partly there (`Met`).

    What is clear either lets the ray on, tinted, or mirrors or stops it and is then the surface found;
    ``chance`` in [0, 1) decides. ``buffer`` is the address of a ray buffer.
    """
    ox, oy, oz, dx, dy, dz = ray
    near = f32(0.0)
    r, g, b = f32(1.0), f32(1.0), f32(1.0)
    for _ in range(MAX_CLEAR_LAYERS):
        prim, geometry, t, u, v = intersect(s.handle, buffer, ox, oy, oz, dx, dy, dz, near, limit, SOLID | CLEAR)
        if prim < 0:
            return Met(np.int64(-1), limit, f32(0.0), f32(0.0), r, g, b, False)
        if geometry == 0:
            return Met(prim, t, u, v, r, g, b, False)
        triangle = prim + s.solid_count
        mirrors, tr, tg, tb, stopped = clear_passage(s, triangle, u, v, dx, dy, dz)
        if chance < mirrors:
            return Met(triangle, t, u, v, r, g, b, True)
        passed = f32(1.0) - mirrors - stopped
        if chance < mirrors + stopped or passed <= f32(1e-6):
            return Met(triangle, t, u, v, r, g, b, False)
        # The same chance serves the next layer, stretched over what was left of it.
        chance = (chance - mirrors - stopped) / passed
        k = f32(1.0) / passed
        tr, tg, tb = tr * k, tg * k, tb * k
        if tr + tg + tb <= f32(0.0):
            return Met(triangle, t, u, v, r, g, b, False)
        r, g, b = r * tr, g * tg, b * tb
        near = t + ray_epsilon(ox + t * dx, oy + t * dy, oz + t * dz)
    return Met(np.int64(-1), FAR, f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0), False)


@_jit
def scatter_unshadowed(s, lights, medium, number, ray, far, at, towards):
    """Light of one source that the air would send back along a ray over ``far`` metres, without shadow (one sample).

    All zero when there is none. ``at`` and ``towards`` are pairs of numbers in [0, 1) by which the point in the
    air and the direction to the source are drawn. Distance is drawn by what the air lets through for sun and sky
    (and by where the sun is thought to reach), and equi-angularly about the lamp for lamps: Kulla &
    Fajardo (2012), Importance sampling techniques for path tracing in participating media.
    """
    ox, oy, oz, dx, dy, dz = ray
    (u, v), (u2, v2) = at, towards
    zero = f32(0.0)
    kind = int(lights.rows[number, KIND])
    if kind == ARRAY:
        count = int(lights.rows[number, COUNT])
        one = min(int(u2 * f32(count)), count - 1)
        u2 = u2 * f32(count) - f32(one)
        number = int(lights.rows[number, FIRST]) + one
        kind = int(lights.rows[number, KIND])
        share = f32(count)
    else:
        share = f32(1.0)
    if kind == SUN or kind == SKY:
        guided = number if kind == SUN and lights.rows[number, MAP] >= zero else np.int64(-1)
        t, weight = draw_distance(lights, medium, guided, ray, far, u, v)
        if weight <= zero:
            return _nothing()
        weight *= share
    else:
        cx = lights.rows[number, POSITION] - ox
        cy = lights.rows[number, POSITION + 1] - oy
        cz = lights.rows[number, POSITION + 2] - oz
        along = cx * dx + cy * dy + cz * dz
        apart2 = max(cx * cx + cy * cy + cz * cz - along * along, f32(1e-6))
        apart = f32(math.sqrt(apart2))
        # The angle that the ray takes up about the lamp, and the tangent at a share of it past its start.
        span = angle_of(far * apart, apart2 - along * (far - along))
        cosine, sine = turned(u * span * f32(0.5 / math.pi))
        tangent = (apart * sine - along * cosine) / max(apart * cosine + along * sine, f32(1e-12))
        t = min(max(along + apart * tangent, zero), far)
        sigma = extinction(medium, ox + t * dx, oy + t * dy, oz + t * dz)
        if sigma <= zero:
            return _nothing()
        weight = share * sigma * span * apart * (f32(1.0) + tangent * tangent)
        weight *= transmittance(medium, ox, oy, oz, dx, dy, dz, t)
    px, py, pz = ox + t * dx, oy + t * dy, oz + t * dz
    lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, number, px, py, pz, u2, v2)
    if pdf <= zero or r + g + b <= zero:
        return _nothing()
    # The light travels along -l and leaves along -d: the cosine of deflection is l . d.
    phase = medium_phase(medium, lx * dx + ly * dy + lz * dz)
    k = weight * phase * transmittance(medium, px, py, pz, lx, ly, lz, distance) / pdf
    r, g, b = k * r * medium[ALBEDO], k * g * medium[ALBEDO + 1], k * b * medium[ALBEDO + 2]
    return AirSample(px, py, pz, lx, ly, lz, distance, r, g, b)
