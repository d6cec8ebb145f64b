"""One pass over a picture: every pixel's path, gathered into one layer a source.

A path is shared by all sources: at the first surface a shadow ray goes to each of them, at later
ones to a single source drawn evenly; what it finds goes to that source's layer. Light met by
chance along a reflected ray counts too, balanced against the shadow rays (power heuristic,
Veach & Guibas 1995). Air scatters once: towards the lens into the air part of the layer, and
along reflected rays into the surface part. Nothing is clamped: the sum is unbiased.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import density, distance_to_depth, ray_optical_depth, transmittance
from lunar_haze.core.air.phase import henyey_greenstein
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, floats
from lunar_haze.core.transport.embree import CLEAR, SOLID, aligned, intersect, ray_buffer
from lunar_haze.core.transport.emission import lamp_hit, sample_light, sky_radiance
from lunar_haze.core.transport.ggx import evaluate, sample_direction, specular_share
from lunar_haze.core.transport.lights import KIND, POSITION, SKY, SUN, TABLE
from lunar_haze.core.transport.sampling import basis, combine, draw, sample_pair
from lunar_haze.core.transport.surfaces import (
    FAR,
    MAX_CLEAR_LAYERS,
    clear_passage,
    emission_at,
    emits_towards,
    ray_epsilon,
    shadow,
    surface_at,
)  # fmt: skip
from lunar_haze.core.transport.view import primary_direction, tent

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: Pixels a thread takes at a time; chunks are dealt round so that threads share the dear parts.
CHUNK = 320
# Sample dimensions: each use has a pair of its own.
_D_PIXEL, _D_GLASS, _D_PICK, _D_LIGHT, _D_BSDF, _D_CHOICE, _D_AIR, _D_AIR_LIGHT = range(8)
_D_VERTEX = 1024
_D_SOURCE = 8


@_jit
def _power(a, b):
    a2 = a * a
    return a2 / (a2 + b * b) if a2 > f32(0.0) else f32(0.0)


@_jit
def _walk(s, ray, ox, oy, oz, dx, dy, dz, chance):
    """Nearest surface that stops a ray, through cut-outs and glass.

    Returns (triangle or -1, distance [m], u, v, share rgb let through, mirrored). A pane either
    lets the ray on, tinted, or mirrors it and is then the surface found; ``chance`` in [0, 1)
    decides.
    """
    near = f32(0.0)
    r, g, b = f32(1.0), f32(1.0), f32(1.0)
    for _ in range(MAX_CLEAR_LAYERS):
        prim, geometry, t, u, v = intersect(s.handle, ray, ox, oy, oz, dx, dy, dz, near, FAR, SOLID | CLEAR)
        if prim < 0:
            return np.int64(-1), FAR, f32(0.0), f32(0.0), r, g, b, False
        if geometry == 0:
            return prim, t, u, v, r, g, b, False
        triangle = prim + s.solid_count
        glass, tr, tg, tb, mirrors = clear_passage(s, triangle, u, v, dx, dy, dz)
        if glass:
            if chance < mirrors:
                return triangle, t, u, v, r, g, b, True
            chance = (chance - mirrors) / (f32(1.0) - mirrors)
            k = f32(1.0) / (f32(1.0) - mirrors)
            tr, tg, tb = tr * k, tg * k, tb * k
        if tr + tg + tb <= f32(0.0):
            return triangle, t, u, v, r, g, b, False
        r, g, b = r * tr, g * tg, b * tb
        near = t + ray_epsilon(ox + t * dx, oy + t * dy, oz + t * dz)
    return np.int64(-1), FAR, f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0), False


@_jit
def scatter_once(s, lights, medium, ray, number, ox, oy, oz, dx, dy, dz, far, u, v, u2, v2):
    """Light of one source that the air sends back along a ray over ``far`` metres, rgb (one sample).

    Distance is drawn by what the air lets through for sun and sky, and equi-angularly about the
    lamp for lamps: Kulla & Fajardo (2012), Importance sampling techniques for path tracing in
    participating media.
    """
    zero = f32(0.0)
    kind = int(lights.rows[number, KIND])
    if kind == SUN or kind == SKY:
        total = ray_optical_depth(medium, oz, dz, far)
        scattered = f32(-math.expm1(-total))
        if scattered <= f32(1e-9):
            return zero, zero, zero
        depth = f32(-math.log1p(-u * scattered))
        t = min(distance_to_depth(medium, oz, dz, depth), far)
        # weight = sigma T / pdf
        weight = scattered
    else:
        cx = lights.rows[number, POSITION] - ox
        cy = lights.rows[number, POSITION + 1] - oy
        cz = lights.rows[number, POSITION + 2] - oz
        along = cx * dx + cy * dy + cz * dz
        apart2 = cx * cx + cy * cy + cz * cz - along * along
        apart = f32(math.sqrt(max(apart2, f32(1e-6))))
        a0 = f32(math.atan2(-along, apart))
        a1 = f32(math.atan2(far - along, apart))
        tangent = f32(math.tan(a0 + (a1 - a0) * u))
        t = min(max(along + apart * tangent, zero), far)
        sigma = medium[0] * density(medium, oz + t * dz)
        if sigma <= zero:
            return zero, zero, zero
        weight = sigma * transmittance(medium, oz, dz, t) * (a1 - a0) * apart * (f32(1.0) + tangent * tangent)
    px, py, pz = ox + t * dx, oy + t * dy, oz + t * dz
    lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, number, px, py, pz, u2, v2)
    if pdf <= zero or r + g + b <= zero:
        return zero, zero, zero
    tr, tg, tb = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
    if tr + tg + tb <= zero:
        return zero, zero, zero
    # The light travels along -l and leaves along -d: the cosine of deflection is l . d.
    phase = henyey_greenstein(lx * dx + ly * dy + lz * dz, medium[4])
    k = weight * phase * transmittance(medium, pz, lz, distance) / pdf
    return k * r * tr * medium[5], k * g * tg * medium[6], k * b * tb * medium[7]


@_jit
def _add(layer, pixel, r, g, b):
    layer[pixel, 0] += r
    layer[pixel, 1] += g
    layer[pixel, 2] += b


@_jit
def _gather_hit(s, lights, active, triangle, u, v, front, prev_pdf, chance, tr, tg, tb, ox, oy, oz, dx, dy, dz, far,
                medium, surface, pixel, first):  # fmt: skip
    """Light that the ray met by chance at its end, or in a lamp on its way, into its source's layer."""
    for k in range(active.shape[0]):
        number = active[k, 0]
        kind = int(lights.rows[number, KIND])
        if kind == SKY:
            if triangle < 0:
                r, g, b, pdf = sky_radiance(lights, int(lights.rows[number, TABLE]), dx, dy, dz)
                w = f32(1.0) if first or prev_pdf < f32(0.0) else _power(prev_pdf, pdf * chance)
                w *= transmittance(medium, oz, dz, FAR)
                _add(surface[active[k, 1]], pixel, w * tr * r, w * tg * g, w * tb * b)
        elif first and kind != SUN:
            continue  # lamps without a fixture are not seen by the lens
        else:
            radiance, pdf = lamp_hit(lights, number, ox, oy, oz, dx, dy, dz, far)
            if radiance > f32(0.0):
                w = f32(1.0) if first or prev_pdf < f32(0.0) else _power(prev_pdf, pdf * chance)
                w *= radiance * transmittance(medium, oz, dz, FAR if kind == SUN else far)
                _add(surface[active[k, 1]], pixel, w * tr, w * tg, w * tb)
        if triangle >= 0 and lights.light_of[triangle] == number and emits_towards(s, triangle, front):
            w = f32(1.0)
            if not first and prev_pdf >= f32(0.0):
                i0, i1, i2 = s.triangles[triangle, 0], s.triangles[triangle, 1], s.triangles[triangle, 2]
                p = s.positions
                ax, ay, az = p[i1, 0] - p[i0, 0], p[i1, 1] - p[i0, 1], p[i1, 2] - p[i0, 2]
                bx, by, bz = p[i2, 0] - p[i0, 0], p[i2, 1] - p[i0, 1], p[i2, 2] - p[i0, 2]
                gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                n = f32(math.sqrt(gx * gx + gy * gy + gz * gz))
                cos_e = abs(gx * dx + gy * dy + gz * dz) / max(n, f32(1e-20))
                w = _power(prev_pdf, chance * lights.area_density[triangle] * far * far / max(cos_e, f32(1e-6)))
            r, g, b = emission_at(s, triangle, u, v)
            w *= transmittance(medium, oz, dz, far)
            _add(surface[active[k, 1]], pixel, w * tr * r, w * tg * g, w * tb * b)


