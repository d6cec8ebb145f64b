"""One pass over a picture: every pixel's path, gathered into one layer a source.

A path is shared by all sources: at the first surface and in the air before it each of them gives
what it would without shadow, at later surfaces a single source drawn by what it adds to the
picture; what is found goes to that source's layer. Of many lamps those that can add little to a
pixel are asked more rarely there, and count for more when they are (as in Shirley, Wang &
Zimmerman 1996, Monte Carlo techniques for direct lighting calculations). A shadow ray that can change the present mix
by little is traced more rarely and counts for more when it is (Russian roulette, Arvo & Kirk
1990, Particle transport and image synthesis). Light met by chance along a reflected ray counts
too, balanced against the shadow rays (power heuristic, Veach & Guibas 1995). Air scatters once:
towards the lens into the air part of the layer, and along reflected rays into the surface part.
Nothing is clamped: the sum is unbiased.
"""


import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import transmittance
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, floats
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.ggx import evaluate, sample_direction, specular_share
from lunar_haze.core.transport.lights import (
    PART,
    SPARES,
)
from lunar_haze.core.transport.met_light import HIGHLIGHTS, add, gather_hit, part_of, power
from lunar_haze.core.transport.sampling import basis, combine, draw, random_pair, sample_pair
from lunar_haze.core.transport.surfaces import (
    FAR,
    card_surface,
    nearest_card,
    ray_epsilon,
    shadow,
    surface_at,
)  # fmt: skip
from lunar_haze.core.transport.view import lens_ray, tent
from lunar_haze.core.transport.walk import scatter_unshadowed, walk
from lunar_haze.core.transport.worth import (
    AIR,
    FEW_LAMPS,
    PICK,
    SURFACE,
    WORTH,
    chance_of,
    draw_source,
    early_chance,
    guess_air,
    guess_surface,
    worth_of,
)

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: The least share of paths that are followed past the first surface.
LEAST_FOLLOWED = f32(0.25)
#: Pixels a thread takes at a time; chunks are dealt round so that threads share the dear parts.
CHUNK = 320
# Sample dimensions: each use has a pair of its own.
_D_PIXEL, _D_GLASS, _D_PICK, _D_LIGHT, _D_BSDF, _D_CHOICE, _D_AIR, _D_AIR_LIGHT, _D_ROULETTE, _D_EARLY = range(10)
_D_SOURCE = 10
_D_LENS = 100
_D_CARD = 60_000
_D_VERTEX = 1 << 16

# Columns of what waits for its shadow ray: start (3), direction (3), distance, light (3), worth.
_REACH, _LIGHT = 6, 7
_PENDING_COLUMNS = 11


@_jit
def _wait(pending, k, px, py, pz, lx, ly, lz, reach, r, g, b, worth):
    row = pending[k]
    row[0], row[1], row[2] = px, py, pz
    row[3], row[4], row[5] = lx, ly, lz
    row[_REACH] = reach
    row[7], row[8], row[9] = r, g, b
    row[WORTH] = worth


@_jit
def _settle(s, ray, pending, active, column, total, seed, base, index, target, pixel):
    """Trace the shadow rays that wait, or let chance decide for those that matter little."""
    for k in range(active.shape[0]):
        row = pending[k]
        r, g, b = row[7], row[8], row[9]
        if r + g + b <= f32(0.0):
            continue
        chance = chance_of(row[WORTH], total)
        if chance < f32(1.0):
            lot, other = random_pair(seed, base + _D_SOURCE * k + _D_ROULETTE, index)
            if (other if column else lot) >= chance:
                continue
            r, g, b = r / chance, g / chance, b / chance
        sr, sg, sb = shadow(s, ray, row[0], row[1], row[2], row[3], row[4], row[5], row[_REACH])
        if sr + sg + sb > f32(0.0):
            add(target[active[k, 1]], pixel, r * sr, g * sg, b * sb)


