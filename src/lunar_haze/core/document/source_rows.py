"""The numbers of a source that can be set, its sky's and its lamp's among them."""

from collections.abc import Callable
from typing import Any

import attrs

from lunar_haze.core.document import edits
from lunar_haze.core.document.facet import Facet, bound, points
from lunar_haze.core.document.model import Document
from lunar_haze.core.sky.kinds import sky_kind_of
from lunar_haze.core.sky.model import ClearSky
from lunar_haze.core.sky.weather_rows import WEATHER_ROWS
from lunar_haze.core.sources.amounts import convert, units_of
from lunar_haze.core.sources.array import LampArray, Placed
from lunar_haze.core.sources.cutouts import CUTOUT_ROWS
from lunar_haze.core.sources.flicker_kinds import flicker_kind_of
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import ACTS_ON_ROWS, DIMMER_ROW, Sky, Source, Sun
from lunar_haze.core.sources.orbit import azimuth_and_elevation, distance_to_aim, orbited
from lunar_haze.core.units.row import Row, inside, row, under

#: Useful spans of levels by unit.
LEVEL_SPANS = {
    "lm": (1.0, 50_000.0), "cd": (0.1, 20_000.0), "cd/m2": (1.0, 1e6), "lx": (0.01, 1e5), "true": (0.05, 20.0),
}  # fmt: skip
SUN_BRIGHTEST_LX = 130_000.0


def source_facets(document: Document, source: Source) -> list[Facet]:
    """The facets of a source of a document's look, by what it is now."""
    source_id, shape = source.id, source.shape

    def get(d: Document) -> Source:
        found = d.look.source(source_id)
        return source if found is None else found

    def put(d: Document, changed: Source) -> Document:
        # Another shape may have other units, or a level to hold.
        if get(d).shape != changed.shape:
            return edits.reshape(d, source_id, changed.shape)
        return edits.with_source(d, changed)

    found = _level_facets(source, get, put)
    found += bound(SWITCH_ROWS, get, put)
    found.append(_temperature(get, put))
    found += bound([_tint(document), *GEL_ROWS], get, put, "colour")
    found += bound(inside("flicker", flicker_kind_of(source.flicker).rows), get, put, "flicker")
    own = kind_of(shape).rows
    if isinstance(shape, Placed):
        found += _place_facets(source_id, shape, get)
        own += cutout_rows(shape)
    if isinstance(shape, LampArray):
        own += inside("lamp", (*kind_of(shape.lamp).rows, *cutout_rows(shape.lamp)))
    found += bound(inside("shape", own), get, put, "shape")
    if isinstance(shape, Sky):
        found += _sky_facets(source_id, shape)
    return found + bound(ACTS_ON_ROWS, get, put)


def cutout_rows(holder: Any) -> tuple[Row, ...]:
    """The rows of the cut-out in a lamp's gate or a card, none where there is none."""
    return inside("cutout", CUTOUT_ROWS) if getattr(holder, "cutout", None) is not None else ()


def _level_rows(source: Source) -> list[Row]:
    low, high = LEVEL_SPANS[source.unit]
    if isinstance(source.shape, Sun) and source.unit == "lx":
        high = SUN_BRIGHTEST_LX
    return [
        row("level", "level", "amount", source.unit, low, high, source.amount, ratio=True, floor=0.0,
            ceiling=edits.AMOUNT_MAX, tip="how much light it gives; the dimmer lies on top"),
        DIMMER_ROW,
    ]  # fmt: skip


def _level_facets(
    source: Source, get: Callable[[Document], Source], put: Callable[[Document, Source], Document]
) -> list[Facet]:
    """The level, which takes light told in any unit that its shape can be told in, and the dimmer."""

    def converts(document: Document, value: float, unit: str) -> float | None:
        now = get(document)
        if unit not in units_of(now.shape):
            return None
        return convert(attrs.evolve(now, amount=value, unit=unit), now.unit, document.look.weather.atmosphere)

    level, dimmer = bound(_level_rows(source), get, put, "level")
    return [attrs.evolve(level, converts=converts), dimmer]


def _temperature(get: Callable[[Document], Source], put: Callable[[Document, Source], Document]) -> Facet:
    one = row(
        "colour temperature", "colour temperature", "kelvin", "K", 1800.0, 12_000.0, 6000.0, ratio=True, floor=1000.0,
        ceiling=15_000.0, tip="low is warm: candle 1850 K, tungsten 2750 K, overcast 7000 K",
    )  # fmt: skip
    return Facet(
        "colour", one, lambda d: lamp_kelvin(get(d), d.look.weather.atmosphere),
        lambda d, v: put(d, one.written(get(d), v)),
    )  # fmt: skip


