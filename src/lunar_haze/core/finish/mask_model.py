"""Masks as values: soft regions of the picture, and what is done to the light under them."""

import math
from typing import Any

import attrs

from lunar_haze.core.units.row import Row, row, under

#: How a region goes together with those before it.
WAYS = ("add", "subtract", "intersect")
#: So many masks a look has at the most, so many regions a mask, and so many places of a brush a region.
MOST_MASKS, MOST_REGIONS, MOST_PLACES = 24, 12, 20_000


@attrs.frozen
class Stroke:
    """A brush led through the picture: its places in frame heights from the frame's middle, right and down, its radius
    in frame heights, and whether it erases.
    """

    places: tuple[tuple[float, float], ...]
    radius: float
    erases: bool = False


@attrs.frozen
class Region:
    """A soft part of the picture, of one of the kinds in `regions`, which goes with those before it in one of WAYS.

    In the frame, in shares of its height: ``x`` and ``y`` of its middle from the frame's middle, right and down;
    ``width`` and ``height`` its half axes (of a line: ``height`` is how wide it fades); ``turn_deg`` clockwise;
    ``feather`` the share of it that is soft; or ``strokes`` in turn. In the place: ``objects`` or ``materials`` by
    name, or from ``near_m`` to ``far_m`` of distance or of height [m].
    """

    kind: str = "ellipse"
    x: float = 0.0
    y: float = 0.0
    width: float = 0.3
    height: float = 0.25
    turn_deg: float = 0.0
    feather: float = 0.6
    objects: tuple[str, ...] = ()
    near_m: float = 0.0
    far_m: float = 10.0
    inverted: bool = False
    how: str = "add"
    strokes: tuple[Stroke, ...] = ()
    materials: tuple[str, ...] = ()

    def to_own(self, x: Any, y: Any) -> tuple[Any, Any]:
        """A place of the frame, or many, along the region's own two axes, from its middle."""
        cos, sin = self._turn
        return (x - self.x) * cos + (y - self.y) * sin, (y - self.y) * cos - (x - self.x) * sin

    def from_own(self, along: float, down: float) -> tuple[float, float]:
        """A place on the region's own two axes, in the frame."""
        cos, sin = self._turn
        return self.x + along * cos - down * sin, self.y + along * sin + down * cos

    @property
    def _turn(self) -> tuple[float, float]:
        return math.cos(math.radians(self.turn_deg)), math.sin(math.radians(self.turn_deg))


@attrs.frozen
class Mask:
    """Regions, and what is done to the light under them: ``stops``, ``mired`` warmer (below 0 cooler), ``saturation``,
    ``contrast`` about mid grey; to all light, or to that of the source with the id ``source`` alone.
    """

    id: str
    name: str
    regions: tuple[Region, ...] = (Region(),)
    source: str = ""
    stops: float = 0.0
    mired: float = 0.0
    saturation: float = 1.0
    contrast: float = 1.0
    muted: bool = False
    alone: bool = False

    @property
    def is_at_work(self) -> bool:
        """Whether it changes anything."""
        does = (self.stops, self.mired, self.saturation, self.contrast)
        return not self.muted and does != (0.0, 0.0, 1.0, 1.0)


#: The kinds of region that each row is shown for, by the row's name; the kinds declare it (`region_kinds`).
SHOWN_FOR: dict[str, frozenset[str]] = {}


def _row(name: str, *told: Any, **how: Any) -> Row:
    return row(name, *told, when=lambda region: region.kind in SHOWN_FOR.get(name, ()), **how)


REGION_ROWS: tuple[Row, ...] = under(
    "where",
    _row("region x", "across", "x", "", -0.9, 0.9, 0.0, floor=-4.0, ceiling=4.0,
        tip="of its middle from the frame's middle, in frame heights: right above 0"),
    _row("region y", "down", "y", "", -0.5, 0.5, 0.0, floor=-4.0, ceiling=4.0,
        tip="of its middle from the frame's middle, in frame heights: down above 0"),
    _row("region width", "half width", "width", "", 0.02, 1.0, 0.3, ratio=True, floor=0.001, ceiling=8.0,
        tip="in frame heights"),
    _row("region brush", "brush", "width", "", 0.005, 0.3, 0.05, ratio=True, floor=0.001, ceiling=2.0,
        tip="its radius, in frame heights"),
    _row("region height", "half height", "height", "", 0.02, 1.0, 0.25, ratio=True, floor=0.001, ceiling=8.0,
        tip="in frame heights; of a line, how wide it fades"),
    _row("region turn", "rotation", "turn_deg", "°", -180.0, 180.0, 0.0, floor=-360.0, ceiling=360.0,
        tip="clockwise"),
    _row("region feather", "feather", "feather", "", 0.0, 1.0, 0.6, floor=0.0, ceiling=1.0,
        tip="how much of it is soft"),
    _row("region near", "from", "near_m", "m", 0.0, 60.0, 0.0, floor=-1e5, ceiling=1e5,
        tip="where the span of distance or height begins"),
    _row("region far", "to", "far_m", "m", 0.5, 60.0, 10.0, floor=-1e5, ceiling=1e6,
        tip="where it ends"),
)  # fmt: skip
MASK_ROWS: tuple[Row, ...] = under(
    "what it does",
    row("mask exposure", "exposure", "stops", "stops", -3.0, 3.0, 0.0, floor=-20.0, ceiling=20.0,
        tip="of what lies under the mask; of one source's light alone where one is chosen"),
    row("mask warmth", "warmer by", "mired", "mired", -100.0, 100.0, 0.0, floor=-400.0, ceiling=400.0,
        tip="warmer above 0, cooler below"),
    row("mask saturation", "saturation", "saturation", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0, tip="0 is grey"),
    row("mask contrast", "contrast", "contrast", "", 0.5, 2.0, 1.0, floor=0.1, ceiling=4.0, tip="about mid grey"),
)  # fmt: skip
