"""Where the sky is seen from: directions through openings, for every part of the room that the lens looks into.

Indoors most directions towards the sky end at a wall. The frustum is cut into cells; rays tell which
share of the sky each cell sees in each of a few hundred directions, and directions are then drawn by
that share and the sky's light, mixed with draws from the sky alone so that none is left out (a table
made beforehand, after Jensen 1995, Importance driven path tracing using the photon map). The same
mixture's density balances light that is met by chance.
"""

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.lat_long import row_solid_angles
from lunar_haze.core.transport.borrow import borrow_scene
from lunar_haze.core.transport.camera_row import EYE, FORWARD, HEIGHT, RIGHT, TAN_HALF, UPWARD, WIDTH
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.heaven_light import turn_of
from lunar_haze.core.transport.lights import LightArrays
from lunar_haze.core.transport.sampling import combine, find_share, random_pair, search_starts
from lunar_haze.core.transport.scene import SceneArrays
from lunar_haze.core.transport.source_row import GUIDED, KIND, LIGHTS, SKY, TABLE
from lunar_haze.core.transport.surfaces import FAR, shadow
from lunar_haze.core.units.fast_math import log2, turned

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

#: Cells across, up and into the picture; bins of equal solid angle by height and by bearing.
ACROSS, UP, INTO = 12, 7, 8
HEIGHTS, BEARINGS = 16, 24
BINS = HEIGHTS * BEARINGS
#: Nearest cells end at this distance [m] before the lens; the others grow from there.
_FIRST_M = f32(0.5)
# Columns of a view after those that it has of its camera: tangents of half its angles, how far its cells go [m].
_TAN_ACROSS, _TAN_UP, _FARTHEST = TAN_HALF, TAN_HALF + 1, TAN_HALF + 2
#: Share of the draws that follow the sky alone.
SKY_SHARE = f32(0.3)
#: Where the lens sees more of the sky than this the sky's own table does as well.
MOST_SEEN = 0.4
_RAYS = 2


@_jit
def guide_cell(lights, px, py, pz):
    """Number of the cell that a point lies in, or -1 outside the frustum."""
    g = lights.guide_view
    x, y, z = px - g[0], py - g[1], pz - g[2]
    ahead = x * g[9] + y * g[10] + z * g[11]
    if ahead <= f32(0.0) or ahead >= g[14]:
        return -1
    a = (x * g[3] + y * g[4] + z * g[5]) / (ahead * g[12])
    b = (x * g[6] + y * g[7] + z * g[8]) / (ahead * g[13])
    if abs(a) >= f32(1.0) or abs(b) >= f32(1.0):
        return -1
    i, j = int((a + f32(1.0)) * f32(0.5 * ACROSS)), int((b + f32(1.0)) * f32(0.5 * UP))
    k = int(log2(f32(1.0) + ahead / _FIRST_M) / log2(f32(1.0) + g[14] / _FIRST_M) * f32(INTO))
    return (min(k, INTO - 1) * UP + min(j, UP - 1)) * ACROSS + min(i, ACROSS - 1)


@_jit
def guided_density(lights, row, px, py, pz, dx, dy, dz, density):
    """Density [1/sr] of drawing direction d at p from a sky, from the ``density`` of the sky's own table."""
    if row[GUIDED] <= f32(0.0):
        return density
    return density_in_cell(lights, guide_cell(lights, px, py, pz), dx, dy, dz, density)


@_jit
def density_in_cell(lights, cell, dx, dy, dz, density):
    """`guided_density` of a ``density`` in a cell that is known, -1 for none."""
    if cell < 0:
        return density
    bin_ = min(int((dz + f32(1.0)) * f32(0.5 * HEIGHTS)), HEIGHTS - 1) * BEARINGS
    bin_ += min(int(turn_of(dx, dy) * f32(BEARINGS)), BEARINGS - 1)
    chance = lights.guide_sum[cell, bin_ + 1] - lights.guide_sum[cell, bin_]
    return SKY_SHARE * density + (f32(1.0) - SKY_SHARE) * chance * f32(BINS / (4 * math.pi))


