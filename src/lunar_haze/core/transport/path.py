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
from lunar_haze.core.air.medium_row import ALBEDO, CLEAR, MULTIPLE
from lunar_haze.core.transport.air_draw import draw_distance, scattered_direction
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, float_rows, floats, layer_pool
from lunar_haze.core.transport.camera_row import LENS_RADIUS
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.ggx import evaluate, sample_direction, seen_from
from lunar_haze.core.transport.guides import LOOKS, look_at_sky, look_at_surface
from lunar_haze.core.transport.importance import (
    AIR,
    EMPHASIS_COLUMNS,
    FEW_LAMPS,
    IMPORTANCE,
    SURFACE,
    chance_of,
    early_chance,
    guess_air,
    guess_surface,
    importance_of,
)
from lunar_haze.core.transport.met_light import HIGHLIGHTS, add, gather_hit, part_of, power
from lunar_haze.core.transport.onward import (
    D_AIR,
    D_AIR_LIGHT,
    D_BSDF,
    D_CHOICE,
    D_EARLY,
    D_GLASS,
    D_LIGHT,
    D_ROULETTE,
    D_SOURCE,
    D_VERTEX,
    FROM_AIR,
    GOES,
    ONWARD,
    path_seed,
    set_out,
)
from lunar_haze.core.transport.sampling import basis, random_pair, sample_pair
from lunar_haze.core.transport.source_row import PART, SPARES
from lunar_haze.core.transport.surfaces import FAR, object_at, ray_epsilon, shadow, surface_at
from lunar_haze.core.transport.view import lens_ray, pixel_middle, tent
from lunar_haze.core.transport.walk import scatter_unshadowed, walk

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: The least share of paths that are followed past the first surface.
LEAST_FOLLOWED = f32(0.25)
_D_PIXEL, _D_LENS, _D_WALK = 0, 100, 50_000

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
    row[IMPORTANCE] = worth


@_jit
def _settle(s, ray, pending, active, column, total, seed, index, target, pixel):
    """Trace the shadow rays that wait, or let chance decide for those that matter little."""
    for k in range(active.shape[0]):
        row = pending[k]
        r, g, b = row[7], row[8], row[9]
        if r + g + b <= f32(0.0):
            continue
        chance = chance_of(row[IMPORTANCE], total)
        if chance < f32(1.0):
            lot, other = random_pair(seed, D_VERTEX + D_SOURCE * k + D_ROULETTE, index)
            if (other if column else lot) >= chance:
                continue
            r, g, b = r / chance, g / chance, b / chance
        sr, sg, sb = shadow(s, ray, row[0], row[1], row[2], row[3], row[4], row[5], row[_REACH])
        if sr + sg + sb > f32(0.0):
            add(target[active[k, 1]], pixel, r * sr, g * sg, b * sb)


@_jit
def _wait_for_air(s, lights, medium, active, emphasis, ox, oy, oz, dx, dy, dz, far, cr, cg, cb, seed, index, worth_all,
                  in_air):  # fmt: skip
    """What the air before the first surface sends back of every source, waiting for shadow rays; the new worth."""
    n = active.shape[0]
    known = f32(0.0)
    if n > FEW_LAMPS:
        known = guess_air(lights, active, emphasis, medium, ox, oy, oz, dx, dy, dz, far, in_air)
    for k in range(n):
        in_air[k, _LIGHT], in_air[k, _LIGHT + 1], in_air[k, _LIGHT + 2] = f32(0.0), f32(0.0), f32(0.0)
        if lights.rows[active[k, 0], PART] == HIGHLIGHTS:
            continue
        early = f32(1.0)
        if n > FEW_LAMPS:
            early = early_chance(in_air[k, IMPORTANCE], known + worth_all)
            if early < f32(1.0) and random_pair(seed, D_VERTEX + D_SOURCE * k + D_EARLY, index)[1] >= early:
                continue
        au, av = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_AIR, index)
        bu, bv = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_AIR_LIGHT, index)
        px, py, pz, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
            s, lights, medium, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
        )
        r, g, b = r * cr / early, g * cg / early, b * cb / early
        worth = importance_of(emphasis, k, AIR, r, g, b)
        worth_all += worth
        _wait(in_air, k, px, py, pz, lx, ly, lz, distance * f32(0.9999), r, g, b, worth)
    return worth_all


