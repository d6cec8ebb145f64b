"""Photographed skies and the suns that were taken out of them: what light each has, and how they go together."""

from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.mccamy1992 import kelvin_of
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.dome import dome_illuminance_lx
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.panorama import has_sun, lobe_bearing, lobe_in, lobe_light
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.model import Sky, Source, Sun


def sun_of_panorama(source: Source, bearing: tuple[float, float], light: NDArray) -> tuple[Source, Source]:
    """(sun, sky): a photograph's lobe as a source of its own, and the sky that is left; together they light as before.

    ``bearing`` is where the lobe stands (altitude, azimuth) [deg], ``light`` (3,) what it gives
    facing it, in the photograph's unit times sr. Its colour is its own wherever it is moved to.
    """
    shape: Any = source.shape
    without = attrs.evolve(shape, dome=attrs.evolve(shape.dome, without_sun=True))
    # Lux for each unit of the photograph, before and after the lobe is gone.
    per_unit = canonical(shape, source.amount, source.unit) / dome_illuminance_lx(shape.dome)
    level = float(light @ LUMINANCE_WEIGHTS)
    altitude, azimuth = bearing
    own = light / max(level, 1e-30) * np.asarray(source.gel)
    kelvin = round(kelvin_of(own), -1)
    sun = Source(
        new_id(),
        f"sun of {source.name}",
        Sun(altitude, azimuth, lobe_in(shape.dome).diameter_deg, follows_hour=False),
        level * per_unit,
        "lx",
        source.dimmer_stops,
        kelvin,
        gel=tuple((own / kelvin_to_acescg(kelvin)).tolist()),
        role="key",
        lobe_of=source.id,
    )
    sky = attrs.evolve(source, shape=without, amount=per_unit * dome_illuminance_lx(without.dome), unit="lx")
    return sun, sky


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


def suns_along(sources: tuple[Source, ...], before: Source | None, sky_id: str) -> tuple[Source, ...]:
    """The sources after a sky's shape has changed: a photograph that is turned turns the sun taken out of it."""
    after = next((s for s in sources if s.id == sky_id), None)
    if before is None or after is None or not isinstance(before.shape, Sky) or not isinstance(after.shape, Sky):
        return sources
    old, new = before.shape.dome, after.shape.dome
    if not isinstance(old, Panorama) or not isinstance(new, Panorama):
        return sources
    if (old.turn_deg, old.tilt_deg) == (new.turn_deg, new.tilt_deg) or not any(s.lobe_of == sky_id for s in sources):
        return sources
    try:
        altitude, azimuth = lobe_bearing(new)
    except SkyError:
        return sources  # the photograph is gone; whoever looks at the sky is told so
    return tuple(
        attrs.evolve(s, shape=attrs.evolve(s.shape, altitude_deg=altitude, azimuth_deg=azimuth))
        if s.lobe_of == sky_id and isinstance(s.shape, Sun)
        else s
        for s in sources
    )
