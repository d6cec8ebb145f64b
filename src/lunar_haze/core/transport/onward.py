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

from lunar_haze.core.air.medium_row import ALBEDO, CLEAR, MULTIPLE
from lunar_haze.core.transport.air_draw import draw_distance, scattered_direction
from lunar_haze.core.transport.borrow import borrow_setting, float_rows, floats, layer_pool
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.ggx import evaluate, sample_direction, seen_from
from lunar_haze.core.transport.importance import PICK, SURFACE, chance_of, draw_source, importance_of
from lunar_haze.core.transport.met_light import HIGHLIGHTS, add, gather_hit, power
from lunar_haze.core.transport.path_values import NUMBER, SLOT, Carried, Draw, End, Ray, Spot
from lunar_haze.core.transport.sampling import combine, random_pair
from lunar_haze.core.transport.source_row import PART
from lunar_haze.core.transport.surface_light import facing_of, in_place, unshadowed, viewed_from
from lunar_haze.core.transport.surfaces import (
    FAR,
    SurfacePoint,
    card_surface,
    nearest_card,
    object_at,
    ray_epsilon,
    shadow,
    surface_at,
)
from lunar_haze.core.transport.walk import scatter_unshadowed, walk, way_through

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

# Sample dimensions: each use has a pair of its own, at each turn of the path, and most for each source.
_, D_GLASS, D_PICK, D_LIGHT, D_BSDF, D_CHOICE, D_AIR, D_AIR_LIGHT, D_ROULETTE, D_EARLY = range(10)
D_SOURCE = 10
_D_CARD, _D_STOP, _D_PHASE = 60_000, 60_100, 60_200
D_VERTEX = 1 << 16
# Columns of a row that begins with a ray.
_START, _WAY, RAY_COLUMNS = 0, 3, 6
# Columns of a path that goes on, after its ray: what it carries, what all is worth, and whether it does go on.
_LIGHT, _MATTE, _DENSITY, _LEFT, _WORTH, GOES = RAY_COLUMNS, 9, 12, 13, 14, 15
ONWARD = 16
#: Stands for the density of a ray that the air sent on: what it meets has been counted by the air.
FROM_AIR = f32(-2.0)
#: Surfaces that light the air by way of other scatterings are taken to be no smoother than this.
_SOFTENED = f32(0.35)
#: Scatterings that are sure to be followed, and the chance of each one after.
_SURE_ORDERS, _GO_ON = 12, f32(0.95)


@nb.njit(cache=True, forceinline=True)
def path_seed(pixel, in_air):
    """Name of the sample sequences of a pixel's path past the surface, or ``in_air``, before the lens."""
    return combine(u32(pixel), u32(0x2545F491) if in_air else u32(0x51ED270B))


@_jit
def _pair(draw, dimension):
    return random_pair(draw.seed, draw.base + dimension, draw.index)


@_jit
def put_ray(row, ray):
    """Write a `Ray` into the first columns of a ``row``."""
    row[_START], row[_START + 1], row[_START + 2] = ray.ox, ray.oy, ray.oz
    row[_WAY], row[_WAY + 1], row[_WAY + 2] = ray.dx, ray.dy, ray.dz


@_jit
def ray_in(row):
    """The `Ray` that `put_ray` wrote."""
    return Ray(row[_START], row[_START + 1], row[_START + 2], row[_WAY], row[_WAY + 1], row[_WAY + 2])


@_jit
def set_out(row, ray, carried, worth_all):
    """Note in ``row`` (ONWARD,) a path that goes on along a `Ray` with what is ``carried``.

    ``worth_all`` is what the picture has at the pixel without shadows [cd/m2].
    """
    put_ray(row, ray)
    row[_LIGHT], row[_LIGHT + 1], row[_LIGHT + 2] = carried.r, carried.g, carried.b
    row[_MATTE], row[_MATTE + 1], row[_MATTE + 2] = carried.matte_r, carried.matte_g, carried.matte_b
    row[_DENSITY], row[_LEFT], row[_WORTH] = carried.pdf, f32(carried.left), worth_all
    row[GOES] = f32(1.0)


@_jit
def _as_set_out(row):
    """`Ray`, `Carried` and worth that `set_out` noted."""
    r, g, b = row[_LIGHT], row[_LIGHT + 1], row[_LIGHT + 2]
    matte_r, matte_g, matte_b = row[_MATTE], row[_MATTE + 1], row[_MATTE + 2]
    carried = Carried(r, g, b, matte_r, matte_g, matte_b, row[_DENSITY], np.int64(row[_LEFT]))
    return ray_in(row), carried, row[_WORTH]