@_jit
def trace_pixel(s, lights, active, camera, medium, bounces, index, width, pixel, ray, surface, air):
    """One path through ``pixel``, added to ``surface`` and ``air`` (slots, pixels, 3).

    ``active`` (n, 2) int64 lists the sources that take part: their number and their layer's slot.
    """
    one, zero = f32(1.0), f32(0.0)
    seed = combine(u32(pixel), u32(0x51ED270B))
    ju, jv = sample_pair(seed, _D_PIXEL, index)
    dx, dy, dz = primary_direction(
        camera, f32(pixel % width) + f32(0.5) + tent(ju), f32(pixel // width) + f32(0.5) + tent(jv)
    )
    ox, oy, oz = camera[0], camera[1], camera[2]
    tr, tg, tb = one, one, one
    n = active.shape[0]
    misty = medium[0] > zero
    prev_pdf = f32(-1.0)
    chance = one
    last = max(bounces, 1)
    for vertex in range(bounces + 2):
        if vertex > last:
            break
        base = _D_VERTEX * (vertex + 1)
        pane, _pane = draw(vertex, seed, base + _D_GLASS, index)
        triangle, far, u, v, cr, cg, cb, mirrored = _walk(s, ray, ox, oy, oz, dx, dy, dz, pane)
        if misty:
            if vertex == 0:
                for k in range(n):
                    au, av = draw(vertex, seed, base + _D_SOURCE * k + _D_AIR, index)
                    bu, bv = draw(vertex, seed, base + _D_SOURCE * k + _D_AIR_LIGHT, index)
                    r, g, b = scatter_once(
                        s, lights, medium, ray, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
                    )
                    _add(air[active[k, 1]], pixel, r * cr, g * cg, b * cb)
            elif bounces > 0:
                au, av = draw(vertex, seed, base + _D_AIR, index)
                bu, bv = draw(vertex, seed, base + _D_AIR_LIGHT, index)
                k = min(int(av * f32(n)), n - 1)
                r, g, b = scatter_once(
                    s, lights, medium, ray, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
                )
                _add(surface[active[k, 1]], pixel, r * tr * cr * f32(n), g * tg * cg * f32(n), b * tb * cb * f32(n))
        tr, tg, tb = tr * cr, tg * cg, tb * cb
        front = True
        if triangle >= 0:
            gx, gy, gz, nx, ny, nz, br, bg, bb, metallic, roughness, front = surface_at(s, triangle, u, v, dx, dy, dz)
        _gather_hit(s, lights, active, triangle, u, v, front, prev_pdf, chance, tr, tg, tb, ox, oy, oz, dx, dy, dz, far,
                    medium, surface, pixel, vertex == 0)  # fmt: skip
        # Past the last bounce a ray only meets light; it gathers none of its own.
        if triangle < 0 or vertex > bounces:
            break
        if misty:
            through = transmittance(medium, oz, dz, far)
            tr, tg, tb = tr * through, tg * through, tb * through
        ox, oy, oz = ox + far * dx, oy + far * dy, oz + far * dz
        eps = ray_epsilon(ox, oy, oz)
        ox, oy, oz = ox + eps * gx, oy + eps * gy, oz + eps * gz
        if mirrored:
            k_mirror = f32(2.0) * (dx * gx + dy * gy + dz * gz)
            dx, dy, dz = dx - k_mirror * gx, dy - k_mirror * gy, dz - k_mirror * gz
            prev_pdf = f32(-1.0)
            continue
        ax, ay, az, bx, by, bz = basis(nx, ny, nz)
        vx, vy, vz = -(dx * ax + dy * ay + dz * az), -(dx * bx + dy * by + dz * bz), -(dx * nx + dy * ny + dz * nz)
        share = specular_share(s.energy, vz, roughness, metallic, br, bg, bb)
        partner = vertex < last
        pick, _pick = draw(vertex, seed, base + _D_PICK, index)
        start, stop = 0, n
        if vertex > 0:
            start = min(int(pick * f32(n)), n - 1)
            stop = start + 1
        chance = one if vertex == 0 else one / f32(n)
        for k in range(start, stop):
            lu, lv = draw(vertex, seed, base + (_D_SOURCE * k if vertex == 0 else 0) + _D_LIGHT, index)
            lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, active[k, 0], ox, oy, oz, lu, lv)
            if pdf <= zero or r + g + b <= zero or lx * gx + ly * gy + lz * gz <= zero:
                continue
            fr, fg, fb, bsdf_pdf = evaluate(
                s.energy, s.mean_coat, vx, vy, vz,
                lx * ax + ly * ay + lz * az, lx * bx + ly * by + lz * bz, lx * nx + ly * ny + lz * nz,
                br, bg, bb, metallic, roughness, share,
            )  # fmt: skip
            if bsdf_pdf <= zero:
                continue
            w = (_power(pdf * chance, bsdf_pdf) if partner else one) / (pdf * chance)
            fr, fg, fb = fr * r * tr * w, fg * g * tg * w, fb * b * tb * w
            if fr + fg + fb <= zero:
                continue
            sr, sg, sb = shadow(s, ray, ox, oy, oz, lx, ly, lz, distance * f32(0.9999) - eps)
            if sr + sg + sb <= zero:
                continue
            if misty:
                k_air = transmittance(medium, oz, lz, distance)
                fr, fg, fb = fr * k_air, fg * k_air, fb * k_air
            _add(surface[active[k, 1]], pixel, fr * sr, fg * sg, fb * sb)
        if not partner:
            break
        su, sv = draw(vertex, seed, base + _D_BSDF, index)
        choice, survive = draw(vertex, seed, base + _D_CHOICE, index)
        lx, ly, lz = sample_direction(vx, vy, vz, roughness, share, choice, su, sv)
        fr, fg, fb, prev_pdf = evaluate(
            s.energy, s.mean_coat, vx, vy, vz, lx, ly, lz, br, bg, bb, metallic, roughness, share
        )
        if prev_pdf <= zero:
            break
        dx, dy, dz = lx * ax + ly * bx + lz * nx, lx * ay + ly * by + lz * ny, lx * az + ly * bz + lz * nz
        if dx * gx + dy * gy + dz * gz <= zero:
            break
        tr, tg, tb = tr * fr / prev_pdf, tg * fg / prev_pdf, tb * fb / prev_pdf
        # Paths that carry little end early, the rest stand in for them.
        carry = max(tr, max(tg, tb))
        if vertex > 0 and carry < f32(0.25):
            keep = max(carry * f32(4.0), f32(0.05))
            if survive >= keep:
                break
            tr, tg, tb = tr / keep, tg / keep, tb / keep


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace_chunk(s, lights, active, camera, medium, bounces, index, width, first, last, surface, air):
    """Paths of pixels first..last."""
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    surface, air, medium, camera = floats(surface), floats(air), floats(medium), floats(camera)
    for pixel in range(first, last):
        trace_pixel(s, lights, active, camera, medium, bounces, index, width, pixel, ray, surface, air)
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def trace_part(s, lights, active, camera, medium, bounces, index, width, pixels, part, parts, threads, surface, air):
    """Every ``parts``-th chunk of a pass, from ``part`` on, over all threads."""
    chunks = (pixels + CHUNK - 1) // CHUNK
    count = (chunks - part + parts - 1) // parts
    for thread in nb.prange(threads):
        for i in range(thread, count, threads):
            first = (part + i * parts) * CHUNK
            trace_chunk(s, lights, active, camera, medium, bounces, index, width, first, min(first + CHUNK, pixels),
                        surface, air)  # fmt: skip
