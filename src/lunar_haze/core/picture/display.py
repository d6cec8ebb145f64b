"""From exposed scene-linear ACEScg to the screen: the ACES 2.0 view of OpenColorIO's built-in config.

`direct` runs OpenColorIO itself and serves stills. `DisplayTable` is the same transform baked into
a table over a logarithmic shaper, applied by a compiled kernel with tetrahedral interpolation and
dithering; it serves the live picture. `bake` keeps tables on disk by the name of all they depend on.
"""

import functools
import hashlib
from pathlib import Path

import numba as nb
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

CONFIG = "cg-config-v4.0.0_aces-v2.0_ocio-v2.5"
DISPLAY = "sRGB - Display"
VIEW = "ACES 2.0 - SDR 100 nits (Rec.709)"

TABLE_SIZE = 65
#: Shaper: s = (log2(x + FLOOR) - LOW) / (HIGH - LOW).
FLOOR = 2.0**-11
LOW, HIGH = -11.0, 9.0


@functools.lru_cache(maxsize=1)
def _processor() -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    transform = ocio.DisplayViewTransform(src="ACEScg", display=DISPLAY, view=VIEW)
    return config.getProcessor(transform).getDefaultCPUProcessor()


def direct(exposed: NDArray[np.float32]) -> NDArray[np.float32]:
    """Display-encoded picture (..., 3) in [0, 1] of exposed ACEScg, by OpenColorIO itself."""
    # The view is made for light: negative and unbounded values are held to its range first.
    picture = np.clip(np.nan_to_num(exposed, posinf=2.0**HIGH), 0.0, 2.0**HIGH).astype(np.float32)
    picture = np.ascontiguousarray(picture)
    _processor().applyRGB(picture)
    return np.clip(picture, 0.0, 1.0)


def shaped(x: NDArray) -> NDArray:
    """Shaper coordinate in [0, 1] of exposed linear values."""
    return (np.log2(np.maximum(x, 0.0) + FLOOR) - LOW) / (HIGH - LOW)


def bake(cache: Path | None = None) -> NDArray[np.float32]:
    """The table (N, N, N, 3) float32 over the shaper, indexed r, g, b; kept in folder ``cache``."""
    name = repr((CONFIG, DISPLAY, VIEW, TABLE_SIZE, FLOOR, LOW, HIGH, ocio.__version__))
    path = None if cache is None else cache / f"view-{hashlib.blake2b(name.encode(), digest_size=8).hexdigest()}.npy"
    if path is not None and path.exists():
        try:
            table = np.load(path)
            if table.shape == (TABLE_SIZE,) * 3 + (3,):
                return table
        except (OSError, ValueError):
            pass  # a damaged table is baked again
    axis = 2.0 ** (np.linspace(0, 1, TABLE_SIZE) * (HIGH - LOW) + LOW) - FLOOR
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).astype(np.float32)
    table = direct(grid)
    if path is not None:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.with_suffix(".new.npy")
        np.save(temporary, table)
        temporary.replace(path)
    return table


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def _hash(x):
    x = np.uint32(x ^ (x >> np.uint32(16)))
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x = np.uint32(x ^ (x >> np.uint32(15)))
    x = np.uint32(x * np.uint32(0x846CA68B))
    return np.uint32(x ^ (x >> np.uint32(16)))


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def _log2(x):
    """log2 of a positive float32 to 2e-6: its exponent, and a series in (m - 1) / (m + 1) of its mantissa.

    The library's logarithm took most of the time of a picture.
    """
    bits = np.float32(x).view(np.int32)
    # The mantissa is brought between sqrt(1/2) and sqrt(2), where the series is short.
    exponent = (bits - np.int32(0x3F3504F3)) >> np.int32(23)
    mantissa = np.int32(bits - (exponent << np.int32(23))).view(np.float32)
    t = (mantissa - np.float32(1.0)) / (mantissa + np.float32(1.0))
    t2 = t * t
    series = np.float32(2.8853901) + t2 * (np.float32(0.9617967) + t2 * np.float32(0.5770780))
    return np.float32(exponent) + t * series


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def _shape(x, top):
    held = min(max(x, np.float32(0.0)) + np.float32(FLOOR), np.float32(2.0**HIGH))
    y = (_log2(held) - np.float32(LOW)) * (top / np.float32(HIGH - LOW))
    return min(max(y, np.float32(0.0)), top)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _show_row(picture, scale, table, dither, row, out):
    size = table.shape[0]
    flat = table.reshape(table.size)
    top, one = np.float32(size - 1), np.float32(1.0)
    step_r, step_g, step_b = np.uint64(size * size * 3), np.uint64(size * 3), np.uint64(3)
    for x in range(picture.shape[1]):
        r = _shape(picture[row, x, 0] * scale, top)
        g = _shape(picture[row, x, 1] * scale, top)
        b = _shape(picture[row, x, 2] * scale, top)
        i, j, k = np.int32(min(r, top - one)), np.int32(min(g, top - one)), np.int32(min(b, top - one))
        fr, fg, fb = r - np.float32(i), g - np.float32(j), b - np.float32(k)
        # Tetrahedral: walk from the low corner to the high one along the axes in order of fraction.
        # Offsets into the flat table, unsigned so that no index can be meant from the end.
        low = min(fr, min(fg, fb))
        high = max(fr, max(fg, fb))
        middle = fr + fg + fb - low - high
        if fr >= fg and fr >= fb:
            first = step_r
        elif fg >= fb:
            first = step_g
        else:
            first = step_b
        if fb <= fr and fb <= fg:
            last = step_b
        elif fg <= fr:
            last = step_g
        else:
            last = step_r
        whole = step_r + step_g + step_b
        at = np.uint64(i) * step_r + np.uint64(j) * step_g + np.uint64(k) * step_b
        w0, w1, w2 = one - high, high - middle, middle - low
        noise = _hash(np.uint32(row * 65537 + x))
        for c in range(3):
            o = at + np.uint64(c)
            value = w0 * flat[o] + w1 * flat[o + first] + w2 * flat[o + whole - last] + low * flat[o + whole]
            value *= np.float32(255.0)
            noise = np.uint32(noise * np.uint32(0x9E3779B1) + np.uint32(0x7F4A7C15))
            step = np.float32(noise >> np.uint32(8)) * np.float32(2.0**-24) if dither else np.float32(0.5)
            out[row, x, 2 - c] = np.uint8(min(max(value + step, np.float32(0.0)), np.float32(255.0)))
        out[row, x, 3] = np.uint8(255)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _show(picture, scale, table, dither, out):
    for row in nb.prange(picture.shape[0]):
        _show_row(picture, scale, table, dither, row, out)


class DisplayTable:
    """The baked view, ready to be applied."""

    def __init__(self, table: NDArray[np.float32]) -> None:
        self.table = np.ascontiguousarray(table, np.float32)

    def show(self, picture: NDArray[np.float32], scale: float, dither: bool = True) -> NDArray[np.uint8]:
        """Screen pixels (H, W, 4) uint8 in the order blue, green, red, opaque of a picture [cd/m2].

        ``scale`` is the exposure (`lunar_haze.core.units.photometry.exposure_scale`). Dithering is
        by half a code value either way and the same for every call, so that nothing crawls.
        """
        out = np.empty((*picture.shape[:2], 4), np.uint8)
        _show(np.ascontiguousarray(picture, np.float32), np.float32(scale), self.table, dither, out)
        return out
