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
from lunar_haze.core.transport.air_integral import borrowed_air, borrowed_spotlight, lamp_line
from lunar_haze.core.transport.air_values import Cell, Change, Column, Pixels, Scratch, Slices, Surfaces
from lunar_haze.core.transport.air_ways import between
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.source_row import AREA, AXIS, KIND, POSITION, SKY, SUN
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view import primary_direction
from lunar_haze.core.units.fast_math import exp, log

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: Pixels within this many columns of a lamp have rays of their own.
CORE = 2.0
#: Pixels that a thread takes at a time.
BLOCK = 1024
#: How far from it a lamp lights most of what it lights [m].
LIT_M = 6.0
#: A surface seen through dense mist may be brightened by this much at most when the mist clears.
MAX_LIFT = f32(30.0)


@_inline
def _mean_of_four(grid, j, i, k, w00, w01, w10, w11):
    return w00 * grid[j, i, k] + w01 * grid[j, i + 1, k] + w10 * grid[j + 1, i, k] + w11 * grid[j + 1, i + 1, k]


@_plain
def _core_pixel(lamp, air, ray, at, j, i, fy, fx, along, seen, room):
    """Airlight of a lamp at one pixel, times h: columns are too coarse where its light is narrow."""
    rows, columns, _slices = seen.shape
    count = ray.count
    # What the mist and the place do varies less than the lamp's light: it is read between the columns.
    w00, w01 = (f32(1.0) - fy) * (f32(1.0) - fx), (f32(1.0) - fy) * fx
    w10, w11 = fy * (f32(1.0) - fx), fy * fx
    under, back, scratch = room[0], room[1], Scratch(room[4], room[3], room[2])
    for k in range(count):
        under[k] = _mean_of_four(along.below, j, i, k, w00, w01, w10, w11)
        back[k] = _mean_of_four(along.scattered, j, i, k, w00, w01, w10, w11)
        back[k] *= _mean_of_four(seen, j, i, k, w00, w01, w10, w11)
    lamp_line(lamp, air, ray, Cell(f32(j) + fy, f32(i) + fx, rows, columns), under, scratch)
    total = f32(0.0)
    for k in range(count):
        total += scratch.value[k] * back[k] * min(at - f32(k), f32(1.0))
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
def _scale_row(y, lamp, camera, pixels, scale, x0, x1):
    """What a lamp's volume is divided by along one row of pixels: their distance from the lamp; one for a sun."""
    one = f32(1.0)
    light, directions, width = lamp.row, pixels.directions, pixels.width
    if lamp.kind == SUN:
        for x in range(x0, x1):
            scale[x] = one
        return
    cx, cy = light[POSITION] - camera[EYE], light[POSITION + 1] - camera[EYE + 1]
    cz = light[POSITION + 2] - camera[EYE + 2]
    c2, least = cx * cx + cy * cy + cz * cz, max(light[AREA] * f32(0.13), f32(1e-6))
    ax, ay, az = directions[0], directions[1], directions[2]
    for x in range(x0, x1):
        along = cx * ax[y * width + x] + cy * ay[y * width + x] + cz * az[y * width + x]
        scale[x] = one / f32(math.sqrt(max(c2 - along * along, least)))


