"""Airlight from kept looks: an edit of the medium is summed slice by slice, without a ray.

For every source and slice the light that the air throws to the lens is

    (T_k - T_k+1) / span  *  V  *  I  *  p(cos)  *  T_lamp  *  (angle of the slice at the lamp) / h

with the view's transmittance T, the visible share V of `air_grid`, the source's intensity I, the
phase function p, the transmittance from the lamp T_lamp (of `air_ways`, or a closed form for fog
alone) and the ray's distance h from it: the inverse square is integrated in closed form, so that
halos keep their core. Sums of a lamp are kept times h and divided by each pixel's own h, since
1 / h is what varies between columns. Skies are summed in `sky_integral`.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.fog import column, density, fog_depth
from lunar_haze.core.air.medium_row import (
    DRAINE_ALPHA,
    DRAINE_G,
    DRAINE_SHARE,
    FOG_SIGMA,
    LOBE_G,
    MULTIPLE,
    PLAIN,
    STRETCH,
    STRETCH_ENDS,
)
from lunar_haze.core.air.phase import blended, henyey_greenstein, medium_phase
from lunar_haze.core.transport.air_grid import slice_at
from lunar_haze.core.transport.air_values import Air, Cell, Column, Passing, Scratch, Spotlight
from lunar_haze.core.transport.air_ways import at_height, read_ways
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.lamp_lobes import smooth_edge
from lunar_haze.core.transport.source_row import (
    AREA,
    AXIS,
    BALL,
    BEAM,
    COS_INNER,
    COS_OUTER,
    IES_LAMP,
    POSITION,
    RADIANCE,
    SUN,
    SURFACE,
    TUBE,
)
from lunar_haze.core.transport.view import column_direction
from lunar_haze.core.units.fast_math import angle_of, exp, short_arctan, turned

f32 = np.float32
_inline = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")

#: Steps taken past the last slice, each reaching this much farther than the one before.
BEYOND, BEYOND_RATIO = 12, 1.7
#: Steps within a slice for a beam, whose edge may cross it, and for slices that pass close to a lamp.
BEAM_STEPS, NEAR_STEPS = 4, 4
#: Close to a lamp is within this many lengths of a slice.
NEAR = 2.0


@_inline
def fog_transmittance(medium, oz, dz, t):
    """Share of light left after distance ``t`` [m] of fog alone."""
    return exp(-fog_depth(medium, oz, dz, t))


@_inline
def ends_before(medium, reach):
    """Whether mist is told to end before the last slice does."""
    return medium[STRETCH] > f32(0.0) and medium[STRETCH_ENDS] < reach


@_inline
def apart2_along(light, camera, dx, dy, dz):
    """Square of the ray's distance from a lamp [m2], and how far along the ray it is nearest [m]."""
    cx, cy = light[POSITION] - camera[EYE], light[POSITION + 1] - camera[EYE + 1]
    cz = light[POSITION + 2] - camera[EYE + 2]
    along = cx * dx + cy * dy + cz * dz
    # The air is never nearer to all of a lamp than about its own size.
    return max(cx * cx + cy * cy + cz * cz - along * along, max(light[AREA] * f32(0.13), f32(1e-6))), along


@_inline
def lamp_rates(medium, light, oz, dz, ends, below, count, rate):
    """Mean extinction [1/m] of fog on the ways from a lamp to each slice of a ray from height ``oz``: ``rate``."""
    sigma, lamp_z = medium[FOG_SIGMA], light[POSITION + 2]
    at_lamp, here = column(medium, lamp_z), density(medium, lamp_z)
    for k in range(count):
        # The mean density between two heights is the difference of the columns over that of the heights.
        drop = lamp_z - oz - dz * f32(0.5) * (ends[k] + ends[k + 1])
        level = abs(drop) < f32(0.02)
        rate[k] = sigma * (here if level else (at_lamp - below[k]) / (f32(1.0) if level else drop))


@_inline
def _arriving(cosine, distance, rate, lobes, one_lobe, glow):
    """Light per steradian that a point of the air throws on by ``cosine``, with what the way scatters."""
    depth = rate * distance
    phase = henyey_greenstein(cosine, lobes[0]) if one_lobe else blended(cosine, lobes[0], lobes[1], lobes[2], lobes[3])
    light = phase * exp(-depth)
    if glow[0] > f32(0.0):
        light += glow[0] * depth * exp(-glow[1] * depth)
    return light


