"""A small picture laid out large along the edges that the lens sees.

Joint bilateral upsampling (Kopf, Cohen, Lischinski & Uyttendaele 2007, ACM TOG 26(3), 96): small pixels count as far
as they are near, and see a surface of the same distance and direction. What is laid out is light over reflectance,
so that textures and leaves have the sharpness of the large picture's own guides.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import minimum_filter

from lunar_haze.core.units.shapes import entry

f32 = np.float32
#: How alike distances (as a share) and normals (as a difference) are to be.
_NEAR, _ALIKE = f32(0.08), f32(0.35)
#: Reflectance below which light is not divided by it.
_LEAST = f32(0.06)
#: How much brighter than the brightest small pixel about it a pixel may be.
_MOST = f32(1.1)
#: How much brighter than half of those about it a small pixel may be: a lamp in it is no disc as large as it.
_LAMP = 4.0


@entry(
    small="j i 3 f4", bare="j i 3 f4", small_normal="j i 3 f4", small_depth="j i f4", albedo="h w 3 f4",
    normal="h w 3 f4", depth="h w f4", out="h w 3 f4",
)  # fmt: skip
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _lay_out(small, bare, small_normal, small_depth, albedo, normal, depth, out):
    """``small`` (h, w, 3) and its light over reflectance ``bare`` laid out as ``out`` (H, W, 3)."""
    height, width, rows, columns = out.shape[0], out.shape[1], small.shape[0], small.shape[1]
    up, along = f32(rows) / f32(height), f32(columns) / f32(width)
    half, one = f32(0.5), f32(1.0)
    alike = one / (_ALIKE * _ALIKE)
    for y in nb.prange(height):
        sy = (f32(y) + half) * up - half
        j0 = int(math.floor(sy + half))
        ty = sy - f32(j0)
        for x in range(width):
            sx = (f32(x) + half) * along - half
            i0 = int(math.floor(sx + half))
            tx = sx - f32(i0)
            total, plain = f32(1e-12), f32(1e-12)
            r, g, b, pr, pg, pb = f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0), f32(0.0)
            hr, hg, hb = f32(0.0), f32(0.0), f32(0.0)
            far = depth[y, x]
            nearness = one / (far * _NEAR)
            for dj in range(3):
                j = min(max(j0 + dj - 1, 0), rows - 1)
                # A quadratic spline over three small pixels, so that no square of them shows.
                wy = (
                    half * (half - ty) ** 2
                    if dj == 0
                    else (f32(0.75) - ty * ty if dj == 1 else half * (half + ty) ** 2)
                )
                for di in range(3):
                    i = min(max(i0 + di - 1, 0), columns - 1)
                    wx = (
                        half * (half - tx) ** 2
                        if di == 0
                        else (f32(0.75) - tx * tx if di == 1 else half * (half + tx) ** 2)
                    )
                    near = wy * wx
                    nx = normal[y, x, 0] - small_normal[j, i, 0]
                    ny = normal[y, x, 1] - small_normal[j, i, 1]
                    nz = normal[y, x, 2] - small_normal[j, i, 2]
                    apart = (far - small_depth[j, i]) * nearness
                    unlike = one + apart * apart + (nx * nx + ny * ny + nz * nz) * alike
                    w = near / (unlike * unlike)
                    total += w
                    r += w * bare[j, i, 0]
                    g += w * bare[j, i, 1]
                    b += w * bare[j, i, 2]
                    plain += near
                    pr += near * small[j, i, 0]
                    pg += near * small[j, i, 1]
                    pb += near * small[j, i, 2]
                    hr = max(hr, small[j, i, 0])
                    hg = max(hg, small[j, i, 1])
                    hb = max(hb, small[j, i, 2])
            # Where nothing like it was seen, as it lies round about.
            known = min(total / (plain * f32(0.04)), one)
            bent, lone = known / total, (one - known) / plain
            # Light of the air is not the surface's: no brighter than what was seen about here.
            out[y, x, 0] = min(bent * r * max(albedo[y, x, 0], _LEAST) + lone * pr, _MOST * hr)
            out[y, x, 1] = min(bent * g * max(albedo[y, x, 1], _LEAST) + lone * pg, _MOST * hg)
            out[y, x, 2] = min(bent * b * max(albedo[y, x, 2], _LEAST) + lone * pb, _MOST * hb)


def _held(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """What light (h, w) is multiplied by so that no pixel outshines the median of the 5 by 5 about it too far."""
    held = np.ones_like(light)
    # The median is asked for only where it can matter: it is no less than the least of them.
    rows, columns = np.nonzero(light > _LAMP * minimum_filter(light, 5))
    edged = np.lib.stride_tricks.sliding_window_view(np.pad(light, 2, mode="symmetric"), (5, 5))
    middle = np.median(edged[rows, columns].reshape(-1, 25), 1)
    held[rows, columns] = np.minimum(_LAMP * middle / np.maximum(light[rows, columns], 1e-30), 1.0)
    return held


def lay_out(
    small: NDArray[np.float32],
    small_guides: tuple[NDArray, NDArray, NDArray],
    guides: tuple[NDArray, NDArray, NDArray],
    out: NDArray[np.float32],
) -> None:
    """Lay ``small`` (h, w, 3) out as ``out`` (H, W, 3); guides are albedo, normal (…, 3) and depth (…) [m] of each."""
    small = np.ascontiguousarray(small * _held(small.sum(-1))[..., None], np.float32)
    albedo, normal, depth = small_guides
    _lay_out(small, small / np.maximum(albedo, _LEAST), normal, depth, *guides, out)
