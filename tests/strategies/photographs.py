"""Photographed skies of our own making: what our skies and some rooms look like, exposed, scaled, turned and rounded."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, srgb_encode
from lunar_haze.core.handoff.sky_file import sky_picture
from lunar_haze.core.sky.lat_long import illuminance_lx, map_directions
from lunar_haze.core.sky.model import CLOUDS, ClearSky, Weather

HEIGHT = 128


@attrs.frozen(eq=False)
class Made:
    """A photograph: its pixels (H, W, 3) as a file would hold them, how, and what is true of it: the kind, the light on
    level ground [lx], and whether it has a sun of its own.
    """

    name: str
    pixels: NDArray[np.float32]
    encoding: str
    kind: str
    level_lx: float
    has_sun: bool


def _sky(**told) -> NDArray[np.float32]:
    clouds = CLOUDS[told.pop("clouds", "none")]
    return sky_picture(ClearSky(weather=Weather(clouds=clouds), **told), HEIGHT, 2 * HEIGHT, True).astype(np.float32)


def _ground(sky: NDArray, albedo: float) -> NDArray[np.float32]:
    """Land under a sky, as bright as it is lit, with some relief on the horizon."""
    directions, _solid = map_directions(HEIGHT, 2 * HEIGHT)
    azimuth = np.arctan2(directions[..., 0], directions[..., 1])
    horizon = np.radians(2.0 + 1.5 * np.sin(7 * azimuth) + 1.0 * np.sin(23 * azimuth + 1.0))
    below = directions[..., 2] < np.sin(horizon)
    level = illuminance_lx(sky) * albedo / math.pi
    tone = np.array([1.05, 1.0, 0.8]) * level
    rough = 1.0 + 0.25 * np.sin(40 * directions[..., 0]) * np.cos(37 * directions[..., 1])
    return np.where(below[..., None], tone * rough[..., None], sky).astype(np.float32)


def _lamps(picture: NDArray, count: int, candela_like: float, seed: int) -> NDArray[np.float32]:
    """Street lamps near the horizon, small and warm."""
    rng, lit = np.random.default_rng(seed), picture.copy()
    for _ in range(count):
        row, column = int(HEIGHT * rng.uniform(0.46, 0.56)), int(rng.integers(2 * HEIGHT))
        lit[row, column] += candela_like * np.array([1.3, 0.9, 0.4]) * rng.uniform(0.5, 1.5)
    return lit


def _room(windows: int, bulbs: int, seed: int) -> NDArray[np.float32]:
    """A room with pale walls, a lighter ceiling and a dark floor, bright windows and bulbs [cd/m2]."""
    rng = np.random.default_rng(seed)
    directions, _solid = map_directions(HEIGHT, 2 * HEIGHT)
    azimuth, altitude = (
        np.degrees(np.arctan2(directions[..., 0], directions[..., 1])),
        np.degrees(np.arcsin(directions[..., 2])),
    )
    level = np.where(altitude > 35.0, 60.0, np.where(altitude < -30.0, 18.0, 40.0))
    picture = level[..., None] * np.array([1.1, 1.0, 0.85]) * (1.0 + 0.15 * np.sin(azimuth / 9.0))[..., None]
    for _ in range(windows):
        at = rng.uniform(-180, 180)
        inside = (np.abs((azimuth - at + 180) % 360 - 180) < 12) & (altitude > -5) & (altitude < 22)
        picture = np.where(inside[..., None], 3000.0 * np.array([0.95, 1.0, 1.1]), picture)
    for _ in range(bulbs):
        at, up = rng.uniform(-180, 180), rng.uniform(25, 60)
        inside = np.hypot(((azimuth - at + 180) % 360 - 180) * math.cos(math.radians(up)), altitude - up) < 2.0
        picture = np.where(inside[..., None], 9000.0 * np.array([1.2, 1.0, 0.7]), picture)
    return picture.astype(np.float32)


def _as_linear(light: NDArray, scale: float, turn: int) -> NDArray[np.float32]:
    return np.roll(light * np.float32(scale), turn, 1).astype(np.float32)


def _as_picture(light: NDArray, exposure: float, turn: int) -> NDArray[np.float32]:
    """What a camera makes of it: the middle of the picture at ``exposure``, clipped, eight bits, read again as light."""
    middle = float(np.median(light @ LUMINANCE_WEIGHTS))
    exposed = np.clip(np.roll(light, turn, 1) * (exposure / max(middle, 1e-12)), 0.0, 1.0)
    codes = np.round(srgb_encode(exposed) * 255.0) / 255.0
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4).astype(np.float32)


def twenty() -> list[Made]:
    """Six kinds, in light of no unit and as ordinary pictures."""
    night = _ground(_sky(sun_altitude_deg=-40.0, moon_altitude_deg=35.0, moon_azimuth_deg=120.0), 0.15)
    dark = _ground(_sky(sun_altitude_deg=-40.0), 0.15)
    lit: list[tuple[str, NDArray, str, bool]] = [
        ("high sun", _ground(_sky(sun_altitude_deg=58.0), 0.2), "clear day", True),
        ("afternoon", _ground(_sky(sun_altitude_deg=32.0, sun_azimuth_deg=250.0), 0.15), "clear day", True),
        ("over snow", _ground(_sky(sun_altitude_deg=24.0, sun_azimuth_deg=170.0), 0.6), "clear day", True),
        ("grey", _ground(_sky(sun_altitude_deg=40.0, clouds="overcast"), 0.2), "overcast", False),
        ("storm", _ground(_sky(sun_altitude_deg=50.0, clouds="storm"), 0.1), "overcast", False),
        ("golden", _ground(_sky(sun_altitude_deg=6.0, sun_azimuth_deg=280.0), 0.2), "low sun", True),
        ("dusk", _ground(_sky(sun_altitude_deg=-4.5, sun_azimuth_deg=300.0), 0.15), "dusk", False),
        ("moonlit", _lamps(night, 9, 30.0, 1), "night", False),
        ("town", _lamps(dark, 40, 8.0, 2), "night", False),
        ("two windows", _room(2, 0, 3), "room", False),
        ("lamps inside", _room(0, 4, 4), "room", False),
    ]  # fmt: skip
    found = []
    for number, (name, light, kind, has_sun) in enumerate(lit):
        level, turn = illuminance_lx(light), 17 * number
        found.append(Made(name, _as_linear(light, 10.0 ** ((number % 5) - 4), turn), "linear", kind, level, has_sun))
        if name not in ("storm", "moonlit"):
            exposure = {"night": 0.008, "dusk": 0.06}.get(kind, 0.22)
            found.append(Made(f"{name}, a picture", _as_picture(light, exposure, turn), "display", kind, level, False))
    return found
