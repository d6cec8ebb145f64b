"""Looks into the air: which points of the view see which source, kept apart from the mist.

Points lie on a grid aligned with the camera: columns over the picture, slices along the ray that
grow with distance. For a lamp or the sun each point keeps the share of its light that arrives
past the place; for a sky, the share along a few dozen fixed directions drawn by the sky's
luminance. After Wronski, B. (2014), Volumetric fog, SIGGRAPH Advances in real-time rendering,
with visibility in place of lit density. `air_integral` turns looks into airlight.
"""

import math

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, floats
from lunar_haze.core.transport.camera_row import EYE, HEIGHT, WIDTH
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.heaven_light import sky_radiance
from lunar_haze.core.transport.lamp_lobes import smooth_edge
from lunar_haze.core.transport.lights import LightArrays, emitter_tables
from lunar_haze.core.transport.sampling import combine, random_pair
from lunar_haze.core.transport.scene import MATERIAL, NORMAL, SceneArrays
from lunar_haze.core.transport.source_row import (
    AREA,
    ARRAY,
    AXIS,
    BEAM,
    COS_INNER,
    COS_OUTER,
    COUNT,
    FIRST,
    HALF_W,
    KIND,
    LIGHTS,
    POSITION,
    RADIANCE,
    RADIUS,
    SKY,
    SURFACE,
    TABLE,
    TUBE,
)
from lunar_haze.core.transport.surfaces import FAR, shadow
from lunar_haze.core.transport.view import primary_direction
from lunar_haze.core.units.fast_math import log

f32, u32 = np.float32, np.uint32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

COLUMNS, ROWS, SLICES = 112, 63, 96
SKY_COLUMNS, SKY_ROWS, SKY_SLICES, SKY_DIRECTIONS = 48, 27, 32, 64
#: How much thicker the last slice is than the first: e^GROWTH.
GROWTH = 5.0
_GROWN = f32(math.expm1(GROWTH))
#: A glowing material on fixtures farther apart than this [m] is several lamps to the air.
SPOT_SPACING_M = 1.0
MAX_SPOTS = 12
#: A tube longer than this [m] is several lamps to the air.
TUBE_PIECE_M = 0.3


@_inline
def slice_distance(k, slices, reach):
    """Distance [m] of slice boundary ``k`` along the ray."""
    return reach * f32(math.expm1(f32(GROWTH) * k / f32(slices))) / _GROWN


@_plain
def slice_distances(first, count, slices, reach):
    """Distances [m] (count,) of ``first`` and every whole slice after it, as `slice_distance`."""
    out = np.empty(count, np.float32)
    for k in range(count):
        out[k] = slice_distance(f32(k) + f32(first), slices, reach)
    return out


@_inline
def slice_at(distance, slices, reach):
    """Inverse of `slice_distance`."""
    share = min(distance / reach, f32(1.0)) * _GROWN
    return log(f32(1.0) + share) * f32(slices) * f32(1 / GROWTH)