@_jit
def carried_from(reflected, r, g, b, over, left):
    """What a path carries from a surface that reflected throughput rgb, drawn with a density of ``over`` in all;
    ``left`` is the object that it left.
    """
    fr, fg, fb, pdf, mr, mg, mb = reflected
    mr, mg, mb = mr / max(fr, f32(1e-20)), mg / max(fg, f32(1e-20)), mb / max(fb, f32(1e-20))
    return Carried(r * fr / over, g * fg / over, b * fb / over, mr, mg, mb, pdf, left)


@_jit
def spot_on(ray, far, found, number):
    """The `Spot` where a ray meets a `SurfacePoint` of object ``number`` after ``far`` metres."""
    x, y, z = ray.ox + far * ray.dx, ray.oy + far * ray.dy, ray.oz + far * ray.dz
    off = ray_epsilon(x, y, z)
    return Spot(x + off * found.gx, y + off * found.gy, z + off * found.gz, off, number)


@_jit
def _add_air(at, buffer, medium, ray, far, carried, share, draw, worth_all, target, pixel):
    """Light that the air of one stretch sends back along it, of a source drawn by what it adds, into its layer.

    ``carried`` is the throughput rgb to the stretch's start, ``share`` how much of this light counts.
    """
    lot, fate = _pair(draw, D_ROULETTE)
    k = draw_source(at.emphasis, lot)
    number = at.active[k, NUMBER]
    if at.lights.rows[number, PART] == HIGHLIGHTS:
        return
    where, towards = _pair(draw, D_AIR), _pair(draw, D_AIR_LIGHT)
    x, y, z, lx, ly, lz, distance, r, g, b = scatter_unshadowed(
        at.scene, at.lights, medium, number, ray, far, where, towards
    )
    r, g, b = r * share * carried[0], g * share * carried[1], b * share * carried[2]
    pick = at.emphasis[k, PICK]
    chance = chance_of(importance_of(at.emphasis, k, SURFACE, r, g, b) / pick, worth_all)
    if r + g + b > f32(0.0) and fate < chance:
        sr, sg, sb = shadow(at.scene, buffer, x, y, z, lx, ly, lz, distance * f32(0.9999))
        w = f32(1.0) / (pick * chance)
        add(target[at.active[k, SLOT]], pixel, w * r * sr, w * g * sg, w * b * sb)


@_jit
def _add_surface(at, buffer, medium, spot, facing, viewed, seen, carried, partner, draw, worth_all, layer_pixel):
    """Light of a source drawn by what it adds, as a surface sends it back, into its layer.

    ``partner`` tells that a reflected ray may find the same light, ``layer_pixel`` are the layers and the pixel.
    """
    target, pixel = layer_pixel
    pick, fate = _pair(draw, D_PICK)
    k = draw_source(at.emphasis, pick)
    u, v = _pair(draw, D_LIGHT)
    light = unshadowed(at, medium, at.active[k, NUMBER], spot, facing, viewed, seen, u, v)
    if light.pdf <= f32(0.0):
        return
    pdf = light.pdf * at.emphasis[k, PICK]
    w = (power(pdf, light.reflected) if partner else f32(1.0)) / pdf
    r, g, b = light.r * carried[0] * w, light.g * carried[1] * w, light.b * carried[2] * w
    chance = chance_of(importance_of(at.emphasis, k, SURFACE, r, g, b), worth_all)
    if r + g + b > f32(0.0) and fate < chance:
        far = light.distance * f32(0.9999) - spot.off
        sr, sg, sb = shadow(at.scene, buffer, spot.x, spot.y, spot.z, light.dx, light.dy, light.dz, far)
        add(target[at.active[k, SLOT]], pixel, r * sr / chance, g * sg / chance, b * sb / chance)


