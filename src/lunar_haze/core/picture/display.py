"""From exposed scene-linear ACEScg to the screen, fast: a view baked into a table over a logarithmic shaper.

`DisplayTable` applies it by a compiled kernel with tetrahedral interpolation and dithering; it serves the live
picture. `bake` keeps tables on disk by the name of all they depend on. Stills go through `views.direct` instead.
"""

import functools
import hashlib
from pathlib import Path

import numba as nb
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from lunar_haze.core.picture.views import SRGB, USUAL_VIEW, VIEWS, direct
from lunar_haze.core.units.fast_math import log2
from lunar_haze.core.units.kept_arrays import read_arrays, write_arrays
from lunar_haze.core.units.shapes import entry

TABLE_SIZE = 65
#: Shaper: s = (log2(x + FLOOR) - LOW) / (HIGH - LOW).
FLOOR = 2.0**-11
LOW, HIGH = -11.0, 9.0


def shaped(x: NDArray) -> NDArray:
    """Shaper coordinate in [0, 1] of exposed linear values. Arrays of any shape."""
    return (np.log2(np.maximum(x, 0.0) + FLOOR) - LOW) / (HIGH - LOW)


@functools.cache
def axis(nodes: int = TABLE_SIZE) -> NDArray[np.float32]:
    """Exposed values (nodes,) at even steps of the shaper: those of a table along each of its three edges."""
    return (2.0 ** (np.linspace(0, 1, nodes) * (HIGH - LOW) + LOW) - FLOOR).astype(np.float32)


def grid_of(red: NDArray, green: NDArray, blue: NDArray) -> NDArray[np.float32]:
    """All nodes (N, N, N, 3) of a table whose three edges have these values."""
    return np.stack(np.meshgrid(red, green, blue, indexing="ij"), -1).astype(np.float32)


def bake(cache: Path | None = None, view: str = USUAL_VIEW) -> NDArray[np.float32]:
    """The table (N, N, N, 3) float32 of a view over the shaper, indexed r, g, b; kept in folder ``cache``."""
    name = repr((VIEWS[view].config, VIEWS[view].names, SRGB, TABLE_SIZE, FLOOR, LOW, HIGH, ocio.__version__))
    path = None if cache is None else cache / f"view-{hashlib.blake2b(name.encode(), digest_size=8).hexdigest()}.npz"
    kept = read_arrays(path) if path is not None else None
    if kept is not None and "table" in kept and kept["table"].shape == (TABLE_SIZE,) * 3 + (3,):
        return kept["table"]
    table = direct(grid_of(axis(), axis(), axis()), view)
    if path is not None:
        write_arrays(path, {"table": table})
    return table


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def shape_row(row, scale, top, out):
    """Table coordinates (3 W,), at most ``top``, of a row (3 W,) of light times ``scale``."""
    step = top / np.float32(HIGH - LOW)
    for n in range(row.size):
        held = min(max(row[n] * scale, np.float32(0.0)) + np.float32(FLOOR), np.float32(2.0**HIGH))
        out[n] = min(max((log2(held) - np.float32(LOW)) * step, np.float32(0.0)), top)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def look_up_row(red, green, blue, size, flat, out):
    """Tetrahedral interpolation of a row: its places ``red``, ``green``, ``blue`` (W,) in the ``flat`` table
    of four numbers a node and ``size`` nodes a side; out (4 W,).
    """
    one, last = np.float32(1.0), np.float32(size - 2)
    step_r, step_g, step_b = np.uint32(size * size * 4), np.uint32(size * 4), np.uint32(4)
    whole = step_r + step_g + step_b
    for x in range(red.size):
        r, g, b = red[x], green[x], blue[x]
        i, j, k = np.uint32(min(r, last)), np.uint32(min(g, last)), np.uint32(min(b, last))
        fr, fg, fb = r - np.float32(i), g - np.float32(j), b - np.float32(k)
        # Walk from the low corner to the high one along the axes in order of fraction.
        low = min(fr, min(fg, fb))
        high = max(fr, max(fg, fb))
        middle = fr + fg + fb - low - high
        first = step_r if (fr >= fg and fr >= fb) else (step_g if fg >= fb else step_b)
        final = step_b if (fb <= fr and fb <= fg) else (step_g if fg <= fr else step_r)
        a = i * step_r + j * step_g + k * step_b
        b1, b2, b3 = a + first, a + (whole - final), a + whole
        w0, w1, w2 = one - high, high - middle, middle - low
        for c in range(4):
            n = np.uint32(c)
            out[4 * x + c] = w0 * flat[a + n] + w1 * flat[b1 + n] + w2 * flat[b2 + n] + low * flat[b3 + n]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def round_row(values, noise, out):
    """Code values (4 W,) of a row, ``noise`` in [0, 1) deciding which way each is rounded."""
    tile = noise.size
    for start in range(0, out.size, tile):
        count = min(tile, out.size - start)
        here, there = values[start : start + count], out[start : start + count]
        for n in range(count):
            value = here[n] * np.float32(255.0) + noise[n]
            # By way of an integer of the float's own width, which many can be turned into at once.
            there[n] = np.int32(min(max(value, np.float32(0.0)), np.float32(255.0)))


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _show_rows(picture, scale, size, flat, noise, first, last, out):
    at, values = np.empty(picture.shape[1] * 3, np.float32), np.empty(picture.shape[1] * 4, np.float32)
    for y in range(first, last):
        shape_row(picture[y].reshape(at.size), scale, np.float32(size - 1), at)
        look_up_row(at[0::3], at[1::3], at[2::3], size, flat, values)
        round_row(values, noise[y % noise.shape[0]], out[y].reshape(values.size))


