"""Every number of a document that can be set, as rows bound to what they are of.

A *target* is a source's or a card's id, `AIR`, `CAMERA`, `DAY` or `FINISH`. Window and command line read and write
through the same facets, in the same sections and order.
"""

import math
from collections.abc import Callable, Iterable
from typing import Any, assert_never

import attrs

from lunar_haze.core.air.rows import BANK_ROWS, MEDIUM_ROWS
from lunar_haze.core.document import edits
from lunar_haze.core.document.exposure import TRIPLE_ROWS
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.errors import DocumentError, QuantityError
from lunar_haze.core.finish.mask_model import MASK_ROWS, REGION_ROWS, Mask, Region
from lunar_haze.core.finish.model import FINISH_ROWS, TABLE_STRENGTH, TableFile
from lunar_haze.core.place.rows import LENS_ROWS
from lunar_haze.core.sky.model import ClearSky, Gradient, Lightning, Panorama
from lunar_haze.core.sky.rows import LIGHTNING_ROWS, MOMENT_ROWS, PANORAMA_ROWS, WEATHER_ROWS
from lunar_haze.core.sources.array import LampArray, Placed
from lunar_haze.core.sources.cards import CARD_ROWS
from lunar_haze.core.sources.cutouts import CUTOUT_ROWS
from lunar_haze.core.sources.flicker_kinds import flicker_kind_of
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import ACTS_ON_ROWS, DIMMER_ROW, Sky, Source, Sun
from lunar_haze.core.sources.orbit import azimuth_and_elevation, distance_to_aim, orbited
from lunar_haze.core.units.row import Row, inside, row, under

AIR, CAMERA, DAY, FINISH = "air", "camera", "day", "finish"
AXES = ("east", "north", "up")
#: Useful spans of levels by unit.
LEVEL_SPANS = {
    "lm": (1.0, 50_000.0), "cd": (0.1, 20_000.0), "cd/m2": (1.0, 1e6), "lx": (0.01, 1e5), "true": (0.05, 20.0),
}  # fmt: skip
SUN_BRIGHTEST_LX = 130_000.0


@attrs.frozen(eq=False)
class Facet:
    """A row bound to a target of a document: under which section it stands, how it is read and written."""

    section: str
    row: Row
    read: Callable[[Document], float]
    write: Callable[[Document, float], Document]
    when: Callable[[Document], bool] = lambda document: True

    @property
    def name(self) -> str:
        """Its name, unique within a target."""
        return self.row.name


def _bound(
    rows: Iterable[Row], get: Callable[[Document], Any], put: Callable[[Document, Any], Document], section: str = ""
) -> list[Facet]:
    """Rows of a value that ``get`` finds in a document and ``put`` lays back; ``section`` where they have none."""

    def facet(one: Row) -> Facet:
        return Facet(
            one.section or section, one, lambda d: one.read(get(d)), lambda d, v: put(d, one.written(get(d), v)),
            lambda d: one.when(get(d)),
        )  # fmt: skip

    return [facet(one) for one in rows]


def _points(name: str, path: str, where: tuple[float, float, float], about: float = 10.0) -> list[Row]:
    """Rows of a point of the place: east, north and up [m], their span about where it is now."""
    return [
        row(f"{name} {axis}", f"{name}, {axis}", f"{path}.{i}", "m", where[i] - about, where[i] + about, where[i],
            floor=-1e5, ceiling=1e5, tip=f"metres {axis} of the place's middle" if axis != "up" else "height")
        for i, axis in enumerate(AXES)
    ]  # fmt: skip


# -- sources ----------------------------------------------------------------------------------------


def _source_facets(document: Document, source: Source) -> list[Facet]:
    source_id, shape = source.id, source.shape

    def get(d: Document) -> Source:
        found = d.look.source(source_id)
        return source if found is None else found

    def put(d: Document, changed: Source) -> Document:
        # Another shape may have other units, or a level to hold.
        if get(d).shape != changed.shape:
            return edits.reshape(d, source_id, changed.shape)
        return edits.with_source(d, changed)

    found = _bound(_level_rows(source), get, put, "level")
    found += _bound(SWITCH_ROWS, get, put)
    found.append(_temperature(get, put))
    found += _bound([_tint(document), *GEL_ROWS], get, put, "colour")
    found += _bound(inside("flicker", flicker_kind_of(source.flicker).rows), get, put, "flicker")
    own = kind_of(shape).rows
    if isinstance(shape, Placed):
        found += _place_facets(source_id, shape, get)
        own += _cutout_rows(shape)
    if isinstance(shape, LampArray):
        own += inside("lamp", (*kind_of(shape.lamp).rows, *_cutout_rows(shape.lamp)))
    found += _bound(inside("shape", own), get, put, "shape")
    if isinstance(shape, Sky):
        found += _sky_facets(source_id, shape)
    return found + _bound(ACTS_ON_ROWS, get, put)


