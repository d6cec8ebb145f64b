"""What a ray finds at a surface: texture lookups, shading frames, passage through the clear."""

import math
from typing import Any, NamedTuple

import numba as nb
import numpy as np

from lunar_haze.core.transport.embree import CLEAR, SOLID, intersect, occluded
from lunar_haze.core.transport.sampling import random_pair
from lunar_haze.core.transport.scene import (
    BASE_B,
    BASE_G,
    BASE_R,
    BLEND,
    CARD_AT,
    CARD_AXIS,
    CARD_HALF_H,
    CARD_HALF_W,
    CARD_PATTERN,
    CARD_REFLECTS,
    CARD_SIDE,
    CARD_UP,
    COLOURED,
    CUTOFF,
    EMIT_B,
    EMIT_G,
    EMIT_R,
    MATERIAL,
    METALLIC,
    NORMAL,
    OBJECT,
    ROUGHNESS,
    TEX_BASE,
    TEX_EMIT,
    TEX_NORMAL,
    TEX_ROUGH,
    TWO_SIDED,
    UV,
)
from lunar_haze.core.transport.scene import CLEAR as CLEAR_COLUMN
from lunar_haze.core.units.fast_math import floor

f32, i32, u32, u64 = np.float32, np.int32, np.uint32, np.uint64
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
MAX_CLEAR_LAYERS = 24
FAR = f32(1e5)


@_jit
def ray_epsilon(x, y, z):
    """Offset [m] that clears float32 rounding of a hit point at x, y, z."""
    return f32(1.5e-4) + f32(3e-6) * max(abs(x), max(abs(y), abs(z)))


@_jit
def _footprint(s, texture, u, v):
    """Numbers of the four texels about u, v of a repeating texture, and how far it lies between them: (4, fx, fy)."""
    k = u32(texture)
    offset, width, height = s.texture_info[k, 0], i32(s.texture_info[k, 1]), i32(s.texture_info[k, 2])
    x = (u - f32(floor(u))) * f32(width) - f32(0.5)
    y = (v - f32(floor(v))) * f32(height) - f32(0.5)
    x0, y0 = floor(x), floor(y)
    fx, fy = x - f32(x0), y - f32(y0)
    # x0 lies between -1 and width - 1: wrapping needs no division.
    x1, y1 = (x0 + 1 if x0 + 1 < width else 0), (y0 + 1 if y0 + 1 < height else 0)
    x0, y0 = (x0 if x0 >= 0 else width - 1), (y0 if y0 >= 0 else height - 1)
    low, high = offset + y0 * width, offset + y1 * width
    return u64(low + x0), u64(low + x1), u64(high + x0), u64(high + x1), fx, fy


@_jit
def _add_texel(s, at, w, r, g, b, a, colour):
    """rgba with ``w`` of a texel added: colours in linear light, others as stored."""
    word = s.texels[at]
    red, green, blue = u32(word & u32(255)), u32((word >> u32(8)) & u32(255)), u32((word >> u32(16)) & u32(255))
    a += w * f32(u32(word >> u32(24)))
    if colour:
        return r + w * s.decode[red], g + w * s.decode[green], b + w * s.decode[blue], a
    return r + w * f32(red), g + w * f32(green), b + w * f32(blue), a


@_jit
def texel(s, texture, u, v):
    """Bilinear RGBA of a repeating texture; colour ones in linear ACEScg, others as stored in [0, 1]."""
    colour = s.texture_info[u32(texture), 3] != 0
    at00, at10, at01, at11, fx, fy = _footprint(s, texture, u, v)
    r, g, b, a = f32(0.0), f32(0.0), f32(0.0), f32(0.0)
    r, g, b, a = _add_texel(s, at00, (f32(1.0) - fx) * (f32(1.0) - fy), r, g, b, a, colour)
    r, g, b, a = _add_texel(s, at10, fx * (f32(1.0) - fy), r, g, b, a, colour)
    r, g, b, a = _add_texel(s, at01, (f32(1.0) - fx) * fy, r, g, b, a, colour)
    r, g, b, a = _add_texel(s, at11, fx * fy, r, g, b, a, colour)
    a *= f32(1 / 255)
    if colour:
        m = s.to_acescg
        return (
            m[0, 0] * r + m[0, 1] * g + m[0, 2] * b,
            m[1, 0] * r + m[1, 1] * g + m[1, 2] * b,
            m[2, 0] * r + m[2, 1] * g + m[2, 2] * b,
            a,
        )
    return r * f32(1 / 255), g * f32(1 / 255), b * f32(1 / 255), a


