"""A path past its first surface, or past its first scattering in the air: one source asked at every turn.

At every stretch of the way the air may send back light of a source drawn by what it adds to the
picture, and so may the surface at its end. Where light that is scattered more than once counts, a
path ends a stretch in the air as often as light would be stopped there, and goes on in a direction
drawn by the phase function (as in Lafortune & Willems 1996, Rendering participating media with
bidirectional path tracing); Russian roulette ends it. Nothing is clamped: the sum is unbiased, save that
surfaces which light the air by way of a scattering reflect a little more broadly (path space
regularisation, Kaplanyan & Dachsbacher 2013): their energy stays, their glints would not be found.
"""

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import transmittance
from lunar_haze.core.air.medium_row import ALBEDO, CLEAR, MULTIPLE
from lunar_haze.core.transport.air_draw import draw_distance, scattered_direction
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, float_rows, floats, layer_pool
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.ggx import evaluate, sample_direction, seen_from
from lunar_haze.core.transport.importance import EMPHASIS_COLUMNS, PICK, SURFACE, chance_of, draw_source, importance_of
from lunar_haze.core.transport.met_light import HIGHLIGHTS, add, gather_hit, part_of, power
from lunar_haze.core.transport.sampling import basis, combine, random_pair
from lunar_haze.core.transport.source_row import PART, SPARES
from lunar_haze.core.transport.surfaces import (
    FAR,
    card_surface,
    nearest_card,
    object_at,
    ray_epsilon,
    shadow,
    surface_at,
)
from lunar_haze.core.transport.walk import scatter_unshadowed, walk

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

# Sample dimensions: each use has a pair of its own, at each turn of the path, and most for each source.
_, D_GLASS, D_PICK, D_LIGHT, D_BSDF, D_CHOICE, D_AIR, D_AIR_LIGHT, D_ROULETTE, D_EARLY = range(10)
D_SOURCE = 10
_D_CARD, _D_STOP, _D_PHASE = 60_000, 60_100, 60_200
D_VERTEX = 1 << 16
#: Columns of a path that goes on, and the one that tells that it does.
ONWARD, GOES = 16, 15
#: Stands for the density of a ray that the air sent on: what it meets has been counted by the air.
FROM_AIR = f32(-2.0)
#: Surfaces that light the air by way of other scatterings are taken to be no smoother than this.
_SOFTENED = f32(0.35)
#: Scatterings that are sure to be followed, and the chance of each one after.
_SURE_ORDERS, _GO_ON = 12, f32(0.95)


@nb.njit(cache=True, forceinline=True)
def path_seed(pixel, in_air):
    """Name of the sample sequences of a pixel's path past the surface, or past the air, before the lens."""
    return combine(u32(pixel), u32(0x2545F491) if in_air else u32(0x51ED270B))


