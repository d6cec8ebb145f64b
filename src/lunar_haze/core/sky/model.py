"""What a dome of sky can be: the sky of a moment, a photograph, or two plain colours.

Frozen values, part of a layer's name. Bearings are in the place's own axes, degrees from +y,
clockwise; altitudes are true (without refraction). Colours are ACEScg.
"""

import attrs

from lunar_haze.core.sky.cie_sky import CieSky
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.kinds import Dome, sky_kind
from lunar_haze.core.sky.rows import LIGHTNING_ROWS, MOMENT_ROWS, PANORAMA_ROWS

Colour = tuple[float, float, float]
#: Skies with modules of their own: to bring them in declares them.
SKIES = (CieSky,)


@attrs.frozen
class CloudLayer:
    """One layer of cloud: ``cover`` 0 to 1, base ``height_m``, ``depth`` its optical thickness where
    it is full, ``size_m`` of its masses, ``drift_m`` how far the wind, which comes from
    ``wind_deg``, has carried it, and a ``seed``."""

    cover: float = 0.5
    height_m: float = 1800.0
    depth: float = 12.0
    size_m: float = 1500.0
    drift_m: float = 0.0
    wind_deg: float = 270.0
    seed: int = 1


#: Weather to begin with.
CLOUDS: dict[str, tuple[CloudLayer, ...]] = {
    "none": (),
    "high thin": (CloudLayer(0.55, 8000.0, 0.7, 6000.0, seed=4),),
    "broken": (CloudLayer(0.34, 1500.0, 12.0, 1700.0, seed=2),),
    "overcast": (CloudLayer(1.0, 1200.0, 22.0, 2600.0, seed=3),),
    "storm": (CloudLayer(1.0, 800.0, 70.0, 3600.0, seed=5),),
}


@attrs.frozen
class SkyGrade:
    """How far a sky is bent from the truth, its luminance kept: ``saturation`` 1 as it is, 0 grey;
    ``warmth_mired`` above 0 warmer; ``hold`` a colour held back by ``hold_share`` 0 to 1."""

    saturation: float = 1.0
    warmth_mired: float = 0.0
    hold: Colour = (1.0, 1.0, 1.0)
    hold_share: float = 0.0


@attrs.frozen
class Weather:
    """What a sky is like whatever its hour: the air, clouds, the night's own lights, and how far it is bent.

    ``town_cd_m2`` is the luminance of a town's glow on the horizon at ``town_azimuth_deg``;
    ``stars`` scales all starlight; the horizon sinks into the ground over ``softness_deg``.
    """

    atmosphere: Atmosphere = Atmosphere()
    clouds: tuple[CloudLayer, ...] = ()
    town_cd_m2: float = 0.0
    town_azimuth_deg: float = 90.0
    stars: float = 1.0
    grade: SkyGrade = SkyGrade()
    softness_deg: float = 3.0


def plain_clouds(clouds: tuple[CloudLayer, ...]) -> tuple[CloudLayer, ...]:
    """Layers of cloud that are there; the wind of those that do not drift is no light."""
    there = [cloud for cloud in clouds if cloud.cover > 0 and cloud.depth > 0]
    return tuple(cloud if cloud.drift_m else attrs.evolve(cloud, wind_deg=CloudLayer().wind_deg) for cloud in there)


def _plain_weather(weather: Weather) -> Weather:
    town = weather.town_azimuth_deg if weather.town_cd_m2 > 0 else Weather().town_azimuth_deg
    return attrs.evolve(
        weather, clouds=plain_clouds(weather.clouds), grade=_plain_grade(weather.grade), town_azimuth_deg=town
    )


def _plain_grade(grade: SkyGrade) -> SkyGrade:
    grey = len(set(grade.hold)) == 1
    return attrs.evolve(grade, hold=(1.0, 1.0, 1.0), hold_share=0.0) if grey or not grade.hold_share else grade


@sky_kind("the sky of the hour", 1.0, "true", MOMENT_ROWS)
@attrs.frozen
class ClearSky(Dome):
    """The sky of a moment: where sun and moon stand, how the stars are turned, and the weather.

    The stars stand as ``sidereal_deg`` and ``latitude_deg`` turn them; ``north_deg`` is where true
    north lies.
    """

    sun_altitude_deg: float = 35.0
    sun_azimuth_deg: float = 200.0
    moon_altitude_deg: float = -90.0
    moon_azimuth_deg: float = 0.0
    moon_phase_deg: float = 0.0
    sidereal_deg: float = 0.0
    latitude_deg: float = 52.0
    north_deg: float = 0.0
    weather: Weather = Weather()

    def plain(self) -> "ClearSky":
        return attrs.evolve(self, weather=_plain_weather(self.weather))


@sky_kind("a photograph", 5000.0, "lx", PANORAMA_ROWS)
@attrs.frozen
class Panorama(Dome):
    """A photographed sky. ``path`` and ``digest`` name the file; ``encoding`` is linear or display;
    ``turn_deg`` brings it round, ``tilt_deg`` raises its north; ``without_sun`` leaves its bright
    lobe to a source of its own. ``sky_kind`` is what it is of, by name (see `photograph_kinds`), "" for a guess."""

    path: str = ""
    digest: str = ""
    encoding: str = "linear"
    turn_deg: float = 0.0
    tilt_deg: float = 0.0
    hue_deg: float = 0.0
    grade: SkyGrade = SkyGrade()
    without_sun: bool = False
    softness_deg: float = 0.0
    sky_kind: str = ""

    def plain(self) -> "Panorama":
        return attrs.evolve(self, grade=_plain_grade(self.grade), sky_kind="")


@sky_kind("two colours", 5000.0, "lx")
@attrs.frozen
class Gradient(Dome):
    """Two colours, or one: ``zenith`` above, ``horizon`` at the level; ``below`` it another, or None for the same."""

    zenith: Colour = (0.25, 0.42, 0.85)
    horizon: Colour = (0.75, 0.8, 0.85)
    below: Colour | None = None


# A first stroke gives some 2e9 W of light at its peak (Guo and Krider 1982): two kilolux three kilometres away.
@sky_kind("lightning", 2000.0, "lx", LIGHTNING_ROWS)
@attrs.frozen
class Lightning(Dome):
    """A cloud lit from inside by a flash: ``azimuth_deg`` and ``altitude_deg`` of its middle, ``spread_deg`` how wide
    it glows; ``bolt`` is the share of the light that a channel below it gives, 0 for none; ``seed`` is another of
    the kind.
    """

    azimuth_deg: float = 0.0
    altitude_deg: float = 22.0
    spread_deg: float = 35.0
    bolt: float = 0.3
    seed: int = 1