@_plain
def _spread_row(y, lamp, air, pixels, along, seen, volume, tint, core, room, bounds, out):
    lamp, air, seen = borrowed_spotlight(lamp), borrowed_air(air), floats(seen)
    pixels = Pixels(pixels.width, pixels.height, floats(pixels.directions), floats(pixels.at))
    along = Slices(floats(along.scattered), floats(along.below))
    volume, tint, out, room = floats(volume), floats(tint), floats(out), floats(room)
    scale, directions, width, (x0, x1) = room[5], pixels.directions, pixels.width, bounds
    rows, columns, slices = seen.shape
    one = f32(1.0)
    j, fy = between(f32(y), pixels.height, rows)
    gy = f32(j) + fy
    _scale_row(y, lamp, air.camera, pixels, scale, x0, x1)
    core_x, core_y = core
    near_core = abs(core_y - gy) < f32(CORE)
    red, green, blue = tint[0], tint[1], tint[2]
    flat = volume.reshape(volume.size)
    layer, line, top = np.uint32(slices + 2), np.uint32(columns * (slices + 2)), f32(slices + 1)
    first = np.uint32(j) * line
    for x in range(x0, x1):
        pixel = y * width + x
        i, fx = between(f32(x), width, columns)
        gx = f32(i) + fx
        a = min(pixels.at[pixel], top)
        k = np.uint32(min(a, f32(slices)))
        fk = a - f32(k)
        # Nearness of the four columns, and of the two boundaries.
        w00, w01, w10, w11 = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
        n0, n1 = (one - fk) * scale[x], fk * scale[x]
        o = first + i * layer + k
        p = o + np.uint32(1)
        value = n0 * (w00 * flat[o] + w01 * flat[o + layer] + w10 * flat[o + line] + w11 * flat[o + line + layer])
        value += n1 * (w00 * flat[p] + w01 * flat[p + layer] + w10 * flat[p + line] + w11 * flat[p + line + layer])
        if near_core and abs(core_x - gx) < f32(CORE):
            away = f32(math.sqrt((core_x - gx) * (core_x - gx) + (core_y - gy) * (core_y - gy)))
            own = min(max(f32(CORE) - away, f32(0.0)), one)
            if own > f32(0.0):
                dx, dy, dz = directions[0, pixel], directions[1, pixel], directions[2, pixel]
                ray = Column(dx, dy, dz, min(int(a) + 1, slices))
                exact = _core_pixel(lamp, air, ray, a, int(j), int(i), fy, fx, along, seen, room)
                value += own * (exact * scale[x] - value)
        out[pixel, 0] += value * red
        out[pixel, 1] += value * green
        out[pixel, 2] += value * blue


@_threads
def spread(lamp, air, threads, pixels, along, seen, volume, tint, core, bounds, out):
    """Add a lamp's or a sun's cumulative volume, read at every pixel's own depth, to ``out`` (pixels, 3).

    ``lamp`` is a `Spotlight`, ``pixels`` the `Pixels`, ``along`` the `Slices`; ``core`` is where a lamp lies in the
    picture (`core_of`), ``bounds`` the first and past the last of the columns and rows of pixels that are written.
    Lamps are divided by the pixel's distance from them, and their cores gone through pixel by pixel.
    """
    for thread in nb.prange(threads):
        room = np.empty((6, max(seen.shape[2], lamp.way.shape[2], pixels.width)), np.float32)
        for y in range(bounds[2] + thread, bounds[3], threads):
            _spread_row(y, lamp, air, pixels, along, seen, volume, tint, core, room, (bounds[0], bounds[1]), out)


@_plain
def _read_row(y, width, height, step, at, volume, tint, slab, out):
    volume, tint, out, at, slab = floats(volume), floats(tint), floats(out), floats(at), floats(slab)
    rows, columns, layers, channels = volume.shape
    one = f32(1.0)
    j, fy = between(f32(y), height, rows)
    # Between the rows first, once for all pixels of this one.
    size = columns * layers * channels
    upper, lower = volume[j].reshape(size), volume[j + 1].reshape(size)
    for n in range(size):
        slab[n] = upper[n] + fy * (lower[n] - upper[n])
    top, wide, column = f32(layers - 1), np.uint32(channels), np.uint32(layers * channels)
    for x in range(width):
        pixel = y * width + x
        i, fx = between(f32(x), width, columns)
        a = min(at[pixel] * step, top)
        k = np.uint32(min(a, top - one))
        fk = a - f32(k)
        w00, w01, w10, w11 = (one - fx) * (one - fk), (one - fx) * fk, fx * (one - fk), fx * fk
        o = i * column + k * wide
        p = o + wide
        for c in range(channels):
            value = w00 * slab[o] + w01 * slab[p] + w10 * slab[o + column] + w11 * slab[p + column]
            out[pixel, c] += value * tint[c]
            o, p = o + np.uint32(1), p + np.uint32(1)