@_jit
def _scattered_on(at, medium, ray, far, through, carried, scatterings, draw, stop, choose):
    """A path that was stopped in the air: whether it goes on, along which `Ray`, with which throughput rgb.

    ``stop`` is the number that decided it, at or above ``through``; ``scatterings`` counts this one.
    """
    one, zero = f32(1.0), f32(0.0)
    lot = (stop - through) / (one - through)
    t, weight = draw_distance(at.lights, medium, np.int64(-1), ray, far, lot, choose)
    if weight <= zero:
        return False, ray, zero, zero, zero
    k = weight / (one - through) * (medium[MULTIPLE] if scatterings == 1 else one)
    if scatterings > _SURE_ORDERS:
        if _pair(draw, _D_STOP + 1)[0] >= _GO_ON:
            return False, ray, zero, zero, zero
        k /= _GO_ON
    r, g = carried[0] * medium[ALBEDO] * k, carried[1] * medium[ALBEDO + 1] * k
    b = carried[2] * medium[ALBEDO + 2] * k
    lx, ly, lz = scattered_direction(medium, ray.dx, ray.dy, ray.dz, draw.seed, draw.base + _D_PHASE, draw.index)
    away = Ray(ray.ox + t * ray.dx, ray.oy + t * ray.dy, ray.oz + t * ray.dz, lx, ly, lz)
    return max(r, max(g, b)) > zero, away, r, g, b


@_jit
def _reflected_on(at, spot, facing, viewed, seen, rgb, draw):
    """A path that a surface reflects: whether it goes on, along which `Ray`, with what `Carried`."""
    u, v = _pair(draw, D_BSDF)
    choice, survive = _pair(draw, D_CHOICE)
    lx, ly, lz = sample_direction(viewed, seen[0], choice, u, v)
    reflected = evaluate(at.scene.energy, seen, viewed, lx, ly, lz)
    dx, dy, dz = in_place(facing, lx, ly, lz)
    ray = Ray(spot.x, spot.y, spot.z, dx, dy, dz)
    one = f32(1.0)
    carried = carried_from(reflected, rgb[0], rgb[1], rgb[2], max(reflected.pdf, f32(1e-30)), spot.object)
    if reflected.pdf <= f32(0.0) or dx * facing.gx + dy * facing.gy + dz * facing.gz <= f32(0.0):
        return False, ray, carried
    # Paths that carry little end early, the rest stand in for them.
    keep = min(max(max(carried.r, max(carried.g, carried.b)) * f32(4.0), f32(0.05)), one)
    r, g, b, mr, mg, mb, pdf, left = carried
    return survive < keep or keep >= one, ray, Carried(r / keep, g / keep, b / keep, mr, mg, mb, pdf, left)


@_jit
def _mirrored_on(ray, found, spot, rgb, in_air):
    """The `Ray` and what is `Carried` past a mirror."""
    k = f32(2.0) * (ray.dx * found.gx + ray.dy * found.gy + ray.dz * found.gz)
    dx, dy, dz = ray.dx - k * found.gx, ray.dy - k * found.gy, ray.dz - k * found.gz
    # A sun that a pane throws into the air is left out: no draw would find it in time.
    pdf, zero = FROM_AIR if in_air else f32(-1.0), f32(0.0)
    return Ray(spot.x, spot.y, spot.z, dx, dy, dz), Carried(rgb[0], rgb[1], rgb[2], zero, zero, zero, pdf, spot.object)


@_jit
def _softened(found):
    """A `SurfacePoint` no smoother than `_SOFTENED`."""
    gx, gy, gz, nx, ny, nz, r, g, b, metallic, roughness, front = found
    return SurfacePoint(gx, gy, gz, nx, ny, nz, r, g, b, metallic, max(roughness, _SOFTENED), front)


@_jit
def _meet(at, buffer, ray, pdf, draw):
    """What stops a path's ray, a card or a surface of the place (`walk.Met`); cards count on after the triangles."""
    card, limit = np.int64(-1), FAR
    if at.scene.cards.shape[0] > 0 and (pdf >= f32(0.0) or pdf == FROM_AIR):
        # The lens does not see cards, nor does a mirror.
        card, limit = nearest_card(at.scene, ray, draw.seed, draw.base + _D_CARD, draw.index)
    met = walk(at.scene, buffer, ray, limit, _pair(draw, D_GLASS)[0])
    triangle = met.triangle
    if triangle < 0 and card >= 0:
        triangle = at.scene.faces.shape[0] + card
    return triangle, met


@_jit
def _surface_met(at, triangle, met, ray):
    """The `SurfacePoint` of the triangle or card that was met."""
    total = at.scene.faces.shape[0]
    if triangle >= total:
        return card_surface(at.scene, triangle - total, ray.dx, ray.dy, ray.dz)
    return surface_at(at.scene, triangle, met.u, met.v, ray.dx, ray.dy, ray.dz)