def _cutout_rows(holder: Any) -> tuple[Row, ...]:
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
GEL_ROWS = under("gel", *(
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
            lambda s, v: orbit(s, azimuth_deg=v % 360.0), tip="bearing of the lamp as its aim sees it"),
        Row("elevation", "elevation", "°", -30.0, 90.0, 35.0, lambda s: azimuth_and_elevation(s)[1],
            lambda s, v: orbit(s, elevation_deg=v), floor=-90.0, ceiling=90.0, tip="how high it stands over its aim"),
        Row("distance", "distance", "m", 0.3, 40.0, 3.0, distance_to_aim, lambda s, v: orbit(s, distance_m=v),
            ratio=True, floor=0.05, ceiling=1e4, tip="from its aim: farther is weaker, and sharper of shadow"),
        *_points("position", "position", shape.position),
    ]  # fmt: skip
    if kind_of(shape).aimed:
        about += _points("target", "aim", shape.aim)
    return _bound(about, placed, put, "place and aim")


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

    match shape.dome:
        case Gradient():
            return []
        case Lightning():
            return _bound(LIGHTNING_ROWS, lambda d: sky(d).dome, put_dome)
        case Panorama():
            return _bound(PANORAMA_ROWS, lambda d: sky(d).dome, put_dome)
        case ClearSky():
            by_hand = [] if shape.follows_hour else _bound(MOMENT_ROWS, lambda d: sky(d).dome, put_dome)
            return by_hand + _bound(WEATHER_ROWS, weather, put_weather)
        case _:
            assert_never(shape.dome)


# -- the rest ---------------------------------------------------------------------------------------


def _card_facets(document: Document, card_id: str) -> list[Facet]:
    first = next(c for c in document.look.cards if c.id == card_id)

    def get(d: Document) -> Any:
        return next((c for c in d.look.cards if c.id == card_id), first)

    def put(d: Document, changed: Any) -> Document:
        cards = tuple(changed if c.id == card_id else c for c in d.look.cards)
        return edits.change_look(d, cards=cards)

    points = [*_points("position", "position", first.position), *_points("target", "aim", first.aim)]
    return _bound((*CARD_ROWS, *_cutout_rows(first)), get, put) + _bound(points, get, put, "place and aim")


def _air_facets(document: Document, bank: int) -> list[Facet]:
    found = _bound(MEDIUM_ROWS, lambda d: d.look.medium, edits.with_medium)
    banks = document.look.medium.banks
    if not 0 <= bank < len(banks):
        return found

    def one(d: Document) -> Any:
        now = d.look.medium.banks
        return now[bank] if bank < len(now) else banks[bank]

    def put(d: Document, changed: Any) -> Document:
        now = d.look.medium.banks
        return edits.change_medium(d, banks=(*now[:bank], changed, *now[bank + 1 :]))

    middle = _points("bank middle", "centre", banks[bank].centre, 20.0)
    return found + _bound([*BANK_ROWS, *middle], one, put, "bank")


_EXPOSURE_ROWS = under(
    "exposure",
    row("exposure", "exposure", "ev100", "EV", -6.0, 18.0, 12.0, floor=-20.0, ceiling=30.0,
        tip="EV at ISO 100, locked until you change it: lower is brighter"),
    row("exposure compensation", "exposure compensation", "stops", "stops", -5.0, 5.0, 0.0, floor=-20.0, ceiling=20.0,
        tip="brighter above 0"),
)  # fmt: skip
_BOUNCES = row("bounces", "bounces", "bounces", "", 0.0, 4.0, 2.0, whole=True, floor=0.0, ceiling=4.0,
               tip="how often light is thrown on by surfaces: 0 has black shadows")  # fmt: skip


_HOUR = Row("hour", "hour", "h", 0.0, 24.0, 12.0, lambda d: d.look.hour_h,
            lambda d, v: edits.change_heavens(d, hour_h=v % 24.0), floor=-24.0, ceiling=48.0, section="hour",
            tip="local clock time of the look's date")  # fmt: skip
_RATE = Row("frame rate", "frame rate", "fps", 12.0, 60.0, 24.0, lambda d: d.shot.rate, edits.set_rate, floor=1.0,
            ceiling=240.0, tip="how many frames go by in a second, in all shots")  # fmt: skip


def _day_facets() -> list[Facet]:
    return _bound([_HOUR], lambda d: d, lambda d, changed: changed)


def _lens_facets() -> list[Facet]:
    """Rows of the lens: one that has a cue is the same at both ends of the camera's move."""

    def facet(one: Row) -> Facet:
        def write(d: Document, value: float) -> Document:
            if any(cue.row == one.name for cue in d.shot.cues):
                return edits.with_lens(d, lambda camera: one.written(camera, value))
            return edits.change_camera(d, one.written(d.shot.seen_from, value))

        return Facet(one.section, one, lambda d: one.read(d.shot.seen_from), write)

    return [facet(one) for one in LENS_ROWS]