@_jit
def _alpha(s, texture, u, v):
    """Bilinear alpha [0, 1] of a repeating texture."""
    at00, at10, at01, at11, fx, fy = _footprint(s, texture, u, v)
    a00, a10 = f32(u32(s.texels[at00] >> u32(24))), f32(u32(s.texels[at10] >> u32(24)))
    a01, a11 = f32(u32(s.texels[at01] >> u32(24))), f32(u32(s.texels[at11] >> u32(24)))
    low, high = a00 + fx * (a10 - a00), a01 + fx * (a11 - a01)
    return (low + fy * (high - low)) * f32(1 / 255)


@_jit
def corners(s, triangle):
    """Numbers of the three corners of a triangle."""
    k = u32(triangle)
    return s.faces[k, 0], s.faces[k, 1], s.faces[k, 2]


@_jit
def material_at(s, triangle):
    """Number of the material that a triangle wears."""
    return s.faces[u32(triangle), MATERIAL]


@_jit
def object_at(s, triangle):
    """Number of the object that a triangle belongs to."""
    return np.int64(s.faces[u32(triangle), OBJECT])


@_jit
def edges(s, i0, i1, i2):
    """The two edges (3 each) of a triangle of corners ``i0``, ``i1``, ``i2`` from the first of them [m]."""
    p = s.vertices
    x, y, z = p[i0, 0], p[i0, 1], p[i0, 2]
    return p[i1, 0] - x, p[i1, 1] - y, p[i1, 2] - z, p[i2, 0] - x, p[i2, 1] - y, p[i2, 2] - z


@_jit
def uv_at(s, triangle, u, v):
    """Texture coordinates at barycentric u, v of a triangle."""
    i0, i1, i2 = corners(s, triangle)
    w = f32(1.0) - u - v
    p = s.vertices
    return (w * p[i0, UV] + u * p[i1, UV] + v * p[i2, UV], w * p[i0, UV + 1] + u * p[i1, UV + 1] + v * p[i2, UV + 1])


@_jit
def schlick_pane(cos_i):
    """Reflectance of a thin pane (two faces of glass) at ``cos_i``, the cosine of incidence."""
    c = f32(1.0) - min(cos_i, f32(1.0))
    once = f32(0.04) + f32(0.96) * c * c * c * c * c
    return f32(2.0) * once / (f32(1.0) + once)


@_jit
def colour_at(s, triangle, u, v):
    """Vertex colour (4) at barycentric u, v of a triangle: linear ACEScg and alpha."""
    i0, i1, i2 = corners(s, triangle)
    r, g, b, a = f32(0.0), f32(0.0), f32(0.0), f32(0.0)
    for corner in range(3):
        word = s.colours[i0 if corner == 0 else (i1 if corner == 1 else i2)]
        w = f32(1.0) - u - v if corner == 0 else (u if corner == 1 else v)
        r += w * s.decode[u32(word & u32(255))]
        g += w * s.decode[u32((word >> u32(8)) & u32(255))]
        b += w * s.decode[u32((word >> u32(16)) & u32(255))]
        a += w * f32(u32(word >> u32(24))) * f32(1 / 255)
    m = s.to_acescg
    return (
        m[0, 0] * r + m[0, 1] * g + m[0, 2] * b,
        m[1, 0] * r + m[1, 1] * g + m[1, 2] * b,
        m[2, 0] * r + m[2, 1] * g + m[2, 2] * b,
        a,
    )


