"""Primary rays: the packed camera and its jittered pixels."""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.core.transport.camera_row import (
    CAMERA,
    EYE,
    FORWARD,
    HEIGHT,
    LENS_RADIUS,
    RIGHT,
    SHARP_AT,
    TAN_HALF,
    UPWARD,
    WIDTH,
)
from lunar_haze.core.transport.sampling import uniform_disc

f32 = np.float32

#: Pixels along the side of a tile.
TILE = 32


def pack_view(view: View) -> NDArray[np.float32]:
    """Camera for the kernels, float32: see `camera_row`."""
    camera = view.camera
    right, up, forward = camera.axes()
    row = CAMERA.row(
        eye=camera.position,
        right=right,
        upward=up,
        forward=forward,
        tan_half=camera.tan_half_width,
        width=view.width,
        height=view.height,
        lens_radius=camera.aperture_radius_m,
        sharp_at=camera.sharp_at_m,
    )
    return row.astype(np.float32)


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
    k = camera[TAN_HALF] / (f32(0.5) * camera[WIDTH])
    a = (x - f32(0.5) * camera[WIDTH]) * k
    b = (f32(0.5) * camera[HEIGHT] - y) * k
    dx = camera[FORWARD] + a * camera[RIGHT] + b * camera[UPWARD]
    dy = camera[FORWARD + 1] + a * camera[RIGHT + 1] + b * camera[UPWARD + 1]
    dz = camera[FORWARD + 2] + a * camera[RIGHT + 2] + b * camera[UPWARD + 2]
    n = f32(1.0) / f32(math.sqrt(dx * dx + dy * dy + dz * dz))
    return dx * n, dy * n, dz * n


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def column_direction(camera, row, column, rows, columns):
    """Unit direction through the middle of a cell, ``row`` and ``column``, of a grid of ``rows`` by ``columns`` over
    the picture.
    """
    return primary_direction(
        camera,
        (f32(column) + f32(0.5)) * camera[WIDTH] / f32(columns),
        (f32(row) + f32(0.5)) * camera[HEIGHT] / f32(rows),
    )


def view_directions(camera: NDArray[np.float32], x: NDArray, y: NDArray) -> NDArray[np.float32]:
    """Unit directions (n, 3) through pixel positions (n,), as `primary_direction`."""
    k = camera[TAN_HALF] / (0.5 * camera[WIDTH])
    a, b = (x - 0.5 * camera[WIDTH]) * k, (0.5 * camera[HEIGHT] - y) * k
    rays = (
        camera[FORWARD : FORWARD + 3]
        + a[:, None] * camera[RIGHT : RIGHT + 3]
        + b[:, None] * camera[UPWARD : UPWARD + 3]
    )
    return (rays / np.linalg.norm(rays, axis=1, keepdims=True)).astype(np.float32)


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def lens_ray(camera, x, y, u, v):
    """Origin and unit direction of a ray through a point of the lens, drawn by u, v in [0, 1), and a pixel position."""
    dx, dy, dz = primary_direction(camera, x, y)
    ox, oy, oz = camera[EYE], camera[EYE + 1], camera[EYE + 2]
    if camera[LENS_RADIUS] <= f32(0.0):
        return ox, oy, oz, dx, dy, dz
    a, b = uniform_disc(u, v)
    a, b = a * camera[LENS_RADIUS], b * camera[LENS_RADIUS]
    t = camera[SHARP_AT] / max(dx * camera[FORWARD] + dy * camera[FORWARD + 1] + dz * camera[FORWARD + 2], f32(1e-6))
    sx, sy = a * camera[RIGHT] + b * camera[UPWARD], a * camera[RIGHT + 1] + b * camera[UPWARD + 1]
    sz = a * camera[RIGHT + 2] + b * camera[UPWARD + 2]
    dx, dy, dz = t * dx - sx, t * dy - sy, t * dz - sz
    n = f32(1.0) / f32(math.sqrt(dx * dx + dy * dy + dz * dz))
    return ox + sx, oy + sy, oz + sz, dx * n, dy * n, dz * n


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def tent(u):
    """Offset in pixels from a number in [0, 1): the reconstruction filter, a tent two pixels wide."""
    if u < f32(0.5):
        return f32(math.sqrt(f32(2.0) * u)) - f32(1.0)
    return f32(1.0) - f32(math.sqrt(f32(2.0) * (f32(1.0) - u)))
