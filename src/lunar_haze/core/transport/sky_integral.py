"""Airlight of a sky from kept looks along a few dozen directions, as `air_integral` has it for lamps."""

import numba as nb
import numpy as np

from lunar_haze.core.air.fog import column
from lunar_haze.core.air.medium_row import FOG_SIGMA, PLAIN
from lunar_haze.core.air.phase import medium_phase
from lunar_haze.core.transport.air_grid import slice_distances
from lunar_haze.core.transport.air_integral import BEYOND, BEYOND_RATIO, ends_before, fog_transmittance
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.fast_math import exp

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")


@_plain
def _sky_row(camera, medium, reach, row, last, directions, light, scattered, below, seen, out):
    medium, camera, directions, light = floats(medium), floats(camera), floats(directions), floats(light)
    scattered, below, seen = floats(scattered), floats(below), floats(seen)
    rows, columns, slices, count = seen.shape
    top, plain = column(medium, f32(1e9)), medium[PLAIN] > f32(0.0)
    phase = np.empty(count, np.float32)
    slant = np.empty(count, np.float32)
    ends = slice_distances(1.0, slices, slices, reach)
    red, green, blue = light[0], light[1], light[2]
    for j in range(count):
        slant[j] = -medium[FOG_SIGMA] / max(directions[j, 2], f32(1e-3))
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        for j in range(count):
            cosine = directions[j, 0] * dx + directions[j, 1] * dy + directions[j, 2] * dz
            phase[j] = medium_phase(medium, cosine)
        r, g, b = f32(0.0), f32(0.0), f32(0.0)
        through, t0 = f32(1.0), f32(0.0)
        out[row, i, 0, :] = f32(0.0)
        seen_to = last[row, i]
        for k in range(slices + (BEYOND if seen_to == slices and not ends_before(medium, reach) else 0)):
            if k < seen_to:
                share, under = scattered[row, i, k], below[row, i, k]
                through, t0 = through - share, ends[k]
            elif k < slices:
                share, under = f32(0.0), f32(0.0)
            else:
                t1 = t0 * f32(BEYOND_RATIO)
                behind = through * fog_transmittance(medium, camera[EYE + 2] + t0 * dz, dz, t1 - t0)
                share, under = through - behind, column(medium, camera[EYE + 2] + f32(0.5) * (t0 + t1) * dz)
                through, t0 = behind, t1
            if share > f32(1e-7):
                at = min(k, slices - 1)
                sr, sg, sb = f32(0.0), f32(0.0), f32(0.0)
                looks = seen[row, i, at]
                for j in range(count):
                    lost = slant[j] * (top - under) if plain or k >= slices else f32(0.0)
                    w = looks[j] * phase[j] * exp(lost)
                    sr += w * red[j]
                    sg += w * green[j]
                    sb += w * blue[j]
                r, g, b = r + share * sr, g + share * sg, b + share * sb
            if k < slices:
                out[row, i, k + 1, 0], out[row, i, k + 1, 1], out[row, i, k + 1, 2] = r, g, b
        out[row, i, slices + 1, 0], out[row, i, slices + 1, 1], out[row, i, slices + 1, 2] = r, g, b


@_threads
def integrate_sky(camera, medium, reach, threads, last, directions, light, scattered, below, seen, out):
    """Cumulative airlight of a sky, rgb: ``out`` (rows, columns, slices + 2, 3), as `integrate_lamp`."""
    rows = seen.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _sky_row(camera, medium, reach, row, last, directions, light, scattered, below, seen, out)
