"""The finish of a look: what becomes of its light on the way to the picture, as one frozen value.

Steps stand in a fixed order: glow, night, white balance, vignette (in scene light); exposure and contrast, toe and
shoulder, CDL, split tone, table (on exposed light); view; grain. A step at its usual numbers is off and costs nothing.
Sizes are shares of the frame's height, so that a finish does not change with the picture's size.
"""

import math
from typing import Any

import attrs

from lunar_haze.core.picture.views import USUAL_VIEW
from lunar_haze.core.units.row import Row, row, under

Vec3 = tuple[float, float, float]
ONES: Vec3 = (1.0, 1.0, 1.0)
ZEROS: Vec3 = (0.0, 0.0, 0.0)
#: The colour temperature that is neutral when nothing is changed: the white of the working space [K].
NEUTRAL_K = 6000.0
#: Whites lie between these temperatures [K], and no farther off the locus of black bodies (Duv).
COOLEST_K, HOTTEST_K, MOST_DUV = 1667.0, 15_000.0, 0.1


@attrs.frozen
class Glow:
    """Scattered light in lens and eye: ``strength`` is the share of the light that is scattered, in [0, 1];
    ``size`` how wide, 1 as in the eye with the frame's height at 27 degrees.
    """

    strength: float = 0.0
    size: float = 1.0


@attrs.frozen
class White:
    """What is to be neutral: its colour temperature [K] and its tint (Duv, green above 0)."""

    kelvin: float = NEUTRAL_K
    tint_duv: float = 0.0


@attrs.frozen
class Vignette:
    """Darker towards the corners: ``stops`` there, ``falloff`` the share of the lens's own cos^4 in [0, 1]."""

    stops: float = 0.0
    falloff: float = 0.0


@attrs.frozen
class Cdl:
    """ASC colour decision list in ACEScct: slope, offset and power for red, green and blue; saturation."""

    slope: Vec3 = ONES
    offset: Vec3 = ZEROS
    power: Vec3 = ONES
    saturation: float = 1.0


@attrs.frozen
class Grade:
    """Exposure [stops] and contrast about mid grey; ``toe`` lifts (above 0) or sinks shadows, ``shoulder`` holds
    (above 0) or spreads lights, both in [-1, 1]; ``shadows`` and ``lights`` are ACEScg colours that they lean to, by
    ``split`` in [0, 1].
    """

    exposure: float = 0.0
    contrast: float = 1.0
    toe: float = 0.0
    shoulder: float = 0.0
    split: float = 0.0
    shadows: Vec3 = (0.45, 0.5, 0.62)
    lights: Vec3 = (0.62, 0.52, 0.4)


#: What a grading table is made for, and how that is told.
SPACES = {"log": "for ACEScct", "screen": "for the screen"}


@attrs.frozen
class TableFile:
    """A grading table (.cube, .clf): its file, what that held, how much of it, and for which of SPACES it is made."""

    path: str = ""
    digest: str = ""
    strength: float = 1.0
    space: str = "log"


@attrs.frozen
class Grain:
    """Grain in the finished picture: ``strength`` in code values of 255, ``size`` in thousandths of the height."""

    strength: float = 0.0
    size: float = 2.0
    seed: int = 1


#: What a region is told by, and how it goes together with those before it.
REGIONS = ("ellipse", "line", "objects", "distance", "height")
WAYS = ("add", "subtract", "intersect")
#: So many masks a look has at the most, and so many regions a mask.
MOST_MASKS, MOST_REGIONS = 24, 12


