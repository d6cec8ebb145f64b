"""What would break those who compute with a document, found where it enters: at reading, at an edit, before saving."""

import datetime as dt
import itertools
import math
from collections.abc import Callable, Iterator
from typing import Any

import attrs

from lunar_haze.core.air.banks import BANK_KINDS, MOST_BANKS
from lunar_haze.core.air.medium import Bank, Medium
from lunar_haze.core.air.rows import BANK_ROWS, MEDIUM_ROWS
from lunar_haze.core.document.exposure import EXPOSED_ROWS
from lunar_haze.core.document.model import Cue, Document, Group, Look, Marker, Shot
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.finish.mask_model import (
    MASK_ROWS,
    MOST_MASKS,
    MOST_PLACES,
    MOST_REGIONS,
    REGION_ROWS,
    WAYS,
    Mask,
    Region,
)
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.regions import region_kinds
from lunar_haze.core.finish.steps import FINISH_ROWS, STEP_NAMES, TABLE_STRENGTH
from lunar_haze.core.finish.values import SPACES, Grade, TableFile
from lunar_haze.core.picture.views import VIEWS
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.rows import LENS_ROWS
from lunar_haze.core.readings.levels import Latitude
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.ephemeris import Site
from lunar_haze.core.sky.kinds import Dome, sky_kind_of
from lunar_haze.core.sky.model import Panorama, Weather
from lunar_haze.core.sky.photograph_kinds import NAMES
from lunar_haze.core.sky.weather_rows import WEATHER_ROWS
from lunar_haze.core.sources.cards import CARD_ROWS, Card
from lunar_haze.core.sources.cutouts import CUTOUT_ROWS, CutOut, kinds
from lunar_haze.core.sources.flicker_kinds import Flicker, flicker_kind_of
from lunar_haze.core.sources.kinds import Shape, kind_of
from lunar_haze.core.sources.model import DIMMER_ROW, SOURCE_ROWS, Source
from lunar_haze.core.sources.screen_video import MOST_SERIES
from lunar_haze.core.units.curve import EASINGS, SCALES
from lunar_haze.core.units.row import Row

#: Fields that may be without end: how far one sees, what has no top, what reaches everywhere.
ENDLESS = frozenset({"visibility_m", "reach_m", "ends_m", "top_m", "fall_off_m", "value"})
#: No other number of a document is larger: a light year in metres, a supernova in lumens.
LARGEST = 1e18
#: Sizes of a frame [px], and frames a second.
FRAME, RATES = (16, 16384), (1.0, 240.0)
#: Cards and sources of a look, and looks, shots and pins of a document, at the most.
MOST, MOST_LOOKS = 5000, 1000


_ROWS: dict[type, tuple[Row, ...]] = {
    Source: SOURCE_ROWS,
    Card: CARD_ROWS,
    CutOut: CUTOUT_ROWS,
    Bank: BANK_ROWS,
    Camera: LENS_ROWS,
    Medium: MEDIUM_ROWS,
    Weather: WEATHER_ROWS,
    Group: (DIMMER_ROW,),
    Look: EXPOSED_ROWS,
    Finish: FINISH_ROWS,
    TableFile: (TABLE_STRENGTH,),
    Mask: MASK_ROWS,
    Region: REGION_ROWS,
}
#: Heights above the sea that air and places have [m].
ALTITUDE_M: dict[type, tuple[float, float]] = {Atmosphere: (0.0, 9000.0), Site: (-500.0, 9000.0)}
#: Fields that are colours: light, or shares of it, never less than none.
_COLOURS = frozenset({"gel", "reflectance", "hold", "zenith", "horizon", "below", "haze_colour", "albedo"})
_BRIGHTEST = 1e9
#: Lists that may be longer than others, by their field: what a brush has painted, the frames of a screen's film.
_LONGER = {"strokes": MOST_PLACES, "places": MOST_PLACES, "series": MOST_SERIES}


#: A path of fields and places in lists, from a value to one of its parts.
Path = tuple[str | int, ...]


@attrs.frozen
class Fault:
    """What is wrong with the part at ``path``; ``instead`` is the nearest number that would do, None where none is."""

    path: Path
    sentence: str
    instead: float | None = None


def too_many(data: Any) -> list[tuple[Path, int, int]]:
    """Lists of JSON that hold more things than a document does: where, how many they hold, how many they may."""
    found: list[tuple[Path, int, int]] = []
    waiting: list[tuple[Path, str, Any]] = [((), "", data)]
    while waiting:
        path, name, part = waiting.pop()
        if isinstance(part, dict):
            waiting.extend(((*path, key), key, inside) for key, inside in part.items())
        elif isinstance(part, list):
            most = _LONGER.get(name, MOST)
            if len(part) > most and any(isinstance(item, (dict, list)) for item in part):
                found.append((path, len(part), most))
            waiting.extend(((*path, at), name, inside) for at, inside in enumerate(part[:most]))
    return found


