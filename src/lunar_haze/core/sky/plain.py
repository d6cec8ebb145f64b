"""Skies as their light has them: what makes no difference is put back to its default, so that equal light has one key.

A layer whose key changes is traced anew: turning the wind of clouds that do not drift must not restart a picture.
"""

import attrs

from lunar_haze.core.sky.model import ClearSky, CloudLayer, Dome, Panorama, SkyGrade, Weather


def plain_dome(dome: Dome) -> Dome:
    """A dome without what changes nothing of its light."""
    if isinstance(dome, ClearSky):
        return attrs.evolve(dome, weather=_plain_weather(dome.weather))
    return attrs.evolve(dome, grade=_plain_grade(dome.grade), sky_kind="") if isinstance(dome, Panorama) else dome


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
