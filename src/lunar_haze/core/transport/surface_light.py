"""What one source gives at a surface, before anything stands in its way."""

from typing import Any, NamedTuple

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import transmittance
from lunar_haze.core.air.medium_row import CLEAR
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.ggx import Viewed, evaluate
from lunar_haze.core.transport.met_light import part_of
from lunar_haze.core.transport.path_values import Facing
from lunar_haze.core.transport.sampling import basis
from lunar_haze.core.transport.source_row import PART, SPARES

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)


class SurfaceLight(NamedTuple):
    """Light that a surface sends to its viewer, rgb, and the direction and distance [m] of the source it comes from.

    ``pdf`` is the density of the direction [1/sr], zero where there is no light; ``reflected`` that with which the
    surface's own reflection would have found it.
    """

    dx: Any
    dy: Any
    dz: Any
    distance: Any
    r: Any
    g: Any
    b: Any
    pdf: Any
    reflected: Any


@_jit
def _nothing():
    zero = f32(0.0)
    return SurfaceLight(zero, zero, zero, zero, zero, zero, zero, zero, zero)


@_jit
def facing_of(found):
    """The frame of a `SurfacePoint`."""
    ax, ay, az, bx, by, bz = basis(found.nx, found.ny, found.nz)
    return Facing(found.gx, found.gy, found.gz, ax, ay, az, bx, by, bz, found.nx, found.ny, found.nz)


@_jit
def viewed_from(found, facing, dx, dy, dz):
    """A `SurfacePoint` as it is looked at along unit d."""
    vx = -(dx * facing.ax + dy * facing.ay + dz * facing.az)
    vy = -(dx * facing.bx + dy * facing.by + dz * facing.bz)
    vz = -(dx * facing.nx + dy * facing.ny + dz * facing.nz)
    return Viewed(vx, vy, vz, found.r, found.g, found.b, found.metallic, found.roughness)


@_jit
def in_place(facing, lx, ly, lz):
    """A direction of the frame as it points in the place."""
    return (
        lx * facing.ax + ly * facing.bx + lz * facing.nx,
        lx * facing.ay + ly * facing.by + lz * facing.ny,
        lx * facing.az + ly * facing.bz + lz * facing.nz,
    )


@_jit
def spares(lights, number, left):
    """Whether a source leaves an object, ``left``, -1 for none, unlit."""
    return lights.rows[number, SPARES] > f32(0.0) and left >= 0 and lights.spared[number, left] > f32(0.0)


@_jit
def unshadowed(at, medium, number, spot, facing, viewed, seen, u, v):
    """`SurfaceLight` of source ``number`` at a spot, without shadow (one sample), by two numbers in [0, 1).

    ``seen`` is what `ggx.seen_from` tells of the surface.
    """
    if spares(at.lights, number, spot.object):
        return _nothing()
    lx, ly, lz, distance, r, g, b, pdf = sample_light(at.scene, at.lights, number, spot.x, spot.y, spot.z, u, v)
    behind = lx * facing.gx + ly * facing.gy + lz * facing.gz <= f32(0.0)
    if pdf <= f32(0.0) or r + g + b <= f32(0.0) or behind:
        return _nothing()
    to_x = lx * facing.ax + ly * facing.ay + lz * facing.az
    to_y = lx * facing.bx + ly * facing.by + lz * facing.bz
    to_z = lx * facing.nx + ly * facing.ny + lz * facing.nz
    fr, fg, fb, reflected, mr, mg, mb = evaluate(at.scene.energy, seen, viewed, to_x, to_y, to_z)
    if reflected <= f32(0.0):
        return _nothing()
    fr, fg, fb = part_of(at.lights.rows[number, PART], fr, fg, fb, mr, mg, mb)
    if medium[CLEAR] == f32(0.0):
        through = transmittance(medium, spot.x, spot.y, spot.z, lx, ly, lz, distance)
        fr, fg, fb = fr * through, fg * through, fb * through
    return SurfaceLight(lx, ly, lz, distance, fr * r, fg * g, fb * b, pdf, reflected)
