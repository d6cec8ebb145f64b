"""From a dome's description to its radiance: lat-long maps of the sky of a moment, of a photograph, of two colours."""

import functools
import math

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky import moonlight, night
from lunar_haze.core.sky.clear_air import SUN_ACESCG, Atmosphere
from lunar_haze.core.sky.clouds import lay_clouds, mean_sun_share
from lunar_haze.core.sky.grade import bent
from lunar_haze.core.sky.kinds import Dome, radiance_of, sky_kind_of
from lunar_haze.core.sky.lat_long import illuminance_lx, irradiance, map_directions
from lunar_haze.core.sky.lightning import cloud_radiance, lightning_radiance
from lunar_haze.core.sky.model import ClearSky, Gradient, Lightning, Panorama
from lunar_haze.core.sky.panorama import panorama_radiance
from lunar_haze.core.sky.refracted_light import apparent_elevation_deg, transmittance_at
from lunar_haze.core.sky.scattering import AirTables, view
from lunar_haze.core.sky.tables import tables_of
from lunar_haze.core.units.shapes import entry

MAP_HEIGHT, MAP_WIDTH = 256, 512
VIEW_ROWS, VIEW_COLUMNS, VIEW_STEPS = 72, 64, 28
#: Below this height the sun gives the sky nothing that the night does not outshine [deg].
SUN_GONE_DEG = -19.5
#: Above this height of the sun airglow and stars are a thousandth of the sky [deg].
NIGHT_SHOWS_DEG = -6.0
#: Size of the map that tells the level alone.
LEVEL_HEIGHT, LEVEL_WIDTH = 64, 128
f32 = np.float32


def sky_view(
    atmosphere: Atmosphere, altitude_deg: float, light: NDArray, rows: int = VIEW_ROWS, columns: int = VIEW_COLUMNS
) -> NDArray[np.float32]:
    """Clear sky under one body, (rows, columns, 3) [cd/m2 ACEScg].

    Row k lies at an altitude of 90 deg (k / (rows - 1))^2, columns from the body's bearing to the
    opposite one. ``light`` (12, 3) is what it gives above the air [lx]; its altitude is true.
    """
    tables = tables_of(atmosphere)
    altitude = math.radians(altitude_deg)
    sines = np.sin(np.linspace(0.0, 1.0, rows) ** 2 * math.pi / 2).astype(np.float32)
    cosines = np.cos(np.linspace(0.0, math.pi, columns)).astype(np.float32)
    out = np.empty((rows, columns, 3), np.float32)
    view(
        AirTables(tables.matter, tables.profile, tables.sun, tables.field, tables.ground),
        f32(atmosphere.altitude_m / 1000.0),
        f32(math.sin(altitude)),
        f32(math.cos(altitude)),
        sines,
        cosines,
        np.ascontiguousarray(light, np.float32),
        VIEW_STEPS,
        nb.get_num_threads(),
        out,
    )
    return np.maximum(out, 0.0)