@_jit
def _wait_for_surface(s, lights, medium, active, emphasis, ox, oy, oz, at, surface, seen, tr, tg, tb, left, seed,
                      index, worth_all, on_surface):  # fmt: skip
    """What every source gives at the first surface, waiting for shadow rays; the new worth.

    ``at`` holds the geometric and the shading normal and the frame about it, ``surface`` the
    direction to the lens in that frame and the material, ``seen`` what `seen_from` tells of it.
    """
    gx, gy, gz, nx, ny, nz, ax, ay, az, bx, by, bz = at
    vx, vy, vz, br, bg, bb, metallic, roughness = surface
    n = active.shape[0]
    one, zero = f32(1.0), f32(0.0)
    eps = ray_epsilon(ox, oy, oz)
    known = zero
    if n > FEW_LAMPS:
        known = guess_surface(lights, active, emphasis, ox, oy, oz, nx, ny, nz, on_surface)
    for k in range(n):
        early = one
        on_surface[k, _LIGHT], on_surface[k, _LIGHT + 1], on_surface[k, _LIGHT + 2] = zero, zero, zero
        if n > FEW_LAMPS:
            early = early_chance(on_surface[k, IMPORTANCE], known + worth_all)
            if early < one and random_pair(seed, D_VERTEX + D_SOURCE * k + D_EARLY, index)[0] >= early:
                continue
        if lights.rows[active[k, 0], SPARES] > zero and left >= 0 and lights.spared[active[k, 0], left] > zero:
            continue
        lu, lv = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_LIGHT, index)
        lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, active[k, 0], ox, oy, oz, lu, lv)
        if pdf <= zero or r + g + b <= zero or lx * gx + ly * gy + lz * gz <= zero:
            continue
        fr, fg, fb, bsdf_pdf, mr, mg, mb = evaluate(
            s.energy, seen, vx, vy, vz,
            lx * ax + ly * ay + lz * az, lx * bx + ly * by + lz * bz, lx * nx + ly * ny + lz * nz,
            br, bg, bb, metallic, roughness,
        )  # fmt: skip
        if bsdf_pdf <= zero:
            continue
        fr, fg, fb = part_of(lights.rows[active[k, 0], PART], fr, fg, fb, mr, mg, mb)
        w = power(pdf, bsdf_pdf) / (pdf * early)
        if medium[CLEAR] == zero:
            w *= transmittance(medium, ox, oy, oz, lx, ly, lz, distance)
        fr, fg, fb = fr * r * tr * w, fg * g * tg * w, fb * b * tb * w
        if fr + fg + fb <= zero:
            continue
        worth = importance_of(emphasis, k, SURFACE, fr, fg, fb)
        worth_all += worth
        _wait(on_surface, k, ox, oy, oz, lx, ly, lz, distance * f32(0.9999) - eps, fr, fg, fb, worth)
    return worth_all


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace_chunk(
    s, lights, active, emphasis, lit, stars, star_owner, camera, medium, index, width, pixels, surface, air, onward,
    looks,
):  # fmt: skip
    """The first stretch of a path through each of ``pixels`` (n,), added to ``surface`` and ``air`` (slots, pixels, 3).

    ``active`` (n, 2) int64 lists the sources that take part: their number and their layer's slot;
    ``emphasis`` (n, 7) float32 what their light adds to the picture, as `Frame.trace` makes it;
    ``lit`` (pixels,) float32 what other sources add already [cd/m2]; ``stars`` (pixels, 3) points of
    light in the sky of source ``star_owner``. ``onward`` (2 n, ONWARD) is written: how each path goes
    on from its surface and from the air (`onward.follow_chunk`). What the lens sees is added to ``looks``
    (pixels, LOOKS), for the denoiser.
    """
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    surface, air, medium, camera = layer_pool(surface), layer_pool(air), floats(medium), floats(camera)
    emphasis, lit = float_rows(emphasis, EMPHASIS_COLUMNS), floats(lit)
    stars, onward, looks = float_rows(stars, 3), float_rows(onward, ONWARD), float_rows(looks, LOOKS)
    room = np.empty((2, active.shape[0], _PENDING_COLUMNS), np.float32)
    on_surface, in_air = float_rows(room[0], _PENDING_COLUMNS), float_rows(room[1], _PENDING_COLUMNS)
    one, zero = f32(1.0), f32(0.0)
    misty = medium[CLEAR] == zero
    for i in range(pixels.shape[0]):
        pixel = pixels[i]
        onward[2 * i, GOES], onward[2 * i + 1, GOES] = zero, zero
        seed = path_seed(pixel, False)
        x, y = pixel_middle(pixel, width)
        ju, jv = sample_pair(seed, _D_PIXEL, index)
        lens_u, lens_v = zero, zero
        if camera[LENS_RADIUS] > zero:
            lens_u, lens_v = sample_pair(seed, _D_LENS, index)
        ox, oy, oz, dx, dy, dz = lens_ray(camera, x + tent(ju), y + tent(jv), lens_u, lens_v)
        worth_all = lit[pixel]
        pane, _pane = random_pair(seed, D_VERTEX + D_GLASS, index)
        triangle, far, u, v, tr, tg, tb, mirrored = walk(s, ray, ox, oy, oz, dx, dy, dz, FAR, pane)
        # The lens does not see cards: what it meets is of the place.
        left = object_at(s, triangle) if triangle >= 0 else np.int64(-1)
        through = one
        if misty:
            worth_all = _wait_for_air(s, lights, medium, active, emphasis, ox, oy, oz, dx, dy, dz, far, tr, tg, tb,
                seed,
                                      index, worth_all, in_air)  # fmt: skip
            through = transmittance(medium, ox, oy, oz, dx, dy, dz, far)
        front = True
        if triangle >= 0:
            gx, gy, gz, nx, ny, nz, br, bg, bb, metallic, roughness, front = surface_at(s, triangle, u, v, dx, dy, dz)
            if not mirrored:
                look_at_surface(looks, pixel, br, bg, bb, nx, ny, nz)
        else:
            look_at_sky(looks, pixel)
        gather_hit(s, lights, active, emphasis, triangle, u, v, front, f32(-1.0), False, tr, tg, tb, zero, zero, zero,
                   np.int64(-1), ox, oy, oz, dx, dy, dz, far, medium, through, surface, pixel, True, stars,
                       star_owner)  # fmt: skip
        if misty and medium[MULTIPLE] > zero and through < f32(0.9999):
            # Light that the air sends here after it has gone on through it, or from a surface: a walk of its own.
            chance = min(f32(4.0) * (one - through), one)
            lot, choose = random_pair(seed, D_VERTEX + _D_WALK, index)
            if lot < chance:
                t, weight = draw_distance(
                    lights, medium, np.int64(-1), ox, oy, oz, dx, dy, dz, far, lot / chance, choose
                )
                if weight > zero:
                    k = weight * medium[MULTIPLE] / chance
                    own = path_seed(pixel, True)
                    lx, ly, lz = scattered_direction(medium, dx, dy, dz, own, D_VERTEX, index)
                    set_out(onward[2 * i + 1], ox + t * dx, oy + t * dy, oz + t * dz, lx, ly, lz,
                           k * tr * medium[ALBEDO], k * tg * medium[ALBEDO + 1], k * tb * medium[ALBEDO + 2],
                           FROM_AIR, zero, zero, zero,
                           np.int64(-1), worth_all)  # fmt: skip
        if triangle >= 0:
            tr, tg, tb = tr * through, tg * through, tb * through
            hx, hy, hz = ox + far * dx, oy + far * dy, oz + far * dz
            eps = ray_epsilon(hx, hy, hz)
            hx, hy, hz = hx + eps * gx, hy + eps * gy, hz + eps * gz
            if mirrored:
                k = f32(2.0) * (dx * gx + dy * gy + dz * gz)
                set_out(onward[2 * i], hx, hy, hz,
                       dx - k * gx, dy - k * gy, dz - k * gz, tr, tg, tb, f32(-1.0), zero, zero, zero, left,
                           worth_all)  # fmt: skip
            else:
                ax, ay, az, bx, by, bz = basis(nx, ny, nz)
                vx, vy, vz = (
                    -(dx * ax + dy * ay + dz * az),
                    -(dx * bx + dy * by + dz * bz),
                    -(dx * nx + dy * ny + dz * nz),
                )
                seen = seen_from(s.energy, s.mean_coat, vz, roughness, metallic, br, bg, bb)
                # Even without bounces a glossy ray may meet a light.
                worth_all = _wait_for_surface(
                    s, lights, medium, active, emphasis, hx, hy, hz, (gx, gy, gz, nx, ny, nz, ax, ay, az, bx, by, bz),
                    (vx, vy, vz, br, bg, bb, metallic, roughness), seen, tr, tg, tb, left, seed, index, worth_all,
                    on_surface,
                )  # fmt: skip
                _settle(s, ray, on_surface, active, 0, worth_all, seed, index, surface, pixel)
                su, sv = sample_pair(seed, D_VERTEX + D_BSDF, index)
                choice, survive = sample_pair(seed, D_VERTEX + D_CHOICE, index)
                lx, ly, lz = sample_direction(vx, vy, vz, roughness, seen[0], choice, su, sv)
                fr, fg, fb, pdf, mr, mg, mb = evaluate(
                    s.energy, seen, vx, vy, vz, lx, ly, lz, br, bg, bb, metallic, roughness
                )
                dx, dy, dz = lx * ax + ly * bx + lz * nx, lx * ay + ly * by + lz * ny, lx * az + ly * bz + lz * nz
                # Where these sources matter little, so does most of what they bounce: it is followed more rarely.
                keep = min(max(chance_of(worth_all - lit[pixel], worth_all), LEAST_FOLLOWED), one)
                if pdf > zero and dx * gx + dy * gy + dz * gz > zero and survive < keep:
                    k = one / (pdf * keep)
                    set_out(onward[2 * i], hx, hy, hz, dx, dy, dz, tr * fr * k, tg * fg * k, tb * fb * k, pdf,
                           mr / max(fr, f32(1e-20)), mg / max(fg, f32(1e-20)), mb / max(fb, f32(1e-20)), left,
                               worth_all)  # fmt: skip
        if misty:
            _settle(s, ray, in_air, active, 1, worth_all, seed, index, air, pixel)
    room[0, 0, 0] = zero  # as below
    memory[0] = zero  # keeps the buffer alive to here