@_jit
def clear_passage(s, triangle, u, v, dx, dy, dz):
    """What a clear triangle does to a straight ray: (share mirrored, rgb let through, share stopped).

    Cut-outs let all or nothing through, what is partly there lets the rest by; glass lets its tint through, less
    what it mirrors, and what it is not clear enough for is stopped.
    """
    zero, one = f32(0.0), f32(1.0)
    material = material_at(s, triangle)
    row = s.materials[material]
    texture = s.textures_of[material, TEX_BASE]
    tu, tv = uv_at(s, triangle, u, v) if texture >= 0 else (zero, zero)
    if row[CUTOFF] > zero or row[BLEND] > zero:
        alpha = _alpha(s, texture, tu, tv) if texture >= 0 else one
        if row[COLOURED] > zero:
            alpha *= colour_at(s, triangle, u, v)[3]
        if row[CUTOFF] > zero:
            open_here = one if alpha < row[CUTOFF] else zero
        else:
            open_here = one - min(alpha * row[BLEND], one)
        return zero, open_here, open_here, open_here, one - open_here
    r, g, b = f32(1.0), f32(1.0), f32(1.0)
    if texture >= 0:
        r, g, b, _a = texel(s, texture, tu, tv)
    ax, ay, az, bx, by, bz = edges(s, *corners(s, triangle))
    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    cos_i = abs(nx * dx + ny * dy + nz * dz) / max(f32(math.sqrt(nx * nx + ny * ny + nz * nz)), f32(1e-20))
    mirrors = schlick_pane(cos_i)
    k = row[CLEAR_COLUMN] * (one - mirrors)
    stopped = (one - row[CLEAR_COLUMN]) * (one - mirrors)
    return mirrors, k * row[BASE_R] * r, k * row[BASE_G] * g, k * row[BASE_B] * b, stopped


@_jit
def pattern_at(image, x, y):
    """Bilinear share of light that a pattern, ``image`` (n, n), lets through at x, y in [-1, 1]; its edge goes on
    outside.
    """
    size = image.shape[0]
    px = min(max((x + f32(1.0)) * f32(0.5) * f32(size) - f32(0.5), f32(0.0)), f32(size) - f32(1.001))
    py = min(max((y + f32(1.0)) * f32(0.5) * f32(size) - f32(0.5), f32(0.0)), f32(size) - f32(1.001))
    i, j = int(py), int(px)
    fy, fx = py - f32(i), px - f32(j)
    low = image[i, j] + fx * (image[i, j + 1] - image[i, j])
    high = image[i + 1, j] + fx * (image[i + 1, j + 1] - image[i + 1, j])
    return low + fy * (high - low)


@_jit
def _card_met(s, card, ox, oy, oz, dx, dy, dz, far):
    """(distance, share let through) where a ray meets a card before ``far``; a distance below zero for a miss."""
    row = s.cards[card]
    miss = f32(-1.0)
    facing = dx * row[CARD_AXIS] + dy * row[CARD_AXIS + 1] + dz * row[CARD_AXIS + 2]
    if abs(facing) < f32(1e-6):
        return miss, f32(1.0)
    cx, cy, cz = row[CARD_AT] - ox, row[CARD_AT + 1] - oy, row[CARD_AT + 2] - oz
    t = (cx * row[CARD_AXIS] + cy * row[CARD_AXIS + 1] + cz * row[CARD_AXIS + 2]) / facing
    if t <= ray_epsilon(ox, oy, oz) or t >= far:
        return miss, f32(1.0)
    qx, qy, qz = t * dx - cx, t * dy - cy, t * dz - cz
    x = (qx * row[CARD_SIDE] + qy * row[CARD_SIDE + 1] + qz * row[CARD_SIDE + 2]) / row[CARD_HALF_W]
    y = (qx * row[CARD_UP] + qy * row[CARD_UP + 1] + qz * row[CARD_UP + 2]) / row[CARD_HALF_H]
    if abs(x) > f32(1.0) or abs(y) > f32(1.0):
        return miss, f32(1.0)
    if row[CARD_PATTERN] < f32(0.0):
        return t, f32(0.0)
    return t, pattern_at(s.card_patterns[int(row[CARD_PATTERN])], x, y)


@_jit
def cards_passage(s, ox, oy, oz, dx, dy, dz, far):
    """Share of light that the cards let through from the origin to ``far``."""
    share = f32(1.0)
    for card in range(s.cards.shape[0]):
        t, through = _card_met(s, card, ox, oy, oz, dx, dy, dz, far)
        if t > f32(0.0):
            share *= through
    return share


@_jit
def nearest_card(s, ray, seed, dimension, index):
    """(card or -1, distance) of the first card that stops a ray; chance decides where a pattern is half open."""
    ox, oy, oz, dx, dy, dz = ray
    found, far = -1, FAR
    for card in range(s.cards.shape[0]):
        t, through = _card_met(s, card, ox, oy, oz, dx, dy, dz, far)
        if t > f32(0.0):
            lot, _other = random_pair(seed, dimension + card, index)
            if lot >= through:
                found, far = card, t
    return found, far


