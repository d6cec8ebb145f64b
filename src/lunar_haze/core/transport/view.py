"""Primary rays: the packed camera and its jittered pixels."""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.core.transport.sampling import uniform_disc

f32 = np.float32

#: Pixels along the side of a tile.
TILE = 32
#: Where a packed camera has the radius of its lens's opening.
LENS_RADIUS = 15


def pack_view(view: View) -> NDArray[np.float32]:
    """Camera for the kernels, (17,) float32.

    Position, right, up, forward, tan of half the width, width, height, radius of the lens's
    opening [m], distance along the axis at which it is sharp [m].
    """
    camera = view.camera
    return np.concatenate(
        [
            camera.position,
            camera.axes().ravel(),
            [camera.tan_half_width, view.width, view.height, camera.aperture_radius_m, camera.sharp_at_m],
        ]
    ).astype(np.float32)


def pixel_tiles(width: int, height: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The pixels of a picture (row-major numbers) in square tiles, and where each tile starts and the last ends.

    Within a tile they go along a Z-shaped curve.

    Rays that follow each other meet the same surfaces, which are then still near the processor
    (Morton 1966, A computer oriented geodetic data base). The tiles themselves are in no order, so
    that any run of them is spread over the whole picture.
    """
    y, x = np.mgrid[:TILE, :TILE]
    along = np.zeros((TILE, TILE), np.int64)
    for bit in range(TILE.bit_length() - 1):
        along |= ((x >> bit) & 1) << (2 * bit) | ((y >> bit) & 1) << (2 * bit + 1)
    curve = np.argsort(along, axis=None)
    x, y = x.ravel()[curve], y.ravel()[curve]
    tiles = []
    for top in range(0, height, TILE):
        for left in range(0, width, TILE):
            inside = (left + x < width) & (top + y < height)
            tiles.append((top + y[inside]) * width + left + x[inside])
    tiles = [tiles[n] for n in np.random.default_rng(0).permutation(len(tiles))]
    return np.concatenate(tiles), np.cumsum([0] + [len(tile) for tile in tiles])


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def pixel_middle(pixel, width):
    """Position x, y of the middle of a pixel from the picture's top left."""
    row = np.int64(np.uint32(pixel) // np.uint32(width))
    return f32(pixel - row * width) + f32(0.5), f32(row) + f32(0.5)


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def primary_direction(camera, x, y):
    """Unit direction through pixel position x, y from the picture's top left."""
    k = camera[12] / (f32(0.5) * camera[13])
    a = (x - f32(0.5) * camera[13]) * k
    b = (f32(0.5) * camera[14] - y) * k
    dx = camera[9] + a * camera[3] + b * camera[6]
    dy = camera[10] + a * camera[4] + b * camera[7]
    dz = camera[11] + a * camera[5] + b * camera[8]
    n = f32(1.0) / f32(math.sqrt(dx * dx + dy * dy + dz * dz))
    return dx * n, dy * n, dz * n


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def column_direction(camera, row, column, rows, columns):
    """Unit direction through the middle of a cell of a grid over the picture."""
    return primary_direction(
        camera, (f32(column) + f32(0.5)) * camera[13] / f32(columns), (f32(row) + f32(0.5)) * camera[14] / f32(rows)
    )


def view_directions(camera: NDArray[np.float32], x: NDArray, y: NDArray) -> NDArray[np.float32]:
    """Unit directions (n, 3) through pixel positions (n,), as `primary_direction`."""
    k = camera[12] / (0.5 * camera[13])
    a, b = (x - 0.5 * camera[13]) * k, (0.5 * camera[14] - y) * k
    rays = camera[9:12] + a[:, None] * camera[3:6] + b[:, None] * camera[6:9]
    return (rays / np.linalg.norm(rays, axis=1, keepdims=True)).astype(np.float32)


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def lens_ray(camera, x, y, u, v):
    """Origin and unit direction of a ray through a point of the lens, drawn by u, v in [0, 1), and a pixel position."""
    dx, dy, dz = primary_direction(camera, x, y)
    ox, oy, oz = camera[0], camera[1], camera[2]
    if camera[LENS_RADIUS] <= f32(0.0):
        return ox, oy, oz, dx, dy, dz
    a, b = uniform_disc(u, v)
    a, b = a * camera[LENS_RADIUS], b * camera[LENS_RADIUS]
    t = camera[16] / max(dx * camera[9] + dy * camera[10] + dz * camera[11], f32(1e-6))
    sx, sy, sz = a * camera[3] + b * camera[6], a * camera[4] + b * camera[7], a * camera[5] + b * camera[8]
    dx, dy, dz = t * dx - sx, t * dy - sy, t * dz - sz
    n = f32(1.0) / f32(math.sqrt(dx * dx + dy * dy + dz * dz))
    return ox + sx, oy + sy, oz + sz, dx * n, dy * n, dz * n


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def tent(u):
    """Offset in pixels from a number in [0, 1): the reconstruction filter, a tent two pixels wide."""
    if u < f32(0.5):
        return f32(math.sqrt(f32(2.0) * u)) - f32(1.0)
    return f32(1.0) - f32(math.sqrt(f32(2.0) * (f32(1.0) - u)))