@_jit
def set_out(row, ox, oy, oz, dx, dy, dz, r, g, b, prev_pdf, matte_r, matte_g, matte_b, left, worth_all):
    """Note in ``row`` (ONWARD,) a path that leaves o along d with throughput rgb.

    ``prev_pdf`` is the density [1/sr] of its direction, below zero behind a mirror and `FROM_AIR` in
    the air; matte is the share of the throughput that was reflected as matte, ``left`` the object it
    left (-1 for none), ``worth_all`` what the picture has at the pixel without shadows [cd/m2].
    """
    row[0], row[1], row[2], row[3], row[4], row[5] = ox, oy, oz, dx, dy, dz
    row[6], row[7], row[8], row[9] = r, g, b, prev_pdf
    row[10], row[11], row[12], row[13], row[14] = matte_r, matte_g, matte_b, f32(left), worth_all
    row[GOES] = f32(1.0)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def follow_chunk(s, lights, active, emphasis, mist, even, bounces, index, pixels, onward, stars, surface, air):
    """Follow the paths ``onward`` (2 n, ONWARD) of ``pixels`` (n,) and add what they find to their layers.

    Of each two the first began at a surface and adds to ``surface``, the second in the air and to
    ``air`` (slots, pixels, 3), and goes through ``even``, the medium without patches. Those not set
    out (`set_out`) are passed over.
    """
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    surface, air, emphasis = layer_pool(surface), layer_pool(air), float_rows(emphasis, EMPHASIS_COLUMNS)
    mist, even = floats(mist), floats(even)
    stars, onward = float_rows(stars, 3), float_rows(onward, ONWARD)
    one, zero = f32(1.0), f32(0.0)
    total = s.faces.shape[0]
    misty = mist[CLEAR] == zero
    many = misty and mist[MULTIPLE] > zero
    last = max(bounces, 1)
    for i in range(2 * pixels.shape[0]):
        row = onward[i]
        if row[GOES] <= zero:
            continue
        ox, oy, oz, dx, dy, dz = row[0], row[1], row[2], row[3], row[4], row[5]
        tr, tg, tb, prev_pdf = row[6], row[7], row[8], row[9]
        matte_r, matte_g, matte_b = row[10], row[11], row[12]
        left, worth_all = np.int64(row[13]), row[14]
        pixel, in_air = pixels[i >> 1], (i & 1) == 1
        target = air if in_air else surface
        medium = even if in_air else mist
        seed = path_seed(pixel, in_air)
        scatterings = 1 if in_air else 0
        # Every source was asked at the surface that the path leaves; later ones ask a picked one.
        surfaces, turn, picked = 1, 0, False
        while surfaces <= last:
            turn += 1
            base = D_VERTEX * (turn + 1)
            pane, _pane = random_pair(seed, base + D_GLASS, index)
            card, limit = np.int64(-1), FAR
            if s.cards.shape[0] > 0 and (prev_pdf >= zero or prev_pdf == FROM_AIR):
                # The lens does not see cards, nor does a mirror.
                card, limit = nearest_card(s, ox, oy, oz, dx, dy, dz, seed, base + _D_CARD, index)
            triangle, far, u, v, cr, cg, cb, mirrored = walk(s, ray, ox, oy, oz, dx, dy, dz, limit, pane)
            if triangle < 0 and card >= 0:
                triangle = total + card
            through = one
            if misty:
                through = transmittance(medium, ox, oy, oz, dx, dy, dz, far)
                if bounces > 0 or scatterings > 0 or many:
                    au, av = random_pair(seed, base + D_AIR, index)
                    bu, bv = random_pair(seed, base + D_AIR_LIGHT, index)
                    lot, fate = random_pair(seed, base + D_ROULETTE, index)
                    k = draw_source(emphasis, lot)
                    px, py, pz, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
                        s, lights, medium, active[k, 0], ox, oy, oz, dx, dy, dz, far, au, av, bu, bv
                    )
                    if bounces == 0 and scatterings == 0:
                        # What reaches a surface by way of the air is multiple scattering then, and weighed so.
                        r, g, b = r * medium[MULTIPLE], g * medium[MULTIPLE], b * medium[MULTIPLE]
                    r, g, b = r * tr * cr, g * tg * cg, b * tb * cb
                    if lights.rows[active[k, 0], PART] == HIGHLIGHTS:
                        r, g, b = zero, zero, zero
                    chance = chance_of(importance_of(emphasis, k, SURFACE, r, g, b) / emphasis[k, PICK], worth_all)
                    if r + g + b > zero and fate < chance:
                        sr, sg, sb = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
                        w = one / (emphasis[k, PICK] * chance)
                        add(target[active[k, 1]], pixel, w * r * sr, w * g * sg, w * b * sb)
            front = True
            if triangle >= total:
                gx, gy, gz, br, bg, bb = card_surface(s, triangle - total, dx, dy, dz)
                nx, ny, nz, metallic, roughness = gx, gy, gz, zero, one
            elif triangle >= 0:
                gx, gy, gz, nx, ny, nz, br, bg, bb, metallic, roughness, front = surface_at(
                    s, triangle, u, v, dx, dy, dz
                )
            if prev_pdf != FROM_AIR:
                gather_hit(s, lights, active, emphasis, triangle, u, v, front, prev_pdf, picked, tr * cr, tg * cg,
                    tb * cb,
                           matte_r, matte_g, matte_b, left, ox, oy, oz, dx, dy, dz, far, medium, through, target,
                               pixel, False,
                           stars, -1)  # fmt: skip
            if many and through < one:
                stop, choose = random_pair(seed, base + _D_STOP, index)
                if stop >= through:
                    # Stopped in the air, as often as light is.
                    lot = (stop - through) / (one - through)
                    t, weight = draw_distance(lights, medium, np.int64(-1), ox, oy, oz, dx, dy, dz, far, lot, choose)
                    scatterings += 1
                    if weight <= zero:
                        break
                    k = weight / (one - through) * (medium[MULTIPLE] if scatterings == 1 else one)
                    if scatterings > _SURE_ORDERS:
                        if random_pair(seed, base + _D_STOP + 1, index)[0] >= _GO_ON:
                            break
                        k /= _GO_ON
                    tr, tg = tr * cr * medium[ALBEDO] * k, tg * cg * medium[ALBEDO + 1] * k
                    tb = tb * cb * medium[ALBEDO + 2] * k
                    if max(tr, max(tg, tb)) <= zero:
                        break
                    ox, oy, oz = ox + t * dx, oy + t * dy, oz + t * dz
                    dx, dy, dz = scattered_direction(medium, dx, dy, dz, seed, base + _D_PHASE, index)
                    prev_pdf, left = FROM_AIR, np.int64(-1)
                    matte_r, matte_g, matte_b = one, one, one
                    continue
                through = one
            # Past the last bounce a ray only meets light; it gathers none of its own.
            if triangle < 0 or surfaces > bounces:
                break
            tr, tg, tb = tr * cr * through, tg * cg * through, tb * cb * through
            ox, oy, oz = ox + far * dx, oy + far * dy, oz + far * dz
            eps = ray_epsilon(ox, oy, oz)
            ox, oy, oz = ox + eps * gx, oy + eps * gy, oz + eps * gz
            left = object_at(s, triangle) if triangle < total else np.int64(-1)
            surfaces += 1
            if mirrored:
                k_mirror = f32(2.0) * (dx * gx + dy * gy + dz * gz)
                dx, dy, dz = dx - k_mirror * gx, dy - k_mirror * gy, dz - k_mirror * gz
                # A sun that a pane throws into the air is left out: no draw would find it in time.
                prev_pdf = FROM_AIR if scatterings > 0 else f32(-1.0)
                matte_r, matte_g, matte_b = zero, zero, zero
                continue
            if scatterings > 0:
                roughness = max(roughness, _SOFTENED)
            picked = True
            ax, ay, az, bx, by, bz = basis(nx, ny, nz)
            vx, vy, vz = -(dx * ax + dy * ay + dz * az), -(dx * bx + dy * by + dz * bz), -(dx * nx + dy * ny + dz * nz)
            seen = seen_from(s.energy, s.mean_coat, vz, roughness, metallic, br, bg, bb)
            partner = surfaces <= last
            pick, fate = random_pair(seed, base + D_PICK, index)
            k = draw_source(emphasis, pick)
            number = active[k, 0]
            if not (lights.rows[number, SPARES] > zero and left >= 0 and lights.spared[number, left] > zero):
                lu, lv = random_pair(seed, base + D_LIGHT, index)
                lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, number, ox, oy, oz, lu, lv)
                if pdf > zero and r + g + b > zero and lx * gx + ly * gy + lz * gz > zero:
                    fr, fg, fb, bsdf_pdf, mr, mg, mb = evaluate(
                        s.energy, seen, vx, vy, vz,
                        lx * ax + ly * ay + lz * az, lx * bx + ly * by + lz * bz, lx * nx + ly * ny + lz * nz,
                        br, bg, bb, metallic, roughness,
                    )  # fmt: skip
                    if bsdf_pdf > zero:
                        fr, fg, fb = part_of(lights.rows[number, PART], fr, fg, fb, mr, mg, mb)
                        chance = emphasis[k, PICK]
                        w = (power(pdf * chance, bsdf_pdf) if partner else one) / (pdf * chance)
                        if misty:
                            w *= transmittance(medium, ox, oy, oz, lx, ly, lz, distance)
                        fr, fg, fb = fr * r * tr * w, fg * g * tg * w, fb * b * tb * w
                        chance = chance_of(importance_of(emphasis, k, SURFACE, fr, fg, fb), worth_all)
                        if fr + fg + fb > zero and fate < chance:
                            sr, sg, sb = shadow(s, ray, ox, oy, oz, lx, ly, lz, distance * f32(0.9999) - eps)
                            add(target[active[k, 1]], pixel, fr * sr / chance, fg * sg / chance, fb * sb / chance)
            if not partner:
                break
            su, sv = random_pair(seed, base + D_BSDF, index)
            choice, survive = random_pair(seed, base + D_CHOICE, index)
            lx, ly, lz = sample_direction(vx, vy, vz, roughness, seen[0], choice, su, sv)
            fr, fg, fb, prev_pdf, mr, mg, mb = evaluate(
                s.energy, seen, vx, vy, vz, lx, ly, lz, br, bg, bb, metallic, roughness
            )
            if prev_pdf <= zero:
                break
            dx, dy, dz = lx * ax + ly * bx + lz * nx, lx * ay + ly * by + lz * ny, lx * az + ly * bz + lz * nz
            if dx * gx + dy * gy + dz * gz <= zero:
                break
            matte_r, matte_g, matte_b = mr / max(fr, f32(1e-20)), mg / max(fg, f32(1e-20)), mb / max(fb, f32(1e-20))
            tr, tg, tb = tr * fr / prev_pdf, tg * fg / prev_pdf, tb * fb / prev_pdf
            # Paths that carry little end early, the rest stand in for them.
            keep = max(max(tr, max(tg, tb)) * f32(4.0), f32(0.05))
            if keep < one:
                if survive >= keep:
                    break
                tr, tg, tb = tr / keep, tg / keep, tb / keep
    memory[0] = zero  # keeps the buffer alive to here