class SurfacePoint(NamedTuple):
    """Shading at a point of a surface: geometric and shading normal, base rgb, metallic, roughness.

    Both normals face the viewer; ``front`` tells whether the true front side is seen.
    """

    gx: Any
    gy: Any
    gz: Any
    nx: Any
    ny: Any
    nz: Any
    r: Any
    g: Any
    b: Any
    metallic: Any
    roughness: Any
    front: Any


@_jit
def card_surface(s, card, dx, dy, dz):
    """The `SurfacePoint` of a card that is looked at along unit d: matte, alike from both sides."""
    row = s.cards[card]
    nx, ny, nz = row[CARD_AXIS], row[CARD_AXIS + 1], row[CARD_AXIS + 2]
    if nx * dx + ny * dy + nz * dz > f32(0.0):
        nx, ny, nz = -nx, -ny, -nz
    r, g, b = row[CARD_REFLECTS], row[CARD_REFLECTS + 1], row[CARD_REFLECTS + 2]
    return SurfacePoint(nx, ny, nz, nx, ny, nz, r, g, b, f32(0.0), f32(1.0), True)


@_jit
def shadow(s, ray, ox, oy, oz, dx, dy, dz, far):
    """Share of light rgb that passes from the origin to distance ``far`` along a unit direction."""
    zero = f32(0.0)
    r, g, b = f32(1.0), f32(1.0), f32(1.0)
    if s.cards.shape[0] > 0:
        r = cards_passage(s, ox, oy, oz, dx, dy, dz, far)
        if r <= zero:
            return zero, zero, zero
        g, b = r, r
    if s.clear_count == 0:
        if occluded(s.handle, ray, ox, oy, oz, dx, dy, dz, zero, far, SOLID):
            return zero, zero, zero
        return r, g, b
    # One walk through both kinds: most rays are open, and an open ray costs the same either way.
    near = zero
    for _ in range(MAX_CLEAR_LAYERS):
        prim, geometry, t, u, v = intersect(s.handle, ray, ox, oy, oz, dx, dy, dz, near, far, SOLID | CLEAR)
        if prim < 0:
            return r, g, b
        if geometry == 0:
            return zero, zero, zero
        _mirrors, tr, tg, tb, _stopped = clear_passage(s, prim + s.solid_count, u, v, dx, dy, dz)
        r, g, b = r * tr, g * tg, b * tb
        if r + g + b <= f32(1e-6):
            return zero, zero, zero
        near = t + ray_epsilon(ox + t * dx, oy + t * dy, oz + t * dz)
    return zero, zero, zero