@attrs.frozen
class Region:
    """A soft part of the picture, of one of REGIONS, which goes with those before it in one of WAYS.

    In the frame, in shares of its height: ``x`` and ``y`` of its middle from the frame's middle, right and down;
    ``width`` and ``height`` its half axes (of a line: ``height`` is how wide it fades); ``turn_deg`` clockwise;
    ``feather`` the share of it that is soft. In the place: ``objects`` by name, or from ``near_m`` to ``far_m``
    of distance or of height [m].
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

    @property
    def is_at_work(self) -> bool:
        """Whether it changes anything."""
        does = (self.stops, self.mired, self.saturation, self.contrast)
        return not self.muted and does != (0.0, 0.0, 1.0, 1.0)


@attrs.frozen
class Finish:
    """All steps; ``masks`` come first. ``night`` is how much of the night is seen by the eye rather than by a camera,
    in [0, 1]; ``view`` the name of the view (`lunar_haze.core.picture.views`), ``muted`` leaves all but the view out.
    """

    glow: Glow = Glow()
    night: float = 0.0
    white: White = White()
    vignette: Vignette = Vignette()
    grade: Grade = Grade()
    cdl: Cdl = Cdl()
    table: TableFile | None = None
    view: str = USUAL_VIEW
    grain: Grain = Grain()
    muted: bool = False
    masks: tuple[Mask, ...] = ()

    @property
    def in_force(self) -> "Finish":
        """The finish as it is applied: without its steps when it is muted."""
        return Finish(view=self.view) if self.muted else self

    @property
    def masks_at_work(self) -> tuple[Mask, ...]:
        """The masks that change something now."""
        return tuple(mask for mask in self.in_force.masks if mask.is_at_work)


_IN_FRAME, _IN_PLACE = ("ellipse", "line"), ("distance", "height")
TABLE_STRENGTH = row("table strength", "strength", "strength", "", 0.0, 1.0, 1.0, floor=0.0, ceiling=1.0,
                     tip="how much of the table is taken: 0 is none of it")  # fmt: skip


def _rgb(name: str, span: tuple[float, float], taken: tuple[float, float], usual: float, tip: str) -> tuple[Row, ...]:
    return tuple(
        row(f"{name} {colour}", f"{name}, {colour}", f"cdl.{name}.{i}", "", *span, usual, floor=taken[0],
            ceiling=taken[1], tip=tip)
        for i, colour in enumerate(("red", "green", "blue"))
    )  # fmt: skip


REGION_ROWS: tuple[Row, ...] = under(
    "where",
    row("region x", "across", "x", "", -0.9, 0.9, 0.0, floor=-4.0, ceiling=4.0, when=lambda r: r.kind in _IN_FRAME,
        tip="of its middle from the frame's middle, in frame heights: right above 0"),
    row("region y", "down", "y", "", -0.5, 0.5, 0.0, floor=-4.0, ceiling=4.0, when=lambda r: r.kind in _IN_FRAME,
        tip="of its middle from the frame's middle, in frame heights: down above 0"),
    row("region width", "half width", "width", "", 0.02, 1.0, 0.3, ratio=True, floor=0.001, ceiling=8.0,
        when=lambda r: r.kind == "ellipse", tip="in frame heights"),
    row("region height", "half height", "height", "", 0.02, 1.0, 0.25, ratio=True, floor=0.001, ceiling=8.0,
        when=lambda r: r.kind in _IN_FRAME, tip="in frame heights; of a line, how wide it fades"),
    row("region turn", "turn", "turn_deg", "°", -180.0, 180.0, 0.0, floor=-360.0, ceiling=360.0,
        when=lambda r: r.kind in _IN_FRAME, tip="clockwise"),
    row("region feather", "feather", "feather", "", 0.0, 1.0, 0.6, floor=0.0, ceiling=1.0,
        when=lambda r: r.kind != "objects", tip="how much of it is soft"),
    row("region near", "from", "near_m", "m", 0.0, 60.0, 0.0, floor=-1e5, ceiling=1e5,
        when=lambda r: r.kind in _IN_PLACE, tip="where the span of distance or height begins"),
    row("region far", "to", "far_m", "m", 0.5, 60.0, 10.0, floor=-1e5, ceiling=1e6,
        when=lambda r: r.kind in _IN_PLACE, tip="where it ends"),
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

FINISH_ROWS: tuple[Row, ...] = (
    *under(
        "tone",
        row("finish exposure", "exposure", "grade.exposure", "stops", -3.0, 3.0, 0.0, floor=-10.0, ceiling=10.0,
            tip="of the finished picture alone; the camera's exposure stays"),
        row("contrast", "contrast", "grade.contrast", "", 0.5, 2.0, 1.0, floor=0.1, ceiling=4.0,
            tip="about mid grey: darks darker and lights lighter above 1"),
        row("toe", "toe", "grade.toe", "", -1.0, 1.0, 0.0, floor=-1.0, ceiling=1.0,
            tip="shadows are lifted above 0, sink below it"),
        row("shoulder", "shoulder", "grade.shoulder", "", -1.0, 1.0, 0.0, floor=-1.0, ceiling=1.0,
            tip="lights are held back above 0, spread below it"),
    ),
    *under(
        "white balance",
        row("neutral", "neutral", "white.kelvin", "K", 2500.0, 12_000.0, NEUTRAL_K, ratio=True, floor=COOLEST_K,
            ceiling=HOTTEST_K, tip="light of this colour is drawn grey: below 6000 K all gets cooler, above it warmer"),
        row("neutral tint", "tint", "white.tint_duv", "", -0.03, 0.03, 0.0, floor=-MOST_DUV, ceiling=MOST_DUV,
            tip="the green (above 0) or magenta of what is drawn grey"),
    ),
    *under(
        "colour of shadows and lights",
        row("split tone", "split tone", "grade.split", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
            tip="shadows and lights lean towards their colours, their level stays"),
        row("saturation", "saturation", "cdl.saturation", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0,
            tip="0 is grey"),
    ),
    *under(
        "glow",
        row("glow", "glow", "glow.strength", "", 0.0, 0.5, 0.0, floor=0.0, ceiling=1.0,
            tip="the share of the light that lens and eye scatter round bright things"),
        row("glow size", "size", "glow.size", "", 0.2, 4.0, 1.0, ratio=True, floor=0.05, ceiling=10.0,
            tip="how wide it is scattered; 1 as in the eye"),
    ),
    *under(
        "vignette",
        row("vignette", "corners", "vignette.stops", "stops", -2.0, 0.0, 0.0, floor=-8.0, ceiling=2.0,
            tip="how much darker the corners are"),
        row("falloff", "lens falloff", "vignette.falloff", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
            tip="the share of the falloff that this lens has by nature: more when it is short"),
    ),
    *under(
        "night and grain",
        row("night by eye", "night by eye", "night", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
            tip="as the eye sees it: colours fade and lean to blue as the light falls; 0 is a camera's night"),
        row("grain", "grain", "grain.strength", "", 0.0, 12.0, 0.0, floor=0.0, ceiling=64.0,
            tip="how strong, in steps of 255"),
        row("grain size", "size of grain", "grain.size", "‰", 1.0, 6.0, 2.0, ratio=True, floor=0.5, ceiling=50.0,
            tip="in thousandths of the frame's height"),
    ),
    *under(
        "CDL",
        *_rgb("slope", (0.5, 2.0), (0.0, 16.0), 1.0, "of the red, green and blue signal in ACEScct"),
        *_rgb("offset", (-0.2, 0.2), (-1.0, 1.0), 0.0, "added to the signal in ACEScct"),
        *_rgb("power", (0.5, 2.0), (0.05, 16.0), 1.0, "of the signal in ACEScct, after slope and offset"),
    ),
)  # fmt: skip


def between(one: Finish, two: Finish, share: float) -> Finish:
    """A finish between two: every number of its rows goes evenly, ratios by factors; the rest is the nearer one's."""
    near = one if share < 0.5 else two
    for each in FINISH_ROWS:
        a, b = each.read(one), each.read(two)
        mixed = a * (b / a) ** share if each.ratio and min(a, b) > 0 else a + (b - a) * share
        near = each.write(near, mixed)
    return near