@entry(seen="r c 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _unfold(seen, azimuth, out):
    """Add a view, turned to ``azimuth`` [rad], to the upper half of a lat-long map."""
    height, width = out.shape[0], out.shape[1]
    rows, columns = seen.shape[0], seen.shape[1]
    for y in nb.prange(height):
        altitude = f32(math.pi / 2) - (f32(y) + f32(0.5)) * f32(math.pi) / f32(height)
        u = f32(math.sqrt(max(altitude, f32(0.0)) * f32(2 / math.pi))) * f32(rows - 1)
        i = min(int(u), rows - 2)
        fu = u - f32(i)
        for x in range(width):
            apart = abs((f32(x) + f32(0.5)) * f32(2 * math.pi) / f32(width) - azimuth)
            apart = min(apart, f32(2 * math.pi) - apart)
            v = apart * f32(columns - 1) / f32(math.pi)
            j = min(max(int(v), 0), columns - 2)
            fv = v - f32(j)
            for k in range(3):
                low = seen[i, j, k] + fv * (seen[i, j + 1, k] - seen[i, j, k])
                high = seen[i + 1, j, k] + fv * (seen[i + 1, j + 1, k] - seen[i + 1, j, k])
                out[y, x, k] += low + fu * (high - low)


def body_light(atmosphere: Atmosphere, altitude_deg: float, above: NDArray) -> NDArray[np.float64]:
    """Light (3,) [lx ACEScg] of a body at a true altitude on a surface that faces it, through clear air.

    ``above`` (12, 3) is its light above the air [lx ACEScg] by band.
    """
    light = transmittance_at(atmosphere, altitude_deg) @ above
    # The setting sun leaves what a display can show: towards its own grey, its luminance kept.
    grey = float(light @ LUMINANCE_WEIGHTS)
    lowest = float(light.min())
    return light if lowest >= 0 else grey + (light - grey) * grey / max(grey - lowest, 1e-30)


def sun_light(atmosphere: Atmosphere, altitude_deg: float) -> NDArray[np.float64]:
    """Light (3,) [lx ACEScg] of the sun's disc at a true altitude on a surface that faces it."""
    return body_light(atmosphere, altitude_deg, SUN_ACESCG)


def moon_light(atmosphere: Atmosphere, altitude_deg: float, phase_deg: float) -> NDArray[np.float64]:
    """Light (3,) [lx ACEScg] of the moon at a true altitude on a surface that faces it; a phase of 0 is full."""
    return body_light(atmosphere, altitude_deg, moonlight.moon_acescg(phase_deg))


def _bodies(sky: ClearSky) -> list[tuple[float, float, NDArray]]:
    """(altitude, azimuth, light above the air (12, 3)) of what lights the sky now."""
    found = []
    if sky.sun_altitude_deg > SUN_GONE_DEG:
        found.append((sky.sun_altitude_deg, sky.sun_azimuth_deg, SUN_ACESCG))
    dark = sky.sun_altitude_deg < NIGHT_SHOWS_DEG
    if dark and sky.moon_altitude_deg > -8.0 and moonlight.illuminance_lx(sky.moon_phase_deg) > 0.0:
        found.append((sky.moon_altitude_deg, sky.moon_azimuth_deg, moonlight.moon_acescg(sky.moon_phase_deg)))
    return found


@attrs.frozen(eq=False)
class Disc:
    """Sun or moon as it is seen: apparent altitude, bearing, what it gives facing it [lx ACEScg] (3,) through clear
    air, and the share of it that the clouds let through on average."""

    body: str
    altitude_deg: float
    azimuth_deg: float
    clear_light: NDArray[np.float64]
    share: float

    @property
    def on_ground(self) -> NDArray[np.float64]:
        """Its light (3,) on level ground under the clouds [lx]."""
        return max(math.sin(math.radians(self.altitude_deg)), 0.0) * self.share * self.clear_light


def discs(sky: ClearSky) -> list[Disc]:
    """Sun and moon where they give any light."""
    air, found = sky.weather.atmosphere, []
    for body, altitude, azimuth, light in (
        ("sun", sky.sun_altitude_deg, sky.sun_azimuth_deg, sun_light(air, sky.sun_altitude_deg)),
        (
            "moon",
            sky.moon_altitude_deg,
            sky.moon_azimuth_deg,
            moon_light(air, sky.moon_altitude_deg, sky.moon_phase_deg),
        ),
    ):
        if light.max() > 0.0:
            seen = apparent_elevation_deg(altitude)
            share = mean_sun_share(sky.weather.clouds, math.sin(math.radians(max(seen, 0.0))))
            found.append(Disc(body, seen, azimuth, light, share))
    return found


@radiance_of(ClearSky)
def _clear_sky(sky: ClearSky, height: int, width: int) -> NDArray[np.float64]:
    weather, air = sky.weather, sky.weather.atmosphere
    upper = height // 2
    directions, _solid = map_directions(height, width)
    sunlit = np.zeros((height, width, 3), np.float32)
    for altitude, azimuth, above in _bodies(sky):
        # The view covers the upper half of the map only.
        small = height <= LEVEL_HEIGHT
        seen = sky_view(air, altitude, above, 48, 32) if small else sky_view(air, altitude, above)
        _unfold(seen, f32(math.radians(azimuth % 360.0)), sunlit)
    sky_map = sunlit.astype(np.float64)
    above_ground = directions[:upper]
    if sky.sun_altitude_deg < NIGHT_SHOWS_DEG:
        equatorial = night.turn(sky.sidereal_deg, sky.latitude_deg, sky.north_deg)
        sky_map[:upper] += night.glow(above_ground, (equatorial @ night.GALAXY.T).T, weather.stars)
    if weather.town_cd_m2 > 0.0:
        sky_map[:upper] += night.town(above_ground, weather.town_cd_m2, weather.town_azimuth_deg)
    lit = discs(sky)
    if weather.clouds:
        bodies = [(disc.altitude_deg, disc.azimuth_deg, disc.clear_light) for disc in lit]
        sky_map[:upper] = lay_clouds(
            sky_map[:upper],
            above_ground,
            weather.clouds,
            bodies,
            irradiance(sky_map),
            air.ground_albedo,
            air.visibility_km,
        )
    straight = sum((disc.on_ground for disc in lit), np.zeros(3))
    _lay_ground(sky_map, air.ground_albedo / math.pi * (irradiance(sky_map) + straight), weather.softness_deg)
    return bent(sky_map, weather.grade)


def _lay_ground(sky_map: NDArray, ground: NDArray, softness_deg: float) -> None:
    """Let the horizon sink into the ground's own light, over ``softness_deg``."""
    height = sky_map.shape[0]
    upper = height // 2
    below = ((np.arange(upper, height) + 0.5) / height * 180.0 - 90.0)[:, None, None]
    horizon = sky_map[upper - 1]
    sunk = np.exp(-below / max(softness_deg, 0.05))
    sky_map[upper:] = horizon[None] * sunk + ground * (1 - sunk)


@radiance_of(Gradient)
def _gradient(dome: Gradient, height: int, width: int) -> NDArray[np.float64]:
    directions, _ = map_directions(height, width)
    up = np.clip(directions[..., 2:3], 0.0, 1.0)
    sky = np.asarray(dome.horizon) * (1 - up) + np.asarray(dome.zenith) * up
    return sky if dome.below is None else np.where(directions[..., 2:3] < 0, np.asarray(dome.below), sky)


radiance_of(Lightning)(lightning_radiance)
radiance_of(Panorama)(panorama_radiance)


@functools.lru_cache(maxsize=12)
def dome_radiance(dome: Dome, height: int = MAP_HEIGHT, width: int = MAP_WIDTH) -> NDArray[np.float32]:
    """Radiance (H, W, 3) float32 of a dome: cd/m2 for the sky of a moment, as stored for a photograph.

    Row 0 is the zenith, columns run from +y through +x. The array is shared: do not write to it.
    Raises SkyError for a panorama that cannot be read.
    """
    make = sky_kind_of(dome).radiance
    if make is None:
        raise SkyError(f"nothing tells how a sky of the kind “{sky_kind_of(dome).name}” shines")
    shared = np.ascontiguousarray(make(dome, height, width), np.float32)
    shared.flags.writeable = False
    return shared


@functools.lru_cache(maxsize=64)
def dome_illuminance_lx(dome: Dome) -> float:
    """Illuminance [lx] that a dome gives on level ground by itself."""
    return illuminance_lx(dome_radiance(dome, LEVEL_HEIGHT, LEVEL_WIDTH))


@functools.lru_cache(maxsize=6)
def dome_map(dome: Dome, height: int = MAP_HEIGHT, width: int = MAP_WIDTH) -> NDArray[np.float32]:
    """Radiance map (H, W, 3) float32 that puts 1 lx on level ground [cd/m2 per lx]; shared, do not write to it."""
    radiance = dome_radiance(dome, height, width)
    result = radiance / np.float32(max(illuminance_lx(radiance), 1e-30))
    result.flags.writeable = False
    return result


def map_behind(dome: Lightning, height: int = MAP_HEIGHT, width: int = MAP_WIDTH) -> NDArray[np.float32]:
    """Of the map of a flash what lies behind its channel (H, W, 3) float32: where the lens sees the channel itself."""
    whole = illuminance_lx(dome_radiance(dome, height, width))
    return (cloud_radiance(dome, height, width) / max(whole, 1e-30)).astype(np.float32)
