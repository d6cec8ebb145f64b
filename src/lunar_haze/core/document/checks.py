"""Numbers of a document that would break what computes with them, found where they enter."""

import math
from typing import Any

import attrs

from lunar_haze.core.air.banks import MOST_BANKS
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.model import Shot
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.cutouts import KINDS, CutOut

#: Fields that may be without end: how far one sees, what has no top, what reaches everywhere.
ENDLESS = frozenset({"visibility_m", "reach_m", "ends_m", "top_m", "fall_off_m"})
#: No other number of a document is larger: a light year in metres, a supernova in lumens.
LARGEST = 1e18
#: Sizes of a frame [px].
FRAME = (16, 16384)
#: Cards, sources and looks of one document, at the most.
MOST = 5000


def check_numbers(value: Any, where: str = "") -> None:
    """Raise ValueError that names the field for a number that is none, or past all reason."""
    if attrs.has(type(value)):
        _check_kind(value)
        for field in attrs.fields(type(value)):
            check_numbers(getattr(value, field.name), field.name)
    elif isinstance(value, tuple):
        if len(value) > MOST and not all(isinstance(item, (int, float)) for item in value):
            raise ValueError(f"{where}: {len(value):,} of them are too many")
        for item in value:
            check_numbers(item, where)
    elif isinstance(value, (float, int)) and not isinstance(value, bool):
        endless = isinstance(value, float) and math.isinf(value) and value > 0 and where in ENDLESS
        if not endless and not (math.isfinite(value) and abs(value) <= LARGEST):
            raise ValueError(f"{where} is {value}, which is no number that can be used")


def _check_kind(value: Any) -> None:
    if isinstance(value, Shot):
        for name in ("frame_width", "frame_height"):
            if not FRAME[0] <= getattr(value, name) <= FRAME[1]:
                raise ValueError(f"{name} is {getattr(value, name)}; it lies between {FRAME[0]} and {FRAME[1]} pixels")
    elif isinstance(value, Camera):
        if not value.focal_mm > 0:
            raise ValueError(f"a focal length of {value.focal_mm} mm is none")
        if value.position == value.aim:
            raise ValueError("a camera stands where it looks at")
    elif isinstance(value, Medium):
        if len(value.banks) > MOST_BANKS:
            raise ValueError(f"{len(value.banks):,} banks of mist are too many; {MOST_BANKS} is the most")
    elif isinstance(value, CutOut) and value.kind not in KINDS:
        raise ValueError(f"“{value.kind}” is no kind of cut-out")
