"""Airlight from kept looks: an edit of the medium is summed slice by slice, without a ray.

For every source and slice the light that the air throws to the lens is

    (T_k - T_k+1) / span  *  V  *  I  *  p(cos)  *  T_lamp  *  (angle of the slice at the lamp) / h

with the view's transmittance T, the visible share V of `air_grid`, the source's intensity I, the
phase function p, the transmittance from the lamp T_lamp and the ray's distance h from it: the
inverse square is integrated in closed form, so that halos keep their core. Sums of a lamp are kept
times h and divided by each pixel's own h, since 1 / h is what varies between columns.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.fog import column, density, fog_depth
from lunar_haze.core.air.kernels import PLAIN, STRETCH, extinction
from lunar_haze.core.air.phase import blended, medium_phase
from lunar_haze.core.transport.air_grid import slice_at, slice_distance
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.lamp_lobes import smooth_edge
from lunar_haze.core.transport.lights import (
    AREA,
    AXIS,
    BALL,
    BEAM,
    COS_INNER,
    COS_OUTER,
    PHOTOMETRIC,
    POSITION,
    RADIANCE,
    SUN,
    SURFACE,
    TUBE,
)
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.fast_math import exp, short_arctan

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: Steps taken past the last slice, each reaching this much farther than the one before.
BEYOND, BEYOND_RATIO = 12, 1.7
#: Steps within a slice for a beam, whose edge may cross it, and for slices that pass close to a lamp.
BEAM_STEPS, NEAR_STEPS = 4, 8
#: Close to a lamp is within this many lengths of a slice.
NEAR = 2.0


@_inline
def fog_transmittance(medium, oz, dz, t):
    """Share of light left after distance ``t`` [m] of fog alone."""
    return exp(-fog_depth(medium, oz, dz, t))


@_inline
def _ends_before(medium, reach):
    """Whether mist is told to end before the last slice does."""
    return medium[STRETCH] > f32(0.0) and medium[STRETCH + 8] < reach


@_plain
def _fog_column(medium, oz, dz, ends, count, under, lost, below):
    """What each slice of a ray takes away, in closed form, and the fog below its middle."""
    sigma, base, scale, top = medium[0], medium[1], medium[2], medium[3]
    # Mist below a height, per unit of base extinction, as `column` has it.
    for k in range(count + 1):
        z = oz + ends[k] * dz
        above = min(max(z, base), top) - base
        under[k] = min(z, base) + scale * (f32(1.0) - exp(-above / scale))
    for k in range(count):
        z = oz + f32(0.5) * (ends[k] + ends[k + 1]) * dz
        above = min(max(z, base), top) - base
        thinned = exp(-above / scale)
        below[k] = min(z, base) + scale * (f32(1.0) - thinned)
        rise = (ends[k + 1] - ends[k]) * dz
        level = abs(rise) < f32(0.02) * scale
        inside = thinned if z <= top else f32(0.0)
        mean = inside if level else (under[k + 1] - under[k]) / (f32(1.0) if level else rise)
        x = sigma * mean * (ends[k + 1] - ends[k])
        short = x * (f32(1.0) - x * (f32(0.5) - x * (f32(1 / 6) - x * f32(1 / 24))))
        lost[k] = short if x < f32(0.1) else f32(1.0) - exp(-x)


@_plain
def view_column(medium, camera, dx, dy, dz, ends, count, under, lost, scattered, below):
    """`view_air` for one ray; ``under`` (slices + 1,) and ``lost`` (slices,) are room to work in."""
    if medium[PLAIN] > f32(0.0):
        _fog_column(medium, camera[2], dz, ends, count, under, lost, below)
    else:
        for k in range(count):
            t, span = f32(0.5) * (ends[k] + ends[k + 1]), ends[k + 1] - ends[k]
            sigma = extinction(medium, camera[0] + t * dx, camera[1] + t * dy, camera[2] + t * dz)
            lost[k], below[k] = f32(1.0) - exp(-sigma * span), f32(0.0)
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


@_inline
def apart2_along(light, camera, dx, dy, dz):
    """Square of the ray's distance from a lamp [m2], and how far along the ray it is nearest [m]."""
    cx, cy, cz = light[POSITION] - camera[0], light[POSITION + 1] - camera[1], light[POSITION + 2] - camera[2]
    along = cx * dx + cy * dy + cz * dz
    # The air is never nearer to all of a lamp than about its own size.
    return max(cx * cx + cy * cy + cz * cz - along * along, max(light[AREA] * f32(0.13), f32(1e-6))), along


