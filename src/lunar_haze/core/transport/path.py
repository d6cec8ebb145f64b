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

from lunar_haze.core.air.medium_row import ALBEDO, CLEAR, MULTIPLE
from lunar_haze.core.transport.air_draw import draw_distance, scattered_direction
from lunar_haze.core.transport.borrow import borrow_setting, float_rows, floats, layer_pool
from lunar_haze.core.transport.camera_row import LENS_RADIUS
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.ggx import evaluate, sample_direction, seen_from
from lunar_haze.core.transport.guides import LOOKS, look_at_sky, look_at_surface
from lunar_haze.core.transport.importance import (
    AIR,
    FEW_LAMPS,
    IMPORTANCE,
    SURFACE,
    chance_of,
    early_chance,
    guess_air,
    guess_surface,
    importance_of,
)
from lunar_haze.core.transport.met_light import HIGHLIGHTS, add, gather_seen, power
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
    RAY_COLUMNS,
    carried_from,
    path_seed,
    put_ray,
    ray_in,
    set_out,
    spot_on,
)
from lunar_haze.core.transport.path_values import NUMBER, SLOT, Carried, End, Layers, Ray
from lunar_haze.core.transport.sampling import random_pair, sample_pair
from lunar_haze.core.transport.source_row import PART
from lunar_haze.core.transport.surface_light import facing_of, in_place, unshadowed, viewed_from
from lunar_haze.core.transport.surfaces import FAR, object_at, shadow, surface_at
from lunar_haze.core.transport.view import lens_ray, pixel_middle, tent
from lunar_haze.core.transport.walk import scatter_unshadowed, walk, way_through

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: The least share of paths that are followed past the first surface.
LEAST_FOLLOWED = f32(0.25)
_D_PIXEL, _D_LENS, _D_WALK = 0, 100, 50_000

# Columns of what waits for its shadow ray: start (3), direction (3), distance, light (3), worth.
_REACH, _LIGHT = RAY_COLUMNS, RAY_COLUMNS + 1
_PENDING_COLUMNS = 11


@_jit
def _wait(row, ray, reach, r, g, b, worth):
    put_ray(row, ray)
    row[_REACH] = reach
    row[_LIGHT], row[_LIGHT + 1], row[_LIGHT + 2] = r, g, b
    row[IMPORTANCE] = worth


@_jit
def _settle(at, buffer, pending, column, total, seed, index, target, pixel):
    """Trace the shadow rays that wait, or let chance decide for those that matter little."""
    for k in range(at.active.shape[0]):
        row = pending[k]
        r, g, b = row[_LIGHT], row[_LIGHT + 1], row[_LIGHT + 2]
        if r + g + b <= f32(0.0):
            continue
        chance = chance_of(row[IMPORTANCE], total)
        if chance < f32(1.0):
            lot, other = random_pair(seed, D_VERTEX + D_SOURCE * k + D_ROULETTE, index)
            if (other if column else lot) >= chance:
                continue
            r, g, b = r / chance, g / chance, b / chance
        ox, oy, oz, dx, dy, dz = ray_in(row)
        sr, sg, sb = shadow(at.scene, buffer, ox, oy, oz, dx, dy, dz, row[_REACH])
        if sr + sg + sb > f32(0.0):
            add(target[at.active[k, SLOT]], pixel, r * sr, g * sg, b * sb)


@_jit
def _wait_for_air(at, medium, ray, far, tint, seed, index, worth_all, in_air):
    """What the air before the first surface sends back of every source, waiting for shadow rays; the new worth."""
    n = at.active.shape[0]
    known = f32(0.0)
    if n > FEW_LAMPS:
        known = guess_air(at.lights, at.active, at.emphasis, medium, ray, far, in_air)
    for k in range(n):
        in_air[k, _LIGHT], in_air[k, _LIGHT + 1], in_air[k, _LIGHT + 2] = f32(0.0), f32(0.0), f32(0.0)
        number = at.active[k, NUMBER]
        if at.lights.rows[number, PART] == HIGHLIGHTS:
            continue
        early = f32(1.0)
        if n > FEW_LAMPS:
            early = early_chance(in_air[k, IMPORTANCE], known + worth_all)
            if early < f32(1.0) and random_pair(seed, D_VERTEX + D_SOURCE * k + D_EARLY, index)[1] >= early:
                continue
        where = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_AIR, index)
        towards = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_AIR_LIGHT, index)
        x, y, z, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
            at.scene, at.lights, medium, number, ray, far, where, towards
        )
        r, g, b = r * tint[0] / early, g * tint[1] / early, b * tint[2] / early
        worth = importance_of(at.emphasis, k, AIR, r, g, b)
        worth_all += worth
        _wait(in_air[k], Ray(x, y, z, lx, ly, lz), distance * f32(0.9999), r, g, b, worth)
    return worth_all


