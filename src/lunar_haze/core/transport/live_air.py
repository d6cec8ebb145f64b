"""Air that answers under the hand: which points of the view see which source, kept apart from the mist.

Points lie on a grid aligned with the camera: columns over the picture, slices along the ray that
grow with distance. For a lamp or the sun each point keeps the share of its light that arrives
past the place; for a sky, the share along a few dozen fixed directions drawn by the sky's
luminance. An edit of the medium then needs no ray: the unshadowed light of each source, the
phase function and both transmittances are evaluated slice by slice, front to back, and summed
(the distance to a lamp within a slice in closed form, so that halos keep their core). After
Wronski, B. (2014), Volumetric fog, SIGGRAPH Advances in real-time rendering, with visibility in
place of lit density.
"""

import math

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.kernels import density, transmittance
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.air.phase import henyey_greenstein
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene, floats
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light, sky_radiance
from lunar_haze.core.transport.lights import (
    AREA,
    AXIS,
    BALL,
    BEAM,
    COS_INNER,
    COS_OUTER,
    KIND,
    POSITION,
    RADIANCE,
    SKY,
    SUN,
    SURFACE,
    TABLE,
    LightArrays,
)  # fmt: skip
from lunar_haze.core.transport.sampling import combine, random_pair
from lunar_haze.core.transport.scene import SceneArrays
from lunar_haze.core.transport.surfaces import FAR, emission_at, shadow
from lunar_haze.core.transport.view import primary_direction

f32, u32 = np.float32, np.uint32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

COLUMNS, ROWS, SLICES = 128, 72, 128
SKY_COLUMNS, SKY_ROWS, SKY_SLICES, SKY_DIRECTIONS = 48, 27, 32, 64
#: How much thicker the last slice is than the first: e^GROWTH.
GROWTH = 5.0
#: Steps taken past the last slice, each reaching this much farther than the one before.
BEYOND, BEYOND_RATIO = 12, 1.7


@_inline
def slice_distance(k, slices, reach):
    """Distance [m] of slice boundary ``k`` along the ray."""
    return reach * f32(math.expm1(f32(GROWTH) * k / f32(slices))) / f32(math.expm1(GROWTH))


@_inline
def slice_at(distance, slices, reach):
    """Inverse of `slice_distance`."""
    share = min(distance / reach, f32(1.0)) * f32(math.expm1(GROWTH))
    return f32(math.log1p(share)) * f32(slices) / f32(GROWTH)


@_plain
def _see_point_row(s, lights, number, camera, reach, index, row, depth, grid):
    memory = ray_buffer()
    ray = aligned(memory)
    s, lights = borrow_scene(s), borrow_lights(lights)
    depth = floats(depth)
    width, height = int(camera[13]), int(camera[14])
    _two, slices, rows, columns = grid.shape
    for column in range(columns):
        seed = combine(u32(row * columns + column), u32(0x7A3F11C5) + u32(number))
        for k in range(slices):
            jx, jy = random_pair(seed, 4 * k, index)
            jz, _spare = random_pair(seed, 4 * k + 1, index)
            u, v = random_pair(seed, 4 * k + 2, index)
            x, y = (f32(column) + jx) * camera[13] / f32(columns), (f32(row) + jy) * camera[14] / f32(rows)
            dx, dy, dz = primary_direction(camera, x, y)
            t = slice_distance(f32(k) + jz, slices, reach)
            px, py, pz = camera[0] + t * dx, camera[1] + t * dy, camera[2] + t * dz
            lx, ly, lz, distance, _r, _g, _b, pdf = sample_light(s, lights, number, px, py, pz, u, v)
            if pdf > f32(0.0):
                r, g, b = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
                # Points that the lens sees count; those behind what it sees stand in where there are none.
                in_view = t <= depth[min(int(y), height - 1) * width + min(int(x), width - 1)]
                counts = f32(1.0) if in_view else f32(1e-3)
                grid[0, k, row, column] += counts * (r + g + b) * f32(1 / 3)
                grid[1, k, row, column] += counts
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@_threads
def see_points(s, lights, number, camera, reach, index, threads, depth, grid):
    """Add one jittered look at the source from every point of ``grid`` (2, slices, rows, columns).

    The first half sums what arrives, the second how much each look counts.
    """
    rows = grid.shape[2]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _see_point_row(s, lights, number, camera, reach, index, row, depth, grid)


