"""Light of sun and moon through the air, bent by it.

Rays are traced up from a height through spherical shells whose refractive index falls with the
density of air (n - 1 = 2.776e-4 at the ground and 550 nm, Edlen 1966), keeping n r sin(zenith)
(Bouguer). What leaves the top in the true direction of the sun came in at the apparent one; light
is thinned by d(apparent)/d(true) (Hulst, Light scattering, and Green's theorem on radiance:
L / n^2 is kept, so that a disc that looks flatter gives less). The disc has a width: close to the
horizon it sets by parts.
"""

import functools
import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.clear_air import PROFILE_STEP_KM, Atmosphere, Coefficients, coefficients
from lunar_haze.core.sky.us76 import EARTH_RADIUS_KM, TOP_KM

REFRACTIVITY = 2.776e-4
DISC_RADIUS_DEG = 0.2665
HEIGHTS, ELEVATIONS = 32, 160
#: Lowest sun of the table [deg]: from 100 km one sees 10 degrees below the level.
LOWEST_DEG = -12.5
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy")


def table_heights_km() -> NDArray[np.float64]:
    """Heights of the table's rows, denser near the ground."""
    return TOP_KM * np.linspace(0.0, 1.0, HEIGHTS) ** 2


def table_elevation(x: NDArray) -> NDArray[np.float64]:
    """True elevation [deg] of column position ``x`` in [0, 1]: densest round the level. Arrays of any shape."""
    y = x * (1.0 + math.sqrt(-LOWEST_DEG / 90.0)) - math.sqrt(-LOWEST_DEG / 90.0)
    return 90.0 * y * np.abs(y)


@_jit
def _trace_up(profile, height, apparent):
    """(reaches the top, true elevation [rad], amounts of air, haze and ozone met [km, km, 1])."""
    r = EARTH_RADIUS_KM + height
    zenith = 0.5 * math.pi - apparent
    angle = 0.0
    air, haze, ozone = 0.0, 0.0, 0.0
    top = EARTH_RADIUS_KM + TOP_KM
    for _ in range(4000):
        h = r - EARTH_RADIUS_KM
        at = min(max(h, 0.0) / PROFILE_STEP_KM, profile.shape[0] - 2.0)
        k = int(at)
        slope = (profile[k + 1, 0] - profile[k, 0]) / PROFILE_STEP_KM
        cos_z, sin_z = math.cos(zenith), math.sin(zenith)
        ds = min(0.02 * h + 0.15, 2.0) / max(abs(cos_z), 0.05)
        # Midpoint rule for height and direction.
        bend = -sin_z * (1.0 / r + REFRACTIVITY * slope)
        middle = zenith + 0.5 * ds * bend
        rise = ds * math.cos(middle)
        if r + rise >= top:
            ds *= (top - r) / max(rise, 1e-9)
            rise = top - r
        h2 = h + 0.5 * rise
        at = min(max(h2, 0.0) / PROFILE_STEP_KM, profile.shape[0] - 2.0)
        k = int(at)
        f = at - k
        air += ds * (profile[k, 0] + f * (profile[k + 1, 0] - profile[k, 0]))
        haze += ds * (profile[k, 1] + f * (profile[k + 1, 1] - profile[k, 1]))
        ozone += ds * (profile[k, 2] + f * (profile[k + 1, 2] - profile[k, 2]))
        slope = (profile[k + 1, 0] - profile[k, 0]) / PROFILE_STEP_KM
        angle += ds * math.sin(middle) / (r + 0.5 * rise)
        zenith += ds * -math.sin(middle) * (1.0 / (r + 0.5 * rise) + REFRACTIVITY * slope)
        r += rise
        if r >= top - 1e-6:
            return True, 0.5 * math.pi - (zenith + angle), air, haze, ozone
        if r < EARTH_RADIUS_KM - 1e-3:
            break
    return False, 0.0, 0.0, 0.0, 0.0


@_jit
def _fan(profile, height, apparent, out):
    """Trace rays at ``apparent`` [rad] (n,); rows of ``out`` (n, 5): seen, true elevation, amounts."""
    for i in range(apparent.shape[0]):
        seen, true, air, haze, ozone = _trace_up(profile, height, apparent[i])
        out[i, 0] = 1.0 if seen else 0.0
        out[i, 1], out[i, 2], out[i, 3], out[i, 4] = true, air, haze, ozone


