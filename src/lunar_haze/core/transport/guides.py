"""What the picture shows, apart from any light: guides for the denoiser, and answers to a click."""

import numba as nb
import numpy as np

from lunar_haze.core.transport.borrow import borrow_scene, float_rows, floats
from lunar_haze.core.transport.camera_row import LENS_RADIUS
from lunar_haze.core.transport.embree import CLEAR, SOLID, aligned, intersect, ray_buffer
from lunar_haze.core.transport.sampling import combine, sample_pair
from lunar_haze.core.transport.scene import BLEND, CUTOFF
from lunar_haze.core.transport.surfaces import (
    FAR,
    MAX_CLEAR_LAYERS,
    clear_passage,
    material_at,
    object_at,
    ray_epsilon,
    surface_at,
)
from lunar_haze.core.transport.view import lens_ray, pixel_middle, tent

f32, u32 = np.float32, np.uint32
#: Depth of a pixel that sees the sky [m]: finite, since kernels compiled for speed must not meet infinities.
SKY_DEPTH = f32(1e6)
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
# Columns of what looks through a pixel have found: sums of albedo (3) and normal (3), how many looks, and whether a
# surface that is partly there was among it: paths draw whether they stop at it, and chance is no guide.
ALBEDO, NORMAL, COUNT, VEILED = 0, 3, 6, 7
LOOKS = 8


@_jit
def _add_surface(row, share, r, g, b, nx, ny, nz):
    """Add a ``share`` of a look that found a surface: its reflectance rgb and its shading normal."""
    row[ALBEDO] += share * min(r, f32(1.0))
    row[ALBEDO + 1] += share * min(g, f32(1.0))
    row[ALBEDO + 2] += share * min(b, f32(1.0))
    row[NORMAL] += share * nx
    row[NORMAL + 1] += share * ny
    row[NORMAL + 2] += share * nz


@_jit
def _add_sky(row, share):
    """Add a ``share`` of a look that found the sky: an albedo of one tells that nothing is to be divided out."""
    row[ALBEDO] += share
    row[ALBEDO + 1] += share
    row[ALBEDO + 2] += share


@_jit
def look_at_surface(looks, pixel, r, g, b, nx, ny, nz):
    """Add what the path of a pixel found, where it was not drawn: a surface's reflectance rgb and shading normal."""
    row = looks[pixel]
    if row[VEILED] == f32(0.0):
        _add_surface(row, f32(1.0), r, g, b, nx, ny, nz)
        row[COUNT] += f32(1.0)


@_jit
def look_at_sky(looks, pixel):
    """Add that the path of a pixel found the sky, where that was not drawn."""
    row = looks[pixel]
    if row[VEILED] == f32(0.0):
        _add_sky(row, f32(1.0))
        row[COUNT] += f32(1.0)


@_jit
def _look(s, ray, row, ox, oy, oz, dx, dy, dz):
    """Look once: ``row`` of looks gets what lies along a ray by the share that is seen of it, and it is told what most
    of the look stops at (panes of glass count as open): (triangle or -1, distance, u, v).
    """
    near, left, one = f32(0.0), f32(1.0), f32(1.0)
    seen, seen_t, seen_u, seen_v = np.int64(-1), FAR, f32(0.0), f32(0.0)
    row[COUNT] += one
    for _ in range(MAX_CLEAR_LAYERS):
        prim, geometry, t, u, v = intersect(s.handle, ray, ox, oy, oz, dx, dy, dz, near, FAR, SOLID | CLEAR)
        if prim < 0:
            break
        triangle, stopped = prim, one
        if geometry != 0:
            triangle = prim + s.solid_count
            kind = s.materials[material_at(s, triangle)]
            stopped = f32(0.0)
            if kind[CUTOFF] > f32(0.0) or kind[BLEND] > f32(0.0):
                stopped = clear_passage(s, triangle, u, v, dx, dy, dz)[4]
        if stopped > f32(0.0):
            _gx, _gy, _gz, nx, ny, nz, r, g, b, _metallic, _roughness, _front = surface_at(
                s, triangle, u, v, dx, dy, dz
            )
            _add_surface(row, left * stopped, r, g, b, nx, ny, nz)
            left *= one - stopped
            if stopped < one:
                row[VEILED] = one
            if seen < 0 and stopped >= f32(0.5):
                seen, seen_t, seen_u, seen_v = triangle, t, u, v
        if left <= f32(0.0):
            break
        near = t + ray_epsilon(ox + t * dx, oy + t * dy, oz + t * dz)
    _add_sky(row, left)
    return seen, seen_t, seen_u, seen_v


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def guide_chunk(s, camera, index, width, pixels, looks, depth, owner, ground):
    """Look once through each of ``pixels`` (n,), for the guides; look 0 is the pixel's centre and answers clicks.

    ``looks``, ``depth``, ``owner`` and ``ground`` are those of `Guides`.
    """
    memory = ray_buffer()
    ray = aligned(memory)
    s, camera = borrow_scene(s), floats(camera)
    looks, ground = float_rows(looks, LOOKS), float_rows(ground, 3)
    for i in range(pixels.shape[0]):
        pixel = pixels[i]
        x, y = pixel_middle(pixel, width)
        lu, lv = f32(0.0), f32(0.0)
        if index > 0:
            seed = combine(u32(pixel), u32(0x2C1B3C6D))
            ju, jv = sample_pair(seed, 0, index)
            x, y = x + tent(ju), y + tent(jv)
            if camera[LENS_RADIUS] > f32(0.0):
                lu, lv = sample_pair(seed, 1, index)
        ox, oy, oz, dx, dy, dz = lens_ray(camera, x, y, lu, lv)
        triangle, t, u, v = _look(s, ray, looks[pixel], ox, oy, oz, dx, dy, dz)
        if index == 0 and triangle < 0:
            depth[pixel] = SKY_DEPTH
            owner[pixel, 0] = -1
            owner[pixel, 1] = -1
        elif index == 0:
            gx, gy, gz = surface_at(s, triangle, u, v, dx, dy, dz)[:3]
            depth[pixel] = t
            owner[pixel, 0] = object_at(s, triangle)
            owner[pixel, 1] = material_at(s, triangle)
            ground[pixel, 0] = gx
            ground[pixel, 1] = gy
            ground[pixel, 2] = gz
    memory[0] = f32(0.0)  # keeps the buffer alive to here
