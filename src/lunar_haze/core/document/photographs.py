"""Photographed skies and the suns that were taken out of them: what light each has, and how they go together."""

import math
from typing import Any, NamedTuple

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.mccamy1992 import kelvin_of
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.errors import SkyError
from lunar_haze.core.finish.white_balance import white_of
from lunar_haze.core.sky.dome import dome_illuminance_lx
from lunar_haze.core.sky.kinds import Dome
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.panorama import has_sun, lobe_bearing, lobe_in, lobe_light
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.flat import Rectangle
from lunar_haze.core.sources.model import Sky, Source, Sun

#: A sun farther than this off the black bodies (Duv), or cooler than this [K], has no sun's colour; redder
#: than the warmest daylight it may be: it stands low.
ODD_DUV, COOLEST_SUN_K, WARM_SUN_K = 0.02, 12_000.0, 2500.0
#: Daylight where the surround of a sun has no daylight's colour either [K].
DAYLIGHT_K = 5600.0
#: So far from where the camera looks a light that was taken out of a photograph stands [m].
STANDS_AT_M = 6.0


def _is_odd(light: NDArray) -> bool:
    white = white_of(light)
    off = abs(white.tint_duv) > ODD_DUV and (white.kelvin > WARM_SUN_K or white.tint_duv > 0.0)
    return off or white.kelvin > COOLEST_SUN_K


def odd_sun_remark(dome: Panorama) -> str:
    """A sentence on the colour of a photograph's sun where that is no sun's, "" where it is."""
    if not _is_odd(lobe_light(dome)):
        return ""
    return (
        f"its sun has a colour that no sun has; it is taken as daylight of {_daylight_about(dome):.0f} K, as about it"
    )


def _daylight_about(dome: Panorama) -> float:
    """The colour temperature of the daylight about a photograph's sun [K]."""
    about = np.asarray(lobe_in(dome).background)
    if not about.max() > 0.0 or _is_odd(about):
        return DAYLIGHT_K
    return float(np.clip(round(white_of(about).kelvin, -1), WARM_SUN_K, COOLEST_SUN_K))


class _Taken(NamedTuple):
    """A photograph's brightest light: lux facing it, its temperature [K] and gel; and the sky that is left."""

    level_lx: float
    kelvin: float
    gel: tuple[float, float, float]
    sky: Source


def _taken_out(source: Source, light: NDArray, daylight_k: float | None) -> _Taken:
    shape: Any = source.shape
    without = attrs.evolve(shape, dome=attrs.evolve(shape.dome, without_sun=True))
    # Lux for each unit of the photograph, before and after the lobe is gone.
    per_unit = canonical(shape, source.amount, source.unit) / dome_illuminance_lx(shape.dome)
    level = float(light @ LUMINANCE_WEIGHTS)
    own = light / max(level, 1e-30) * np.asarray(source.gel)
    kelvin = round(kelvin_of(own), -1) if daylight_k is None else daylight_k
    gel = own / kelvin_to_acescg(kelvin) if daylight_k is None else np.asarray(source.gel)
    sky = attrs.evolve(source, shape=without, amount=per_unit * dome_illuminance_lx(without.dome), unit="lx")
    return _Taken(level * per_unit, kelvin, tuple(gel.tolist()), sky)


def sun_of_panorama(source: Source, bearing: tuple[float, float], light: NDArray) -> tuple[Source, Source]:
    """(sun, sky): a photograph's lobe as a source of its own, and the sky that is left; together they light as before.

    ``bearing`` is where the lobe stands (altitude, azimuth) [deg], ``light`` (3,) what it gives facing it, in the
    photograph's unit times sr. Its colour is its own wherever it is moved to; one that no sun has is daylight instead.
    """
    dome: Any = source.shape
    dome = dome.dome
    is_sun = has_sun(dome)
    taken = _taken_out(source, light, _daylight_about(dome) if is_sun and _is_odd(light) else None)
    altitude, azimuth = bearing
    sun = Source(
        new_id(),
        f"{'sun' if is_sun else 'brightest light'} of {source.name}",
        Sun(altitude, azimuth, lobe_in(dome).diameter_deg, follows_hour=False),
        taken.level_lx,
        "lx",
        source.dimmer_stops,
        taken.kelvin,
        gel=taken.gel,
        role="key",
        lobe_of=source.id,
    )
    return sun, taken.sky