def _apparent_horizon(profile: NDArray, height_km: float) -> float:
    """Lowest apparent elevation [rad] at which the sky is seen, by bisection."""
    low, high = -math.acos(EARTH_RADIUS_KM / (EARTH_RADIUS_KM + height_km)) - 0.02, 0.0
    for _ in range(22):
        middle = 0.5 * (low + high)
        if _trace_up(profile, height_km, middle)[0]:
            high = middle
        else:
            low = middle
    return high


@functools.lru_cache(maxsize=128)
def _rays(c: Coefficients, height_km: float) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Rays from one height through all the sky: true elevations (m,) [deg], optical depths (m, 12), thinning (m,)."""
    lowest = _apparent_horizon(c.profile, height_km)
    apparent = lowest + (0.5 * math.pi - lowest) * np.linspace(0.0, 1.0, 220) ** 2.5
    out = np.empty((len(apparent), 5))
    _fan(c.profile, height_km, apparent, out)
    true = np.degrees(out[:, 1])
    depth = out[:, 2:3] * c.lose_air + out[:, 3:4] * c.lose_haze + out[:, 4:5] * c.lose_ozone
    return true, depth, np.clip(np.gradient(np.degrees(apparent), true), 0.0, 1.0)


def _row(c: Coefficients, height_km: float, elevations_deg: NDArray) -> NDArray[np.float64]:
    """Transmittance (n, 12) of a point sun, thinning included, at true elevations (n,) from one height."""
    true, depth, thinned = _rays(c, height_km)
    depth = np.stack([np.interp(elevations_deg, true, depth[:, b]) for b in range(depth.shape[1])], -1)
    through = np.exp(-depth) * np.interp(elevations_deg, true, thinned)[:, None]
    return np.where((elevations_deg >= true[0])[:, None] & (through > 1e-25), through, 0.0)


def _over_disc(c: Coefficients, height_km: float, elevations_deg: NDArray) -> NDArray[np.float64]:
    nodes, weights = np.polynomial.legendre.leggauss(8)
    chord = weights * np.sqrt(1.0 - nodes**2)
    chord /= chord.sum()
    at = elevations_deg[:, None] + DISC_RADIUS_DEG * nodes
    rows = _row(c, height_km, at.ravel()).reshape(*at.shape, -1)
    return (rows * chord[None, :, None]).sum(1)


def transmittance_table(atmosphere: Atmosphere) -> NDArray[np.float32]:
    """Transmittance of the sun (HEIGHTS, ELEVATIONS, 12) float32 at `table_heights_km` and `table_elevation`."""
    c = coefficients(atmosphere)
    elevations = table_elevation(np.linspace(0.0, 1.0, ELEVATIONS))
    return np.stack([_over_disc(c, h, elevations) for h in table_heights_km()]).astype(np.float32)


@functools.lru_cache(maxsize=256)
def transmittance_at(atmosphere: Atmosphere, elevation_deg: float) -> NDArray[np.float64]:
    """Transmittance (12,) of the sun's disc at one true elevation [deg], seen from the place; do not write to it."""
    return _over_disc(coefficients(atmosphere), atmosphere.altitude_m / 1000.0, np.array([elevation_deg]))[0]


def true_elevation_deg(apparent_deg: float) -> float:
    """True elevation [deg] of what is seen at an apparent one, over standard air: `apparent_elevation_deg` undone."""
    true = apparent_deg
    for _ in range(8):
        true += apparent_deg - apparent_elevation_deg(true)
    return true


def apparent_elevation_deg(true_deg: float, atmosphere: Atmosphere | None = None) -> float:
    """Where a body at true elevation [deg] is seen: Saemundsson (1986), Sky and Telescope 72, 70.

    Within 0.1' of full refraction above -1 degree; below it the body is out of sight and the lift
    held.
    """
    pressure = 1.0 if atmosphere is None else math.exp(-atmosphere.altitude_m / 8400.0)
    h = max(true_deg, -1.0)
    return true_deg + pressure * 1.02 / math.tan(math.radians(h + 10.3 / (h + 5.11))) / 60.0
