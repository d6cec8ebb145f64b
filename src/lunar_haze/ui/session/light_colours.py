"""The true colours of lights, as they are drawn on cards, marks and handles."""

import numpy as np

from lunar_haze.core.colour.spaces import acescg_to_hex
from lunar_haze.core.place.model import Place
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.dome import LEVEL_HEIGHT, LEVEL_WIDTH, dome_radiance
from lunar_haze.core.sky.lat_long import irradiance
from lunar_haze.core.sky.model import ClearSky
from lunar_haze.core.sky.tables import is_ready
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.model import Sky, Source, Sun, Surface

_MOST_KEPT = 4096


class LightColours:
    """Colours by what decides them, worked out once."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], str] = {}

    def hex_of(self, source: Source, air: Atmosphere, place: Place | None) -> str:
        """A source's light as sRGB hex: its own colour under lamp colour and gel."""
        shape = source.shape if isinstance(source.shape, (Sky, Surface, Sun)) else None
        dome = shape.dome if isinstance(shape, Sky) else None
        ready = not isinstance(dome, ClearSky) or is_ready(dome.weather.atmosphere)
        key = (shape, source.kelvin, source.tint_duv, source.gel, air, ready, place is None)
        if key not in self._known:
            if len(self._known) > _MOST_KEPT:
                self._known.clear()
            self._known[key] = acescg_to_hex(source_colour(source, air) * _own_colour(source, place, ready))
        return self._known[key]


def _own_colour(source: Source, place: Place | None, sky_is_ready: bool) -> np.ndarray:
    """What a glowing material or a sky adds to its lamp colour (3,) ACEScg; ones for all else."""
    own = np.ones(3)
    if isinstance(source.shape, Surface) and place is not None:
        for material in place.materials:
            if material.name == source.shape.material:
                own = np.array(material.emissive)
    elif isinstance(source.shape, Sky) and sky_is_ready:
        own = irradiance(dome_radiance(source.shape.dome, LEVEL_HEIGHT, LEVEL_WIDTH))
    return own