def lamp_of_panorama(source: Source, towards: NDArray, light: NDArray, aim: NDArray) -> tuple[Source, Source]:
    """(lamp, sky): a photograph's window or soft light as a rectangle of its size as seen, and the sky that is left.

    ``towards`` (3,) is where it is seen, ``light`` as `sun_of_panorama`; it stands beyond ``aim`` (3,) [m], the point
    where it gives what it gave, and faces it.
    """
    shape: Any = source.shape
    taken = _taken_out(source, light, None)
    half_w, half_h = (math.tan(math.radians(size) / 2.0) for size in lobe_in(shape.dome).size_deg)
    # Solid angle of a rectangle seen straight on.
    solid = 4.0 * math.asin(half_w * half_h / math.sqrt((1.0 + half_w**2) * (1.0 + half_h**2)))
    x, y, z = (aim + STANDS_AT_M * towards).tolist()
    ax, ay, az = aim.tolist()
    lamp = Source(
        new_id(),
        f"brightest light of {source.name}",
        Rectangle((x, y, z), (ax, ay, az), width_m=2.0 * STANDS_AT_M * half_w, height_m=2.0 * STANDS_AT_M * half_h),
        taken.level_lx / solid,
        "cd/m2",
        source.dimmer_stops,
        taken.kelvin,
        gel=taken.gel,
        role="key",
    )
    return lamp, taken.sky


def with_photograph(sources: tuple[Source, ...], source_id: str, dome: Panorama, level_lx: float) -> tuple[Source, ...]:
    """The sources with another photograph as one sky, at a level of its own on level ground [lx].

    A sun that was taken out of the former one becomes that of the new; it is muted where there is none.
    """
    before = next(s for s in sources if s.id == source_id)
    old: Any = before.shape
    shape: Any = attrs.evolve(old, dome=attrs.evolve(dome, without_sun=False), follows_hour=False)
    sky = attrs.evolve(before, shape=shape, amount=level_lx, unit="lx")
    old_sun = next((s for s in sources if s.lobe_of == source_id), None)
    if old_sun is not None and has_sun(dome):
        sun, sky = sun_of_panorama(sky, lobe_bearing(dome), lobe_light(dome))
        old_sun = attrs.evolve(
            old_sun,
            shape=sun.shape,
            amount=sun.amount,
            unit=sun.unit,
            kelvin=sun.kelvin,
            tint_duv=sun.tint_duv,
            gel=sun.gel,
        )
    elif old_sun is not None:
        old_sun = attrs.evolve(old_sun, muted=True)
    new = {source_id: sky} | ({old_sun.id: old_sun} if old_sun is not None else {})
    return tuple(new.get(s.id, s) for s in sources)


def bonded(sources: tuple[Source, ...], before: Source | None, changed_id: str) -> tuple[Source, ...]:
    """The sources after the shape of one has changed: a photograph and the sun taken out of it turn together."""
    after = next((s for s in sources if s.id == changed_id), None)
    if before is None or after is None:
        return sources
    if isinstance(before.shape, Sun) and isinstance(after.shape, Sun) and after.lobe_of:
        return _photograph_along(sources, before.shape, after.shape, after.lobe_of)
    if isinstance(before.shape, Sky) and isinstance(after.shape, Sky):
        return _sun_along(sources, before.shape.dome, after.shape.dome, changed_id)
    return sources


def _photograph_along(sources: tuple[Source, ...], before: Sun, after: Sun, sky_id: str) -> tuple[Source, ...]:
    """Turned by as much as its sun. It is not raised: its horizon would stand askew."""
    by = after.azimuth_deg - before.azimuth_deg
    if by == 0.0:
        return sources
    return tuple(
        attrs.evolve(s, shape=attrs.evolve(s.shape, dome=_turned(s.shape.dome, by)))
        if s.id == sky_id and isinstance(s.shape, Sky) and isinstance(s.shape.dome, Panorama)
        else s
        for s in sources
    )


def _turned(dome: Panorama, by_deg: float) -> Panorama:
    return attrs.evolve(dome, turn_deg=(dome.turn_deg + by_deg + 180.0) % 360.0 - 180.0)


def _sun_along(sources: tuple[Source, ...], old: Dome, new: Dome, sky_id: str) -> tuple[Source, ...]:
    if not isinstance(old, Panorama) or not isinstance(new, Panorama):
        return sources
    if (old.turn_deg, old.tilt_deg) == (new.turn_deg, new.tilt_deg) or not any(s.lobe_of == sky_id for s in sources):
        return sources
    try:
        (was_high, was_at), (high, at) = lobe_bearing(old), lobe_bearing(new)
    except SkyError:
        return sources  # the photograph is gone; whoever looks at the sky is told so

    def along(sun: Sun) -> Sun:
        # A sun that was raised by hand stays as much higher.
        altitude = min(max(sun.altitude_deg + high - was_high, -90.0), 90.0)
        return attrs.evolve(sun, altitude_deg=altitude, azimuth_deg=(sun.azimuth_deg + at - was_at) % 360.0)

    return tuple(
        attrs.evolve(s, shape=along(s.shape)) if s.lobe_of == sky_id and isinstance(s.shape, Sun) else s
        for s in sources
    )