def _switch(name: str, tip: str) -> Row:
    def read(source: Source) -> float:
        return float(getattr(source, name))

    def write(source: Source, value: float) -> Source:
        changes: dict[str, Any] = {name: value >= 0.5}
        return attrs.evolve(source, **changes)

    return Row(name, name, "", 0.0, 1.0, 0.0, read, write, floor=0.0, ceiling=1.0, whole=True, tip=tip,
               section="switches")  # fmt: skip


#: Switches and colours that have controls of their own in the window, as numbers for cues and the command line.
SWITCH_ROWS = (_switch("muted", "1 silences it"), _switch("alone", "1 silences the others"))
#: The heading of a gel's three numbers, which are one colour.
GEL = "gel"
GEL_ROWS = under(GEL, *(
    row(f"gel {colour}", f"gel, {colour}", f"gel.{axis}", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=100.0,
        tip=f"how much of the {colour} light the gel lets through, in ACEScg")
    for axis, colour in enumerate(("red", "green", "blue"))
))  # fmt: skip


def _tint(document: Document) -> Row:
    air = document.look.weather.atmosphere

    def write(source: Source, value: float) -> Source:
        return attrs.evolve(source, tint_duv=value, kelvin=lamp_kelvin(source, air))

    return Row("tint", "tint", "", -0.05, 0.05, 0.0, lambda s: s.tint_duv, write, floor=-0.1, ceiling=0.1,
               tip="toward green above 0, magenta below")  # fmt: skip


def _place_facets(source_id: str, shape: Placed, get: Callable[[Document], Source]) -> list[Facet]:
    def placed(d: Document) -> Placed:
        now = get(d).shape
        return now if isinstance(now, Placed) else shape

    def put(d: Document, changed: Placed) -> Document:
        return edits.reshape(d, source_id, changed)

    def orbit(shape: Placed, **changes: float) -> Placed:
        azimuth, elevation = azimuth_and_elevation(shape)
        told = {"azimuth_deg": azimuth, "elevation_deg": elevation, "distance_m": distance_to_aim(shape)} | changes
        return orbited(shape, **told)

    about = [
        Row("azimuth", "azimuth", "°", 0.0, 360.0, 180.0, lambda s: azimuth_and_elevation(s)[0],
            lambda s, v: orbit(s, azimuth_deg=v % 360.0), period=360.0,
            tip="bearing of the lamp as its aim sees it"),
        Row("elevation", "elevation", "°", -30.0, 90.0, 35.0, lambda s: azimuth_and_elevation(s)[1],
            lambda s, v: orbit(s, elevation_deg=v), floor=-90.0, ceiling=90.0, tip="how high it stands over its aim"),
        Row("distance", "distance", "m", 0.3, 40.0, 3.0, distance_to_aim, lambda s, v: orbit(s, distance_m=v),
            ratio=True, floor=0.05, ceiling=1e4, tip="from its aim: farther is weaker, and sharper of shadow"),
        *points("position", "position", shape.position),
    ]  # fmt: skip
    if kind_of(shape).aimed:
        about += points("target", "aim", shape.aim)
    return bound(about, placed, put, "place and aim")


# -- skies ------------------------------------------------------------------------------------------

# The weather of a sky that follows the hour is the look's; that of one set by hand its own.


def _sky_facets(source_id: str, shape: Sky) -> list[Facet]:
    def sky(d: Document) -> Sky:
        found = d.look.source(source_id)
        return found.shape if found is not None and isinstance(found.shape, Sky) else shape

    def put_dome(d: Document, dome: Any) -> Document:
        return edits.change_shape(d, source_id, dome=dome)

    def weather(d: Document) -> Any:
        now = sky(d)
        return d.look.weather if now.follows_hour else getattr(now.dome, "weather", d.look.weather)

    def put_weather(d: Document, changed: Any) -> Document:
        now = sky(d)
        if now.follows_hour:
            return edits.change_heavens(d, weather=changed)
        return put_dome(d, attrs.evolve(now.dome, weather=changed)) if isinstance(now.dome, ClearSky) else d

    moment = isinstance(shape.dome, ClearSky)
    follows = moment and shape.follows_hour
    own = [] if follows else bound(sky_kind_of(shape.dome).rows, lambda d: sky(d).dome, put_dome)
    return own + (bound(WEATHER_ROWS, weather, put_weather) if moment else [])