@_plain
def _see_sky_row(s, camera, reach, index, row, directions, depth, grid):
    memory = ray_buffer()
    ray = aligned(memory)
    s = borrow_scene(s)
    depth = floats(depth)
    width, height = int(camera[13]), int(camera[14])
    slices, rows, columns, count = grid.shape
    for column in range(columns):
        seed = combine(u32(row * columns + column), u32(0x19E3779B))
        for k in range(slices):
            jx, jy = random_pair(seed, 2 * k, index)
            jz, _spare = random_pair(seed, 2 * k + 1, index)
            x, y = (f32(column) + jx) * camera[13] / f32(columns), (f32(row) + jy) * camera[14] / f32(rows)
            dx, dy, dz = primary_direction(camera, x, y)
            t = slice_distance(f32(k) + jz, slices, reach)
            px, py, pz = camera[0] + t * dx, camera[1] + t * dy, camera[2] + t * dz
            in_view = t <= depth[min(int(y), height - 1) * width + min(int(x), width - 1)]
            counts = f32(1.0) if in_view else f32(1e-3)
            grid[k, row, column, count - 1] += counts
            for j in range(count - 1):
                r, g, b = shadow(s, ray, px, py, pz, directions[j, 0], directions[j, 1], directions[j, 2], FAR)
                grid[k, row, column, j] += counts * (r + g + b) * f32(1 / 3)
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@_threads
def see_sky(s, camera, reach, index, threads, directions, depth, grid):
    """Add one jittered look along each of ``directions`` (n, 3) from every point of ``grid`` (.., n + 1).

    The last entry of a point sums how much its looks count.
    """
    rows = grid.shape[1]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _see_sky_row(s, camera, reach, index, row, directions, depth, grid)


@_inline
def _intensity(row, cos_e):
    """Far-field intensity of a lamp [cd per canonical unit] at a cosine from its axis."""
    kind = int(row[KIND])
    whole = row[RADIANCE] * row[AREA]
    if kind == BALL:
        return whole
    if kind == SURFACE:
        return whole * f32(0.25)
    if cos_e <= f32(0.0):
        return f32(0.0)
    if kind == BEAM:
        t = (cos_e - row[COS_OUTER]) / max(row[COS_INNER] - row[COS_OUTER], f32(1e-7))
        t = min(max(t, f32(0.0)), f32(1.0))
        return whole * cos_e * t * t * (f32(3.0) - f32(2.0) * t)
    return whole * cos_e