def _camera_facets(document: Document) -> list[Facet]:
    def look(d: Document) -> Look:
        return d.look

    def put_look(d: Document, changed: Look) -> Document:
        return edits.with_look(d, changed)

    def camera(d: Document) -> Any:
        return d.shot.seen_from

    seen = document.shot.seen_from
    points = [*_points("position", "position", seen.position), *_points("target", "aim", seen.aim)]
    return [
        *_bound(_EXPOSURE_ROWS, look, put_look),
        *_bound(TRIPLE_ROWS, lambda d: d, lambda d, changed: changed),
        *_lens_facets(),
        *_bound(points, camera, edits.change_camera, "place and aim"),
        *_bound(_frame_rows(document.shot), lambda d: d.shot, edits.with_shot, "frames"),
        *_bound([_RATE], lambda d: d, lambda d, changed: changed, "frames"),
        *_bound([_BOUNCES], look, put_look, "bounced light"),
    ]


def _finish_facets(document: Document, number: int, which: int) -> list[Facet]:
    found = _bound(FINISH_ROWS, lambda d: d.look.finish, lambda d, changed: edits.change_look(d, finish=changed))
    masks = document.look.finish.masks
    if 0 <= number < len(masks):
        found += _mask_facets(masks[number], number, min(which, len(masks[number].regions) - 1))
    table = document.look.finish.table
    if table is None:
        return found

    def get(d: Document) -> TableFile:
        return d.look.finish.table or table

    return found + _bound([TABLE_STRENGTH], get, lambda d, changed: edits.change_finish(d, table=changed), "table")


def _mask_facets(mask: Mask, number: int, which: int) -> list[Facet]:
    def get(d: Document) -> Mask:
        now = d.look.finish.masks
        return now[number] if number < len(now) else mask

    def put(d: Document, changed: Mask) -> Document:
        now = d.look.finish.masks
        return edits.change_finish(d, masks=(*now[:number], changed, *now[number + 1 :]))

    def region(d: Document) -> Region:
        now = get(d).regions
        return now[min(which, len(now) - 1)]

    def put_region(d: Document, changed: Region) -> Document:
        now = get(d).regions
        return put(d, attrs.evolve(get(d), regions=(*now[:which], changed, *now[which + 1 :])))

    return _bound(MASK_ROWS, get, put) + _bound(REGION_ROWS, region, put_region)


def _frame_rows(shot: Shot) -> list[Row]:
    low, high = float(shot.first_frame), float(max(shot.last_frame, shot.first_frame + 1))
    return [
        row("first frame", "first frame", "first_frame", "", 1.0, 240.0, 1.0, whole=True, floor=0.0, ceiling=1e6,
            tip="where the shot begins"),
        row("last frame", "last frame", "last_frame", "", 1.0, 240.0, 1.0, whole=True, floor=0.0, ceiling=1e6,
            tip="where it ends"),
        row("frame", "frame on screen", "frame", "", low, high, low, whole=True, floor=0.0, ceiling=1e6,
            tip="another frame of the move: does the light still work there?"),
    ]  # fmt: skip


def facets_of(document: Document, target: str, bank: int = 0, mask: tuple[int, int] = (0, 0)) -> dict[str, Facet]:
    """The facets of a target by name, those that are shown now, in their order.

    ``bank`` is the bank of mist that is chosen, ``mask`` the mask and its region.

    Raises DocumentError for a target that there is not.
    """
    if target == AIR:
        found = _air_facets(document, bank)
    elif target == CAMERA:
        found = _camera_facets(document)
    elif target == DAY:
        found = _day_facets()
    elif target == FINISH:
        found = _finish_facets(document, *mask)
    elif (source := document.look.source(target)) is not None:
        found = _source_facets(document, source)
    elif any(card.id == target for card in document.look.cards):
        found = _card_facets(document, target)
    else:
        raise DocumentError(f"the look has nothing called “{target}”")
    return {facet.name: facet for facet in found if facet.when(document)}


def targets_of(document: Document) -> dict[str, str]:
    """What a document has that can be set: names as an artist says them, and the target each stands for."""
    found = {AIR: AIR, CAMERA: CAMERA, DAY: DAY, FINISH: FINISH}
    for source in document.look.sources:
        found.setdefault(source.name, source.id)
    for card in document.look.cards:
        found.setdefault(card.name, card.id)
    return found


def within(facet: Facet, value: float) -> float:
    """``value`` where the facet takes it. Raises QuantityError that tells what it takes."""
    one = facet.row
    if math.isnan(value) or not one.floor <= value <= one.ceiling:
        raise QuantityError(f"{one.label} takes {one.floor:g} to {one.ceiling:g} {one.unit}".rstrip())
    return value
