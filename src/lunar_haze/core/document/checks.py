"""Numbers of a document that would break what computes with them, found where they enter."""

import itertools
import math
from collections.abc import Callable
from typing import Any

import attrs

from lunar_haze.core.air.banks import MOST_BANKS
from lunar_haze.core.air.medium import Bank, Medium
from lunar_haze.core.air.rows import BANK_ROWS, MEDIUM_ROWS
from lunar_haze.core.document.exposure import EXPOSED_ROWS
from lunar_haze.core.document.model import Cue, Group, Look, Marker, Shot
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
from lunar_haze.core.finish.model import FINISH_ROWS, SPACES, STEPS, TABLE_STRENGTH, Finish, Grade, TableFile
from lunar_haze.core.finish.regions import region_kinds
from lunar_haze.core.picture.views import VIEWS
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.rows import LENS_ROWS
from lunar_haze.core.readings.levels import Latitude
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.ephemeris import Site
from lunar_haze.core.sky.model import ClearSky, Lightning, Panorama, Weather
from lunar_haze.core.sky.photograph_kinds import NAMES
from lunar_haze.core.sky.rows import LIGHTNING_ROWS, MOMENT_ROWS, PANORAMA_ROWS, WEATHER_ROWS
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
    ClearSky: MOMENT_ROWS,
    Panorama: PANORAMA_ROWS,
    Lightning: LIGHTNING_ROWS,
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


def check_counts(data: Any) -> None:
    """Raise ValueError for JSON that lists more things than a document holds, before any of them is made."""
    waiting = [("", data)]
    while waiting:
        where, part = waiting.pop()
        if isinstance(part, dict):
            waiting.extend(part.items())
        elif isinstance(part, list):
            if len(part) > _LONGER.get(where, MOST) and any(isinstance(item, (dict, list)) for item in part):
                raise ValueError(f"{where}: {len(part):,} of them are too many")
            waiting.extend((where, item) for item in part)


def check_numbers(value: Any, where: str = "") -> None:
    """Raise ValueError that names the field for a number that is none, or past all reason."""
    if attrs.has(type(value)):
        _check_kind(value)
        for field in attrs.fields(type(value)):
            part = getattr(value, field.name)
            check_numbers(part, field.name)
            # A colour may be missing where it is the same as another: what is below a sky of two colours.
            if field.name in _COLOURS and part is not None and not all(0.0 <= one <= _BRIGHTEST for one in part):
                raise ValueError(f"{field.name} is {part}, which is no colour")
    elif isinstance(value, tuple):
        for item in value:
            check_numbers(item, where)
    elif isinstance(value, (float, int)) and not isinstance(value, bool):
        endless = isinstance(value, float) and math.isinf(value) and value > 0 and where in ENDLESS
        if not endless and not (math.isfinite(value) and abs(value) <= LARGEST):
            raise ValueError(f"{where} is {value}, which is no number that can be used")


def _check_shot(shot: Shot) -> None:
    for name in ("frame_width", "frame_height"):
        if not FRAME[0] <= getattr(shot, name) <= FRAME[1]:
            raise ValueError(f"{name} is {getattr(shot, name)}; it lies between {FRAME[0]} and {FRAME[1]} pixels")
    if not RATES[0] <= shot.rate <= RATES[1]:
        raise ValueError(f"a frame rate of {shot.rate:g}; it lies between {RATES[0]:g} and {RATES[1]:g} a second")


def _check_cue(cue: Cue) -> None:
    if not cue.keys:
        raise ValueError(f"the cue of {cue.row} has no keys")
    if cue.scale not in SCALES:
        raise ValueError(f"“{cue.scale}” is no scale of a curve; there are {', '.join(SCALES)}")
    if any(later.frame <= before.frame for before, later in itertools.pairwise(cue.keys)):
        raise ValueError(f"the keys of {cue.row} are not in order of their frames")
    for key in cue.keys:
        if not {key.into, key.out} <= set(EASINGS):
            raise ValueError(f"“{key.into}” or “{key.out}” is no easing; there are {', '.join(EASINGS)}")