def slices_seen(depth: NDArray[np.float32], width: int, reach: float, grid: tuple[int, int, int]) -> NDArray[np.int32]:
    """How many slices of each column (rows, columns) the lens can see into; ``grid`` is rows, columns, slices.

    Columns count what their neighbours see too, since pixels read between columns. ``depth``
    (pixels,) [m].
    """
    rows, columns, slices = grid
    picture = depth.reshape(-1, width)
    height = picture.shape[0]
    far = np.zeros((rows, columns), np.float32)
    y = np.minimum(np.arange(height) * rows // height, rows - 1)
    x = np.minimum(np.arange(width) * columns // width, columns - 1)
    np.maximum.at(far, (y[:, None], x[None, :]), picture)
    edge = np.pad(far, 1, mode="edge")
    far = np.max([edge[j : j + rows, i : i + columns] for j in range(3) for i in range(3)], 0)
    share = np.minimum(far / reach, 1.0) * math.expm1(GROWTH)
    return np.minimum(np.ceil(np.log1p(share) * slices / GROWTH + 0.01), slices).astype(np.int32)


@_plain
def _see_point_row(s, lights, number, camera, reach, index, row, depth, last, seen, weight):
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    depth = floats(depth)
    width, height = int(camera[WIDTH]), int(camera[HEIGHT])
    rows, columns, slices = seen.shape
    for column in range(columns):
        seed = combine(u32(row * columns + column), u32(0x7A3F11C5) + u32(number))
        for k in range(last[row, column]):
            jx, jy = random_pair(seed, 4 * k, index)
            jz, _spare = random_pair(seed, 4 * k + 1, index)
            u, v = random_pair(seed, 4 * k + 2, index)
            x, y = (f32(column) + jx) * camera[WIDTH] / f32(columns), (f32(row) + jy) * camera[HEIGHT] / f32(rows)
            dx, dy, dz = primary_direction(camera, x, y)
            t = slice_distance(f32(k) + jz, slices, reach)
            px, py, pz = camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz
            lx, ly, lz, distance, radiance, _g, _b, pdf = sample_light(s, lights, number, px, py, pz, u, v)
            if pdf > f32(0.0):
                lamp = lights.rows[number]
                kind = int(lamp[KIND])
                share = f32(1.0)
                if kind != SURFACE:
                    # What clouds, a gate, a reach or a measured lobe leave, past the closed forms of `air_integral`.
                    lobe = lamp[RADIANCE]
                    if kind == BEAM:
                        cos_e = -(lx * lamp[AXIS] + ly * lamp[AXIS + 1] + lz * lamp[AXIS + 2])
                        lobe *= smooth_edge(cos_e, lamp[COS_INNER], lamp[COS_OUTER])
                    share = radiance / lobe if lobe > f32(1e-3) * lamp[RADIANCE] else f32(1.0)
                r, g, b = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
                r, g, b = r * share, g * share, b * share
                # Points that the lens sees count; those behind what it sees stand in where there are none.
                in_view = t <= depth[min(int(y), height - 1) * width + min(int(x), width - 1)]
                counts = f32(1.0) if in_view else f32(1e-3)
                weight[row, column, k] += counts
                newer = counts / weight[row, column, k]
                seen[row, column, k] += newer * ((r + g + b) * f32(1 / 3) - seen[row, column, k])
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@_threads
def see_points(s, lights, number, camera, reach, index, threads, depth, last, seen, weight):
    """Add one jittered look at the source from every point of the grid (rows, columns, slices).

    ``seen`` is the mean of what arrives, ``weight`` how much all looks count; ``last`` as of `slices_seen`.
    """
    rows = seen.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _see_point_row(s, lights, number, camera, reach, index, row, depth, last, seen, weight)


@_plain
def _see_sky_row(s, camera, reach, index, row, directions, depth, last, seen, weight):
    memory = ray_buffer()
    ray = aligned(memory)
    s = borrow_scene(s)
    depth = floats(depth)
    width, height = int(camera[WIDTH]), int(camera[HEIGHT])
    rows, columns, slices, count = seen.shape
    for column in range(columns):
        seed = combine(u32(row * columns + column), u32(0x19E3779B))
        for k in range(last[row, column]):
            jx, jy = random_pair(seed, 2 * k, index)
            jz, _spare = random_pair(seed, 2 * k + 1, index)
            x, y = (f32(column) + jx) * camera[WIDTH] / f32(columns), (f32(row) + jy) * camera[HEIGHT] / f32(rows)
            dx, dy, dz = primary_direction(camera, x, y)
            t = slice_distance(f32(k) + jz, slices, reach)
            px, py, pz = camera[EYE] + t * dx, camera[EYE + 1] + t * dy, camera[EYE + 2] + t * dz
            in_view = t <= depth[min(int(y), height - 1) * width + min(int(x), width - 1)]
            counts = f32(1.0) if in_view else f32(1e-3)
            weight[row, column, k] += counts
            newer = counts / weight[row, column, k]
            for j in range(count):
                r, g, b = shadow(s, ray, px, py, pz, directions[j, 0], directions[j, 1], directions[j, 2], FAR)
                seen[row, column, k, j] += newer * ((r + g + b) * f32(1 / 3) - seen[row, column, k, j])
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@_threads
def see_sky(s, camera, reach, index, threads, directions, depth, last, seen, weight):
    """Add one jittered look along each of ``directions`` (n, 3) from every point; ``seen`` (.., n)."""
    rows = seen.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _see_sky_row(s, camera, reach, index, row, directions, depth, last, seen, weight)


@attrs.define(eq=False)
class LightGrid:
    """What the points of a view see of one source, the mean of ``passes`` jittered looks.

    ``spots`` are the lamps that a source is to the air, as rows of packed lights; ``seen`` has one
    grid for each (spots, rows, columns, slices). A sky has one grid with a last axis of directions,
    and ``light`` (3, n), what arrives along each.
    """

    seen: NDArray[np.float32]
    weight: NDArray[np.float32]
    spots: NDArray[np.float32]
    lights: LightArrays
    number: int
    passes: int = 0
    directions: NDArray[np.float32] | None = None
    light: NDArray[np.float32] | None = None
    _open: dict[int, tuple[int, NDArray[np.float32]]] = attrs.Factory(dict)

    def openness(self, spot: int) -> NDArray[np.float32]:
        """What of a spot's light the surroundings of each point see (rows, columns, slices)."""
        if self._open.get(spot, (-1, None))[0] != self.passes:
            self._open[spot] = self.passes, uniform_filter(self.seen[spot], (7, 7, 9), mode="nearest")
        return self._open[spot][1]

    @property
    def shape(self) -> tuple[int, int, int]:
        """Rows, columns, slices."""
        rows, columns, slices = self.weight.shape[1:]
        return rows, columns, slices

    @property
    def memory_bytes(self) -> int:
        """Memory that the looks take."""
        return self.seen.nbytes + self.weight.nbytes


def _spots(s: SceneArrays, lights: LightArrays, number: int) -> LightArrays:
    """The lights with source ``number`` cut into its separate lamps: the rows are those lamps alone."""
    row = lights.rows[number]
    if int(row[KIND]) == ARRAY:
        first, count = int(row[FIRST]), int(row[COUNT])
        return lights._replace(rows=np.ascontiguousarray(lights.rows[first : first + count]))
    if int(row[KIND]) == TUBE:
        return lights._replace(rows=_pieces(row))
    if int(row[KIND]) != SURFACE:
        return lights._replace(rows=np.ascontiguousarray(row[None]))
    own = lights.emitters[int(row[FIRST]) : int(row[FIRST] + row[COUNT])]
    corners = s.vertices[s.faces[own, :MATERIAL].astype(np.int64), :NORMAL].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    # Lamps have thousands of triangles: clusters are sought among cells of half the spacing.
    cells, of = np.unique(np.round(corners.mean(1) / (SPOT_SPACING_M / 2)), axis=0, return_inverse=True)
    of = of.ravel()
    group = np.zeros(len(cells), int)
    if 1 < len(cells) <= 4096:
        # Takes half a second to load, which the first picture need not wait for.
        from scipy.cluster.hierarchy import fcluster, linkage

        tree = linkage(cells * SPOT_SPACING_M / 2, "single")
        group = fcluster(tree, SPOT_SPACING_M, "distance") - 1
        if group.max() >= MAX_SPOTS:
            group = fcluster(tree, MAX_SPOTS, "maxclust") - 1
    group = group[of]
    order = np.argsort(group, kind="stable")
    own, area, corners, group = own[order], area[order], corners[order], group[order]
    rows, areas = [], []
    for spot in range(group.max() + 1):
        mine = np.flatnonzero(group == spot)
        part = row.copy()
        part[FIRST], part[COUNT], part[AREA] = mine[0], len(mine), area[mine].sum()
        part[POSITION : POSITION + 3] = (corners[mine].mean(1) * area[mine, None]).sum(0) / area[mine].sum()
        part[RADIUS] = math.sqrt(area[mine].sum() / (4 * math.pi))
        rows.append(part)
        areas.append(area[mine])
    emitter_sum, emitter_starts = emitter_tables(areas)
    return lights._replace(
        rows=np.array(rows, np.float32),
        emitters=np.ascontiguousarray(own),
        emitter_sum=emitter_sum,
        emitter_starts=emitter_starts,
    )


def _pieces(row: NDArray[np.float32]) -> NDArray[np.float32]:
    """A long tube as short ones, each of which is a lamp to the air."""
    count = min(max(math.ceil(2 * float(row[HALF_W]) / TUBE_PIECE_M), 1), MAX_SPOTS)
    half = float(row[HALF_W]) / count
    rows = np.repeat(row[None], count, 0)
    at = (np.arange(count) * 2 + 1 - count) * half
    rows[:, POSITION : POSITION + 3] += at[:, None] * row[AXIS : AXIS + 3]
    rows[:, HALF_W], rows[:, AREA] = half, row[AREA] / count
    return np.ascontiguousarray(rows, np.float32)


def new_grid(s: SceneArrays, lights: LightArrays, number: int) -> LightGrid:
    """An empty grid for source ``number``."""
    row = lights.rows[number]
    if int(row[KIND]) != SKY:
        spots = _spots(s, lights, number)
        shape = (len(spots.rows), ROWS, COLUMNS, SLICES)
        return LightGrid(np.zeros(shape, np.float32), np.zeros(shape, np.float32), spots.rows, spots, number)
    # Stratified draws from the sky's own table; each stands for 1 / (n pdf) steradians.
    directions, light = [], []
    side = SKY_DIRECTIONS // 4
    for a in range(side):
        for b in range(4):
            u, v = f32((a + 0.5) / side), f32((b + (a % 2) * 0.5 + 0.25) / 4)
            dx, dy, dz, _far, *_rest = _draw_sky(s, lights, number, u, v)
            r, g, blue, pdf = sky_radiance(lights, int(row[TABLE]), dx, dy, dz)
            directions.append((dx, dy, dz))
            weight = 1.0 / pdf / SKY_DIRECTIONS if row[LIGHTS] > 0 else 0.0
            light.append([channel * weight for channel in (r, g, blue)])
    shape = (1, SKY_ROWS, SKY_COLUMNS, SKY_SLICES)
    return LightGrid(
        np.zeros((*shape, SKY_DIRECTIONS), np.float32),
        np.zeros(shape, np.float32),
        row[None].copy(),
        lights,
        number,
        directions=np.array(directions, np.float32),
        light=np.ascontiguousarray(np.array(light, np.float32).T),
    )


@_plain
def _draw_sky(s, lights, number, u, v):
    return sample_light(s, lights, number, f32(0.0), f32(0.0), f32(0.0), u, v)


def look_once(grid: LightGrid, s: SceneArrays, camera: NDArray, reach: float, depth: NDArray[np.float32]) -> None:
    """Add one pass of looks to a grid. ``reach`` is how far its slices go [m]; ``depth`` (pixels,) [m]."""
    threads = nb.get_num_threads()
    last = slices_seen(depth, int(camera[WIDTH]), reach, grid.shape)
    if grid.directions is not None:
        see_sky(s, camera, f32(reach), grid.passes, threads, grid.directions, depth, last, grid.seen[0], grid.weight[0])
    else:
        for spot in range(len(grid.spots)):
            see_points(
                s,
                grid.lights,
                spot,
                camera,
                f32(reach),
                grid.passes,
                threads,
                depth,
                last,
                grid.seen[spot],
                grid.weight[spot],
            )
    grid.passes += 1
