"""Primary rays: the packed camera and its jittered pixels."""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View

f32 = np.float32


def pack_view(view: View) -> NDArray[np.float32]:
    """Camera for the kernels, (15,) float32: position, right, up, forward, tan of half the width, width, height."""
    camera = view.camera
    return np.concatenate(
        [camera.position, camera.axes().ravel(), [camera.tan_half_width, view.width, view.height]]
    ).astype(np.float32)


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
def tent(u):
    """Offset in pixels from a number in [0, 1): the reconstruction filter, a tent two pixels wide."""
    if u < f32(0.5):
        return f32(math.sqrt(f32(2.0) * u)) - f32(1.0)
    return f32(1.0) - f32(math.sqrt(f32(2.0) * (f32(1.0) - u)))
