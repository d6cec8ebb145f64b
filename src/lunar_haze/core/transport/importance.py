"""What a ray is worth: how often sources are asked, and shadow rays traced, by what they add to the picture.

Chances decide how often, never how much: what is rarely asked counts for more when it is (Russian
roulette, Arvo & Kirk 1990, Particle transport and image synthesis; many lamps as in Shirley, Wang
& Zimmerman 1996, Monte Carlo techniques for direct lighting calculations). The *emphasis* of a
source is a row (7,) float32: how much light in its surface and in its air layer adds to the picture
(rgb each), and its chance to be picked.
"""

import math

import numba as nb
import numpy as np

from lunar_haze.core.air.kernels import even_extinction
from lunar_haze.core.transport.lamp_lobes import expected
from lunar_haze.core.transport.path_values import NUMBER
from lunar_haze.core.transport.source_row import ARRAY, INTENSITY, KIND, POSITION, SKY, SUN
from lunar_haze.core.transport.source_row import SURFACE as GLOWING

f32 = np.float32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: A shadow ray is sure to be traced when it can change the pixel by this share of it.
SURE_SHARE = f32(0.1)
#: The least chance of a shadow ray: what adds nothing now may be turned up later.
LEAST_CHANCE = f32(1 / 32)
#: Of more lamps than this those that matter little at a pixel are asked rarely; the share of its light that is sure.
FEW_LAMPS, EARLY_SHARE = 3, f32(0.08)
#: How much luminance an illuminance of one makes of a surface, about.
_GUESSED_ALBEDO = f32(0.15)
# Columns of the emphasis.
SURFACE, AIR, PICK = 0, 3, 6
EMPHASIS_COLUMNS = 7
#: Column of what waits for its shadow ray that holds its worth.
IMPORTANCE = 10


@_jit
def importance_of(emphasis, k, column, r, g, b):
    """What light in the layer of the ``k``-th source adds to the picture [cd/m2]; its gain begins at a ``column``."""
    return emphasis[k, column] * r + emphasis[k, column + 1] * g + emphasis[k, column + 2] * b


@_jit
def chance_of(worth, total):
    """Chance that a shadow ray is traced, by its ``worth``, what it can add to a pixel that has ``total`` without
    shadows.
    """
    sure = SURE_SHARE * total
    return max(worth / sure, LEAST_CHANCE) if worth < sure else f32(1.0)


@_jit
def early_chance(guess, known):
    """Chance that a lamp is asked at all, by the ``guess`` of what it adds to what is ``known``; below zero is none."""
    sure = EARLY_SHARE * known
    return max(guess / sure, LEAST_CHANCE) if f32(0.0) <= guess < sure else f32(1.0)


@_jit
def guess_surface(lights, active, emphasis, px, py, pz, nx, ny, nz, pending):
    """About what each lamp adds at a surface, into ``pending``, and the sum of that [cd/m2]."""
    known = f32(0.0)
    for k in range(active.shape[0]):
        guess = expected(lights, active[k, NUMBER], px, py, pz, nx, ny, nz) * _GUESSED_ALBEDO
        pending[k, IMPORTANCE] = guess
        if guess >= f32(0.0):
            guess = importance_of(emphasis, k, SURFACE, guess, guess, guess)
            pending[k, IMPORTANCE] = guess
            known += guess
    return known


@_jit
def guess_air(lights, active, emphasis, medium, ray, far, pending):
    """About what the air throws back of each lamp along a ray, into ``pending``, and the sum of that [cd/m2]."""
    ox, oy, oz, dx, dy, dz = ray
    known = f32(0.0)
    for k in range(active.shape[0]):
        row = lights.rows[active[k, NUMBER]]
        kind = int(row[KIND])
        pending[k, IMPORTANCE] = f32(-1.0)
        if kind == SUN or kind == SKY or kind == GLOWING or kind == ARRAY:
            continue
        cx, cy, cz = row[POSITION] - ox, row[POSITION + 1] - oy, row[POSITION + 2] - oz
        along = min(max(cx * dx + cy * dy + cz * dz, f32(0.0)), far)
        ex, ey, ez = cx - along * dx, cy - along * dy, cz - along * dz
        apart2 = max(ex * ex + ey * ey + ez * ez, f32(1e-3))
        # An even point lamp: I sigma p (angle seen along the ray) / h, with a phase of 1 / 4 pi and half a turn.
        sigma = even_extinction(medium, ox + along * dx, oy + along * dy, oz + along * dz)
        guess = row[INTENSITY] * sigma * f32(0.25) / f32(math.sqrt(apart2))
        guess = importance_of(emphasis, k, AIR, guess, guess, guess)
        pending[k, IMPORTANCE] = guess
        known += guess
    return known


@_jit
def draw_source(emphasis, lot):
    """Source drawn by its chance, from a number ``lot`` in [0, 1)."""
    k, last = 0, emphasis.shape[0] - 1
    while k < last and lot >= emphasis[k, PICK]:
        lot -= emphasis[k, PICK]
        k += 1
    return k
