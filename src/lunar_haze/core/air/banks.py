"""Banks of mist for single rays: densities whose integral along a ray is exact.

Within a bank the density is one at the heart and falls linearly to zero over the soft edge: in the
square of the scaled distance for an ellipsoid and round a cylinder, in each coordinate for a box
and along a cylinder. A wedge is a box whose density grows along its length, from nothing to one. Along
a ray that is a polynomial of degree four at most between a few distances, which a Gauss-Legendre rule
of three points integrates exactly (to degree five, so that one more linear factor may be on top).

A new shape is a line of BANK_KINDS and its branch in `_profile`, `bank_interval` and `bank_length`; the laws of
tests/core/test_banks.py hold for every kind there is.
"""

import math

import attrs
import numba as nb
import numpy as np

from lunar_haze.core.air.medium_row import BANKS

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")


@attrs.frozen
class BankKind:
    """A shape of banks: what stands for it in files and lists, what it does, and from where its outline is round."""

    name: str
    tip: str
    round_from_above: bool = False
    round_from_beside: bool = False


#: The shapes, in the order of their numbers in a packed row.
BANK_KINDS = {
    kind.name: kind
    for kind in (
        BankKind("ellipsoid", "thickest in its middle, thinner all round", True, True),
        BankKind("box", "a layer or a room full of mist"),
        BankKind("cylinder", "upright and round", True),
        BankKind("wedge", "the edge of a fog bank: clear at one end, thicker towards the other"),
    )
}
_ELLIPSOID, _BOX, _CYLINDER, _WEDGE = range(4)
MOST_BANKS = 8
#: Where the banks begin in a packed medium, and the columns of one:
#: kind, centre (3), cosine and sine of the turn, half size (3), softness, extinction.
AT, ROW = 40, 16
_SOFT, _SIGMA = 9, 10
#: A gap that no distance along a ray can be told in.
_TINY = f32(1e-9)
#: Offset of the outer points of the rule from the middle, in half lengths, and the weights.
GAUSS_NODE, GAUSS_OUTER, GAUSS_INNER = f32(math.sqrt(0.6)), f32(5 / 18), f32(8 / 18)


@_jit
def _ramp(distance, soft):
    """One up to ``1 - soft`` from the middle, zero from one on."""
    return min(max((f32(1.0) - distance) / soft, f32(0.0)), f32(1.0))


@_jit
def _profile(kind, soft, x, y, z):
    """Density over that of the heart, at a point in half sizes from the centre."""
    if kind == _BOX or kind == _WEDGE:
        even = _ramp(abs(x), soft) * _ramp(abs(y), soft) * _ramp(abs(z), soft)
        return even if kind == _BOX else even * f32(0.5) * (f32(1.0) + x)
    q = x * x + y * y
    edge = soft * (f32(2.0) - soft)  # 1 - (1 - soft)^2
    if kind == _ELLIPSOID:
        return _ramp(q + z * z, edge)
    return _ramp(q, edge) * _ramp(abs(z), soft)


@_jit
def _local(m, row, x, y, z):
    c, s = m[row + 4], m[row + 5]
    return (x * c + y * s) / m[row + 6], (y * c - x * s) / m[row + 7], z / m[row + 8]


@_jit
def bank_extinction(m, bank, x, y, z):
    """Extinction of one bank at a point [1/m]."""
    row = AT + bank * ROW
    u, v, w = _local(m, row, x - m[row + 1], y - m[row + 2], z - m[row + 3])
    return m[row + _SIGMA] * _profile(int(m[row]), m[row + _SOFT], u, v, w)


@_jit
def banks_extinction(m, x, y, z):
    """Extinction of all banks at a point [1/m]."""
    total = f32(0.0)
    for bank in range(int(m[BANKS])):
        total += bank_extinction(m, bank, x, y, z)
    return total


@_jit
def _within(a, b, low, high):
    """The part of low..high in which |a + b t| <= 1."""
    if abs(b) < _TINY:
        return (low, high) if abs(a) <= f32(1.0) else (f32(1.0), f32(0.0))
    t0, t1 = (f32(-1.0) - a) / b, (f32(1.0) - a) / b
    return max(low, min(t0, t1)), min(high, max(t0, t1))


