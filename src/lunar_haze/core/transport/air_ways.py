"""What mist does between the sources and the points that are looked at, where that has no closed form in height.

Banks, a stretch or light that is scattered many times change what each point of the air receives:
the looks of `air_grid` are weighed by it before they are summed. Depths of the ways are worked out
on a coarser grid and read between its points, with patches left out: many lie along a way.
"""

import math

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from lunar_haze.core.air.glow import glow_above, lamp_glow
from lunar_haze.core.air.kernels import MULTIPLE, PLAIN, even_depth
from lunar_haze.core.air.medium import Medium, Stretch
from lunar_haze.core.air.phase import medium_phase
from lunar_haze.core.transport.air_grid import LightGrid, slice_distance
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.lights import AXIS, KIND, POSITION, SKY, SUN
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.fast_math import exp

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: How many points of the grid share one way, across and along.
_COARSER, _COARSER_ALONG = 4, 3
#: Ways through banks alone grow no longer with their slant than by this: they are about as wide as high.
_LEAST_SLANT = f32(0.35)
#: Deeper than this a way lets nothing through that is seen.
_DEEPEST = f32(20.0)


@_plain
def _way_row(camera, m, light, reach, row, out):
    camera, m, light = floats(camera), floats(m), floats(light)
    rows, columns, slices = out.shape
    kind = int(light[KIND])
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        for k in range(slices):
            t = slice_distance(f32(k) + f32(0.5), slices, reach)
            px, py, pz = camera[0] + t * dx, camera[1] + t * dy, camera[2] + t * dz
            lx, ly, lz, far = f32(0.0), f32(0.0), f32(1.0), f32(FAR)
            if kind == SUN:
                lx, ly, lz = light[AXIS], light[AXIS + 1], light[AXIS + 2]
            elif kind != SKY:
                lx, ly, lz = light[POSITION] - px, light[POSITION + 1] - py, light[POSITION + 2] - pz
                far = f32(math.sqrt(lx * lx + ly * ly + lz * lz))
                away = f32(1.0) / max(far, f32(1e-6))
                lx, ly, lz = lx * away, ly * away, lz * away
            out[row, i, k] = min(even_depth(m, px, py, pz, lx, ly, lz, far), _DEEPEST)


@_threads
def ways(camera, m, light, reach, threads, out):
    """Optical depths from points of a coarse grid to a lamp, along a sun, or straight up for a sky: ``out``."""
    for thread in nb.prange(threads):
        for row in range(thread, out.shape[0], threads):
            _way_row(camera, m, light, reach, row, out)


@_inline
def _between(at, fine, coarse):
    """Where point ``at`` of ``fine`` lies among ``coarse`` points: the lower one, and how far past it."""
    x = (f32(at) + f32(0.5)) * f32(coarse) / f32(fine) - f32(0.5)
    x = min(max(x, f32(0.0)), f32(coarse) - f32(1.001))
    low = int(x)
    return low, x - f32(low)


@_plain
def _weigh_row(camera, m, light, reach, row, way, many, strength, decay, glow, low, step, openness, last, seen, weight,
               directions, out):  # fmt: skip
    camera, m, light, way, glow = floats(camera), floats(m), floats(light), floats(way), floats(glow)
    rows, columns, slices = weight.shape
    kind, plain = int(light[KIND]), m[PLAIN] > f32(0.0)
    slant = f32(0.12) if m[0] > f32(0.0) else _LEAST_SLANT
    j, fj = _between(row, rows, way.shape[0])
    line = np.empty(way.shape[2], np.float32)
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        c, fc = _between(i, columns, way.shape[1])
        w00, w01, w10, w11 = (f32(1.0) - fc) * (f32(1.0) - fj), fc * (f32(1.0) - fj), (f32(1.0) - fc) * fj, fc * fj
        for s in range(line.shape[0]):
            line[s] = w00 * way[j, c, s] + w01 * way[j, c + 1, s] + w10 * way[j + 1, c, s] + w11 * way[j + 1, c + 1, s]
        for k in range(last[row, i]):
            s, fs = _between(k, slices, way.shape[2])
            depth = line[s] + fs * (line[s + 1] - line[s])
            # What the sums take off for fog alone they take off themselves.
            through = exp(-depth)
            once = f32(1.0) if plain else through
            if kind == SKY:
                z = camera[2] + slice_distance(f32(k) + f32(0.5), slices, reach) * dz
                # An even sky's light comes at a mean slant of 5/3.
                more = many * _at_height(glow, low, step, z) / max(exp(-depth * f32(5 / 3)), f32(1e-6))
                for n in range(directions.shape[0]):
                    loss = f32(1.0) if plain else exp(-depth / max(directions[n, 2], slant))
                    out[row, i, k, n] = seen[row, i, k, n] * loss * (f32(1.0) + more)
                continue
            if many <= f32(0.0):
                out[row, i, k, 0] = seen[row, i, k, 0] * once
                continue
            t = slice_distance(f32(k) + f32(0.5), slices, reach)
            if kind == SUN:
                cosine = light[AXIS] * dx + light[AXIS + 1] * dy + light[AXIS + 2] * dz
                share = _at_height(glow, low, step, camera[2] + t * dz) / medium_phase(m, cosine)
                share /= max(through, f32(1e-6)) if plain else f32(1.0)
                out[row, i, k, 0] = seen[row, i, k, 0] * once + many * share * openness[row, i, k] * weight[row, i, k]
            else:
                lx, ly = light[POSITION] - camera[0] - t * dx, light[POSITION + 1] - camera[1] - t * dy
                lz = light[POSITION + 2] - camera[2] - t * dz
                cosine = (lx * dx + ly * dy + lz * dz) / max(f32(math.sqrt(lx * lx + ly * ly + lz * lz)), f32(1e-6))
                share = strength * depth * exp(-decay * depth) * f32(0.25 / math.pi) / medium_phase(m, cosine)
                share /= max(through, f32(1e-6)) if plain else f32(1.0)
                out[row, i, k, 0] = seen[row, i, k, 0] * (once + many * share)