@_jit
def _direction_in(bin_, across, up):
    """Direction of a share across and up of a bin."""
    dz = (f32(bin_ // BEARINGS) + up) * f32(2 / HEIGHTS) - f32(1.0)
    level = f32(math.sqrt(max(f32(1.0) - dz * dz, f32(0.0))))
    north, east = turned((f32(bin_ % BEARINGS) + across) * f32(1 / BEARINGS))
    return level * east, level * north, dz


@_jit
def guided_direction(lights, cell, u, v):
    """A direction drawn from a cell's table."""
    sums = lights.guide_sum[cell]
    low = np.int64(find_share(sums[1:], lights.guide_starts[cell], u))
    inside = max(u - sums[low], f32(0.0)) / max(sums[low + 1] - sums[low], f32(1e-12))
    return _direction_in(low, v, min(inside, f32(0.99999)))


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _see_cells(s, view, first, last, wanted, seen):
    memory = ray_buffer()
    ray = aligned(memory)
    s = borrow_scene(s)
    scale = f32(math.log1p(view[_FARTHEST] / _FIRST_M))
    for cell in range(first, last):
        i, j, k = cell % ACROSS, (cell // ACROSS) % UP, cell // (ACROSS * UP)
        for bin_ in range(BINS):
            if not wanted[bin_]:
                continue
            for again in range(_RAYS):
                name = combine(u32(cell * BINS + bin_), u32(again))
                ja, jb = random_pair(name, 0, 0)
                jk, jh = random_pair(name, 1, 0)
                jt, _spare = random_pair(name, 2, 0)
                ahead = _FIRST_M * f32(math.expm1((f32(k) + jk) / f32(INTO) * scale))
                a = ((f32(i) + ja) * f32(2 / ACROSS) - f32(1.0)) * ahead * view[_TAN_ACROSS]
                b = ((f32(j) + jb) * f32(2 / UP) - f32(1.0)) * ahead * view[_TAN_UP]
                x = view[EYE] + ahead * view[FORWARD] + a * view[RIGHT] + b * view[UPWARD]
                y = view[EYE + 1] + ahead * view[FORWARD + 1] + a * view[RIGHT + 1] + b * view[UPWARD + 1]
                z = view[EYE + 2] + ahead * view[FORWARD + 2] + a * view[RIGHT + 2] + b * view[UPWARD + 2]
                dx, dy, dz = _direction_in(bin_, jt, jh)
                r, g, b_ = shadow(s, ray, x, y, z, dx, dy, dz, f32(FAR))
                seen[cell, bin_] += (r + g + b_) * f32(1 / 3 / _RAYS)
    memory[0] = f32(0.0)  # keeps the buffer alive to here


def _light_of_bins(radiance: NDArray) -> NDArray[np.float64]:
    """Light [lx, about] that a lat-long sky (H, W, 3) sends from each bin."""
    height, width, _ = radiance.shape
    light = np.maximum(radiance @ LUMINANCE_WEIGHTS, 0) * row_solid_angles(height, width)[:, None]
    up = np.cos((np.arange(height) + 0.5) * math.pi / height)
    rows = np.minimum(((up + 1) * 0.5 * HEIGHTS).astype(int), HEIGHTS - 1)
    columns = (np.arange(width) + 0.5) * BEARINGS // width
    bins = rows[:, None] * BEARINGS + columns.astype(int)[None]
    return np.bincount(bins.ravel(), light.ravel(), BINS).astype(np.float64, copy=False)


class SkyGuide:
    """The shares of the sky that are seen from the cells of one view, kept for whatever sky comes."""

    def __init__(self, camera: NDArray[np.float32], depth: NDArray[np.float32]) -> None:
        finite = depth[depth < FAR]
        reach = float(np.quantile(finite, 0.98)) * 1.05 if finite.size else 0.0
        tan = float(camera[TAN_HALF])
        self._reach = min(reach, 200.0)
        self._view = np.array([*camera[:TAN_HALF], tan, tan * camera[HEIGHT] / camera[WIDTH], self._reach], np.float32)
        self._seen: NDArray[np.float32] | None = None

    def lights(self, lights: LightArrays, s: SceneArrays) -> LightArrays:
        """Lights whose first sky is drawn through openings, where there are few of them."""
        skies = [n for n, row in enumerate(lights.rows) if int(row[KIND]) == SKY and row[LIGHTS] > 0]
        if not skies or self._reach <= 0:
            return lights
        light = _light_of_bins(lights.sky[int(lights.rows[skies[0], TABLE])])
        if light.sum() <= 0:
            return lights
        if self._seen is None:
            cells = ACROSS * UP * INTO
            seen = np.zeros((cells, BINS), np.float32)
            # Below the horizon a sky of ours is dark; a photograph may not be.
            wanted = np.arange(BINS) // BEARINGS >= HEIGHTS // 2
            _see_cells(s, self._view, 0, cells, wanted, seen)
            smooth = uniform_filter(seen.reshape(INTO, UP, ACROSS, BINS), (3, 3, 3, 1), mode="nearest")
            self._seen = smooth.reshape(cells, BINS)
        weight = self._seen * light
        if weight.sum() / (light.sum() * len(weight)) > MOST_SEEN:
            return lights
        # Neighbouring bins may see what rays have missed.
        weight += 0.02 * light * (weight.sum(1, keepdims=True) / light.sum() + 1e-6)
        sums = np.zeros((len(weight), BINS + 1))
        sums[:, 1:] = np.cumsum(weight, 1)
        sums /= sums[:, -1:]
        rows = lights.rows.copy()
        rows[skies[0], GUIDED] = 1.0
        return lights._replace(
            rows=rows, guide_view=self._view, guide_sum=sums.astype(np.float32), guide_starts=search_starts(sums[:, 1:])
        )