@_threads
def read_volume(width, height, step, threads, at, volume, tint, out):
    """Add a cumulative volume (rows, columns, slices + 2, channels), read at every pixel's depth, to ``out``.

    ``step`` turns the slice positions of `place_pixels` into this volume's.
    """
    for thread in nb.prange(threads):
        slab = np.empty(volume.shape[1] * volume.shape[2] * volume.shape[3], np.float32)
        for y in range(thread, height, threads):
            _read_row(y, width, height, step, at, volume, tint, slab, out)


@_threads
def add_depths(last, scattered, threads, out):
    """Optical depth before every slice's end, of what slices throw back: ``out`` (rows, columns, slices + 2, 1)."""
    rows, columns, slices = scattered.shape
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            for i in range(columns):
                through = f32(1.0)
                here, lost = out[row, i], scattered[row, i]
                here[0, 0] = f32(0.0)
                for k in range(slices + 1):
                    if k < last[row, i]:
                        through -= lost[k]
                    here[k + 1, 0] = through
                for k in range(slices + 1):
                    here[k + 1, 0] = -log(max(here[k + 1, 0], f32(1e-6)))


@_threads
def compare_air(camera, before, after, threads, depth, directions, change, column_change):
    """How much clearer the way to each pixel's surface becomes, and the column below it: optical depths (pixels,)."""
    # Blocks of one size: sums within a block must not depend on how many threads share them.
    pixels = depth.shape[0]
    for thread in nb.prange(threads):
        for i in range(thread, (pixels + BLOCK - 1) // BLOCK, threads):
            first, stop = i * BLOCK, min((i + 1) * BLOCK, pixels)
            _compare_part(
                camera,
                before,
                after,
                depth[first:stop],
                directions[2, first:stop],
                change[first:stop],
                column_change[first:stop],
            )


# Parts are handed on as slices: an index that might be below zero would keep loops from running on
# several numbers at once.
@_plain
def _compare_part(camera, before, after, depth, rise, change, column_change):
    camera, before, after = floats(camera), floats(before), floats(after)
    here = before[0] * column(before, camera[EYE + 2]) - after[0] * column(after, camera[EYE + 2])
    for n in range(depth.shape[0]):
        dz, t = rise[n], min(depth[n], FAR)
        z = camera[EYE + 2] + t * dz
        column_change[n] = before[0] * column(before, z) - after[0] * column(after, z)
        if abs(dz) < f32(1e-3):
            change[n] = fog_depth(before, camera[EYE + 2], dz, t) - fog_depth(after, camera[EYE + 2], dz, t)
        else:
            change[n] = (column_change[n] - here) / dz


@_plain
def onward_share(g):
    """Share of scattered light that Henyey and Greenstein's function throws into the half in front of it."""
    g = f32(1e-3) if abs(g) < f32(1e-3) else g
    return (f32(1.0) + g) / (f32(2.0) * g) * (f32(1.0) - (f32(1.0) - g) / f32(math.sqrt(f32(1.0) + g * g)))


@_plain
def _felt(before, after, depth_before, depth_after):
    """How much of a change of the way's optical depth surfaces feel: what it scatters onward lights them too.

    Beside exp(-d) of the light there is onward d exp(-d), scattered once.
    """
    share = onward_share(before[4]) * (before[6] + before[7] + before[8]) * f32(1 / 3)
    change = depth_after - depth_before
    if abs(change) < f32(1e-4):
        return f32(1.0) - share / (f32(1.0) + share * depth_before)
    more = f32(math.log((f32(1.0) + share * depth_after) / (f32(1.0) + share * depth_before)))
    return f32(1.0) - more / change


@_plain
def _dim_ways(spots, media, surfaces, way, near2):
    """How much clearer the way from a lamp, a sun or a sky to each surface becomes: optical depths, in ``way``."""
    camera, before, after = media
    depth, ax, ay, az, _change, column_change = surfaces
    kind, count = int(spots[0, KIND]), depth.shape[0]
    if kind == SUN or kind == SKY:
        # The mean slant of an even sky is a diffusivity factor of 5/3, in which what is scattered counts.
        over = f32(1.0) / (f32(0.6) if kind == SKY else max(abs(spots[0, AXIS + 2]), f32(1e-3)))
        top_before, top_after = before[0] * column(before, f32(1e9)), after[0] * column(after, f32(1e9))
        if kind == SUN:
            over *= _felt(before, after, over * top_before, over * top_after)
        for n in range(count):
            way[n] = over * (top_before - top_after - column_change[n])
        return
    for n in range(count):
        near2[n] = f32(1e30)
    # Of several lamps the nearest lights a surface most.
    for spot in range(spots.shape[0]):
        lamp_x, lamp_y, lamp_z = spots[spot, POSITION], spots[spot, POSITION + 1], spots[spot, POSITION + 2]
        at_lamp = before[0] * column(before, lamp_z) - after[0] * column(after, lamp_z)
        dense_before, dense_after = before[0] * density(before, lamp_z), after[0] * density(after, lamp_z)
        felt = _felt(before, after, f32(LIT_M) * dense_before, f32(LIT_M) * dense_after)
        rate_lamp = dense_before - dense_after
        lamp_x, lamp_y, lamp_z = lamp_x - camera[EYE], lamp_y - camera[EYE + 1], lamp_z - camera[EYE + 2]
        for n in range(count):
            t = min(depth[n], FAR)
            lx, ly, lz = lamp_x - t * ax[n], lamp_y - t * ay[n], lamp_z - t * az[n]
            d2 = lx * lx + ly * ly + lz * lz
            level = abs(lz) < f32(0.02)
            rate = rate_lamp if level else (at_lamp - column_change[n]) / (f32(1.0) if level else lz)
            nearer = d2 < near2[n]
            way[n] = f32(math.sqrt(d2)) * rate * felt if nearer else way[n]
            near2[n] = min(d2, near2[n])


@_plain
def _dim_part(spots, media, surfaces, base, gain, room, out):
    spots = floats(spots)
    media = Change(floats(media.camera), floats(media.before), floats(media.after))
    way, near2, wide = room[0], room[1], room[2:].reshape(3 * BLOCK)
    depth, change, count = surfaces.depth, surfaces.change, surfaces.depth.shape[0]
    _dim_ways(spots, media, surfaces, way, near2)
    for n in range(count):
        total = change[n] + (way[n] if depth[n] < FAR else f32(0.0))
        way[n] = min(exp(min(total, f32(20.0))), MAX_LIFT)
    # Channel by channel in a row, so that the sums run on several numbers at once.
    for n in range(count):
        wide[3 * n], wide[3 * n + 1], wide[3 * n + 2] = way[n] * gain[0], way[n] * gain[1], way[n] * gain[2]
    for n in range(3 * count):
        out[n] += base[n] * wide[n]


@_threads
def dim_surfaces(spots, first_spots, media, threads, depth, directions, change, column_change, pool, slots, gains, out):
    """Add to ``out`` (pixels * 3,) the surfaces of sources as a `Change` of medium leaves them on the direct paths.

    Source n has its sums in ``pool[slots[n]]`` (pixels * 3,), ``gains`` (n, 3), and the lamps
    ``spots[first_spots[n]:first_spots[n + 1]]`` (packed lights); changes as of `compare_air`.
    """
    pixels = depth.shape[0]
    for thread in nb.prange(threads):
        room = np.empty((5, BLOCK), np.float32)
        for i in range(thread, (pixels + BLOCK - 1) // BLOCK, threads):
            a, b = i * BLOCK, min((i + 1) * BLOCK, pixels)
            surfaces = Surfaces(
                depth[a:b], directions[0, a:b], directions[1, a:b], directions[2, a:b], change[a:b], column_change[a:b]
            )
            # All sources of a block in turn, while it is at hand.
            for n in range(slots.shape[0]):
                lamps, base = spots[first_spots[n] : first_spots[n + 1]], pool[slots[n], 3 * a : 3 * b]
                _dim_part(lamps, media, surfaces, base, gains[n], room, out[3 * a : 3 * b])