@_inline
def _lobe(faces, beam, inner, outer, cos_e):
    """Share of its light that a lamp throws at a cosine from its axis."""
    share = f32(1.0)
    if faces:
        share = max(cos_e, f32(0.0))
        if beam:
            share *= smooth_edge(cos_e, inner, outer)
    return share


@_inline
def highest_cosine(nearest, rise, apart):
    """The highest cosine that points of a ray have from a lamp's axis.

    ``nearest`` is that of the point nearest to the lamp times ``apart``, its distance; ``rise`` that of
    the ray itself. Along the ray it is a sine wave of the angle at the lamp.
    """
    here = nearest / apart
    return f32(math.sqrt(here * here + rise * rise)) if here > f32(0.0) else abs(rise)


@_inline
def _lamp_steps(faces, beam, one_lobe, steps, near, count, ends, rate, lobes, glow, value):
    for k in range(count):
        value[k] = f32(0.0)
    part = f32(1.0) / f32(steps)
    for step in range(steps):
        f0, f1 = f32(step) * part, f32(step + 1) * part
        for k in range(count):
            whole = ends[k + 1] - ends[k]
            qa, qb = ends[k] + f0 * whole - near.along, ends[k] + f1 * whole - near.along
            q, span = f32(0.5) * (qa + qb), near.apart * (qb - qa)
            distance = f32(math.sqrt(near.apart2 + q * q))
            angle = short_arctan(span / max(near.apart2 + qa * qb, f32(2.0) * span))
            angle *= _lobe(faces, beam, near.inner, near.outer, (near.e0 + near.e1 * (q + near.along)) / distance)
            value[k] += angle * _arriving(-q / distance, distance, rate[k], lobes, one_lobe, glow)


@_plain
def _close_by(faces, beam, near, air, count, rate, lobes, glow, value):
    """Slices that pass close to the lamp, gone through once more in steps of equal angle seen from it."""
    ends, along, apart, apart2 = air.ends, near.along, near.apart, near.apart2
    middle = int(slice_at(max(along, f32(0.0)), ends.shape[0] - 1, air.reach))
    first = min(middle, count - 1)
    while first > 0 and along - ends[first + 1] < f32(NEAR) * (ends[first + 1] - ends[first]):
        first -= 1
    for k in range(max(first, 0), count):
        whole = ends[k + 1] - ends[k]
        if k > middle and ends[k] - along >= f32(NEAR) * whole:
            break
        if apart >= f32(NEAR) * whole:
            continue
        qa, qb = ends[k] - along, ends[k + 1] - along
        angle = angle_of(apart * whole, apart2 + qa * qb)
        # The direction from the lamp, turned by half a step and then by whole ones.
        ra = f32(math.sqrt(apart2 + qa * qa))
        c, s = apart / ra, qa / ra
        cd, sd = turned(angle * f32(0.25 / math.pi / NEAR_STEPS))
        total = f32(0.0)
        for _step in range(NEAR_STEPS):
            c, s = c * cd - s * sd, s * cd + c * sd
            distance = apart / max(c, f32(1e-6))
            share = _lobe(faces, beam, near.inner, near.outer, (near.e0 + near.e1 * (distance * s + along)) / distance)
            total += share * _arriving(-s, distance, rate[k], lobes, False, glow)
            c, s = c * cd - s * sd, s * cd + c * sd
        value[k] = total * angle * f32(1 / NEAR_STEPS)


@_inline
def _passing(light, camera, dx, dy, dz):
    apart2, along = apart2_along(light, camera, dx, dy, dz)
    e1 = dx * light[AXIS] + dy * light[AXIS + 1] + dz * light[AXIS + 2]
    e0 = (camera[EYE] - light[POSITION]) * light[AXIS]
    e0 += (camera[EYE + 1] - light[POSITION + 1]) * light[AXIS + 1]
    e0 += (camera[EYE + 2] - light[POSITION + 2]) * light[AXIS + 2]
    return Passing(along, f32(math.sqrt(apart2)), apart2, e0, e1, light[COS_INNER], light[COS_OUTER])