def _check_camera(camera: Camera) -> None:
    if not camera.focal_mm > 0:
        raise ValueError(f"a focal length of {camera.focal_mm} mm is none")
    if camera.position == camera.aim:
        raise ValueError("a camera stands where it looks at")


def _check_medium(medium: Medium) -> None:
    if len(medium.banks) > MOST_BANKS:
        raise ValueError(f"{len(medium.banks):,} banks of mist are too many; {MOST_BANKS} is the most")


def _check_cutout(cutout: CutOut) -> None:
    if cutout.kind not in kinds():
        raise ValueError(f"“{cutout.kind}” is no kind of cut-out")


def _check_altitude(value: Atmosphere | Site) -> None:
    low, high = ALTITUDE_M[type(value)]
    if not low <= value.altitude_m <= high:
        raise ValueError(f"an altitude of {value.altitude_m:g} m; it lies between {low:g} and {high:g}")


def _check_latitude(latitude: Latitude) -> None:
    if not -24.0 <= latitude.low < latitude.high <= 24.0:
        raise ValueError(f"a latitude from {latitude.low:g} to {latitude.high:g} stops is none")


def _check_marker(marker: Marker) -> None:
    if not 0 < marker.radius <= 0.5:
        raise ValueError(f"a marker's radius of {marker.radius:g} of the frame's height; it lies between 0 and a half")


def _check_panorama(dome: Panorama) -> None:
    if dome.sky_kind and dome.sky_kind not in NAMES:
        raise ValueError(f"“{dome.sky_kind}” is no kind of photographed sky; there are {', '.join(NAMES)}")


def _check_finish(finish: Finish) -> None:
    if finish.view not in VIEWS:
        raise ValueError(f"there is no view “{finish.view}”; there are {', '.join(VIEWS)}")
    if unknown := sorted(set(finish.off) - set(STEPS)):
        raise ValueError(f"a finish has no step “{unknown[0]}” that could be off; it has {', '.join(STEPS)}")
    if len(finish.masks) > MOST_MASKS:
        raise ValueError(f"{len(finish.masks):,} masks are too many; {MOST_MASKS} is the most")


def _check_mask(mask: Mask) -> None:
    if not 1 <= len(mask.regions) <= MOST_REGIONS:
        raise ValueError(f"a mask has one to {MOST_REGIONS} regions, not {len(mask.regions):,}")


def _check_region(region: Region) -> None:
    if region.kind not in region_kinds():
        raise ValueError(f"there is no region “{region.kind}”; there are {', '.join(region_kinds())}")
    if (places := sum(len(stroke.places) for stroke in region.strokes)) > MOST_PLACES:
        raise ValueError(f"a region of {places:,} places of the brush; {MOST_PLACES:,} is the most")
    if region.how not in WAYS:
        raise ValueError(f"a region does not “{region.how}”; it does one of: {', '.join(WAYS)}")


def _check_grade(grade: Grade) -> None:
    for name in ("shadows", "lights"):
        if not all(0.0 <= part <= _BRIGHTEST for part in getattr(grade, name)):
            raise ValueError(f"{name} of the split tone are {getattr(grade, name)}, which is no colour")


def _check_table(table: TableFile) -> None:
    if table.space not in SPACES:
        raise ValueError(f"a table for “{table.space}” is none; it is for {' or '.join(SPACES)}")


#: What no row tells of a value, by its class.
_CHECKS: dict[type, Callable[[Any], None]] = {
    Shot: _check_shot,
    Cue: _check_cue,
    Camera: _check_camera,
    Medium: _check_medium,
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


def _check_kind(value: Any) -> None:
    check = _CHECKS.get(type(value))
    if check is not None:
        check(value)
    for row in _rows_of(value):
        fault = row.fault_of(value)
        if fault:
            raise ValueError(fault)


def _rows_of(value: Any) -> tuple[Row, ...]:
    """The rows of a value by its type; lamps and all other shapes have those of their kind."""
    if isinstance(value, Shape):
        return kind_of(value).rows
    if isinstance(value, Flicker):
        return flicker_kind_of(value).rows
    return _ROWS.get(type(value), ())