@entry(picture="h w 3 f4", out="h w 4 u1")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _show(picture, scale, size, flat, noise, out):
    blocks = (picture.shape[0] + 15) // 16
    for block in nb.prange(blocks):
        _show_rows(picture, scale, size, flat, noise, block * 16, min(block * 16 + 16, picture.shape[0]), out)


@entry(rows="n k f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _values(rows, size, flat, out):
    for y in nb.prange(rows.shape[0]):
        at = np.empty(rows.shape[1], np.float32)
        shape_row(rows[y], np.float32(1.0), np.float32(size - 1), at)
        look_up_row(at[0::3], at[1::3], at[2::3], size, flat, out[y].reshape(out.shape[1] * 4))


@functools.cache
def rounding_noise(dither: bool = True) -> NDArray[np.float32]:
    """What is added to code values (256, 4 x 256) before they are cut off: the same noise in [0, 1) for every picture,
    none for the opaque channel; without dithering a half everywhere.
    """
    tile = 256
    noise = np.random.default_rng(2).random((tile, tile, 4), np.float32) if dither else np.full((tile, tile, 4), 0.5)
    noise[..., 3] = 0.5
    return np.ascontiguousarray(noise.reshape(tile, 4 * tile), np.float32)


class DisplayTable:
    """The baked view, ready to be applied."""

    def __init__(self, table: NDArray[np.float32]) -> None:
        self.table = np.ascontiguousarray(table, np.float32)
        # Screen order: blue, green, red, opaque.
        nodes = np.concatenate([table[..., ::-1], np.ones((*table.shape[:3], 1), table.dtype)], -1)
        #: The nodes one by one, four numbers each, blue first.
        self.flat = np.ascontiguousarray(nodes, np.float32).ravel()

    def values(self, exposed: NDArray[np.float32]) -> NDArray[np.float32]:
        """Display-encoded values (..., 3) of exposed ACEScg (..., 3), as `show` has them before it rounds."""
        rows = np.ascontiguousarray(exposed, np.float32).reshape(-1, self.table.shape[0] * 3)
        out = np.empty((rows.shape[0], rows.shape[1] // 3, 4), np.float32)
        _values(rows, len(self.table), self.flat, out)
        return np.ascontiguousarray(out[..., 2::-1]).reshape(exposed.shape)

    def show(self, picture: NDArray[np.float32], scale: float, dither: bool = True) -> NDArray[np.uint8]:
        """Screen pixels (H, W, 4) uint8 in the order blue, green, red, opaque of a picture [cd/m2].

        ``scale`` is the exposure (`lunar_haze.core.units.photometry.exposure_scale`). Dithering is
        by half a code value either way and the same for every call, so that nothing crawls.
        """
        out = np.empty((*picture.shape[:2], 4), np.uint8)
        light = np.ascontiguousarray(picture, np.float32)
        _show(light, np.float32(scale), len(self.table), self.flat, rounding_noise(dither), out)
        return out