@_plain
def _integrate_lamp_row(row_of, camera, medium, reach, row, seen, out):
    light, medium, camera = floats(row_of), floats(medium), floats(camera)
    _two, slices, rows, columns = seen.shape
    kind = int(light[KIND])
    g = medium[4]
    for column in range(columns):
        dx, dy, dz = primary_direction(
            camera,
            (f32(column) + f32(0.5)) * camera[13] / f32(columns),
            (f32(row) + f32(0.5)) * camera[14] / f32(rows),
        )
        total = f32(0.0)
        through = f32(1.0)
        t0 = f32(0.0)
        cx, cy, cz = light[POSITION] - camera[0], light[POSITION + 1] - camera[1], light[POSITION + 2] - camera[2]
        along = cx * dx + cy * dy + cz * dz
        apart2 = max(cx * cx + cy * cy + cz * cz - along * along, f32(1e-6))
        if kind != SUN:
            # The air is never nearer to all of a lamp than about its own size.
            apart2 = max(apart2, light[AREA] * f32(0.13))
        apart = f32(math.sqrt(apart2))
        cos_sun = light[AXIS] * dx + light[AXIS + 1] * dy + light[AXIS + 2] * dz
        out[0, row, column] = f32(0.0)
        for k in range(slices):
            t1 = slice_distance(f32(k + 1), slices, reach)
            middle = f32(0.5) * (t0 + t1)
            z = camera[2] + middle * dz
            behind = through * transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
            visible = seen[0, k, row, column] / max(seen[1, k, row, column], f32(1e-6))
            if visible > f32(0.0) and through > f32(1e-7):
                if kind == SUN:
                    total += (
                        (through - behind) * visible * henyey_greenstein(cos_sun, g)
                        * transmittance(medium, z, light[AXIS + 2], FAR)
                    )  # fmt: skip
                else:
                    # Density is taken as even in a step; 1 / d^2 is integrated in closed form. Steps
                    # are short where the lamp is near and its light changes fast along the ray.
                    span = t1 - t0
                    near = max(abs(middle - along) - span, f32(0.0)) < f32(3.0) * span
                    steps = 8 if near and apart < f32(4.0) * span else 4 if kind == BEAM else 1
                    arriving = f32(0.0)
                    for step in range(steps):
                        a = t0 + span * f32(step) / f32(steps)
                        b = t0 + span * f32(step + 1) / f32(steps)
                        m = f32(0.5) * (a + b)
                        angle = f32(math.atan2(b - along, apart)) - f32(math.atan2(a - along, apart))
                        lx = light[POSITION] - (camera[0] + m * dx)
                        ly = light[POSITION + 1] - (camera[1] + m * dy)
                        lz = light[POSITION + 2] - (camera[2] + m * dz)
                        distance = max(f32(math.sqrt(lx * lx + ly * ly + lz * lz)), f32(1e-3))
                        lx, ly, lz = lx / distance, ly / distance, lz / distance
                        cos_e = -(lx * light[AXIS] + ly * light[AXIS + 1] + lz * light[AXIS + 2])
                        arriving += (
                            henyey_greenstein(lx * dx + ly * dy + lz * dz, g) * _intensity(light, cos_e) * angle
                            * transmittance(medium, camera[2] + m * dz, lz, distance)
                        )  # fmt: skip
                    total += (
                        f32(math.sqrt(through * behind)) * medium[0] * density(medium, z) * visible * arriving / apart
                    )
            through = behind
            t0 = t1
            out[k + 1, row, column] = total
        if kind == SUN:
            # Beyond the last slice the place hides as much as at its end.
            visible = seen[0, slices - 1, row, column] / max(seen[1, slices - 1, row, column], f32(1e-6))
            for _ in range(BEYOND):
                t1 = t0 * f32(BEYOND_RATIO)
                behind = through * transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
                z = camera[2] + f32(0.5) * (t0 + t1) * dz
                total += (
                    (through - behind) * visible * henyey_greenstein(cos_sun, g)
                    * transmittance(medium, z, light[AXIS + 2], FAR)
                )  # fmt: skip
                through, t0 = behind, t1
        out[slices + 1, row, column] = total


@_threads
def integrate_lamp(row_of, camera, medium, reach, threads, seen, out):
    """Cumulative airlight of one lamp or sun at every slice boundary: ``out`` (slices + 2, rows, columns).

    Dimensionless in colour; the entry past the last boundary includes all that lies beyond.
    """
    rows = seen.shape[2]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _integrate_lamp_row(row_of, camera, medium, reach, row, seen, out)


@_inline
def _sky_at(medium, z, directions, light, phase, looks):
    """Light rgb that a point at height z throws to the lens, per unit of scattering."""
    count = directions.shape[0]
    r, g, b = f32(0.0), f32(0.0), f32(0.0)
    weight = f32(1.0) / max(looks[count], f32(1e-6))
    for j in range(count):
        if looks[j] > f32(0.0):
            w = looks[j] * weight * phase[j] * transmittance(medium, z, directions[j, 2], FAR)
            r += w * light[j, 0]
            g += w * light[j, 1]
            b += w * light[j, 2]
    return r, g, b