@_plain
def lamp_values(lamp, air, ray, rate, value):
    """Light of a lamp over each slice of one ray, times h; before visibility and what the slice throws back.

    ``lamp`` is a `Spotlight`, ``ray`` a `Column`; ``rate`` is the mean extinction on the ways to the lamp [1/m].
    """
    kind, light, _way, glow, _bed = lamp
    dx, dy, dz, count = ray
    medium, ends = air.medium, air.ends
    lobes = medium[LOBE_G], medium[DRAINE_G], medium[DRAINE_ALPHA], medium[DRAINE_SHARE]
    near = _passing(light, air.camera, dx, dy, dz)
    faces = not (kind == BALL or kind == SURFACE or kind == TUBE or kind == IES_LAMP)
    beam, one_lobe = kind == BEAM, lobes[3] <= f32(0.0)
    if beam and highest_cosine(near.e0 + near.e1 * near.along, near.e1, near.apart) <= near.outer:
        # The ray passes by the beam.
        for k in range(count):
            value[k] = f32(0.0)
        return
    # One loop for each kind, so that none asks within it.
    if beam and one_lobe:
        _lamp_steps(True, True, True, BEAM_STEPS, near, count, ends, rate, lobes, glow, value)
    elif beam:
        _lamp_steps(True, True, False, BEAM_STEPS, near, count, ends, rate, lobes, glow, value)
    elif faces:
        _lamp_steps(True, False, False, 1, near, count, ends, rate, lobes, glow, value)
    elif one_lobe:
        _lamp_steps(False, False, True, 1, near, count, ends, rate, lobes, glow, value)
    else:
        _lamp_steps(False, False, False, 1, near, count, ends, rate, lobes, glow, value)
    if near.along > -near.apart:
        _close_by(faces, beam, near, air, count, rate, lobes, glow, value)
    # The luminous intensity of a convex glowing thing is its radiance times a quarter of its surface, on average.
    power = light[RADIANCE] * light[AREA] * (f32(0.25) if kind == SURFACE or kind == TUBE else f32(1.0))
    for k in range(count):
        value[k] *= power / (ends[k + 1] - ends[k])


@_inline
def sun_values(light, medium, dx, dy, dz, below, count, depth, value):
    """Light of a sun over each slice of one ray, before visibility and what the slice throws back.

    ``depth`` are optical depths of the ways to it, and worked out here from ``below`` for fog alone.
    """
    lift = max(abs(light[AXIS + 2]), f32(1e-3))
    if medium[PLAIN] > f32(0.0):
        over, top = medium[FOG_SIGMA] / lift, column(medium, f32(1e9))
        for k in range(count):
            depth[k] = over * (top - below[k])
    phase = medium_phase(medium, light[AXIS] * dx + light[AXIS + 1] * dy + light[AXIS + 2] * dz)
    if light[AXIS + 2] < f32(0.0):
        phase = f32(0.0)  # a sun below the horizon is behind the earth
    for k in range(count):
        value[k] = phase * exp(-depth[k])


@_plain
def sun_beyond(light, camera, medium, dx, dy, dz, reach):
    """Light of an unhidden sun from all the fog past ``reach`` [m] on one ray."""
    if light[AXIS + 2] < f32(0.0) or ends_before(medium, reach):
        return f32(0.0)
    lift, top = max(light[AXIS + 2], f32(1e-3)), column(medium, f32(1e9))
    phase = medium_phase(medium, light[AXIS] * dx + light[AXIS + 1] * dy + light[AXIS + 2] * dz)
    t0, total = reach, f32(0.0)
    through = fog_transmittance(medium, camera[EYE + 2], dz, t0)
    for _ in range(BEYOND):
        t1 = t0 * f32(BEYOND_RATIO)
        behind = through * fog_transmittance(medium, camera[EYE + 2] + t0 * dz, dz, t1 - t0)
        above = top - column(medium, camera[EYE + 2] + f32(0.5) * (t0 + t1) * dz)
        total += phase * (through - behind) * exp(-medium[FOG_SIGMA] * above / lift)
        through, t0 = behind, t1
    return total