def faults_in(value: Any, unless: Any = None, path: Path = ()) -> Iterator[Fault]:
    """What is wrong with a value of the document and its parts; what ``unless`` has too is not looked at."""
    if value is unless:
        return
    if attrs.has(type(value)):
        yield from (attrs.evolve(fault, path=(*path, *fault.path)) for fault in _own_faults(value))
        alike = type(unless) is type(value)
        for field in attrs.fields(type(value)):
            name = field.name
            part = getattr(value, name)
            yield from faults_in(part, getattr(unless, name) if alike else None, (*path, name))
            # A colour may be missing where it is the same as another: what is below a sky of two colours.
            if name in _COLOURS and part is not None and not all(0.0 <= one <= _BRIGHTEST for one in part):
                yield Fault((*path, name), f"{name} is {part}, which is no colour")
    elif isinstance(value, tuple):
        before = unless if isinstance(unless, tuple) else ()
        for at, item in enumerate(value):
            yield from faults_in(item, before[at] if at < len(before) else None, (*path, at))
    elif isinstance(value, (float, int)) and not isinstance(value, bool):
        where = next((step for step in reversed(path) if isinstance(step, str)), "")
        endless = isinstance(value, float) and math.isinf(value) and value > 0 and where in ENDLESS
        if not endless and not (math.isfinite(value) and abs(value) <= LARGEST):
            yield Fault(path, f"{where} is {value}, which is no number that can be used")


def check_numbers(value: Any) -> None:
    """Raise ValueError that names the field for a number that is none, or past all reason."""
    fault = next(faults_in(value), None)
    if fault is not None:
        raise ValueError(fault.sentence)


def check_document(document: Document, before: Document | None = None) -> None:
    """Raise DocumentError for what could be saved and not be read again; what ``before`` has too is not looked at.

    An edit is asked this before it is taken, a document before it is saved.
    """
    for name, most in (("shots", MOST_LOOKS), ("looks", MOST_LOOKS), ("pins", MOST_LOOKS), ("markers", MOST_LOOKS)):
        if len(getattr(document, name)) > most:
            raise DocumentError(f"{len(getattr(document, name)):,} {name} are too many; {most:,} is the most")
    fault = next(faults_in(document, before), None)
    if fault is not None:
        raise DocumentError(f"{_owner(document, fault.path)}{fault.sentence}")


def _owner(document: Document, path: Path) -> str:
    """The names that a path leads by: "look “dusk”, source “lamp”: "."""
    told, part, kind = [], document, ""
    for step in path:
        part = part[step] if isinstance(step, int) else getattr(part, step)  # type: ignore[index]
        if kind and isinstance(step, int):
            told.append(f"{kind} “{getattr(part, 'name', '')}”")
        kind = step[:-1] if isinstance(step, str) and step in _NAMED else ""
    return ", ".join(told) + ": " if told else ""


#: Lists of things that have names.
_NAMED = frozenset({"shots", "looks", "pins", "markers", "sources", "cards", "masks"})


def _check_shot(shot: Shot) -> Iterator[Fault]:
    for name in ("frame_width", "frame_height"):
        size = getattr(shot, name)
        if not FRAME[0] <= size <= FRAME[1]:
            yield Fault((name,), f"{name} is {size}; it lies between {FRAME[0]} and {FRAME[1]} pixels")
    if not RATES[0] <= shot.rate <= RATES[1]:
        told = f"a frame rate of {shot.rate:g}; it lies between {RATES[0]:g} and {RATES[1]:g} a second"
        yield Fault(("rate",), told, min(max(shot.rate, RATES[0]), RATES[1]))


def _check_look(look: Look) -> Iterator[Fault]:
    try:
        dt.date.fromisoformat(look.date)
    except ValueError:
        yield Fault(("date",), f"“{look.date}” is no date; write it as 2024-08-21")
    for name in ("sources", "cards", "groups", "cues"):
        if len(getattr(look, name)) > MOST:
            yield Fault((name,), f"{len(getattr(look, name)):,} {name} are too many; {MOST:,} is the most")


def _check_cue(cue: Cue) -> Iterator[Fault]:
    if not cue.keys:
        yield Fault((), f"the cue of {cue.row} has no keys")
    if cue.scale not in SCALES:
        yield Fault(("scale",), f"“{cue.scale}” is no scale of a curve; there are {', '.join(SCALES)}")
    if any(later.frame <= before.frame for before, later in itertools.pairwise(cue.keys)):
        yield Fault((), f"the keys of {cue.row} are not in order of their frames")
    for at, key in enumerate(cue.keys):
        for name in ("into", "out"):
            if getattr(key, name) not in EASINGS:
                told = f"“{getattr(key, name)}” is no easing; there are {', '.join(EASINGS)}"
                yield Fault(("keys", at, name), told)


def _check_camera(camera: Camera) -> Iterator[Fault]:
    if not camera.focal_mm > 0:
        yield Fault(("focal_mm",), f"a focal length of {camera.focal_mm} mm is none")
    if camera.position == camera.aim:
        yield Fault((), "a camera stands where it looks at")


def _check_medium(medium: Medium) -> Iterator[Fault]:
    if len(medium.banks) > MOST_BANKS:
        yield Fault(("banks",), f"{len(medium.banks):,} banks of mist are too many; {MOST_BANKS} is the most")


