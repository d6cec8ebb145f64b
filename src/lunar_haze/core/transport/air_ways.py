"""What mist does between the sources and the points that are looked at, where that has no closed form in height.

Banks and a stretch dim the ways of light, and light that is scattered many times spreads beside
them. Depths of the ways are worked out on a coarser grid than the looks of `air_grid` and read
between its points, with patches left out: many lie along a way.
"""

import math

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.glow import glow_above, lamp_glow
from lunar_haze.core.air.kernels import even_depth
from lunar_haze.core.air.medium import Medium, Stretch
from lunar_haze.core.air.medium_row import FOG_SIGMA, MULTIPLE, PLAIN
from lunar_haze.core.transport.air_grid import LightGrid, slice_distances
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.source_row import AXIS, KIND, POSITION, SKY, SUN
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
    kind, middles = int(light[KIND]), slice_distances(0.5, slices, slices, reach)
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        for k in range(slices):
            t = middles[k]
            px, py, pz = camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz
            if kind == SUN or kind == SKY:
                lx, ly, lz = light[AXIS], light[AXIS + 1], light[AXIS + 2]
                if kind == SKY:
                    lx, ly, lz = f32(0.0), f32(0.0), f32(1.0)
                out[row, i, k] = min(even_depth(m, px, py, pz, lx, ly, lz, f32(FAR)), _DEEPEST)
                continue
            lx, ly, lz = light[POSITION] - px, light[POSITION + 1] - py, light[POSITION + 2] - pz
            far = max(f32(math.sqrt(lx * lx + ly * ly + lz * lz)), f32(1e-6))
            depth = even_depth(m, px, py, pz, lx / far, ly / far, lz / far, far)
            out[row, i, k] = min(depth, _DEEPEST) / far


@_threads
def _ways(camera, m, light, reach, threads, out):
    for thread in nb.prange(threads):
        for row in range(thread, out.shape[0], threads):
            _way_row(camera, m, light, reach, row, out)


@attrs.frozen(eq=False)
class Ways:
    """The ways between one lamp, sun or sky and the points of a grid.

    ``depths`` (rows, columns, slices) of a coarser grid: mean extinction to a lamp [1/m], optical
    depth to a sun, straight up for a sky; a single zero where `air_integral` has closed forms.
    ``glow``: strength and decay of what is scattered on the ways from a lamp; ``bed`` of what a sun
    or a sky leaves scattered, by height: lowest [m], step [m], mean intensities [1/sr].
    """

    depths: NDArray[np.float32]
    glow: tuple[np.float32, np.float32]
    bed: NDArray[np.float32]


#: Stands for what is not needed.
NOTHING = np.zeros((1, 1, 1), np.float32)