@_plain
def _integrate_sky_row(camera, medium, reach, row, directions, light, seen, out):
    medium, camera, directions, light = floats(medium), floats(camera), floats(directions), floats(light)
    slices, rows, columns, count = seen.shape
    count -= 1
    g = medium[4]
    phase = np.empty(count, np.float32)
    for column in range(columns):
        dx, dy, dz = primary_direction(
            camera,
            (f32(column) + f32(0.5)) * camera[13] / f32(columns),
            (f32(row) + f32(0.5)) * camera[14] / f32(rows),
        )
        for j in range(count):
            phase[j] = henyey_greenstein(directions[j, 0] * dx + directions[j, 1] * dy + directions[j, 2] * dz, g)
        r, gg, b = f32(0.0), f32(0.0), f32(0.0)
        through = f32(1.0)
        t0 = f32(0.0)
        for c in range(3):
            out[0, row, column, c] = f32(0.0)
        for k in range(slices):
            t1 = slice_distance(f32(k + 1), slices, reach)
            z = camera[2] + f32(0.5) * (t0 + t1) * dz
            behind = through * transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
            vr, vg, vb = _sky_at(medium, z, directions, light, phase, seen[k, row, column])
            r, gg, b = r + (through - behind) * vr, gg + (through - behind) * vg, b + (through - behind) * vb
            through = behind
            t0 = t1
            out[k + 1, row, column, 0] = r
            out[k + 1, row, column, 1] = gg
            out[k + 1, row, column, 2] = b
        for _ in range(BEYOND):
            t1 = t0 * f32(BEYOND_RATIO)
            z = camera[2] + f32(0.5) * (t0 + t1) * dz
            behind = through * transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
            if through - behind > f32(1e-6):
                vr, vg, vb = _sky_at(medium, z, directions, light, phase, seen[slices - 1, row, column])
                r, gg, b = r + (through - behind) * vr, gg + (through - behind) * vg, b + (through - behind) * vb
            through, t0 = behind, t1
        out[slices + 1, row, column, 0] = r
        out[slices + 1, row, column, 1] = gg
        out[slices + 1, row, column, 2] = b


@_threads
def integrate_sky(camera, medium, reach, threads, directions, light, seen, out):
    """Cumulative airlight of a sky, rgb: ``out`` (slices + 2, rows, columns, 3), as `integrate_lamp`."""
    rows = seen.shape[1]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _integrate_sky_row(camera, medium, reach, row, directions, light, seen, out)


@_plain
def _spread_rows(first, last, width, height, reach, depth, volume, tint, out):
    depth, volume, tint, out = floats(depth), floats(volume), floats(tint), floats(out)
    slices = volume.shape[0] - 2
    rows, columns, channels = volume.shape[1], volume.shape[2], volume.shape[3]
    for y in range(first, last):
        gy = min(max((f32(y) + f32(0.5)) * f32(rows) / f32(height) - f32(0.5), f32(0.0)), f32(rows) - f32(1.001))
        j = int(gy)
        fy = gy - f32(j)
        for x in range(width):
            gx = min(
                max((f32(x) + f32(0.5)) * f32(columns) / f32(width) - f32(0.5), f32(0.0)), f32(columns) - f32(1.001)
            )
            i = int(gx)
            fx = gx - f32(i)
            d = depth[y * width + x]
            if d >= FAR:
                k, fk = slices, f32(1.0)
            else:
                at = slice_at(d, slices, reach)
                k = min(int(at), slices - 1)
                fk = min(at - f32(k), f32(1.0))
            for c in range(3):
                channel = c if channels == 3 else 0
                near = (volume[k, j, i, channel] * (f32(1.0) - fx) + volume[k, j, i + 1, channel] * fx) * (
                    f32(1.0) - fy
                ) + (volume[k, j + 1, i, channel] * (f32(1.0) - fx) + volume[k, j + 1, i + 1, channel] * fx) * fy
                far = (volume[k + 1, j, i, channel] * (f32(1.0) - fx) + volume[k + 1, j, i + 1, channel] * fx) * (
                    f32(1.0) - fy
                ) + (
                    volume[k + 1, j + 1, i, channel] * (f32(1.0) - fx) + volume[k + 1, j + 1, i + 1, channel] * fx
                ) * fy
                out[y * width + x, c] = (near + (far - near) * fk) * tint[c]