@_jit
def _roots(qa, qb, qc):
    """Where qa t^2 + 2 qb t + qc = 0; twice the same far away where it is not."""
    inside = qb * qb - qa * qc
    if qa < _TINY * _TINY or inside <= f32(0.0):
        return f32(-1e30), f32(-1e30)
    root = f32(math.sqrt(inside))
    return (-qb - root) / qa, (-qb + root) / qa


@_jit
def _next(best, t, now):
    return min(best, t) if t > now else best


@_plain
def bank_interval(m, bank, ox, oy, oz, dx, dy, dz, t0, t1):
    """The part of t0..t1 of a ray that lies in a bank; first beyond second when none does."""
    row = AT + bank * ROW
    kind = int(m[row])
    ax, ay, az = _local(m, row, ox - m[row + 1], oy - m[row + 2], oz - m[row + 3])
    bx, by, bz = _local(m, row, dx, dy, dz)
    if kind == _BOX or kind == _WEDGE:
        t0, t1 = _within(ax, bx, t0, t1)
        t0, t1 = _within(ay, by, t0, t1)
        return _within(az, bz, t0, t1)
    if kind == _ELLIPSOID:
        low, high = _roots(
            bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz, ax * ax + ay * ay + az * az - f32(1.0)
        )
        return (max(t0, low), min(t1, high)) if high > low else (f32(1.0), f32(0.0))
    t0, t1 = _within(az, bz, t0, t1)
    across = bx * bx + by * by
    if across < _TINY * _TINY:
        return (t0, t1) if ax * ax + ay * ay < f32(1.0) else (f32(1.0), f32(0.0))
    low, high = _roots(across, ax * bx + ay * by, ax * ax + ay * ay - f32(1.0))
    return (max(t0, low), min(t1, high)) if high > low else (f32(1.0), f32(0.0))


@_plain
def bank_length(m, bank, ox, oy, oz, dx, dy, dz, t0, t1, w0, w1):
    """Length [m] of a ray's part t0..t1 in a bank, each bit counted by its density, and by ``w0 + w1 t``."""
    t0, t1 = bank_interval(m, bank, ox, oy, oz, dx, dy, dz, t0, t1)
    if t1 <= t0:
        return f32(0.0)
    row = AT + bank * ROW
    kind, soft = int(m[row]), m[row + _SOFT]
    ax, ay, az = _local(m, row, ox - m[row + 1], oy - m[row + 2], oz - m[row + 3])
    bx, by, bz = _local(m, row, dx, dy, dz)
    core = f32(1.0) - soft
    # Where the soft edge ends, per axis; and where a ray crosses the middle plane of a bank that is soft throughout.
    r0, r1 = f32(-1e30), f32(-1e30)
    if kind == _ELLIPSOID:
        r0, r1 = _roots(
            bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz, ax * ax + ay * ay + az * az - core * core
        )
    elif kind == _CYLINDER:
        r0, r1 = _roots(bx * bx + by * by, ax * bx + ay * by, ax * ax + ay * ay - core * core)
    total, now = f32(0.0), t0
    for _ in range(12):
        then = _next(_next(t1, r0, now), r1, now)
        if kind != _ELLIPSOID and abs(bz) > _TINY:
            then = _next(_next(then, (core - az) / bz, now), (-core - az) / bz, now)
        if kind == _BOX or kind == _WEDGE:
            if abs(bx) > _TINY:
                then = _next(_next(then, (core - ax) / bx, now), (-core - ax) / bx, now)
            if abs(by) > _TINY:
                then = _next(_next(then, (core - ay) / by, now), (-core - ay) / by, now)
        half, middle = f32(0.5) * (then - now), f32(0.5) * (then + now)
        for point in range(3):
            t = middle + half * GAUSS_NODE * f32(point - 1)
            weight = GAUSS_INNER if point == 1 else GAUSS_OUTER
            here = _profile(kind, soft, ax + bx * t, ay + by * t, az + bz * t) * (w0 + w1 * t)
            total += weight * f32(2.0) * half * here
        if then >= t1:
            break
        now = then
    return total