@_jit
def _follow(at, buffer, medium, bounces, pixel, in_air, index, row, target):
    """Follow one path to its end and add what it finds to the layers of ``target``."""
    one = f32(1.0)
    ray, carried, worth_all = _as_set_out(row)
    seed = path_seed(pixel, in_air)
    misty = medium[CLEAR] == f32(0.0)
    many = misty and medium[MULTIPLE] > f32(0.0)
    last = max(bounces, 1)
    scatterings = 1 if in_air else 0
    # Every source was asked at the surface that the path leaves; later ones ask a picked one.
    surfaces, turn, picked = 1, 0, False
    while surfaces <= last:
        turn += 1
        draw = Draw(seed, D_VERTEX * (turn + 1), index)
        triangle, met = _meet(at, buffer, ray, carried.pdf, draw)
        r, g, b = carried.r * met.r, carried.g * met.g, carried.b * met.b
        through = one
        if misty:
            through = way_through(medium, ray, met.far)
            if bounces > 0 or scatterings > 0 or many:
                # What reaches a surface by way of the air is multiple scattering where nothing else is.
                share = medium[MULTIPLE] if bounces == 0 and scatterings == 0 else one
                _add_air(at, buffer, medium, ray, met.far, (r, g, b), share, draw, worth_all, target, pixel)
        front = True
        if triangle >= 0:
            found = _surface_met(at, triangle, met, ray)
            front = found.front
        if carried.pdf != FROM_AIR:
            end = End(triangle, met.u, met.v, front, met.far, through)
            _cr, _cg, _cb, mr, mg, mb, pdf, left = carried
            gather_hit(at, medium, ray, end, Carried(r, g, b, mr, mg, mb, pdf, left), target, pixel, picked)
        if many and through < one:
            stop, choose = _pair(draw, _D_STOP)
            if stop >= through:
                # Stopped in the air, as often as light is.
                scatterings += 1
                on, ray, r, g, b = _scattered_on(
                    at, medium, ray, met.far, through, (r, g, b), scatterings, draw, stop, choose
                )
                if not on:
                    break
                carried = Carried(r, g, b, one, one, one, FROM_AIR, np.int64(-1))
                continue
            through = one
        # Past the last bounce a ray only meets light; it gathers none of its own.
        if triangle < 0 or surfaces > bounces:
            break
        rgb = (r * through, g * through, b * through)
        number = object_at(at.scene, triangle) if triangle < at.scene.faces.shape[0] else np.int64(-1)
        spot = spot_on(ray, met.far, found, number)
        surfaces += 1
        if met.mirrors:
            ray, carried = _mirrored_on(ray, found, spot, rgb, scatterings > 0)
            continue
        picked = True
        if scatterings > 0:
            found = _softened(found)
        facing = facing_of(found)
        viewed = viewed_from(found, facing, ray.dx, ray.dy, ray.dz)
        seen = seen_from(at.scene.energy, at.scene.mean_coat, viewed)
        partner = surfaces <= last
        _add_surface(at, buffer, medium, spot, facing, viewed, seen, rgb, partner, draw, worth_all, (target, pixel))
        if not partner:
            break
        on, ray, carried = _reflected_on(at, spot, facing, viewed, seen, rgb, draw)
        if not on:
            break


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def follow_chunk(at, mist, even, bounces, index, pixels, onward, layers):
    """Follow the paths ``onward`` (2 n, ONWARD) of ``pixels`` (n,) and add what they find to ``layers``.

    Of each two the first began at a surface and adds to the surface part, the second in the air and to the air part,
    and goes through ``even``, the medium without patches. Those not set out (`set_out`) are passed over. They end
    after ``bounces``.
    """
    memory = ray_buffer()
    buffer = aligned(memory)
    at = borrow_setting(at)
    surface, air = layer_pool(layers.surface), layer_pool(layers.air)
    mist, even, onward = floats(mist), floats(even), float_rows(onward, ONWARD)
    for i in range(2 * pixels.shape[0]):
        if onward[i, GOES] > f32(0.0):
            in_air = (i & 1) == 1
            medium, target = even if in_air else mist, air if in_air else surface
            _follow(at, buffer, medium, bounces, pixels[i >> 1], in_air, index, onward[i], target)
    memory[0] = f32(0.0)  # keeps the buffer alive to here