@_jit
def _wait_for_surface(at, medium, spot, facing, viewed, seen, carried, seed, index, worth_all, on_surface):
    """What every source gives at the first surface, waiting for shadow rays; the new worth.

    ``seen`` is what `ggx.seen_from` tells of the surface, ``carried`` the throughput rgb from it to the lens.
    """
    n = at.active.shape[0]
    one, zero = f32(1.0), f32(0.0)
    known = zero
    if n > FEW_LAMPS:
        known = guess_surface(
            at.lights, at.active, at.emphasis, spot.x, spot.y, spot.z, facing.nx, facing.ny, facing.nz, on_surface
        )
    for k in range(n):
        early = one
        on_surface[k, _LIGHT], on_surface[k, _LIGHT + 1], on_surface[k, _LIGHT + 2] = zero, zero, zero
        if n > FEW_LAMPS:
            early = early_chance(on_surface[k, IMPORTANCE], known + worth_all)
            if early < one and random_pair(seed, D_VERTEX + D_SOURCE * k + D_EARLY, index)[0] >= early:
                continue
        u, v = sample_pair(seed, D_VERTEX + D_SOURCE * k + D_LIGHT, index)
        light = unshadowed(at, medium, at.active[k, NUMBER], spot, facing, viewed, seen, u, v)
        if light.pdf <= zero:
            continue
        w = power(light.pdf, light.reflected) / (light.pdf * early)
        r, g, b = light.r * carried[0] * w, light.g * carried[1] * w, light.b * carried[2] * w
        if r + g + b <= zero:
            continue
        worth = importance_of(at.emphasis, k, SURFACE, r, g, b)
        worth_all += worth
        ray = Ray(spot.x, spot.y, spot.z, light.dx, light.dy, light.dz)
        _wait(on_surface[k], ray, light.distance * f32(0.9999) - spot.off, r, g, b, worth)
    return worth_all


@_jit
def _send_into_air(at, medium, ray, end, tint, pixel, index, worth_all, row):
    """Set out, in ``row``, a walk of its own of light that the air sends here after it has gone on through it."""
    # Or from a surface.
    one = f32(1.0)
    chance = min(f32(4.0) * (one - end.through), one)
    lot, choose = random_pair(path_seed(pixel, False), D_VERTEX + _D_WALK, index)
    if lot >= chance:
        return
    t, weight = draw_distance(at.lights, medium, np.int64(-1), ray, end.far, lot / chance, choose)
    if weight <= f32(0.0):
        return
    k = weight * medium[MULTIPLE] / chance
    own = path_seed(pixel, True)
    lx, ly, lz = scattered_direction(medium, ray.dx, ray.dy, ray.dz, own, D_VERTEX, index)
    r, g, b = k * tint[0] * medium[ALBEDO], k * tint[1] * medium[ALBEDO + 1], k * tint[2] * medium[ALBEDO + 2]
    away = Ray(ray.ox + t * ray.dx, ray.oy + t * ray.dy, ray.oz + t * ray.dz, lx, ly, lz)
    zero = f32(0.0)
    set_out(row, away, Carried(r, g, b, zero, zero, zero, FROM_AIR, np.int64(-1)), worth_all)


@_jit
def _lens_ray(camera, pixel, width, seed, index):
    """The ray from the lens through one pixel of one sample."""
    x, y = pixel_middle(pixel, width)
    ju, jv = sample_pair(seed, _D_PIXEL, index)
    lens_u, lens_v = f32(0.0), f32(0.0)
    if camera[LENS_RADIUS] > f32(0.0):
        lens_u, lens_v = sample_pair(seed, _D_LENS, index)
    ox, oy, oz, dx, dy, dz = lens_ray(camera, x + tent(ju), y + tent(jv), lens_u, lens_v)
    return Ray(ox, oy, oz, dx, dy, dz)