def ways_of(grid: LightGrid, spot: int, medium: Medium, camera: NDArray, reach: float) -> Ways:
    """The ways of one spot of a grid in a medium. ``camera`` is a packed row (n,), ``reach`` in metres."""
    packed, light = medium.pack(), grid.spots[spot]
    many, kind = float(packed[MULTIPLE]), int(light[KIND])
    depths = NOTHING
    if not medium.is_plain or (kind == SKY and many > 0):
        rows, columns, slices = grid.shape
        coarse = max(rows // _COARSER, 2), max(columns // _COARSER, 2), max(slices // _COARSER_ALONG, 2)
        depths = np.empty(coarse, np.float32)
        _ways(camera, packed, light, f32(reach), nb.get_num_threads(), depths)
    bed = np.zeros(4, np.float32)
    glow = f32(0.0), f32(1.0)
    if many > 0 and kind in (SUN, SKY):
        low, step, values = glow_above(_fog_of(medium), float(light[AXIS + 2]) if kind == SUN else 0.0)
        # Over what comes straight from an even sky: its mean intensity is its illuminance over 2 pi.
        bed = np.concatenate([[low, step], values * (2 * math.pi if kind == SKY else 1.0)]).astype(np.float32)
    elif many > 0:
        strength, decay = lamp_glow(medium)
        glow = f32(many * strength * 0.25 / math.pi), f32(decay)
    return Ways(depths, glow, bed)


def _fog_of(medium: Medium) -> Medium:
    """The fog alone, or for banks alone one as dense as the densest and as high."""
    bare = attrs.evolve(medium.evenly(), banks=(), stretch=Stretch())
    if bare.has_fog or not medium.banks:
        return bare
    densest = max(medium.banks, key=lambda b: b.extinction_per_m)
    return attrs.evolve(
        bare,
        visibility_m=densest.visibility_m,
        base_m=densest.centre[2],
        fall_off_m=max(densest.size[2] / 4, 0.1),
        top_m=densest.centre[2] + densest.size[2] / 2,
    )


@_inline
def at_height(bed, z):
    """A sun's or a sky's scattered light at height ``z`` [m], of `Ways.bed`."""
    x = min(max((z - bed[0]) / bed[1], f32(0.0)), f32(bed.shape[0] - 2) - f32(1.001))
    i = int(x)
    return bed[i + 2] + (x - f32(i)) * (bed[i + 3] - bed[i + 2])


@_inline
def between(at, fine, coarse):
    """Where position ``at`` of ``fine`` points lies among ``coarse`` ones: the lower, and how far past it."""
    x = (at + f32(0.5)) * f32(coarse) / f32(fine) - f32(0.5)
    x = min(max(x, f32(0.0)), f32(coarse) - f32(1.001))
    # Of unsigned places it is known that they are not counted from the end: loops run on several at once.
    low = np.uint32(x)
    return low, x - f32(low)


@_plain
def read_ways(way, y, x, rows, columns, slices, count, line, out):
    """The ways of a ray at ``y``, ``x`` of a grid, for its first ``count`` slices; ``line`` is room to work in."""
    j, fj = between(y, rows, way.shape[0])
    c, fc = between(x, columns, way.shape[1])
    w00, w01, w10, w11 = (f32(1.0) - fc) * (f32(1.0) - fj), fc * (f32(1.0) - fj), (f32(1.0) - fc) * fj, fc * fj
    for s in range(way.shape[2]):
        line[s] = w00 * way[j, c, s] + w01 * way[j, c + 1, s] + w10 * way[j + 1, c, s] + w11 * way[j + 1, c + 1, s]
    for k in range(count):
        s, fs = between(f32(k), slices, way.shape[2])
        out[k] = line[s] + fs * (line[s + 1] - line[s])


@_plain
def _weigh_row(camera, m, reach, row, way, many, bed, last, seen, directions, out):
    camera, m, way, bed = floats(camera), floats(m), floats(way), floats(bed)
    rows, columns, slices, count = seen.shape
    plain = m[PLAIN] > f32(0.0)
    slant = f32(0.12) if m[FOG_SIGMA] > f32(0.0) else _LEAST_SLANT
    over, loss = np.empty(count, np.float32), np.ones(count, np.float32)
    for n in range(count):
        over[n] = f32(-1.0) / max(directions[n, 2], slant)
    line, depths = np.empty(way.shape[2], np.float32), np.empty(slices, np.float32)
    middles = slice_distances(0.5, slices, slices, reach)
    for i in range(columns):
        _dx, _dy, dz = column_direction(camera, row, i, rows, columns)
        read_ways(way, f32(row), f32(i), rows, columns, slices, last[row, i], line, depths)
        for k in range(last[row, i]):
            more = f32(0.0)
            if many > f32(0.0):
                z = camera[EYE + 2] + middles[k] * dz
                # An even sky's light comes at a mean slant of 5/3.
                more = many * at_height(bed, z) / max(exp(-depths[k] * f32(5 / 3)), f32(1e-6))
            if not plain:  # what fog alone takes off the sums take off themselves
                for n in range(count):
                    loss[n] = exp(depths[k] * over[n])
            looks, weighed = seen[row, i, k], out[row, i, k]
            for n in range(count):
                weighed[n] = looks[n] * loss[n] * (f32(1.0) + more)


@_threads
def _weigh(camera, m, reach, threads, way, many, bed, last, seen, directions, out):
    for thread in nb.prange(threads):
        for row in range(thread, seen.shape[0], threads):
            _weigh_row(camera, m, reach, row, way, many, bed, last, seen, directions, out)


def weighed_sky(
    grid: LightGrid, medium: Medium, camera: NDArray, reach: float, last: NDArray[np.int32], out: NDArray
) -> NDArray[np.float32]:
    """The looks of a sky's grid as this medium lets them count, written to ``out`` of their shape, or as they are.

    Fog whose light scatters once is left to the closed forms. ``last`` is (rows, columns), ``out`` (rows, columns,
    slices, directions).
    """
    packed = medium.pack()
    many = float(packed[MULTIPLE])
    if medium.is_plain and many <= 0:
        return grid.seen[0]
    ways = ways_of(grid, 0, medium, camera, reach)
    _weigh(
        camera,
        packed,
        f32(reach),
        nb.get_num_threads(),
        ways.depths,
        f32(many),
        ways.bed,
        last,
        grid.seen[0],
        grid.directions,
        out,
    )
    return out