@_threads
def spread(width, height, reach, threads, depth, volume, tint, out):
    """The cumulative volume read at every pixel's own depth: ``out`` (pixels, 3)."""
    block = 8
    count = (height + block - 1) // block
    for thread in nb.prange(threads):
        for i in range(thread, count, threads):
            _spread_rows(i * block, min((i + 1) * block, height), width, height, reach, depth, volume, tint, out)


@attrs.define(eq=False)
class LightGrid:
    """What the points of a view see of one source, summed over ``passes`` jittered looks."""

    seen: NDArray[np.float32]
    passes: int = 0
    directions: NDArray[np.float32] | None = None
    light: NDArray[np.float32] | None = None


def new_grid(s: SceneArrays, lights: LightArrays, number: int) -> LightGrid:
    """An empty grid for source ``number``."""
    row = lights.rows[number]
    if int(row[KIND]) != SKY:
        return LightGrid(np.zeros((2, SLICES, ROWS, COLUMNS), np.float32))
    # Stratified draws from the sky's own table; each stands for 1 / (n pdf) steradians.
    directions, light = [], []
    side = SKY_DIRECTIONS // 4
    for a in range(side):
        for b in range(4):
            u, v = f32((a + 0.5) / side), f32((b + (a % 2) * 0.5 + 0.25) / 4)
            dx, dy, dz, _far, *_rest = _draw_sky(s, lights, number, u, v)
            r, g, blue, pdf = sky_radiance(lights, int(row[TABLE]), dx, dy, dz)
            directions.append((dx, dy, dz))
            light.append([channel / pdf / SKY_DIRECTIONS for channel in (r, g, blue)])
    return LightGrid(
        np.zeros((SKY_SLICES, SKY_ROWS, SKY_COLUMNS, SKY_DIRECTIONS + 1), np.float32),
        directions=np.array(directions, np.float32),
        light=np.array(light, np.float32),
    )


@_plain
def _draw_sky(s, lights, number, u, v):
    return sample_light(s, lights, number, f32(0.0), f32(0.0), f32(0.0), u, v)


def look_once(
    grid: LightGrid, s: SceneArrays, lights: LightArrays, number: int, camera: NDArray, reach: float,
    depth: NDArray[np.float32],
) -> None:  # fmt: skip
    """Add one pass of looks to a grid. ``reach`` is how far its slices go [m]; ``depth`` as in `airlight`."""
    threads = nb.get_num_threads()
    if grid.directions is not None:
        see_sky(s, camera, f32(reach), grid.passes, threads, grid.directions, depth, grid.seen)
    else:
        see_points(s, lights, number, camera, f32(reach), grid.passes, threads, depth, grid.seen)
    grid.passes += 1


@_plain
def _surface_colour(s, lights, number):
    for triangle in range(lights.light_of.shape[0]):
        if lights.light_of[triangle] == number:
            return emission_at(s, triangle, f32(1 / 3), f32(1 / 3))
    return f32(1.0), f32(1.0), f32(1.0)


def airlight(
    grid: LightGrid, s: SceneArrays, lights: LightArrays, number: int, camera: NDArray, reach: float,
    medium: Medium, depth: NDArray[np.float32],
) -> NDArray[np.float32]:  # fmt: skip
    """Air part (pixels, 3) of one source's layer under ``medium``; ``depth`` (pixels,) [m], beyond FAR for the sky."""
    packed = medium.pack()
    width, height = int(camera[13]), int(camera[14])
    out = np.empty((width * height, 3), np.float32)
    threads = nb.get_num_threads()
    tint = np.asarray(medium.albedo, np.float32).copy()
    row = lights.rows[number]
    if grid.directions is not None:
        volume = np.empty((SKY_SLICES + 2, SKY_ROWS, SKY_COLUMNS, 3), np.float32)
        integrate_sky(camera, packed, f32(reach), threads, grid.directions, grid.light, grid.seen, volume)
    else:
        volume = np.empty((SLICES + 2, ROWS, COLUMNS), np.float32)
        integrate_lamp(row, camera, packed, f32(reach), threads, grid.seen, volume)
        volume = volume[..., None]
        if int(row[KIND]) == SURFACE:
            tint *= np.array(_surface_colour(s, lights, number), np.float32)
    spread(width, height, f32(reach), threads, depth, volume, tint, out)
    return out
