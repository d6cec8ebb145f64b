"""Light that the clear air scatters: tables of many-times scattered light, and the sky seen from the place.

Single scattering is integrated along the view with the exact phase functions; later orders are
iterated (Sobouti 1963; Bruneton & Neyret 2008, Precomputed atmospheric scattering, CGF 27(4)) as
fields of mean radiance over height and sun elevation, which twilight needs: the quick isotropic
closure of Hillaire (2020) is a stop too dark there. The ground is a Lambertian sphere. Twelve
bands; everything is per unit of the sun's irradiance above the air, so radiances are in 1/sr.
Heights in km.
"""

import math
from typing import Any, NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.clear_air import PROFILE_STEP_KM, Coefficients
from lunar_haze.core.sky.refracted_light import ELEVATIONS, HEIGHTS, LOWEST_DEG
from lunar_haze.core.sky.us76 import EARTH_RADIUS_KM, TOP_KM
from lunar_haze.core.units.fast_math import exp

f32, u64 = np.float32, np.uint64
BANDS_N = 12
FIELD_HEIGHTS, FIELD_SUNS = 20, 80
GATHER_STEPS = 16
FIELD_LOWEST_DEG = -22.0
ORDERS = 3
# The haze throws most light on and some back: two Henyey-Greenstein lobes.
_ON, _BACK, _ON_SHARE = f32(0.74), f32(-0.30), f32(0.92)
_RADIUS, _TOP = f32(EARTH_RADIUS_KM), f32(TOP_KM)
_LOW_ROOT = f32(math.sqrt(-LOWEST_DEG / 90.0))
_FIELD_ROOT = f32(math.sqrt(-FIELD_LOWEST_DEG / 90.0))
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
_threads = nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")


def field_heights_km() -> NDArray[np.float64]:
    """Heights of the rows of a field, denser near the ground."""
    return TOP_KM * np.linspace(0.0, 1.0, FIELD_HEIGHTS) ** 2


def field_elevations_deg() -> NDArray[np.float64]:
    """Sun elevations of the columns of a field, densest round the level."""
    root = float(_FIELD_ROOT)
    y = np.linspace(0.0, 1.0, FIELD_SUNS) * (1.0 + root) - root
    return 90.0 * y * np.abs(y)


@_jit
def _column_at(elevation_deg, root, count):
    """Position of an elevation among columns spaced as above."""
    y = f32(math.sqrt(abs(elevation_deg) * f32(1 / 90.0)))
    y = -y if elevation_deg < f32(0.0) else y
    return min(max((y + root) / (f32(1.0) + root) * f32(count - 1), f32(0.0)), f32(count) - f32(1.001))


@_jit
def _row_at(h, count):
    return min(f32(math.sqrt(max(h, f32(0.0)) / _TOP)) * f32(count - 1), f32(count) - f32(1.001))


@_jit
def _phases(cosine):
    """Phase functions of air (Rayleigh, with the depolarisation left out) and haze [1/sr]."""
    air = f32(3.0 / (16.0 * math.pi)) * (f32(1.0) + cosine * cosine)
    on = (f32(1.0) - _ON * _ON) / (f32(1.0) + _ON * _ON - f32(2.0) * _ON * cosine) ** f32(1.5)
    back = (f32(1.0) - _BACK * _BACK) / (f32(1.0) + _BACK * _BACK - f32(2.0) * _BACK * cosine) ** f32(1.5)
    return air, f32(1.0 / (4.0 * math.pi)) * (_ON_SHARE * on + (f32(1.0) - _ON_SHARE) * back)


@_jit
def _way(r, cos_z):
    """Length to the ground or to the top from radius ``r`` along zenith cosine, and whether it is the ground."""
    b = r * cos_z
    below = b * b - (r * r - _RADIUS * _RADIUS)
    if cos_z < f32(0.0) and below >= f32(0.0):
        return max(-b - f32(math.sqrt(below)), f32(0.0)), True
    top = _RADIUS + _TOP
    return max(-b + f32(math.sqrt(max(b * b - (r * r - top * top), f32(0.0)))), f32(0.0)), False


class AirTables(NamedTuple):
    """What `look` needs of an atmosphere, flat float32.

    ``matter`` (5, 12): scattering of air and haze and extinction of air, haze and ozone; ``profile`` (n, 3); ``sun``
    the transmittance table; ``field`` (heights, suns, 12) the mean radiance that the air scatters again; ``ground``
    (suns, 12) what the ground sends back.
    """

    matter: Any
    profile: Any
    sun: Any
    field: Any
    ground: Any


