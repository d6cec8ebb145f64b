"""Rows of the weather of a sky: haze, clouds, the night's own lights, the grade of its colours."""

from typing import Any

import attrs

from lunar_haze.core.sky.clear_air import CLEAR_KM
from lunar_haze.core.sky.model import CloudLayer, Weather
from lunar_haze.core.sky.rows import GRADE
from lunar_haze.core.units.row import Row, inside, row, under

_HAZE = under("haze", *inside("atmosphere", (
    row("haze", "visibility", "visibility_km", "km", 2.0, 120.0, CLEAR_KM, ratio=True, floor=1.0, ceiling=300.0,
        tip="how far one sees by day: less greys the sky and eats its glow"),
    row("ground albedo", "ground albedo", "ground_albedo", "", 0.0, 0.9, 0.2, floor=0.0, ceiling=1.0,
        tip="of the land around: snow 0.8, marsh 0.2, water 0.06"),
)))  # fmt: skip


def _lowest(weather: Weather) -> CloudLayer:
    return weather.clouds[0] if weather.clouds else CloudLayer(cover=0.0)


def _cloud(name: str, label: str, field: str, unit: str, low: float, high: float, usual: float, **how: Any) -> Row:
    def write(weather: Weather, value: float) -> Weather:
        changes: dict[str, Any] = {field: value}
        changed = attrs.evolve(_lowest(weather), **changes)
        return attrs.evolve(weather, clouds=(changed, *weather.clouds[1:]))

    return Row(name, label, unit, low, high, usual, lambda w: float(getattr(_lowest(w), field)), write,
               path=("clouds", "0", field), **how)  # fmt: skip


_CLOUDS = under(
    "clouds",
    _cloud("cloud cover", "cloud cover", "cover", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0, tip="share of the sky"),
    _cloud("cloud base", "cloud base", "height_m", "m", 200.0, 10_000.0, 1800.0, ratio=True, floor=50.0,
           ceiling=15_000.0, tip="height of its underside"),
    _cloud("cloud thickness", "optical depth", "depth", "", 0.2, 100.0, 12.0, ratio=True, floor=0.01, ceiling=1000.0,
           tip="how much light they take: thin veil 1, fair weather 12, storm 70"),
    _cloud("cloud drift", "drift", "drift_m", "m", -4000.0, 4000.0, 0.0, tip="how far the wind has carried them"),
    _cloud("cloud wind", "wind from", "wind_deg", "°", 0.0, 360.0, 270.0, period=360.0,
           tip="where the wind that carries them comes from"),
)  # fmt: skip

_NIGHT = under(
    "night",
    row("light dome", "light dome", "town_cd_m2", "cd/m2", 0.0, 0.05, 0.0, floor=0.0, ceiling=100.0,
        tip="a town's glow on the horizon"),
    Row("light dome azimuth", "its azimuth", "°", 0.0, 360.0, 90.0, lambda w: w.town_azimuth_deg,
        lambda w, v: attrs.evolve(w, town_azimuth_deg=v % 360.0), period=360.0, path=("town_azimuth_deg",),
        tip="where the town lies, from north"),
    row("stars", "stars", "stars", "", 0.0, 4.0, 1.0, floor=0.0, ceiling=100.0, tip="x natural starlight"),
)  # fmt: skip

WEATHER_ROWS = (*_HAZE, *_CLOUDS, *_NIGHT, *GRADE)
