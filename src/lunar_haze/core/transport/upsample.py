"""A small picture laid out large along the edges that the lens sees.

Joint bilateral upsampling (Kopf, Cohen, Lischinski & Uyttendaele 2007, ACM TOG 26(3), 96): small pixels count as far
as they are near, and see a surface of the same distance and direction. What is laid out is light over reflectance,
so that textures and leaves have the sharpness of the large picture's own guides.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from lunar_haze.core.units.fast_math import exp

f32 = np.float32
#: How alike distances (as a share) and normals (as a difference) are to be.
_NEAR, _ALIKE = f32(0.08), f32(0.35)
#: Reflectance below which light is not divided by it.
_LEAST = f32(0.06)
#: How much brighter than the brightest small pixel about it a pixel may be.
_MOST = f32(1.1)
#: How much brighter than half of those about it a small pixel may be: a lamp in it is no disc as large as it.
_LAMP = 4.0


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _lay_out(small, small_albedo, small_normal, small_depth, albedo, normal, depth, out):
    height, width, rows, columns = out.shape[0], out.shape[1], small.shape[0], small.shape[1]
    up, along = f32(rows) / f32(height), f32(columns) / f32(width)
    for y in nb.prange(height):
        sy = (f32(y) + f32(0.5)) * up - f32(0.5)
        j0 = int(math.floor(sy)) - 1
        for x in range(width):
            sx = (f32(x) + f32(0.5)) * along - f32(0.5)
            i0 = int(math.floor(sx)) - 1
            total, plain = f32(1e-12), f32(1e-12)
            r, g, b, pr, pg, pb = f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0)
            hr, hg, hb = f32(0.0), f32(0.0), f32(0.0)
            far = depth[y, x]
            for dj in range(4):
                j = min(max(j0 + dj, 0), rows - 1)
                for di in range(4):
                    i = min(max(i0 + di, 0), columns - 1)
                    ey, ex = f32(j0 + dj) - sy, f32(i0 + di) - sx
                    # Over two small pixels, so that no square of them shows.
                    near = exp(f32(-0.9) * (ey * ey + ex * ex))
                    nx = normal[y, x, 0] - small_normal[j, i, 0]
                    ny = normal[y, x, 1] - small_normal[j, i, 1]
                    nz = normal[y, x, 2] - small_normal[j, i, 2]
                    apart = (far - small_depth[j, i]) / (f32(0.5) * (far + small_depth[j, i]) * _NEAR)
                    turned = (nx * nx + ny * ny + nz * nz) / (_ALIKE * _ALIKE)
                    w = near * exp(f32(-0.5) * min(apart * apart + turned, f32(60.0))) + near * f32(1e-6)
                    total += w
                    r += w * small[j, i, 0] / max(small_albedo[j, i, 0], _LEAST)
                    g += w * small[j, i, 1] / max(small_albedo[j, i, 1], _LEAST)
                    b += w * small[j, i, 2] / max(small_albedo[j, i, 2], _LEAST)
                    plain += near
                    pr += near * small[j, i, 0]
                    pg += near * small[j, i, 1]
                    pb += near * small[j, i, 2]
                    hr = max(hr, small[j, i, 0])
                    hg = max(hg, small[j, i, 1])
                    hb = max(hb, small[j, i, 2])
            # Where nothing like it was seen, as it lies round about.
            known = min(total / (plain * f32(0.02)), f32(1.0))
            lone = f32(1.0) - known
            # Light of the air is not the surface's: no brighter than what was seen about here.
            out[y, x, 0] = min(known * r / total * max(albedo[y, x, 0], _LEAST) + lone * pr / plain, _MOST * hr)
            out[y, x, 1] = min(known * g / total * max(albedo[y, x, 1], _LEAST) + lone * pg / plain, _MOST * hg)
            out[y, x, 2] = min(known * b / total * max(albedo[y, x, 2], _LEAST) + lone * pb / plain, _MOST * hb)


def lay_out(
    small: NDArray[np.float32], small_guides: tuple[NDArray, NDArray, NDArray],
    guides: tuple[NDArray, NDArray, NDArray], out: NDArray[np.float32],
) -> None:  # fmt: skip
    """Lay ``small`` (h, w, 3) out as ``out`` (H, W, 3); guides are albedo, normal (…, 3) and depth (…) [m] of each."""
    light = small.sum(-1)
    held = np.minimum(_LAMP * median_filter(light, 5) / np.maximum(light, 1e-30), 1.0).astype(np.float32)
    _lay_out(np.ascontiguousarray(small * held[..., None], np.float32), *small_guides, *guides, out)