@_inline
def _lamp_step(
    faces, beam, inner, outer, a, b, along, apart, apart2, e0, e1, z, drop, below, below_lamp, rate_lamp, sigma, lobes
):
    """Light from a..b along the ray, times h: lobe, phase, mist on the way and the angle at the lamp."""
    qa, qb = a - along, b - along
    q = f32(0.5) * (qa + qb)
    distance = f32(math.sqrt(apart2 + q * q))
    span = apart * (b - a)
    angle = short_arctan(span / max(apart2 + qa * qb, f32(2.0) * span))
    weight = angle * blended(-q / distance, lobes[0], lobes[1], lobes[2], lobes[3])
    if faces:
        cos_e = (e0 + e1 * (q + along)) / distance
        weight *= max(cos_e, f32(0.0))
        if beam:
            weight *= smooth_edge(cos_e, inner, outer)
    # The mean density between two heights is the difference of the columns over that of the heights.
    level = abs(drop) < f32(0.02)
    rate = rate_lamp if level else (below_lamp - below) / (f32(1.0) if level else drop)
    return weight * exp(-sigma * rate * distance)


@_inline
def _lamp_steps(faces, beam, inner, outer, steps, count, ends, along, apart, apart2, e0, e1, oz, dz, lamp_z, below,
                below_lamp, rate_lamp, sigma, lobes, value):  # fmt: skip
    for k in range(count):
        value[k] = f32(0.0)
    part = f32(1.0) / f32(steps)
    for step in range(steps):
        f0, f1 = f32(step) * part, f32(step + 1) * part
        for k in range(count):
            span = ends[k + 1] - ends[k]
            a, b = ends[k] + f0 * span, ends[k] + f1 * span
            z = oz + dz * f32(0.5) * (ends[k] + ends[k + 1])
            value[k] += _lamp_step(
                faces, beam, inner, outer, a, b, along, apart, apart2, e0, e1, z, lamp_z - z, below[k],
                below_lamp, rate_lamp, sigma, lobes,
            )  # fmt: skip


@_inline
def _close_by(faces, beam, inner, outer, count, slices, reach, ends, along, apart, apart2, e0, e1, oz, dz, lamp_z,
              medium, below_lamp, rate_lamp, sigma, lobes, value):  # fmt: skip
    """Slices that pass close to the lamp, gone through once more in small steps."""
    middle = int(slice_at(max(along, f32(0.0)), slices, reach))
    first = min(middle, count - 1)
    while first > 0 and along - ends[first + 1] < f32(NEAR) * (ends[first + 1] - ends[first]):
        first -= 1
    for k in range(max(first, 0), count):
        span = ends[k + 1] - ends[k]
        if k > middle and ends[k] - along >= f32(NEAR) * span:
            break
        if apart >= f32(NEAR) * span:
            continue
        value[k] = f32(0.0)
        for step in range(NEAR_STEPS):
            a = ends[k] + span * f32(step) * f32(1 / NEAR_STEPS)
            b = ends[k] + span * f32(step + 1) * f32(1 / NEAR_STEPS)
            z = oz + f32(0.5) * (a + b) * dz
            # Where even a step is long beside h the whole angle is taken.
            level = apart2 + (a - along) * (b - along)
            whole = f32(math.atan2(apart * (b - a), level))
            short = short_arctan(apart * (b - a) / max(level, f32(2.0) * apart * (b - a)))
            value[k] += whole / max(short, f32(1e-12)) * _lamp_step(
                faces, beam, inner, outer, a, b, along, apart, apart2, e0, e1, z, lamp_z - z,
                column(medium, z), below_lamp, rate_lamp, sigma, lobes,
            )  # fmt: skip


@_plain
def _add_up(count, slices, value, seen, weight, scattered, out):
    for k in range(count):
        value[k] *= seen[k] / max(weight[k], f32(1e-6)) * scattered[k]
    total = f32(0.0)
    out[0] = f32(0.0)
    for k in range(count):
        total += value[k]
        out[k + 1] = total
    for k in range(count + 1, slices + 2):
        out[k] = total