@_jit
def _light_first_surface(at, buffer, medium, ray, found, spot, carried, pixel, index, layers, waiting, row):
    """What the first surface sends to the lens, and how the path goes on from it: ``row``.

    ``carried`` holds the throughput rgb and what the picture has at the pixel already [cd/m2]; what the surface
    adds to that is returned with it.
    """
    tr, tg, tb, worth_all, lit = carried
    seed = path_seed(pixel, False)
    facing = facing_of(found)
    viewed = viewed_from(found, facing, ray.dx, ray.dy, ray.dz)
    seen = seen_from(at.scene.energy, at.scene.mean_coat, viewed)
    # Even without bounces a glossy ray may meet a light.
    worth_all = _wait_for_surface(at, medium, spot, facing, viewed, seen, (tr, tg, tb), seed, index, worth_all, waiting)
    _settle(at, buffer, waiting, 0, worth_all, seed, index, layers.surface, pixel)
    su, sv = sample_pair(seed, D_VERTEX + D_BSDF, index)
    choice, survive = sample_pair(seed, D_VERTEX + D_CHOICE, index)
    lx, ly, lz = sample_direction(viewed, seen[0], choice, su, sv)
    reflected = evaluate(at.scene.energy, seen, viewed, lx, ly, lz)
    dx, dy, dz = in_place(facing, lx, ly, lz)
    # Where these sources matter little, so does most of what they bounce: it is followed more rarely.
    keep = min(max(chance_of(worth_all - lit, worth_all), LEAST_FOLLOWED), f32(1.0))
    leaves = dx * facing.gx + dy * facing.gy + dz * facing.gz > f32(0.0)
    if reflected.pdf > f32(0.0) and leaves and survive < keep:
        onward = carried_from(reflected, tr, tg, tb, reflected.pdf * keep, spot.object)
        set_out(row, Ray(spot.x, spot.y, spot.z, dx, dy, dz), onward, worth_all)
    return worth_all


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace_chunk(at, lit, stars, camera, medium, index, width, pixels, layers, onward):
    """The first stretch of a path through each of ``pixels`` (n,), added to ``layers``.

    ``at`` is the `Setting`, its emphasis as `Frame.trace` makes it; ``lit`` (pixels,) float32 what other sources
    add already [cd/m2]; ``index`` the number of the sample. ``onward`` (2 n, ONWARD) is written: how each path goes
    on from its surface and from the air (`onward.follow_chunk`). What the lens sees is added to the looks of
    ``layers``, for the denoiser.
    """
    memory = ray_buffer()
    buffer = aligned(memory)
    at = borrow_setting(at)
    medium, camera, lit = floats(medium), floats(camera), floats(lit)
    stars, onward = float_rows(stars, 3), float_rows(onward, ONWARD)
    layers = Layers(layer_pool(layers.surface), layer_pool(layers.air), float_rows(layers.looks, LOOKS))
    scratch = np.empty((2, at.active.shape[0], _PENDING_COLUMNS), np.float32)
    on_surface, in_air = float_rows(scratch[0], _PENDING_COLUMNS), float_rows(scratch[1], _PENDING_COLUMNS)
    one, zero = f32(1.0), f32(0.0)
    misty = medium[CLEAR] == zero
    for i in range(pixels.shape[0]):
        pixel = pixels[i]
        onward[2 * i, GOES], onward[2 * i + 1, GOES] = zero, zero
        seed = path_seed(pixel, False)
        ray = _lens_ray(camera, pixel, width, seed, index)
        worth_all = lit[pixel]
        pane, _pane = random_pair(seed, D_VERTEX + D_GLASS, index)
        # The lens does not see cards: what it meets is of the place.
        triangle, far, u, v, tr, tg, tb, mirrored = walk(at.scene, buffer, ray, FAR, pane)
        through = one
        if misty:
            worth_all = _wait_for_air(at, medium, ray, far, (tr, tg, tb), seed, index, worth_all, in_air)
            through = way_through(medium, ray, far)
        front = True
        if triangle >= 0:
            found = surface_at(at.scene, triangle, u, v, ray.dx, ray.dy, ray.dz)
            front = found.front
            if not mirrored:
                look_at_surface(layers.looks, pixel, found.r, found.g, found.b, found.nx, found.ny, found.nz)
        else:
            look_at_sky(layers.looks, pixel)
        end = End(triangle, u, v, front, far, through)
        gather_seen(at, medium, ray, end, (tr, tg, tb), layers.surface, pixel, stars)
        if misty and medium[MULTIPLE] > zero and through < f32(0.9999):
            _send_into_air(at, medium, ray, end, (tr, tg, tb), pixel, index, worth_all, onward[2 * i + 1])
        if triangle >= 0:
            tr, tg, tb = tr * through, tg * through, tb * through
            spot = spot_on(ray, far, found, object_at(at.scene, triangle))
            if mirrored:
                k = f32(2.0) * (ray.dx * found.gx + ray.dy * found.gy + ray.dz * found.gz)
                dx, dy, dz = ray.dx - k * found.gx, ray.dy - k * found.gy, ray.dz - k * found.gz
                carried = Carried(tr, tg, tb, zero, zero, zero, f32(-1.0), spot.object)
                set_out(onward[2 * i], Ray(spot.x, spot.y, spot.z, dx, dy, dz), carried, worth_all)
            else:
                worth_all = _light_first_surface(
                    at,
                    buffer,
                    medium,
                    ray,
                    found,
                    spot,
                    (tr, tg, tb, worth_all, lit[pixel]),
                    pixel,
                    index,
                    layers,
                    on_surface,
                    onward[2 * i],
                )
        if misty:
            _settle(at, buffer, in_air, 1, worth_all, seed, index, layers.air, pixel)
    scratch[0, 0, 0] = zero  # as below
    memory[0] = zero  # keeps the buffer alive to here