@_jit
def surface_at(s, triangle, u, v, dx, dy, dz):
    """The `SurfacePoint` at barycentric u, v of a triangle that is looked at along unit d."""
    i0, i1, i2 = corners(s, triangle)
    p = s.vertices
    ax, ay, az, bx, by, bz = edges(s, i0, i1, i2)
    gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    k = f32(1.0) / max(f32(math.sqrt(gx * gx + gy * gy + gz * gz)), f32(1e-30))
    gx, gy, gz = gx * k, gy * k, gz * k
    front = gx * dx + gy * dy + gz * dz < f32(0.0)
    w = f32(1.0) - u - v
    nx = w * p[i0, NORMAL] + u * p[i1, NORMAL] + v * p[i2, NORMAL]
    ny = w * p[i0, NORMAL + 1] + u * p[i1, NORMAL + 1] + v * p[i2, NORMAL + 1]
    nz = w * p[i0, NORMAL + 2] + u * p[i1, NORMAL + 2] + v * p[i2, NORMAL + 2]
    length = f32(math.sqrt(nx * nx + ny * ny + nz * nz))
    if length < f32(1e-6):
        nx, ny, nz, length = gx, gy, gz, f32(1.0)
    nx, ny, nz = nx / length, ny / length, nz / length
    if nx * gx + ny * gy + nz * gz < f32(0.0):
        nx, ny, nz = -nx, -ny, -nz

    material = material_at(s, triangle)
    row = s.materials[material]
    r, g, b = row[BASE_R], row[BASE_G], row[BASE_B]
    metallic, roughness = row[METALLIC], row[ROUGHNESS]
    if row[COLOURED] > f32(0.0):
        tr, tg, tb, _a = colour_at(s, triangle, u, v)
        r, g, b = r * tr, g * tg, b * tb
    base_texture = s.textures_of[material, TEX_BASE]
    rough_texture = s.textures_of[material, TEX_ROUGH]
    normal_texture = s.textures_of[material, TEX_NORMAL]
    if base_texture >= 0 or rough_texture >= 0 or normal_texture >= 0:
        tu, tv = uv_at(s, triangle, u, v)
        if base_texture >= 0:
            tr, tg, tb, _a = texel(s, base_texture, tu, tv)
            r, g, b = r * tr, g * tg, b * tb
        if rough_texture >= 0:
            _r, tg, tb, _a = texel(s, rough_texture, tu, tv)
            roughness, metallic = roughness * tg, metallic * tb
        if normal_texture >= 0:
            mx, my, mz, _a = texel(s, normal_texture, tu, tv)
            mx, my, mz = f32(2.0) * mx - f32(1.0), f32(2.0) * my - f32(1.0), f32(2.0) * mz - f32(1.0)
            du1, dv1 = p[i1, UV] - p[i0, UV], p[i1, UV + 1] - p[i0, UV + 1]
            du2, dv2 = p[i2, UV] - p[i0, UV], p[i2, UV + 1] - p[i0, UV + 1]
            det = du1 * dv2 - du2 * dv1
            if abs(det) > f32(1e-20):
                tx, ty, tz = (ax * dv2 - bx * dv1) / det, (ay * dv2 - by * dv1) / det, (az * dv2 - bz * dv1) / det
                along = tx * nx + ty * ny + tz * nz
                tx, ty, tz = tx - along * nx, ty - along * ny, tz - along * nz
                k = f32(1.0) / max(f32(math.sqrt(tx * tx + ty * ty + tz * tz)), f32(1e-20))
                tx, ty, tz = tx * k, ty * k, tz * k
                # glTF: the bitangent completes the frame; v runs down the picture, so it is -dp/dv.
                sign = f32(1.0) if det < f32(0.0) else f32(-1.0)
                cx, cy, cz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
                cx, cy, cz = cx * sign, cy * sign, cz * sign
                nx, ny, nz = mx * tx + my * cx + mz * nx, mx * ty + my * cy + mz * ny, mx * tz + my * cz + mz * nz
                k = f32(1.0) / max(f32(math.sqrt(nx * nx + ny * ny + nz * nz)), f32(1e-20))
                nx, ny, nz = nx * k, ny * k, nz * k
    if not front:
        gx, gy, gz = -gx, -gy, -gz
        nx, ny, nz = -nx, -ny, -nz
    # A shading normal that faces away from the viewer would make the surface black: bend it back.
    facing = -(nx * dx + ny * dy + nz * dz)
    if facing < f32(0.02):
        lift = f32(0.02) - facing
        nx, ny, nz = nx - lift * dx, ny - lift * dy, nz - lift * dz
        k = f32(1.0) / f32(math.sqrt(nx * nx + ny * ny + nz * nz))
        nx, ny, nz = nx * k, ny * k, nz * k
    metallic, roughness = min(max(metallic, f32(0.0)), f32(1.0)), min(max(roughness, f32(0.03)), f32(1.0))
    r, g, b = max(r, f32(0.0)), max(g, f32(0.0)), max(b, f32(0.0))
    return SurfacePoint(gx, gy, gz, nx, ny, nz, r, g, b, metallic, roughness, front)


@_jit
def emission_at(s, triangle, u, v):
    """Colour rgb of a glowing triangle, of luminance one before its texture."""
    material = material_at(s, triangle)
    r, g, b = s.materials[material, EMIT_R], s.materials[material, EMIT_G], s.materials[material, EMIT_B]
    texture = s.textures_of[material, TEX_EMIT]
    if texture >= 0:
        tu, tv = uv_at(s, triangle, u, v)
        tr, tg, tb, _a = texel(s, texture, tu, tv)
        r, g, b = r * tr, g * tg, b * tb
    return r, g, b


@_jit
def emits_towards(s, triangle, front):
    """Whether a glowing triangle shines to the side from which it is seen, its ``front`` or its back."""
    return front or s.materials[material_at(s, triangle), TWO_SIDED] > f32(0.0)
