"""Values as their light has them: what makes no difference is put back to its default, so that equal light has one key.

A layer whose key changes is traced anew: turning the wind of clouds that do not drift must not restart a picture.
"""

import attrs

from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.model import ClearSky, CloudLayer, Dome, Panorama, SkyGrade, Weather
from lunar_haze.core.sources.array import LampArray
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import Sky, Sun


def plain_camera(camera: Camera) -> Camera:
    """A camera as it draws: a pinhole has no focus."""
    return camera if camera.f_number > 0 else attrs.evolve(camera, f_number=0.0, focus_m=0.0)


def plain_shape(shape: Shape) -> Shape:
    """A shape as it shines: where its level is told, and whether the hour or a hand set its place, are no light."""
    if isinstance(shape, Sun):
        return attrs.evolve(shape, follows_hour=False, clouds=_plain_clouds(shape.clouds))
    if isinstance(shape, Sky):
        return attrs.evolve(shape, follows_hour=False, dome=_plain_dome(shape.dome))
    if isinstance(shape, LampArray):
        return shape if shape.arrangement == "grid" else attrs.evolve(shape, height_m=LampArray().height_m)
    return shape.plain() if isinstance(shape, Lamp) else shape


def _plain_dome(dome: Dome) -> Dome:
    if isinstance(dome, ClearSky):
        return attrs.evolve(dome, weather=_plain_weather(dome.weather))
    return attrs.evolve(dome, grade=_plain_grade(dome.grade), sky_kind="") if isinstance(dome, Panorama) else dome


def _plain_weather(weather: Weather) -> Weather:
    town = weather.town_azimuth_deg if weather.town_cd_m2 > 0 else Weather().town_azimuth_deg
    return attrs.evolve(
        weather, clouds=_plain_clouds(weather.clouds), grade=_plain_grade(weather.grade), town_azimuth_deg=town
    )


def _plain_clouds(clouds: tuple[CloudLayer, ...]) -> tuple[CloudLayer, ...]:
    there = [cloud for cloud in clouds if cloud.cover > 0 and cloud.depth > 0]
    return tuple(cloud if cloud.drift_m else attrs.evolve(cloud, wind_deg=CloudLayer().wind_deg) for cloud in there)


def _plain_grade(grade: SkyGrade) -> SkyGrade:
    grey = len(set(grade.hold)) == 1
    return attrs.evolve(grade, hold=(1.0, 1.0, 1.0), hold_share=0.0) if grey or not grade.hold_share else grade