@_jit
def trace_pixel(
    s, lights, active, emphasis, lit, stars, star_owner, camera, medium, bounces, index, width, pixel, ray, waiting,
    surface, air,
):  # fmt: skip
    """One path through ``pixel``, added to ``surface`` and ``air`` (slots, pixels, 3).

    ``active`` (n, 2) int64 lists the sources that take part: their number and their layer's slot;
    ``emphasis`` (n, 7) float32 what their light adds to the picture, as `Frame.trace` makes it;
    ``lit`` (pixels,) float32 what other sources add already [cd/m2]; ``stars`` (pixels, 3) points of
    light in the sky of source ``star_owner``; ``waiting`` (2, n, 11)
    float32 is room to work in.
    """
    one, zero = f32(1.0), f32(0.0)
    seed = combine(u32(pixel), u32(0x51ED270B))
    ju, jv = sample_pair(seed, _D_PIXEL, index)
    lens_u, lens_v = zero, zero
    if camera[15] > zero:
        lens_u, lens_v = sample_pair(seed, _D_LENS, index)
    ox, oy, oz, dx, dy, dz = lens_ray(
        camera, f32(pixel % width) + f32(0.5) + tent(ju), f32(pixel // width) + f32(0.5) + tent(jv), lens_u, lens_v
    )
    tr, tg, tb = one, one, one
    n = active.shape[0]
    misty = medium[0] > zero
    prev_pdf = f32(-1.0)
    picked = False
    follow = one
    worth_all = lit[pixel]
    matte_r, matte_g, matte_b = zero, zero, zero
    left = np.int64(-1)
    total = s.triangles.shape[0]
    on_surface, in_air = waiting[0], waiting[1]
    last = max(bounces, 1)
    for vertex in range(bounces + 2):
        if vertex > last:
            break
        base = _D_VERTEX * (vertex + 1)
        pane, _pane = random_pair(seed, base + _D_GLASS, index)
        card, limit = np.int64(-1), FAR
        if prev_pdf >= zero and s.cards.shape[0] > 0:
            # The lens does not see cards, nor does a mirror.
            card, limit = nearest_card(s, ox, oy, oz, dx, dy, dz, seed, base + _D_CARD, index)
        triangle, far, u, v, cr, cg, cb, mirrored = walk(s, ray, ox, oy, oz, dx, dy, dz, limit, pane)
        if triangle < 0 and card >= 0:
            triangle = total + card
        if misty:
            if vertex == 0:
                known = zero
                if n > FEW_LAMPS:
                    known = guess_air(lights, active, emphasis, medium, ox, oy, oz, dx, dy, dz, far, in_air)
                for k in range(n):
                    in_air[k, _LIGHT], in_air[k, _LIGHT + 1], in_air[k, _LIGHT + 2] = zero, zero, zero
                    if lights.rows[active[k, 0], PART] == HIGHLIGHTS:
                        continue
                    early = one
                    if n > FEW_LAMPS:
                        early = early_chance(in_air[k, WORTH], known + worth_all)
                        if early < one and random_pair(seed, base + _D_SOURCE * k + _D_EARLY, index)[1] >= early:
                            continue
                    au, av = draw(vertex, seed, base + _D_SOURCE * k + _D_AIR, index)
                    bu, bv = draw(vertex, seed, base + _D_SOURCE * k + _D_AIR_LIGHT, index)
                    px, py, pz, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
                        s, lights, medium, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
                    )
                    r, g, b = r * cr / early, g * cg / early, b * cb / early
                    worth = worth_of(emphasis, k, AIR, r, g, b)
                    worth_all += worth
                    _wait(in_air, k, px, py, pz, lx, ly, lz, distance * f32(0.9999), r, g, b, worth)
            elif bounces > 0:
                au, av = draw(vertex, seed, base + _D_AIR, index)
                bu, bv = draw(vertex, seed, base + _D_AIR_LIGHT, index)
                lot, fate = draw(vertex, seed, base + _D_ROULETTE, index)
                k = draw_source(emphasis, lot)
                px, py, pz, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
                    s, lights, medium, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
                )
                r, g, b = r * tr * cr, g * tg * cg, b * tb * cb
                if lights.rows[active[k, 0], PART] == HIGHLIGHTS:
                    r, g, b = zero, zero, zero
                chance = chance_of(worth_of(emphasis, k, SURFACE, r, g, b) / emphasis[k, PICK], worth_all)
                if r + g + b > zero and fate < chance:
                    sr, sg, sb = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
                    w = one / (emphasis[k, PICK] * chance)
                    add(surface[active[k, 1]], pixel, w * r * sr, w * g * sg, w * b * sb)
        tr, tg, tb = tr * cr, tg * cg, tb * cb
        front = True
        if triangle >= total:
            gx, gy, gz, br, bg, bb = card_surface(s, triangle - total, dx, dy, dz)
            nx, ny, nz, metallic, roughness = gx, gy, gz, zero, one
        elif triangle >= 0:
            gx, gy, gz, nx, ny, nz, br, bg, bb, metallic, roughness, front = surface_at(s, triangle, u, v, dx, dy, dz)
        gather_hit(s, lights, active, emphasis, triangle, u, v, front, prev_pdf, picked, tr, tg, tb, matte_r, matte_g,
                    matte_b, left, ox, oy, oz, dx, dy, dz, far, medium, surface, pixel, vertex == 0, stars,
                    star_owner)  # fmt: skip
        # Past the last bounce a ray only meets light; it gathers none of its own.
        if triangle < 0 or vertex > bounces:
            if vertex == 0 and misty:
                _settle(s, ray, in_air, active, 1, worth_all, seed, base, index, air, pixel)
            break
        if misty:
            through = transmittance(medium, oz, dz, far)
            tr, tg, tb = tr * through, tg * through, tb * through
        ox, oy, oz = ox + far * dx, oy + far * dy, oz + far * dz
        eps = ray_epsilon(ox, oy, oz)
        ox, oy, oz = ox + eps * gx, oy + eps * gy, oz + eps * gz
        if mirrored:
            if vertex == 0 and misty:
                _settle(s, ray, in_air, active, 1, worth_all, seed, base, index, air, pixel)
            k_mirror = f32(2.0) * (dx * gx + dy * gy + dz * gz)
            dx, dy, dz = dx - k_mirror * gx, dy - k_mirror * gy, dz - k_mirror * gz
            prev_pdf = f32(-1.0)
            matte_r, matte_g, matte_b = zero, zero, zero
            left = np.int64(s.object_of[triangle])
            continue
        ax, ay, az, bx, by, bz = basis(nx, ny, nz)
        vx, vy, vz = -(dx * ax + dy * ay + dz * az), -(dx * bx + dy * by + dz * bz), -(dx * nx + dy * ny + dz * nz)
        share = specular_share(s.energy, vz, roughness, metallic, br, bg, bb)
        partner = vertex < last
        picked = vertex > 0
        start, stop = 0, n
        other = zero
        left = np.int64(s.object_of[triangle]) if triangle < total else np.int64(-1)
        known = zero
        if not picked and n > FEW_LAMPS:
            known = guess_surface(lights, active, emphasis, ox, oy, oz, nx, ny, nz, on_surface)
        if picked:
            pick, other = random_pair(seed, base + _D_PICK, index)
            start = draw_source(emphasis, pick)
            stop = start + 1
        for k in range(start, stop):
            early = one
            if not picked:
                on_surface[k, _LIGHT], on_surface[k, _LIGHT + 1], on_surface[k, _LIGHT + 2] = zero, zero, zero
                if n > FEW_LAMPS:
                    early = early_chance(on_surface[k, WORTH], known + worth_all)
                    if early < one and random_pair(seed, base + _D_SOURCE * k + _D_EARLY, index)[0] >= early:
                        continue
            if lights.rows[active[k, 0], SPARES] > zero and left >= 0 and lights.spared[active[k, 0], left] > zero:
                continue
            lu, lv = draw(vertex, seed, base + (0 if picked else _D_SOURCE * k) + _D_LIGHT, index)
            lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, active[k, 0], ox, oy, oz, lu, lv)
            if pdf <= zero or r + g + b <= zero or lx * gx + ly * gy + lz * gz <= zero:
                continue
            fr, fg, fb, bsdf_pdf, mr, mg, mb = evaluate(
                s.energy, s.mean_coat, vx, vy, vz,
                lx * ax + ly * ay + lz * az, lx * bx + ly * by + lz * bz, lx * nx + ly * ny + lz * nz,
                br, bg, bb, metallic, roughness, share,
            )  # fmt: skip
            if bsdf_pdf <= zero:
                continue
            fr, fg, fb = part_of(lights.rows[active[k, 0], PART], fr, fg, fb, mr, mg, mb)
            chance = emphasis[k, PICK] if picked else one
            w = (power(pdf * chance, bsdf_pdf) if partner else one) / (pdf * chance)
            if misty:
                w *= transmittance(medium, oz, lz, distance)
            w /= early
            fr, fg, fb = fr * r * tr * w, fg * g * tg * w, fb * b * tb * w
            if fr + fg + fb <= zero:
                continue
            reach = distance * f32(0.9999) - eps
            worth = worth_of(emphasis, k, SURFACE, fr, fg, fb)
            if picked:
                w = chance_of(worth, worth_all)
                if other < w:
                    sr, sg, sb = shadow(s, ray, ox, oy, oz, lx, ly, lz, reach)
                    if sr + sg + sb > zero:
                        add(surface[active[k, 1]], pixel, fr * sr / w, fg * sg / w, fb * sb / w)
            else:
                worth_all += worth
                _wait(on_surface, k, ox, oy, oz, lx, ly, lz, reach, fr, fg, fb, worth)
        if not picked:
            # Where these sources matter little, so does most of what they bounce.
            follow = max(chance_of(worth_all - lit[pixel], worth_all), LEAST_FOLLOWED)
            _settle(s, ray, on_surface, active, 0, worth_all, seed, base, index, surface, pixel)
            if misty:
                _settle(s, ray, in_air, active, 1, worth_all, seed, base, index, air, pixel)
        if not partner:
            break
        su, sv = draw(vertex, seed, base + _D_BSDF, index)
        choice, survive = draw(vertex, seed, base + _D_CHOICE, index)
        lx, ly, lz = sample_direction(vx, vy, vz, roughness, share, choice, su, sv)
        fr, fg, fb, prev_pdf, mr, mg, mb = evaluate(
            s.energy, s.mean_coat, vx, vy, vz, lx, ly, lz, br, bg, bb, metallic, roughness, share
        )
        if prev_pdf <= zero:
            break
        dx, dy, dz = lx * ax + ly * bx + lz * nx, lx * ay + ly * by + lz * ny, lx * az + ly * bz + lz * nz
        if dx * gx + dy * gy + dz * gz <= zero:
            break
        matte_r, matte_g, matte_b = mr / max(fr, f32(1e-20)), mg / max(fg, f32(1e-20)), mb / max(fb, f32(1e-20))
        tr, tg, tb = tr * fr / prev_pdf, tg * fg / prev_pdf, tb * fb / prev_pdf
        # Paths that carry little end early, the rest stand in for them.
        carry = max(tr, max(tg, tb))
        keep = follow if vertex == 0 else max(carry * f32(4.0), f32(0.05))
        if keep < one:
            if survive >= keep:
                break
            tr, tg, tb = tr / keep, tg / keep, tb / keep


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace_chunk(
    s, lights, active, emphasis, lit, stars, star_owner, camera, medium, bounces, index, width, first, last,
    surface, air,
):  # fmt: skip
    """Paths of pixels first..last."""
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    surface, air, medium, camera = floats(surface), floats(air), floats(medium), floats(camera)
    emphasis, lit, stars = floats(emphasis), floats(lit), floats(stars)
    room = np.empty((2, active.shape[0], _PENDING_COLUMNS), np.float32)
    waiting = floats(room)
    for pixel in range(first, last):
        trace_pixel(
            s, lights, active, emphasis, lit, stars, star_owner, camera, medium, bounces, index, width, pixel, ray,
            waiting, surface, air,
        )  # fmt: skip
    room[0, 0, 0] = f32(0.0)  # as below
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def trace_part(
    s, lights, active, emphasis, lit, stars, star_owner, camera, medium, bounces, index, width, pixels, part, parts,
    threads, surface, air,
):  # fmt: skip
    """Every ``parts``-th chunk of a pass, from ``part`` on, over all threads."""
    chunks = (pixels + CHUNK - 1) // CHUNK
    count = (chunks - part + parts - 1) // parts
    for thread in nb.prange(threads):
        for i in range(thread, count, threads):
            first = (part + i * parts) * CHUNK
            trace_chunk(s, lights, active, emphasis, lit, stars, star_owner, camera, medium, bounces, index, width,
                        first, min(first + CHUNK, pixels), surface, air)  # fmt: skip