@_plain
def lamp_values(kind, light, camera, medium, reach, dx, dy, dz, count, slices, ends, under, value):
    """Light of a lamp over each slice of one ray, times h; before visibility and what the slice throws back."""
    lobes = medium[4], medium[9], medium[10], medium[11]
    # In mist of other kinds the looks have been weighed by the ways already (`air_ways`).
    sigma = medium[0] if medium[PLAIN] > f32(0.0) else f32(0.0)
    lamp_z, inner, outer = light[POSITION + 2], light[COS_INNER], light[COS_OUTER]
    below_lamp, rate_lamp = column(medium, lamp_z), density(medium, lamp_z)
    oz = camera[2]
    apart2, along = apart2_along(light, camera, dx, dy, dz)
    apart = f32(math.sqrt(apart2))
    # Cosine at the lamp times distance: linear along the ray.
    e1 = dx * light[AXIS] + dy * light[AXIS + 1] + dz * light[AXIS + 2]
    e0 = (
        (camera[0] - light[POSITION]) * light[AXIS] + (camera[1] - light[POSITION + 1]) * light[AXIS + 1]
        + (oz - lamp_z) * light[AXIS + 2]
    )  # fmt: skip
    near = along > -apart
    # One loop for each kind, so that none asks within it.
    if kind == BALL or kind == SURFACE or kind == TUBE or kind == PHOTOMETRIC:
        _lamp_steps(False, False, inner, outer, 1, count, ends, along, apart, apart2, e0, e1, oz, dz, lamp_z, under,
                    below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
        if near:
            _close_by(False, False, inner, outer, count, slices, reach, ends, along, apart, apart2, e0, e1, oz, dz,
                      lamp_z, medium, below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
    elif kind == BEAM:
        _lamp_steps(True, True, inner, outer, BEAM_STEPS, count, ends, along, apart, apart2, e0, e1, oz, dz, lamp_z,
                    under, below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
        if near:
            _close_by(True, True, inner, outer, count, slices, reach, ends, along, apart, apart2, e0, e1, oz, dz,
                      lamp_z, medium, below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
    else:
        _lamp_steps(True, False, inner, outer, 1, count, ends, along, apart, apart2, e0, e1, oz, dz, lamp_z, under,
                    below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
        if near:
            _close_by(True, False, inner, outer, count, slices, reach, ends, along, apart, apart2, e0, e1, oz, dz,
                      lamp_z, medium, below_lamp, rate_lamp, sigma, lobes, value)  # fmt: skip
    # The luminous intensity of a convex glowing thing is its radiance times a quarter of its surface, on average.
    power = light[RADIANCE] * light[AREA] * (f32(0.25) if kind == SURFACE or kind == TUBE else f32(1.0))
    for k in range(count):
        value[k] *= power / (ends[k + 1] - ends[k])


@_plain
def _lamp_row(kind, light, camera, medium, reach, row, last, scattered, below, ends, seen, weight, out):
    light, medium, camera, ends = floats(light), floats(medium), floats(camera), floats(ends)
    scattered, below, seen, weight, out = floats(scattered), floats(below), floats(seen), floats(weight), floats(out)
    rows, columns, slices = scattered.shape
    value = np.empty(slices, np.float32)
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        count = last[row, i]
        lamp_values(kind, light, camera, medium, reach, dx, dy, dz, count, slices, ends, below[row, i], value)
        _add_up(count, slices, value, seen[row, i], weight[row, i], scattered[row, i], out[row, i])


@_plain
def _sun_row(light, camera, medium, reach, row, last, scattered, below, ends, seen, weight, out):
    light, medium, camera = floats(light), floats(medium), floats(camera)
    scattered, below, seen, weight, out = floats(scattered), floats(below), floats(seen), floats(weight), floats(out)
    ends = floats(ends)
    rows, columns, slices = scattered.shape
    lift = max(abs(light[AXIS + 2]), f32(1e-3))
    sigma, top = medium[0], column(medium, f32(1e9))
    if light[AXIS + 2] < f32(0.0):
        sigma = f32(1e9)  # a sun below the horizon is behind the earth
    plain = medium[PLAIN] > f32(0.0)
    value = np.empty(slices, np.float32)
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        phase = medium_phase(medium, light[AXIS] * dx + light[AXIS + 1] * dy + light[AXIS + 2] * dz)
        count = last[row, i]
        under, spread_row, sums, looks, answer = (
            below[row, i],
            scattered[row, i],
            seen[row, i],
            weight[row, i],
            out[row, i],
        )
        for k in range(count):
            lost = sigma * (top - under[k]) / lift if plain else f32(0.0)
            value[k] = phase * spread_row[k] * sums[k] / max(looks[k], f32(1e-6)) * exp(-lost)
        total = f32(0.0)
        answer[0] = f32(0.0)
        for k in range(count):
            total += value[k]
            answer[k + 1] = total
        for k in range(count + 1, slices + 1):
            answer[k] = total
        if count == slices and not _ends_before(medium, ends[slices]):
            # Beyond the last slice the place hides as much as at its end.
            visible = sums[slices - 1] / max(looks[slices - 1], f32(1e-6))
            t0 = ends[slices]
            through = fog_transmittance(medium, camera[2], dz, t0)
            for _ in range(BEYOND):
                t1 = t0 * f32(BEYOND_RATIO)
                behind = through * fog_transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
                middle = column(medium, camera[2] + f32(0.5) * (t0 + t1) * dz)
                total += (through - behind) * visible * phase * exp(-sigma * (top - middle) / lift)
                through, t0 = behind, t1
        out[row, i, slices + 1] = total


@_threads
def integrate_lamp(kind, light, camera, medium, reach, threads, last, scattered, below, ends, seen, weight, out):
    """Cumulative airlight of one lamp or sun at every slice boundary: ``out`` (rows, columns, slices + 2).

    Without colour; of a lamp times the column's distance from it [m]. The entry past the last
    boundary includes all that lies beyond. ``ends`` (slices + 1,) are the boundaries [m].
    """
    rows = seen.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            if kind == SUN:
                _sun_row(light, camera, medium, reach, row, last, scattered, below, ends, seen, weight, out)
            else:
                _lamp_row(kind, light, camera, medium, reach, row, last, scattered, below, ends, seen, weight, out)


@_plain
def _sky_row(camera, medium, reach, row, last, directions, light, scattered, below, seen, weight, out):
    medium, camera, directions, light = floats(medium), floats(camera), floats(directions), floats(light)
    scattered, below, seen, weight = floats(scattered), floats(below), floats(seen), floats(weight)
    rows, columns, slices, count = seen.shape
    top, plain = column(medium, f32(1e9)), medium[PLAIN] > f32(0.0)
    phase = np.empty(count, np.float32)
    slant = np.empty(count, np.float32)
    red, green, blue = light[0], light[1], light[2]
    for j in range(count):
        slant[j] = -medium[0] / max(directions[j, 2], f32(1e-3))
    for i in range(columns):
        dx, dy, dz = column_direction(camera, row, i, rows, columns)
        for j in range(count):
            cosine = directions[j, 0] * dx + directions[j, 1] * dy + directions[j, 2] * dz
            phase[j] = medium_phase(medium, cosine)
        r, g, b = f32(0.0), f32(0.0), f32(0.0)
        through, t0 = f32(1.0), f32(0.0)
        out[row, i, 0, :] = f32(0.0)
        seen_to = last[row, i]
        for k in range(slices + (BEYOND if seen_to == slices and not _ends_before(medium, reach) else 0)):
            if k < seen_to:
                share, under = scattered[row, i, k], below[row, i, k]
                through, t0 = through - share, slice_distance(f32(k + 1), slices, reach)
            elif k < slices:
                share, under = f32(0.0), f32(0.0)
            else:
                t1 = t0 * f32(BEYOND_RATIO)
                behind = through * fog_transmittance(medium, camera[2] + t0 * dz, dz, t1 - t0)
                share, under = through - behind, column(medium, camera[2] + f32(0.5) * (t0 + t1) * dz)
                through, t0 = behind, t1
            if share > f32(1e-7):
                at = min(k, slices - 1)
                share /= max(weight[row, i, at], f32(1e-6))
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
def integrate_sky(camera, medium, reach, threads, last, directions, light, scattered, below, seen, weight, out):
    """Cumulative airlight of a sky, rgb: ``out`` (rows, columns, slices + 2, 3), as `integrate_lamp`."""
    rows = seen.shape[0]
    for thread in nb.prange(threads):
        for row in range(thread, rows, threads):
            _sky_row(camera, medium, reach, row, last, directions, light, scattered, below, seen, weight, out)
