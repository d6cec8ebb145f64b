"""What the picture shows, apart from any light: guides for the denoiser, and answers to a click."""

import numba as nb
import numpy as np

from lunar_haze.core.transport.borrow import borrow_scene
from lunar_haze.core.transport.embree import CLEAR, SOLID, aligned, intersect, ray_buffer
from lunar_haze.core.transport.sampling import combine, sample_pair
from lunar_haze.core.transport.scene import CUTOFF
from lunar_haze.core.transport.surfaces import FAR, MAX_CLEAR_LAYERS, clear_passage, ray_epsilon, surface_at
from lunar_haze.core.transport.view import lens_ray, tent

f32, u32 = np.float32, np.uint32
#: Depth of a pixel that sees the sky [m]: finite, since kernels compiled for speed must not meet infinities.
SKY_DEPTH = f32(1e6)
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


@_jit
def _seen(s, ray, ox, oy, oz, dx, dy, dz):
    """First triangle the lens sees (panes of glass count as open): (triangle or -1, distance, u, v)."""
    near = f32(0.0)
    for _ in range(MAX_CLEAR_LAYERS):
        prim, geometry, t, u, v = intersect(s.handle, ray, ox, oy, oz, dx, dy, dz, near, FAR, SOLID | CLEAR)
        if prim < 0 or geometry == 0:
            return prim, t, u, v
        triangle = prim + s.solid_count
        if s.materials[s.material_of[triangle], CUTOFF] > f32(0.0):
            _glass, tr, _tg, _tb, _mirrors = clear_passage(s, triangle, u, v, dx, dy, dz)
            if tr <= f32(0.0):
                return triangle, t, u, v
        near = t + ray_epsilon(ox + t * dx, oy + t * dy, oz + t * dz)
    return np.int64(-1), FAR, f32(0.0), f32(0.0)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def guide_chunk(s, camera, index, width, first, last, albedo, normal, depth, owner, ground):
    """Guides of pixels first..last; sample 0 is the pixel's centre and answers clicks."""
    memory = ray_buffer()
    ray = aligned(memory)
    s = borrow_scene(s)
    for pixel in range(first, last):
        x, y = f32(pixel % width) + f32(0.5), f32(pixel // width) + f32(0.5)
        if index > 0:
            ju, jv = sample_pair(combine(u32(pixel), u32(0x2C1B3C6D)), 0, index)
            x, y = x + tent(ju), y + tent(jv)
        lu, lv = f32(0.0), f32(0.0)
        if index > 0:
            lu, lv = sample_pair(combine(u32(pixel), u32(0x2C1B3C6D)), 1, index)
        ox, oy, oz, dx, dy, dz = lens_ray(camera, x, y, lu, lv)
        triangle, t, u, v = _seen(s, ray, ox, oy, oz, dx, dy, dz)
        if triangle < 0:
            # The sky: an albedo of one tells the denoiser that nothing is to be divided out.
            for k in range(3):
                albedo[pixel, k] += f32(1.0)
            if index == 0:
                depth[pixel] = SKY_DEPTH
                owner[pixel, 0] = -1
                owner[pixel, 1] = -1
            continue
        gx, gy, gz, nx, ny, nz, r, g, b, _metallic, _roughness, _front = surface_at(s, triangle, u, v, dx, dy, dz)
        albedo[pixel, 0] += min(r, f32(1.0))
        albedo[pixel, 1] += min(g, f32(1.0))
        albedo[pixel, 2] += min(b, f32(1.0))
        normal[pixel, 0] += nx
        normal[pixel, 1] += ny
        normal[pixel, 2] += nz
        if index == 0:
            depth[pixel] = t
            owner[pixel, 0] = s.object_of[triangle]
            owner[pixel, 1] = s.material_of[triangle]
            ground[pixel, 0] = gx
            ground[pixel, 1] = gy
            ground[pixel, 2] = gz
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def guide_pass(s, camera, index, width, pixels, threads, albedo, normal, depth, owner, ground):
    """One sample of every pixel's guides, over all threads."""
    chunk = 640
    count = (pixels + chunk - 1) // chunk
    for thread in nb.prange(threads):
        for i in range(thread, count, threads):
            guide_chunk(s, camera, index, width, i * chunk, min((i + 1) * chunk, pixels), albedo, normal, depth, owner,
                        ground)  # fmt: skip
