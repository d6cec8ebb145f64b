"""Denser and thinner places in mist: a field of mean one that repeats, made once and looked up.

A Gaussian field with the spectrum of a passive scalar in turbulence (Obukhov 1949; Corrsin 1951:
k^-11/3 in three dimensions) is made on a periodic grid and raised to e, so that densities are
positive and log-normal. Two of them, differently turned, are multiplied: the product has mean one,
the wanted contrast, and a period that the eye does not find.
"""

import functools
import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.units.fast_math import floor
from lunar_haze.core.units.outside import as_pointer

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: Cells of the field a side, and from one patch to the next.
CELLS, PATCH_CELLS = 64, 16
_WITHIN = u32(CELLS - 1)
#: Where the field begins in a packed medium, on a line of memory, and the room it takes.
TILE_AT, TILE_ROOM = 176, CELLS**3 // 2
#: Columns of a packed medium: on, size, stretch, drift of either field (3 and 3); and one step of the field's numbers.
PATCHES, STEP = 26, 35


@functools.lru_cache(maxsize=8)
def tile(seed: int, contrast: float) -> NDArray[np.float32]:
    """The field (CELLS, CELLS, CELLS) float32: positive, of mean one; ``contrast`` is that of the product of two."""
    noise = np.random.default_rng(seed).standard_normal((CELLS,) * 3)
    axis = np.fft.fftfreq(CELLS) * CELLS
    k = np.sqrt(axis[:, None, None] ** 2 + axis[None, :, None] ** 2 + axis[None, None, :] ** 2)
    first, last = CELLS / PATCH_CELLS, CELLS / 5
    # Amplitudes are the root of the spectrum; larger than a patch and finer than five cells there is nothing.
    shape = np.where(k < 1, 0.0, np.maximum(k, first) ** (-11 / 6) * np.minimum(k / first, 1.0) ** 2)
    shape *= np.exp(-((k / last) ** 4))
    field = np.fft.ifftn(np.fft.fftn(noise) * shape).real
    field /= field.std()
    # The variance of a log-normal of mean one is e^(c^2) - 1, and those of factors add up in c^2.
    spread = math.sqrt(math.log1p(contrast**2) / 2)
    densities = np.exp(spread * field)
    return (densities / densities.mean()).astype(np.float32)


def packed_tile(seed: int, contrast: float) -> tuple[NDArray[np.uint16], float]:
    """`tile` as kernels look it up, and what one of its steps stands for.

    Numbers of sixteen bits, two in the room of a float32, in bricks of a line of memory each: eight
    neighbours lie in two lines or three, and all of it in half a megabyte.
    """
    field = tile(seed, contrast)
    step = float(field.max()) / 65535
    # z, y and x, each split into that of the brick and that within it.
    bricks = np.rint(field / step).astype(np.uint16).reshape(CELLS // 2, 2, CELLS // 4, 4, CELLS // 4, 4)
    return bricks.transpose(0, 2, 4, 1, 3, 5).ravel(), step


# Where a brick, and a cell in it, lies across, up and deep: the three add up.


@_jit
def _across(i):
    return (i & u32(3)) + ((i >> u32(2)) << u32(5))


@_jit
def _up(j):
    return ((j & u32(3)) << u32(2)) + ((j >> u32(2)) << u32(9))


@_jit
def _deep(k):
    return ((k & u32(1)) << u32(4)) + ((k >> u32(1)) << u32(13))


@_jit
def field_of(m):
    """The field of a packed medium as `packed_tile` has it."""
    return nb.carray(as_pointer(m.ctypes.data + 4 * TILE_AT), (2 * TILE_ROOM,), np.uint16)  # type: ignore[call-arg]


@_jit
def look_up(field, x, y, z):
    """A field at a place in cells, in its steps."""
    i, j, k = floor(x), floor(y), floor(z)
    x, y, z = x - f32(i), y - f32(j), z - f32(k)
    i, j, k = u32(i) & _WITHIN, u32(j) & _WITHIN, u32(k) & _WITHIN
    # Weights without a kink at the cells' faces.
    x, y, z = x * x * (f32(3.0) - x - x), y * y * (f32(3.0) - y - y), z * z * (f32(3.0) - z - z)
    i, i1 = _across(i), _across((i + u32(1)) & _WITHIN)
    j, j1 = _up(j), _up((j + u32(1)) & _WITHIN)
    k, k1 = _deep(k), _deep((k + u32(1)) & _WITHIN)
    a, b = f32(field[k + j + i]), f32(field[k + j1 + i])
    c, d = f32(field[k1 + j + i]), f32(field[k1 + j1 + i])
    a, b = a + x * (f32(field[k + j + i1]) - a), b + x * (f32(field[k + j1 + i1]) - b)
    c, d = c + x * (f32(field[k1 + j + i1]) - c), d + x * (f32(field[k1 + j1 + i1]) - d)
    a, c = a + y * (b - a), c + y * (d - c)
    return a + z * (c - a)


@_jit
def patchiness(m, x, y, z):
    """Density at a point over its mean, in a packed medium that has patches."""
    field = field_of(m)
    to_cells = f32(PATCH_CELLS) / m[PATCHES + 1]
    flat = to_cells * m[PATCHES + 2]
    first = look_up(
        field, (x - m[PATCHES + 3]) * to_cells, (y - m[PATCHES + 4]) * to_cells, (z - m[PATCHES + 5]) * flat
    )
    # The other is turned about two axes and a fifth finer; the numbers are cosines and sines of 37 and 23 degrees.
    x, y, z = (x - m[PATCHES + 6]) * to_cells, (y - m[PATCHES + 7]) * to_cells, (z - m[PATCHES + 8]) * flat
    x, y = x * f32(0.7986) - y * f32(0.6018), x * f32(0.6018) + y * f32(0.7986)
    y, z = y * f32(0.9205) - z * f32(0.3907), y * f32(0.3907) + z * f32(0.9205)
    grow = f32(1.207)
    other = look_up(field, x * grow + f32(19.7), y * grow + f32(41.3), z * grow + f32(7.9))
    return first * m[STEP] * (other * m[STEP])