def _check_bank(bank: Bank) -> Iterator[Fault]:
    if bank.kind not in BANK_KINDS:
        yield Fault(("kind",), f"there is no bank of the shape “{bank.kind}”; there are {', '.join(BANK_KINDS)}")


def _check_cutout(cutout: CutOut) -> Iterator[Fault]:
    if cutout.kind not in kinds():
        yield Fault(("kind",), f"“{cutout.kind}” is no kind of cut-out")


def _check_altitude(value: Atmosphere | Site) -> Iterator[Fault]:
    low, high = ALTITUDE_M[type(value)]
    if not low <= value.altitude_m <= high:
        told = f"an altitude of {value.altitude_m:g} m; it lies between {low:g} and {high:g}"
        yield Fault(("altitude_m",), told, min(max(value.altitude_m, low), high))


def _check_latitude(latitude: Latitude) -> Iterator[Fault]:
    if not -24.0 <= latitude.low < latitude.high <= 24.0:
        yield Fault((), f"a latitude from {latitude.low:g} to {latitude.high:g} stops is none")


def _check_marker(marker: Marker) -> Iterator[Fault]:
    if not 0 < marker.radius <= 0.5:
        told = f"a marker's radius of {marker.radius:g} of the frame's height; it lies between 0 and a half"
        yield Fault(("radius",), told)


def _check_panorama(dome: Panorama) -> Iterator[Fault]:
    if dome.sky_kind and dome.sky_kind not in NAMES:
        told = f"“{dome.sky_kind}” is no kind of photographed sky; there are {', '.join(NAMES)}"
        yield Fault(("sky_kind",), told)


def _check_finish(finish: Finish) -> Iterator[Fault]:
    if finish.view not in VIEWS:
        yield Fault(("view",), f"there is no view “{finish.view}”; there are {', '.join(VIEWS)}")
    if unknown := sorted(set(finish.off) - set(STEP_NAMES)):
        told = f"a finish has no step “{unknown[0]}” that could be off; it has {', '.join(STEP_NAMES)}"
        yield Fault(("off",), told)
    if len(finish.masks) > MOST_MASKS:
        yield Fault(("masks",), f"{len(finish.masks):,} masks are too many; {MOST_MASKS} is the most")


def _check_mask(mask: Mask) -> Iterator[Fault]:
    if not 1 <= len(mask.regions) <= MOST_REGIONS:
        yield Fault((), f"a mask has one to {MOST_REGIONS} regions, not {len(mask.regions):,}")


def _check_region(region: Region) -> Iterator[Fault]:
    if region.kind not in region_kinds():
        yield Fault(("kind",), f"there is no region “{region.kind}”; there are {', '.join(region_kinds())}")
    if (places := sum(len(stroke.places) for stroke in region.strokes)) > MOST_PLACES:
        told = f"a region of {places:,} places of the brush; {MOST_PLACES:,} is the most"
        yield Fault(("strokes",), told)
    if region.how not in WAYS:
        yield Fault(("how",), f"a region does not “{region.how}”; it does one of: {', '.join(WAYS)}")


def _check_grade(grade: Grade) -> Iterator[Fault]:
    for name in ("shadows", "lights"):
        if not all(0.0 <= part <= _BRIGHTEST for part in getattr(grade, name)):
            yield Fault((name,), f"{name} of the split tone are {getattr(grade, name)}, which is no colour")


def _check_table(table: TableFile) -> Iterator[Fault]:
    if table.space not in SPACES:
        yield Fault(("space",), f"a table for “{table.space}” is none; it is for {' or '.join(SPACES)}")


#: What no row tells of a value, by its class.
_CHECKS: dict[type, Callable[[Any], Iterator[Fault]]] = {
    Shot: _check_shot,
    Look: _check_look,
    Cue: _check_cue,
    Camera: _check_camera,
    Medium: _check_medium,
    Bank: _check_bank,
    CutOut: _check_cutout,
    Latitude: _check_latitude,
    Marker: _check_marker,
    Finish: _check_finish,
    Grade: _check_grade,
    Region: _check_region,
    Mask: _check_mask,
    TableFile: _check_table,
    Atmosphere: _check_altitude,
    Site: _check_altitude,
    Panorama: _check_panorama,
}


def _own_faults(value: Any) -> Iterator[Fault]:
    """What is wrong with a value itself, by its rows and by what no row tells; not with its parts."""
    check = _CHECKS.get(type(value))
    if check is not None:
        yield from check(value)
    for row in _rows_of(value):
        sentence = row.fault_of(value)
        if sentence:
            path = tuple(int(step) if step.isdigit() else step for step in row.path)
            yield Fault(path, sentence, row.instead_of(row.read(value)) if path else None)


def _rows_of(value: Any) -> tuple[Row, ...]:
    """The rows of a value by its type; shapes, skies and flickers have those of their kind."""
    if isinstance(value, Shape):
        return kind_of(value).rows
    if isinstance(value, Dome):
        return sky_kind_of(value).rows
    if isinstance(value, Flicker):
        return flicker_kind_of(value).rows
    return _ROWS.get(type(value), ())