@_plain
def look(air_tables, h0, cos_z, cos_between, sun_sin, steps, first, through, out):
    """Radiance ``out`` (12,) [1/sr] that arrives at height ``h0`` from a direction.

    ``cos_between`` is the cosine between view and sun, ``sun_sin`` the sine of the sun's elevation.
    ``first`` tells whether light straight from the sun counts; ``through`` (12,)
    is memory to work in.
    """
    n, one, zero = u64(BANDS_N), f32(1.0), f32(0.0)
    r0 = _RADIUS + h0
    matter, profile, sun, field, ground = air_tables
    length, hits = _way(r0, cos_z)
    phase_air, phase_haze = _phases(cos_between)
    if not first:
        phase_air, phase_haze = zero, zero
    for band in range(BANDS_N):
        out[band] = zero
        through[band] = one
    t0 = zero
    last = f32(profile.shape[0] // 3 - 2)
    for k in range(steps):
        x = f32(k + 1) / f32(steps)
        t1 = length * x * x
        ds = t1 - t0
        t = f32(0.5) * (t0 + t1)
        t0 = t1
        r = f32(math.sqrt(r0 * r0 + t * t + f32(2.0) * r0 * t * cos_z))
        h = r - _RADIUS
        # The sun's elevation over the point's own level.
        sine = min(max((r0 * sun_sin + t * cos_between) / r, -one), one)
        elevation = f32(math.asin(sine)) * f32(180.0 / math.pi)
        at = min(max(h, zero) / f32(PROFILE_STEP_KM), last)
        p = u64(at)
        f = at - f32(p)
        p = u64(p * u64(3))
        air = profile[p] + f * (profile[p + u64(3)] - profile[p])
        haze = profile[p + u64(1)] + f * (profile[p + u64(4)] - profile[p + u64(1)])
        ozone = profile[p + u64(2)] + f * (profile[p + u64(5)] - profile[p + u64(2)])
        row, column = _row_at(h, HEIGHTS), _column_at(elevation, _LOW_ROOT, ELEVATIONS)
        i, j = u64(row), u64(column)
        u, v = row - f32(i), column - f32(j)
        lit = one if elevation > f32(LOWEST_DEG) else zero
        a00, a01, a10, a11 = lit * (one - u) * (one - v), lit * (one - u) * v, lit * u * (one - v), lit * u * v
        o = (i * u64(ELEVATIONS) + j) * n
        o2 = o + u64(ELEVATIONS) * n
        row, column = _row_at(h, FIELD_HEIGHTS), _column_at(elevation, _FIELD_ROOT, FIELD_SUNS)
        i, j = u64(row), u64(column)
        u, v = row - f32(i), column - f32(j)
        b00, b01, b10, b11 = (one - u) * (one - v), (one - u) * v, u * (one - v), u * v
        q = (i * u64(FIELD_SUNS) + j) * n
        q2 = q + u64(FIELD_SUNS) * n
        for band in range(BANDS_N):
            b = u64(band)
            rate = air * matter[u64(24) + b] + haze * matter[u64(36) + b] + ozone * matter[u64(48) + b]
            direct = a00 * sun[o + b] + a01 * sun[o + n + b] + a10 * sun[o2 + b] + a11 * sun[o2 + n + b]
            again = b00 * field[q + b] + b01 * field[q + n + b] + b10 * field[q2 + b] + b11 * field[q2 + n + b]
            source = air * matter[b] * (phase_air * direct + again) + haze * matter[n + b] * (
                phase_haze * direct + again
            )
            left = exp(-rate * ds)
            out[b] += through[b] * source * ((one - left) / (rate + f32(1e-12)))
            # Numbers too small to be normal would take a hundred times as long.
            through[b] = max(through[b] * left, f32(1e-20))
    if hits:
        sine = min(max((r0 * sun_sin + length * cos_between) / _RADIUS, -one), one)
        column = _column_at(f32(math.asin(sine)) * f32(180.0 / math.pi), _FIELD_ROOT, FIELD_SUNS)
        j = u64(column)
        v = column - f32(j)
        for band in range(BANDS_N):
            b = j * n + u64(band)
            out[band] += through[band] * (ground[b] + v * (ground[b + n] - ground[b]))


@_plain
def _gather_cell(air_tables, h, elevation, directions, first, mean, below):
    """Mean radiance (12,) at a height over all directions, and irradiance (12,) on level ground."""
    sun_sin, sun_cos = f32(math.sin(elevation)), f32(math.cos(elevation))
    seen, through = np.empty(BANDS_N, np.float32), np.empty(BANDS_N, np.float32)
    for b in range(BANDS_N):
        mean[b] = f32(0.0)
        below[b] = f32(0.0)
    for k in range(directions.shape[0]):
        cos_z, sin_z, cos_a, weight = directions[k, 0], directions[k, 1], directions[k, 2], directions[k, 3]
        between = cos_z * sun_sin + sin_z * cos_a * sun_cos
        look(air_tables, h, cos_z, between, sun_sin, GATHER_STEPS, first, through, seen)
        for b in range(BANDS_N):
            mean[b] += weight * seen[b]
            if cos_z > f32(0.0):
                below[b] += weight * cos_z * seen[b] * f32(4.0 * math.pi)


@_threads
def _gather(air_tables, heights, elevations, directions, first, threads, mean, below):
    cells = heights.shape[0] * elevations.shape[0]
    for thread in nb.prange(threads):
        for cell in range(thread, cells, threads):
            i, j = cell // elevations.shape[0], cell % elevations.shape[0]
            _gather_cell(air_tables, heights[i], elevations[j], directions, first, mean[i, j], below[i, j])


def packed(c: Coefficients) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(matter, profile), flat, as `look` takes them."""
    matter = np.concatenate([c.scatter_air, c.scatter_haze, c.lose_air, c.lose_haze, c.lose_ozone])
    return np.ascontiguousarray(matter, np.float32), np.ascontiguousarray(c.profile, np.float32).ravel()


def _directions() -> NDArray[np.float32]:
    """Directions over the sphere (n, 4): cosine and sine of zenith, cosine of azimuth, weight; weights sum to one.

    Gauss-Legendre in three bands of zenith angle, since the horizon carries the twilight.
    """
    rows = []
    nodes, weights = np.polynomial.legendre.leggauss(4)
    for low, high in ((-1.0, -0.12), (-0.12, 0.25), (0.25, 1.0)):
        for node, weight in zip(nodes, weights):
            mu = 0.5 * (high - low) * node + 0.5 * (high + low)
            for k in range(5):
                azimuth = math.pi * (k + 0.5) / 5
                share = 0.5 * weight * 0.5 * (high - low) / 5
                rows.append((mu, math.sqrt(1 - mu * mu), math.cos(azimuth), share))
    return np.array(rows, np.float32)


def _normal(table: NDArray) -> NDArray[np.float32]:
    """float32 without the numbers too small to matter, which are slow."""
    return np.where(table > 1e-25, table, 0.0).astype(np.float32)


def scattered_field(
    c: Coefficients, sun: NDArray[np.float32], ground_albedo: float, threads: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(field (heights, suns, 12), ground (suns, 12)): what `look` needs for all orders of scattering.

    Three orders are iterated; the rest is the geometric series that the last two begin.
    """
    matter, profile = packed(c)
    heights = field_heights_km().astype(np.float32)
    heights[-1] -= f32(0.01)
    elevations = np.radians(field_elevations_deg()).astype(np.float32)
    shape = (FIELD_HEIGHTS, FIELD_SUNS, BANDS_N)
    directions = _directions()
    nothing = np.zeros(shape, np.float32)
    # Straight sunlight on the ground.
    at = [float(_column_at.py_func(f32(math.degrees(e)), _LOW_ROOT, ELEVATIONS)) for e in elevations]
    low = np.floor(at).astype(int)
    share = (np.array(at) - low)[:, None]
    straight = sun[0, low] + share * (sun[0, low + 1] - sun[0, low])
    straight = straight * np.maximum(np.sin(elevations), 0.0)[:, None]
    ground = (ground_albedo / math.pi * straight).astype(np.float32)
    total_field, total_ground = np.zeros(shape), ground.astype(np.float64)
    field, before = nothing, nothing
    for order in range(ORDERS):
        mean, below = np.empty(shape, np.float32), np.empty(shape, np.float32)
        tables = AirTables(matter, profile, sun.ravel(), field.ravel(), ground.ravel())
        _gather(tables, heights, elevations, directions, order == 0, threads, mean, below)
        ground, field = _normal(ground_albedo / math.pi * below[0]), _normal(mean)
        if order == ORDERS - 1:
            ratio = np.clip(mean / np.maximum(before, 1e-30), 0.0, 0.95)
            total_field += mean / (1 - ratio)
            total_ground += ground / (1 - ratio[0])
        else:
            total_field += mean
            total_ground += ground
        before = mean
    return _normal(total_field), _normal(total_ground)


@_plain
def _view_row(air_tables, h0, sun_sin, sun_cos, sin_e, cos_azimuth, colour, steps, out):
    seen, through = np.empty(BANDS_N, np.float32), np.empty(BANDS_N, np.float32)
    cos_e = f32(math.sqrt(max(f32(1.0) - sin_e * sin_e, f32(0.0))))
    for j in range(cos_azimuth.shape[0]):
        between = sin_e * sun_sin + cos_e * cos_azimuth[j] * sun_cos
        look(air_tables, h0, sin_e, between, sun_sin, steps, True, through, seen)
        for k in range(3):
            total = f32(0.0)
            for b in range(BANDS_N):
                total += seen[b] * colour[b, k]
            out[j, k] = total


@_threads
def view(air_tables, h0, sun_sin, sun_cos, sines, cos_azimuth, colour, steps, threads, out):
    """Sky radiance ``out`` (elevations, azimuths, 3) [cd/m2 ACEScg] from height ``h0``.

    ``sines`` (n,) of elevations, ``cos_azimuth`` (m,) from the sun, ``colour`` (12, 3) the light
    above the air [lx ACEScg].
    """
    for thread in nb.prange(threads):
        for i in range(thread, sines.shape[0], threads):
            _view_row(air_tables, h0, sun_sin, sun_cos, sines[i], cos_azimuth, colour, steps, out[i])