@_inline
def lamp_line(lamp, air, ray, cell, below, scratch):
    """`lamp_values` of one ray that lies at ``cell`` of the grid, with its ways, into ``scratch``."""
    if air.medium[PLAIN] > f32(0.0):
        lamp_rates(air.medium, lamp.row, air.camera[EYE + 2], ray.dz, air.ends, below, ray.count, scratch.along)
    else:
        slices = air.ends.shape[0] - 1
        read_ways(lamp.way, cell.y, cell.x, cell.rows, cell.columns, slices, ray.count, scratch.line, scratch.along)
    lamp_values(lamp, air, ray, scratch.along, scratch.value)


@_inline
def spot_line(lamp, air, ray, cell, below, seen, openness, scratch):
    """What arrives from a lamp or a sun at the slices of one column, in ``scratch``; returns what is beyond them."""
    dx, dy, dz, count = ray
    medium, value, ends = air.medium, scratch.value, air.ends
    slices = ends.shape[0] - 1
    if lamp.kind != SUN:
        lamp_line(lamp, air, ray, cell, below, scratch)
        for k in range(count):
            value[k] *= seen[k]
        return f32(0.0)
    if medium[PLAIN] == f32(0.0):
        read_ways(lamp.way, cell.y, cell.x, cell.rows, cell.columns, slices, count, scratch.line, scratch.along)
    sun_values(lamp.row, medium, dx, dy, dz, below, count, scratch.along, value)
    for k in range(count):
        value[k] *= seen[k]
    if medium[MULTIPLE] > f32(0.0):
        for k in range(count):
            z = air.camera[EYE + 2] + f32(0.5) * (ends[k] + ends[k + 1]) * dz
            value[k] += medium[MULTIPLE] * at_height(lamp.bed, z) * openness[k]
    if count < slices:
        return f32(0.0)
    return seen[slices - 1] * sun_beyond(lamp.row, air.camera, medium, dx, dy, dz, air.reach)


@_inline
def borrowed_air(air):
    """An `Air`, borrowed."""
    return Air(floats(air.camera), floats(air.medium), air.reach, floats(air.ends))


@_inline
def borrowed_spotlight(lamp):
    """A `Spotlight`, borrowed."""
    return Spotlight(lamp.kind, floats(lamp.row), floats(lamp.way), floats(lamp.glow), floats(lamp.bed))


@_plain
def _lamp_row(lamp, air, row, first, stop, last, along, seen, openness, out):
    lamp, air = borrowed_spotlight(lamp), borrowed_air(air)
    scattered, below, seen, out = floats(along.scattered), floats(along.below), floats(seen), floats(out)
    openness = floats(openness)
    rows, columns, slices = scattered.shape
    scratch = Scratch(
        np.empty(lamp.way.shape[2], np.float32), np.empty(slices, np.float32), np.empty(slices, np.float32)
    )
    for i in range(first, stop):
        dx, dy, dz = column_direction(air.camera, row, i, rows, columns)
        count, back, answer = last[row, i], scattered[row, i], out[row, i]
        cell = Cell(f32(row), f32(i), rows, columns)
        ray = Column(dx, dy, dz, count)
        beyond = spot_line(lamp, air, ray, cell, below[row, i], seen[row, i], openness[row, i], scratch)
        total = f32(0.0)
        answer[0] = f32(0.0)
        for k in range(count):
            total += scratch.value[k] * back[k]
            answer[k + 1] = total
        for k in range(count + 1, slices + 1):
            answer[k] = total
        answer[slices + 1] = total + beyond


@_threads
def integrate_lamp(lamp, air, threads, bounds, last, along, seen, openness, out):
    """Cumulative airlight of one lamp or sun at every slice boundary: ``out`` (rows, columns, slices + 2).

    Without colour; of a lamp times the column's distance from it [m]. The entry past the last
    boundary includes all that lies beyond. ``bounds`` are the first and past the last of the columns and
    rows that are wanted, ``last`` (rows, columns) the slices seen, ``along`` the `Slices`; ``seen`` and
    ``openness`` (rows, columns, slices) what the place leaves of its light.
    """
    for thread in nb.prange(threads):
        for row in range(bounds[2] + thread, bounds[3], threads):
            _lamp_row(lamp, air, row, bounds[0], bounds[1], last, along, seen, openness, out)