@_inline
def _at_height(glow, low, step, z):
    x = min(max((z - low) / step, f32(0.0)), f32(glow.shape[0]) - f32(1.001))
    i = int(x)
    return glow[i] + (x - f32(i)) * (glow[i + 1] - glow[i])


@_threads
def _weigh(camera, m, light, reach, threads, way, many, strength, decay, glow, low, step, openness, last, seen, weight,
           directions, out):  # fmt: skip
    for thread in nb.prange(threads):
        for row in range(thread, weight.shape[0], threads):
            _weigh_row(camera, m, light, reach, row, way, many, strength, decay, glow, low, step, openness, last, seen,
                       weight, directions, out)  # fmt: skip


def weighed(
    grid: LightGrid, spot: int, medium: Medium, camera: NDArray, reach: float, last: NDArray[np.int32], out: NDArray
) -> NDArray[np.float32]:
    """The looks of a grid's spot as this medium lets them count, written to ``out``, or as they are.

    ``out`` has the shape of the looks. Fog whose light scatters once is left to the closed forms.
    """
    packed = medium.pack()
    many = float(packed[MULTIPLE])
    if medium.is_plain and many <= 0:
        return grid.seen[spot]
    threads, light = nb.get_num_threads(), grid.spots[spot]
    rows, columns, slices = grid.shape
    coarse = (max(rows // _COARSER, 2), max(columns // _COARSER, 2), max(slices // _COARSER_ALONG, 2))
    way = np.empty(coarse, np.float32)
    ways(camera, packed, light, f32(reach), threads, way)
    kind = int(light[KIND])
    strength, decay = lamp_glow(medium)
    low, step, glow = 0.0, 1.0, np.zeros(2, np.float32)
    openness = grid.weight[spot]
    if many > 0 and kind in (SUN, SKY):
        low, step, glow = glow_above(_fog_of(medium), float(light[AXIS + 2]) if kind == SUN else 0.0)
        if kind == SKY:
            # Over what comes straight from an even sky: its mean intensity is its illuminance over 2 pi.
            glow = (glow * 2 * math.pi).astype(np.float32)
        else:
            share = grid.seen[spot] / np.maximum(grid.weight[spot], 1e-6)
            openness = uniform_filter(share, (7, 7, 9), mode="nearest")
    sky = kind == SKY
    seen = grid.seen[spot] if sky else grid.seen[spot][..., None]
    _weigh(
        camera, packed, light, f32(reach), threads, way, f32(many), f32(strength), f32(decay), glow, f32(low),
        f32(step), openness, last, seen, grid.weight[spot], grid.directions if sky else np.zeros((1, 3), np.float32),
        out if sky else out[..., None],
    )  # fmt: skip
    return out


def _fog_of(medium: Medium) -> Medium:
    """The fog alone, or for banks alone one as dense as the densest and as high."""
    bare = attrs.evolve(medium.evenly(), banks=(), stretch=Stretch())
    if bare.has_fog or not medium.banks:
        return bare
    densest = max(medium.banks, key=lambda b: b.extinction_per_m)
    return attrs.evolve(
        bare, visibility_m=densest.visibility_m, base_m=densest.centre[2], fall_off_m=max(densest.size[2] / 4, 0.1),
        top_m=densest.centre[2] + densest.size[2] / 2,
    )  # fmt: skip
