"""From slices of air to pixels: a live answer to an edit of the medium, at the full size of the picture.

Every pixel reads the sums of `air_integral` at its own depth. Around a lamp, where columns are too
coarse for its light, pixels have rays of their own. Surfaces are dimmed by what the change of the
medium does on the straight ways from lamp to surface to lens.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.fog import column, density, fog_depth
from lunar_haze.core.transport.air_grid import slice_at
from lunar_haze.core.transport.air_integral import lamp_values, view_column
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.lights import AREA, AXIS, KIND, POSITION, SKY, SUN
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view import primary_direction
from lunar_haze.core.units.fast_math import exp

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: Pixels within this many columns of a lamp have rays of their own.
CORE = 2.0
#: Pixels that a thread takes at a time.
BLOCK = 4096
#: A surface seen through dense mist may be brightened by this much at most when the mist clears.
MAX_LIFT = f32(30.0)


@_plain
def _core_pixel(kind, light, camera, medium, reach, dx, dy, dz, at, j, i, fy, fx, ends, seen, weight):
    """Airlight of a lamp at one pixel, times h: columns are too coarse where its light is narrow."""
    slices = seen.shape[2]
    count = min(int(at) + 1, slices)
    under, lost, scattered = (
        np.empty(slices + 1, np.float32),
        np.empty(slices, np.float32),
        np.empty(slices, np.float32),
    )
    below, value = np.empty(slices, np.float32), np.empty(slices, np.float32)
    view_column(medium, camera, dx, dy, dz, ends, count, under, lost, scattered, below)
    lamp_values(kind, light, camera, medium, reach, dx, dy, dz, count, slices, ends, below, value)
    total = f32(0.0)
    for k in range(count):
        arrives, looks = f32(0.0), f32(1e-6)
        for corner in range(4):
            y, x = corner >> 1, corner & 1
            near = (fy if y else f32(1.0) - fy) * (fx if x else f32(1.0) - fx)
            arrives += near * seen[j + y, i + x, k]
            looks += near * weight[j + y, i + x, k]
        total += value[k] * scattered[k] * arrives / looks * min(at - f32(k), f32(1.0))
    return total


@_threads
def place_pixels(camera, width, height, slices, reach, threads, depth, directions, at):
    """Where pixels lie in the grid: unit ``directions`` (3, pixels) and slice positions ``at`` (pixels,)."""
    for thread in nb.prange(threads):
        for y in range(thread, height, threads):
            _place_row(camera, y, width, slices, reach, depth, directions, at)


@_plain
def _place_row(camera, y, width, slices, reach, depth, directions, at):
    for x in range(width):
        pixel = y * width + x
        dx, dy, dz = primary_direction(camera, f32(x) + f32(0.5), f32(y) + f32(0.5))
        directions[0, pixel], directions[1, pixel], directions[2, pixel] = dx, dy, dz
        # Past the last boundary lies the entry that counts all air to the sky.
        at[pixel] = slice_at(depth[pixel], slices, reach) if depth[pixel] < FAR else f32(1e6)


@_plain
def _spread_row(
    y, width, height, camera, medium, light, step, directions, at, ends, seen, weight, volume, tint, scale, x0, x1, out
):
    volume, tint, out, at, scale = floats(volume), floats(tint), floats(out), floats(at), floats(scale)
    camera, light, directions, medium = floats(camera), floats(light), floats(directions), floats(medium)
    ends, seen, weight = floats(ends), floats(seen), floats(weight)
    rows, columns, slices, channels = volume.shape[0], volume.shape[1], volume.shape[2] - 2, volume.shape[3]
    one, half = f32(1.0), f32(0.5)
    gy = min(max((f32(y) + half) * f32(rows) / f32(height) - half, f32(0.0)), f32(rows) - f32(1.001))
    j = int(gy)
    fy = gy - f32(j)
    kind = int(light[KIND])
    core_x, core_y, core = f32(0.0), f32(0.0), False
    if kind == SUN or kind == SKY:
        for x in range(x0, x1):
            scale[x] = one
    else:
        cx, cy, cz = light[POSITION] - camera[0], light[POSITION + 1] - camera[1], light[POSITION + 2] - camera[2]
        c2, least = cx * cx + cy * cy + cz * cz, max(light[AREA] * f32(0.13), f32(1e-6))
        ax, ay, az = directions[0], directions[1], directions[2]
        for x in range(x0, x1):
            along = cx * ax[y * width + x] + cy * ay[y * width + x] + cz * az[y * width + x]
            scale[x] = one / f32(math.sqrt(max(c2 - along * along, least)))
        ahead = cx * camera[9] + cy * camera[10] + cz * camera[11]
        if ahead > f32(1e-3):
            # The lamp in the picture, in columns and rows.
            to = f32(columns) * half / (camera[12] * ahead)
            core_x = (cx * camera[3] + cy * camera[4] + cz * camera[5]) * to + half * f32(columns) - half
            core_y = half * f32(rows) - (cx * camera[6] + cy * camera[7] + cz * camera[8]) * to - half
            core = abs(core_y - gy) < f32(CORE)
    ratio, red, green, blue = f32(columns) / f32(width), tint[0], tint[1], tint[2]
    flat = volume.reshape(volume.size)
    layer, line, top = np.uint32((slices + 2) * channels), np.uint32(columns * (slices + 2) * channels), f32(slices + 1)
    first, wide = np.uint32(j) * line, np.uint32(channels)
    for x in range(x0, x1):
        pixel = y * width + x
        gx = min(max((f32(x) + half) * ratio - half, f32(0.0)), f32(columns) - f32(1.001))
        i = np.uint32(gx)
        fx = gx - f32(i)
        a = min(at[pixel] * step, top)
        k = np.uint32(min(a, f32(slices)))
        fk = a - f32(k)
        # Nearness of the four columns, and of the two boundaries.
        w00, w01, w10, w11 = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
        n0, n1 = (one - fk) * scale[x], fk * scale[x]
        o = first + i * layer + k * wide
        p = o + wide
        if channels == 3:
            for c in range(3):
                value = n0 * (
                    w00 * flat[o] + w01 * flat[o + layer] + w10 * flat[o + line] + w11 * flat[o + line + layer]
                )
                value += n1 * (
                    w00 * flat[p] + w01 * flat[p + layer] + w10 * flat[p + line] + w11 * flat[p + line + layer]
                )
                out[pixel, c] += value * tint[c]
                o, p = o + np.uint32(1), p + np.uint32(1)
            continue
        value = n0 * (w00 * flat[o] + w01 * flat[o + layer] + w10 * flat[o + line] + w11 * flat[o + line + layer])
        value += n1 * (w00 * flat[p] + w01 * flat[p + layer] + w10 * flat[p + line] + w11 * flat[p + line + layer])
        if core and abs(core_x - gx) < f32(CORE):
            away = f32(math.sqrt((core_x - gx) * (core_x - gx) + (core_y - gy) * (core_y - gy)))
            own = min(max(f32(CORE) - away, f32(0.0)), one)
            if own > f32(0.0):
                exact = _core_pixel(
                    kind, light, camera, medium, ends[slices], directions[0, pixel], directions[1, pixel],
                    directions[2, pixel], a, j, int(i), fy, fx, ends, seen, weight,
                )  # fmt: skip
                value += own * (exact * scale[x] - value)
        out[pixel, 0] += value * red
        out[pixel, 1] += value * green
        out[pixel, 2] += value * blue


@_threads
def spread(
    width, height, camera, medium, light, step, threads, directions, at, ends, seen, weight, volume, tint, bounds, out
):
    """Add the cumulative volume, read at every pixel's own depth, to ``out`` (pixels, 3).

    ``bounds`` are the first and past the last of the columns and rows of pixels that are written.
    ``step`` turns the slice positions of `place_pixels` into this volume's. Lamps are divided by
    the pixel's distance from them, and their cores gone through pixel by pixel.
    """
    for thread in nb.prange(threads):
        scale = np.empty(width, np.float32)
        for y in range(bounds[2] + thread, bounds[3], threads):
            _spread_row(
                y, width, height, camera, medium, light, step, directions, at, ends, seen, weight, volume, tint,
                scale, bounds[0], bounds[1], out,
            )  # fmt: skip


@_threads
def compare_air(camera, before, after, threads, depth, directions, change, column_change):
    """How much clearer the way to each pixel's surface becomes, and the column below it: optical depths (pixels,)."""
    # Blocks of one size: sums within a block must not depend on how many threads share them.
    pixels = depth.shape[0]
    for thread in nb.prange(threads):
        for i in range(thread, (pixels + BLOCK - 1) // BLOCK, threads):
            first, stop = i * BLOCK, min((i + 1) * BLOCK, pixels)
            _compare_part(camera, before, after, first, stop, depth, directions, change, column_change)


@_plain
def _compare_part(camera, before, after, first, stop, depth, directions, change, column_change):
    camera, before, after = floats(camera), floats(before), floats(after)
    here = before[0] * column(before, camera[2]) - after[0] * column(after, camera[2])
    for pixel in range(first, stop):
        dz, t = directions[2, pixel], min(depth[pixel], FAR)
        z = camera[2] + t * dz
        column_change[pixel] = before[0] * column(before, z) - after[0] * column(after, z)
        if abs(dz) < f32(1e-3):
            change[pixel] = fog_depth(before, camera[2], dz, t) - fog_depth(after, camera[2], dz, t)
        else:
            change[pixel] = (column_change[pixel] - here) / dz


@_plain
def _dim_part(spots, camera, before, after, first, stop, depth, directions, change, column_change, base, gain, out):
    spots, camera, before, after = floats(spots), floats(camera), floats(before), floats(after)
    depth, base, out, change, directions = floats(depth), floats(base), floats(out), floats(change), floats(directions)
    ax, ay, az, column_change = directions[0], directions[1], directions[2], floats(column_change)
    kind = int(spots[0, KIND])
    way, near2 = np.empty(stop - first, np.float32), np.full(stop - first, f32(1e30), np.float32)
    if kind == SUN or kind == SKY:
        # The mean slant of an even sky is a diffusivity factor of 5/3.
        lift = f32(0.6) if kind == SKY else max(abs(spots[0, AXIS + 2]), f32(1e-3))
        at_top = before[0] * column(before, f32(1e9)) - after[0] * column(after, f32(1e9))
        for n in range(stop - first):
            way[n] = (at_top - column_change[first + n]) / lift
    else:
        # Of several lamps the nearest lights a surface most.
        for spot in range(spots.shape[0]):
            lamp_x, lamp_y, lamp_z = spots[spot, POSITION], spots[spot, POSITION + 1], spots[spot, POSITION + 2]
            at_lamp = before[0] * column(before, lamp_z) - after[0] * column(after, lamp_z)
            rate_lamp = before[0] * density(before, lamp_z) - after[0] * density(after, lamp_z)
            for n in range(stop - first):
                t = min(depth[first + n], FAR)
                lx = lamp_x - camera[0] - t * ax[first + n]
                ly = lamp_y - camera[1] - t * ay[first + n]
                lz = lamp_z - camera[2] - t * az[first + n]
                d2 = lx * lx + ly * ly + lz * lz
                level = abs(lz) < f32(0.02)
                rate = rate_lamp if level else (at_lamp - column_change[first + n]) / (f32(1.0) if level else lz)
                nearer = d2 < near2[n]
                way[n] = f32(math.sqrt(d2)) * rate if nearer else way[n]
                near2[n] = min(d2, near2[n])
    for n in range(stop - first):
        total = change[first + n] + (way[n] if depth[first + n] < FAR else f32(0.0))
        way[n] = min(exp(min(total, f32(20.0))), MAX_LIFT)
    red, green, blue = gain[0], gain[1], gain[2]
    for n in range(stop - first):
        pixel, ratio = first + n, way[n]
        out[pixel, 0] += base[pixel, 0] * ratio * red
        out[pixel, 1] += base[pixel, 1] * ratio * green
        out[pixel, 2] += base[pixel, 2] * ratio * blue


@_threads
def dim_surfaces(spots, first_spots, camera, before, after, threads, depth, directions, change, column_change, pool,
                 slots, gains, out):  # fmt: skip
    """Add to ``out`` (pixels, 3) the surfaces of sources as a change of medium leaves them on the direct paths.

    Source n has its sums in ``pool[slots[n]]`` (pixels, 3), ``gains`` (n, 3), and the lamps
    ``spots[first_spots[n]:first_spots[n + 1]]`` (packed lights); changes as of `compare_air`.
    """
    pixels = depth.shape[0]
    for thread in nb.prange(threads):
        for i in range(thread, (pixels + BLOCK - 1) // BLOCK, threads):
            # All sources of a block in turn, while it is at hand.
            for n in range(slots.shape[0]):
                _dim_part(spots[first_spots[n] : first_spots[n + 1]], camera, before, after, i * BLOCK,
                          min((i + 1) * BLOCK, pixels), depth, directions, change, column_change, pool[slots[n]],
                          gains[n], out)  # fmt: skip
