"""Where sun, moon and stars stand over a site at a moment, and what happens when in a day.

Positions from the ephem package (VSOP87 and ELP-2000/82 after Meeus; the moon's is topocentric).
Altitudes are true: without refraction, which the air's own modules add. Azimuths from true north,
clockwise. Valid from 1600 to 2200.
"""

import datetime as dt
import functools
import math
from collections.abc import Callable

import attrs
import ephem
import numpy as np

from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.lat_long import direction_of

FIRST_YEAR, LAST_YEAR = 1600, 2200


@attrs.frozen
class Site:
    """A spot on the earth: degrees north and east, metres above the sea, hours ahead of UTC;
    ``north_deg`` is the bearing in the place's own axes at which true north lies."""

    latitude_deg: float = 52.0
    longitude_deg: float = 0.0
    altitude_m: float = 0.0
    utc_offset_h: float = 0.0
    north_deg: float = 0.0


@attrs.frozen
class Body:
    """Direction of a body in the place's axes: true altitude and bearing [deg]."""

    altitude_deg: float
    azimuth_deg: float


@attrs.frozen
class Heavens:
    """Sun, moon and the turn of the stars at one moment.

    ``phase_deg`` is the moon's phase angle (0 full, 180 new), ``sidereal_deg`` the local sidereal
    angle.
    """

    sun: Body
    moon: Body
    phase_deg: float
    sidereal_deg: float


def _date_of(text: str) -> dt.date:
    try:
        date = dt.date.fromisoformat(text)
    except ValueError as error:
        raise SkyError(f"“{text}” is not a date; write it as 2024-08-21") from error
    if not FIRST_YEAR <= date.year <= LAST_YEAR:
        raise SkyError(f"the year {date.year} is outside what is known of sun and moon ({FIRST_YEAR} to {LAST_YEAR})")
    return date


def utc(date: str, hour_h: float, site: Site) -> dt.datetime:
    """The moment of a local clock time [h] of a ``date`` (ISO 8601) at a site. Raises SkyError for what is no date."""
    start = dt.datetime.combine(_date_of(date), dt.time())
    return start + dt.timedelta(hours=hour_h - site.utc_offset_h)


def _observer(site: Site, moment: dt.datetime) -> ephem.Observer:
    observer = ephem.Observer()
    observer.lat, observer.lon = math.radians(site.latitude_deg), math.radians(site.longitude_deg)
    observer.elevation = site.altitude_m
    observer.pressure = 0.0
    observer.date = ephem.Date(moment)
    return observer


def _body(body: ephem.Body, site: Site) -> Body:
    return Body(math.degrees(body.alt), (math.degrees(body.az) + site.north_deg) % 360.0)


@functools.lru_cache(maxsize=4096)
def heavens(date: str, hour_h: float, site: Site) -> Heavens:
    """Sun, moon and stars at a local clock time [h] of a date (ISO 8601). Raises SkyError."""
    observer = _observer(site, utc(date, hour_h, site))
    sun, moon = ephem.Sun(observer), ephem.Moon(observer)
    apart = float(ephem.separation((sun.ra, sun.dec), (moon.ra, moon.dec)))
    # Triangle of sun, moon and earth.
    far, near = sun.earth_distance, moon.earth_distance
    phase = math.atan2(far * math.sin(apart), near - far * math.cos(apart))
    sidereal = math.degrees(observer.sidereal_time())
    return Heavens(_body(sun, site), _body(moon, site), math.degrees(abs(phase)), sidereal)


def bright_limb_deg(above: Heavens) -> float:
    """Where on the moon's disc the sun's side lies [deg], from the level (to its right) towards the zenith."""
    moon, sun = (direction_of(b.altitude_deg, b.azimuth_deg) for b in (above.moon, above.sun))
    right = np.cross(moon, (0.0, 0.0, 1.0))
    up = np.cross(right, moon)
    return math.degrees(math.atan2(float(sun @ up), float(sun @ right)))


#: Names of the sun's events by its height [deg, true]: at rise and fall.
_SUN_EVENTS = (
    (-18.0, "first light", "night"),
    (-12.0, "nautical dawn", "nautical dusk"),
    (-6.0, "dawn", "blue hour ends"),
    (-4.0, "blue hour ends", "blue hour"),
    (6.0, "golden hour ends", "golden hour"),
)
#: Height of a body's centre when its rim linking the horizon, by convention [deg].
RISE_DEG = -0.8333


@attrs.frozen
class Event:
    """Something with a name at a local clock time [h]."""

    hour_h: float
    name: str


def _crossings(altitude: Callable[[float], float], level_deg: float) -> list[tuple[float, bool]]:
    """Local hours at which ``altitude(hour)`` crosses a level, and whether it rises there."""
    step = 0.25
    found = []
    before = altitude(0.0) - level_deg
    for number in range(1, 97):
        at = number * step
        now = altitude(at) - level_deg
        if before * now < 0 or (before == 0.0 and now != 0.0):
            low, high, low_value = at - step, at, before
            for _ in range(22):
                middle = 0.5 * (low + high)
                value = altitude(middle) - level_deg
                if value * low_value > 0:
                    low, low_value = middle, value
                else:
                    high = middle
            found.append((0.5 * (low + high), now > 0))
        before = now
    return found


@functools.lru_cache(maxsize=64)
def events(date: str, site: Site) -> tuple[Event, ...]:
    """What happens in a day, in order; where the sun never crosses a height its events are left out.

    Rise and set are those of the upper rim with 34' of refraction, as almanacs give them.
    """

    def sun(hour: float) -> float:
        return heavens(date, hour, site).sun.altitude_deg

    def moon(hour: float) -> float:
        return heavens(date, hour, site).moon.altitude_deg

    found = []
    for level, rising, falling in _SUN_EVENTS:
        found += [Event(h, rising if up else falling) for h, up in _crossings(sun, level)]
    found += [Event(h, "sunrise" if up else "sunset") for h, up in _crossings(sun, RISE_DEG)]
    found += [Event(h, "moonrise" if up else "moonset") for h, up in _crossings(moon, RISE_DEG)]
    noon = max((k * 0.25 for k in range(96)), key=sun)
    low, high = noon - 0.25, noon + 0.25
    for _ in range(24):
        a, b = low + (high - low) / 3, high - (high - low) / 3
        if sun(a) < sun(b):
            low = a
        else:
            high = b
    found.append(Event(0.5 * (low + high) % 24.0, "noon"))
    return tuple(sorted(found, key=lambda e: e.hour_h))
