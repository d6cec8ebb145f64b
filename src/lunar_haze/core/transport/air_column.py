"""What the mist along a ray takes away and throws back, slice by slice, whatever the sources: the view's own part.

Fog alone has closed forms; of other mist the middle of each slice stands for all of it.
"""

import numba as nb
import numpy as np

from lunar_haze.core.air.banks import bank_extinction, bank_interval
from lunar_haze.core.air.fog import fog_columns, fog_extinctions
from lunar_haze.core.air.kernels import PATCH_STEP, even_extinction, patches_at
from lunar_haze.core.air.medium_row import BANKS, FOG_SCALE, FOG_SIGMA, PLAIN, STRETCH
from lunar_haze.core.air.patches import PATCHES
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.fast_math import one_minus_exp
from lunar_haze.core.units.shapes import entry

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")


@_plain
def _fog_column(medium, oz, dz, ends, count, under, lost, below):
    """What each slice of a ray takes away, in closed form, and the fog below its middle."""
    for k in range(count):
        lost[k] = f32(0.5) * (ends[k] + ends[k + 1])
    fog_columns(medium, oz, dz, lost, count, below)
    fog_columns(medium, oz, dz, ends, count + 1, under)
    fog_extinctions(medium, oz, dz, lost, count, lost)
    sigma, level_rise = medium[FOG_SIGMA], f32(0.02) * medium[FOG_SCALE]
    for k in range(count):
        span = ends[k + 1] - ends[k]
        level = abs(span * dz) < level_rise
        mean = lost[k] if level else sigma * (under[k + 1] - under[k]) / (f32(1.0) if level else span * dz)
        lost[k] = one_minus_exp(mean * span)


@_plain
def _extinctions(medium, camera, dx, dy, dz, distances, count, far, out):
    """Extinction [1/m] of fog and banks at the first ``count`` distances of a ray, none past ``far``, into ``out``."""
    if medium[STRETCH] > f32(0.0):
        for k in range(count):
            t = distances[k]
            out[k] = even_extinction(medium, camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz)
        return
    fog_extinctions(medium, camera[EYE + 2], dz, distances, count, out)
    for bank in range(int(medium[BANKS])):
        low, high = bank_interval(
            medium, bank, camera[EYE], camera[EYE + 1], camera[EYE + 2], dx, dy, dz, f32(0.0), far
        )
        if low >= high:
            continue
        for k in range(count):
            t = distances[k]
            if low <= t <= high:
                out[k] += bank_extinction(
                    medium, bank, camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz
                )


@_plain
def _patch(medium, camera, dx, dy, dz, distances, count, out):
    """Make patches of the extinctions of a ray: looked up no closer than they can be told apart, read in between."""
    step = PATCH_STEP * medium[PATCHES + 1]
    t0, t1, p0, p1 = f32(0.0), f32(-1e-6), f32(1.0), f32(1.0)
    for k in range(count):
        if out[k] <= f32(0.0):
            continue
        t = distances[k]
        if k + 1 < count and distances[k + 1] - t >= step:
            # From here on slices are too far apart for anything to be read in between.
            out[k] *= patches_at(medium, camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz)
            continue
        if t > t1:
            t0, p0 = max(t1, f32(0.0)), p1
            if t1 < f32(0.0) or t - t0 > step:
                t0, p0 = t, patches_at(medium, camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz)
            t1 = t0 + step
            p1 = patches_at(medium, camera[EYE] + t1 * dx, camera[EYE + 1] + t1 * dy, camera[EYE + 2] + t1 * dz)
        out[k] *= p0 + (p1 - p0) * (t - t0) / step


@_plain
def view_column(medium, camera, dx, dy, dz, ends, count, under, lost, scattered, below):
    """`view_air` for one ray; ``under`` (slices + 1,) and ``lost`` (slices,) are room to work in."""
    if medium[PLAIN] > f32(0.0):
        _fog_column(medium, camera[EYE + 2], dz, ends, count, under, lost, below)
    else:
        for k in range(count):
            under[k] = f32(0.5) * (ends[k] + ends[k + 1])
        _extinctions(medium, camera, dx, dy, dz, under, count, ends[count], lost)
        if medium[PATCHES] > f32(0.0):
            _patch(medium, camera, dx, dy, dz, under, count, lost)
        for k in range(count):
            lost[k], below[k] = one_minus_exp(lost[k] * (ends[k + 1] - ends[k])), f32(0.0)
    through = f32(1.0)
    for k in range(count):
        scattered[k] = through * lost[k]
        through *= f32(1.0) - lost[k]


@_plain
def _view_row(camera, medium, row, ends, last, scattered, below):
    camera, medium, ends, scattered, below = (
        floats(camera),
        floats(medium),
        floats(ends),
        floats(scattered),
        floats(below),
    )
    rows, columns, slices = scattered.shape
    under, lost = np.empty(slices + 1, np.float32), np.empty(slices, np.float32)
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        view_column(medium, camera, dx, dy, dz, ends, last[row, i], under, lost, scattered[row, i], below[row, i])


@entry(ends="e f4", last="r c i4", scattered="r c s f4", below="r c s f4")
@_threads
def view_air(camera, medium, threads, ends, last, scattered, below):
    """What each slice throws back, (rows, columns, slices), and the column of fog below its middle [m].

    ``ends`` (slices + 1,) are the slices' boundaries [m]. In mist other than fog there is no such
    column: it is zero.
    """
    rows = scattered.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _view_row(camera, medium, row, ends, last, scattered, below)
