"""How light leaves a lamp: a beam's edge and gate, a measured lobe, a reach, and about how much arrives."""

import math

import numba as nb
import numpy as np

from lunar_haze.core.transport.source_row import (
    ARRAY,
    AXIS,
    BEAM,
    COS_INNER,
    COS_OUTER,
    CUTOUT,
    DISC,
    GATE,
    GATE_TAN,
    INTENSITY,
    KIND,
    OVAL,
    OVAL_INNER,
    POSITION,
    REACH,
    RECTANGLE,
    SHUTTERS,
    SIDE,
    SKY,
    SUN,
    SURFACE,
    TABLE,
    UP,
)
from lunar_haze.core.transport.surfaces import pattern_at

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

_PI = f32(math.pi)


@_jit
def smooth_edge(cos_angle, cos_inner, cos_outer):
    """Share of a beam's axial luminance that it shows at ``cos_angle`` from its axis: a smooth step from
    ``cos_outer`` to ``cos_inner``.
    """
    t = (cos_angle - cos_outer) / max(cos_inner - cos_outer, f32(1e-7))
    t = min(max(t, f32(0.0)), f32(1.0))
    return t * t * (f32(3.0) - f32(2.0) * t)


@_jit
def _oval(row, x, y):
    """Share that the opening of an oval beam lets through at a point of its gate: `oval_beam.oval_profile`."""
    y = y / row[OVAL]
    t = (f32(1.0) - f32(math.sqrt(x * x + y * y))) / max(f32(1.0) - row[OVAL_INNER], f32(1e-6))
    t = min(max(t, f32(0.0)), f32(1.0))
    return t * t * (f32(3.0) - f32(2.0) * t)


@_jit
def gate(lights, row, ex, ey, ez, lx, ly, lz):
    """Share that shutters and cut-out of a beam let through, from a point of its lens along a unit direction.

    The point ``ex``, ``ey``, ``ez`` [m] is counted from the lens's middle. What stands in the gate is met where the
    ray crosses its plane, so a large lens blurs it.
    """
    along = lx * row[AXIS] + ly * row[AXIS + 1] + lz * row[AXIS + 2]
    if along <= f32(1e-4):
        return f32(0.0)
    t = row[GATE] / along
    k = f32(1.0) / (row[GATE] * row[GATE_TAN])
    x = -((ex + t * lx) * row[SIDE] + (ey + t * ly) * row[SIDE + 1] + (ez + t * lz) * row[SIDE + 2]) * k
    y = ((ex + t * lx) * row[UP] + (ey + t * ly) * row[UP + 1] + (ez + t * lz) * row[UP + 2]) * k
    left, right, bottom, top = row[SHUTTERS], row[SHUTTERS + 1], row[SHUTTERS + 2], row[SHUTTERS + 3]
    if (left > f32(0.0) and x < left - f32(1.0)) or (right > f32(0.0) and x > f32(1.0) - right):
        return f32(0.0)
    if (bottom > f32(0.0) and y < bottom - f32(1.0)) or (top > f32(0.0) and y > f32(1.0) - top):
        return f32(0.0)
    if row[OVAL] > f32(0.0):
        return _oval(row, x, y) * (
            pattern_at(lights.patterns[int(row[CUTOUT])], x, y) if row[CUTOUT] >= f32(0.0) else f32(1.0)
        )
    if row[CUTOUT] < f32(0.0):
        return f32(1.0)
    return pattern_at(lights.patterns[int(row[CUTOUT])], x, y)


@_jit
def measured(lights, row, lx, ly, lz):
    """Intensity of a measured lamp of one lumen along a unit direction away from it [cd/lm], bilinear."""
    made = lights.profiles[int(row[TABLE])]
    down = lx * row[AXIS] + ly * row[AXIS + 1] + lz * row[AXIS + 2]
    x = lx * row[SIDE] + ly * row[SIDE + 1] + lz * row[SIDE + 2]
    y = lx * row[UP] + ly * row[UP + 1] + lz * row[UP + 2]
    a = f32(math.acos(min(max(down, f32(-1.0)), f32(1.0)))) * f32(made.shape[0] - 1) / _PI
    turn = f32(math.atan2(y, x))
    if turn < f32(0.0):
        turn += f32(2.0) * _PI
    b = turn * f32(made.shape[1] - 1) / (f32(2.0) * _PI)
    i, j = min(int(a), made.shape[0] - 2), min(int(b), made.shape[1] - 2)
    fa, fb = a - f32(i), b - f32(j)
    low = made[i, j] + fb * (made[i, j + 1] - made[i, j])
    high = made[i + 1, j] + fb * (made[i + 1, j + 1] - made[i + 1, j])
    return low + fa * (high - low)


@_jit
def window(row, px, py, pz):
    """Share of a lamp's light that its reach leaves at p: `amounts.reach_window`."""
    dx, dy, dz = row[POSITION] - px, row[POSITION + 1] - py, row[POSITION + 2] - pz
    ratio = (dx * dx + dy * dy + dz * dz) / (row[REACH] * row[REACH])
    left = max(f32(1.0) - ratio * ratio, f32(0.0))
    return left * left


@_jit
def expected(lights, number, px, py, pz, nx, ny, nz):
    """About what a lamp would deliver at p, facing n, without shadow [lx]; below zero for what is not guessed.

    Only a guess by which lamps are chosen: it decides how often, never how much.
    """
    row = lights.rows[number]
    kind = int(row[KIND])
    if kind == SUN or kind == SKY or kind == SURFACE:
        return f32(-1.0)
    dx, dy, dz = row[POSITION] - px, row[POSITION + 1] - py, row[POSITION + 2] - pz
    d2 = max(dx * dx + dy * dy + dz * dz, f32(1e-6))
    k = f32(1.0) / f32(math.sqrt(d2))
    guess = row[INTENSITY] / d2 * max((dx * nx + dy * ny + dz * nz) * k, f32(0.05))
    if kind == DISC or kind == RECTANGLE or kind == BEAM:
        cos_e = -(dx * row[AXIS] + dy * row[AXIS + 1] + dz * row[AXIS + 2]) * k
        if kind == BEAM:
            guess *= max(smooth_edge(cos_e, row[COS_INNER], row[COS_OUTER]), f32(0.02))
        else:
            guess *= max(cos_e, f32(0.05))
    return guess * (window(row, px, py, pz) if kind != ARRAY else f32(1.0))
