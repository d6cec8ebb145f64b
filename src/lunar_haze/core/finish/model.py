"""The finish of a look: what becomes of its light on the way to the picture, as one frozen value.

Steps stand in a fixed order: masks, floating dust, stars, ghosts, glow and halation, night by eye, white balance,
vignette (in scene light); exposure and contrast, toe and shoulder, CDL, split tone, table (on exposed light); view;
grain. A step at its usual numbers is off and costs nothing. Sizes are shares of the frame's height, so that a finish
does not change with the picture's size.
"""

import math
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.mask_model import Mask
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
class Dust:
    """Dust that floats before the lens: motes in a cubic metre, and how bright: 1 as those 0.1 mm wide by nature."""

    per_m3: float = 0.0
    brightness: float = 300.0


@attrs.frozen
class Aperture:
    """The lens's aperture as stars and ghosts show it: f-number, how many blades it has, how far it is turned [deg]."""

    f_number: float = 11.0
    blades: float = 6.0
    turn_deg: float = 8.0

    @property
    def sides(self) -> int:
        """Blades as a whole number."""
        return round(self.blades)

    @property
    def normals(self) -> NDArray[np.float64]:
        """Unit vectors (sides, 2) out of each edge, right and down."""
        angles = math.radians(self.turn_deg) + 2.0 * math.pi * np.arange(self.sides) / self.sides
        return np.stack([np.sin(angles), -np.cos(angles)], 1)


@attrs.frozen
class Halation:
    """Light that a film's base mirrors back: ``strength`` is its share of red light, in [0, 1]; ``size`` the base's
    thickness over a usual one.
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


#: Steps that have no rows of their own, by the names of their sections.
MASKS, TABLE = "masks", "grading table"
#: The step that has colours beside its rows.
LEANING = "colour of shadows and lights"
#: The step that a hand may let go with the key light.
WHITE = "white balance"


@attrs.frozen
class Finish:
    """All steps; ``masks`` come first. ``night`` is how much of the night is seen by the eye rather than by a camera,
    ``acuity`` and ``dark_noise`` how much of what the dark does to it, in [0, 1]; ``star`` and ``ghosts`` how strong
    these are, 1 as the lens has them; ``white_follows`` keeps the white balance in step with the key light; ``view``
    the name of the view (`lunar_haze.core.picture.views`). ``muted`` leaves all but the view out, ``off`` some of the
    STEPS.
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
    star: float = 0.0
    ghosts: float = 0.0
    aperture: Aperture = Aperture()
    halation: Halation = Halation()
    acuity: float = 0.0
    dark_noise: float = 0.0
    off: tuple[str, ...] = ()
    white_follows: bool = False
    dust: Dust = Dust()

    @property
    def in_force(self) -> "Finish":
        """The finish as it is applied: without its steps when it is muted, or without those that are off."""
        if self.muted:
            return Finish(view=self.view)
        if not self.off:
            return self
        found = self
        for each in FINISH_ROWS:
            if each.section in self.off:
                found = each.write(found, each.usual)
        changes: dict[str, Any] = {"off": ()}
        if MASKS in self.off:
            changes["masks"] = ()
        if TABLE in self.off:
            changes["table"] = None
        return attrs.evolve(found, **changes)

    @property
    def masks_at_work(self) -> tuple[Mask, ...]:
        """The masks that change something now; those that are alone, where there are any."""
        masks = self.in_force.masks
        chosen = [mask for mask in masks if mask.alone and not mask.muted] or masks
        return tuple(mask for mask in chosen if mask.is_at_work)


TABLE_STRENGTH = row("table strength", "strength", "strength", "", 0.0, 1.0, 1.0, floor=0.0, ceiling=1.0,
                     tip="how much of the table is taken: 0 is none of it")  # fmt: skip


def _rgb(name: str, span: tuple[float, float], taken: tuple[float, float], usual: float, tip: str) -> tuple[Row, ...]:
    return tuple(
        row(f"{name} {colour}", f"{name}, {colour}", f"cdl.{name}.{i}", "", *span, usual, floor=taken[0],
            ceiling=taken[1], tip=tip)
        for i, colour in enumerate(("red", "green", "blue"))
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
        WHITE,
        row("neutral", "neutral", "white.kelvin", "K", 2500.0, 12_000.0, NEUTRAL_K, ratio=True, floor=COOLEST_K,
            ceiling=HOTTEST_K, tip="light of this colour is drawn grey: below 6000 K all gets cooler, above it warmer"),
        row("neutral tint", "tint", "white.tint_duv", "", -0.03, 0.03, 0.0, floor=-MOST_DUV, ceiling=MOST_DUV,
            tip="the green (above 0) or magenta of what is drawn grey"),
    ),
    *under(
        LEANING,
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
        row("halation", "halation", "halation.strength", "", 0.0, 0.4, 0.0, floor=0.0, ceiling=1.0,
            tip="a red halo round bright things, as the back of a film's base mirrors it"),
        row("halation size", "size of halation", "halation.size", "", 0.4, 4.0, 1.0, ratio=True, floor=0.1,
            ceiling=20.0, tip="how wide the halo is; 1 for a usual film"),
    ),
    *under(
        "starburst and ghosts",
        row("starburst", "starburst", "star", "", 0.0, 4.0, 0.0, floor=0.0, ceiling=50.0,
            tip="spikes that the blades make of what is bright; 1 is what the aperture does"),
        row("ghosts", "ghosts", "ghosts", "", 0.0, 10.0, 0.0, floor=0.0, ceiling=500.0,
            tip="faint images of the aperture that very bright things make in the lens; 1 is what coated glass does"),
        row("aperture", "f-number", "aperture.f_number", "", 2.8, 22.0, 11.0, ratio=True, floor=0.7, ceiling=64.0,
            tip="of starburst and ghosts alone: the smaller the aperture, the longer the spikes"),
        row("blades", "blades", "aperture.blades", "", 5.0, 16.0, 6.0, floor=3.0, ceiling=32.0, whole=True,
            tip="of the aperture: as many spikes when even, twice as many when odd"),
        row("aperture turn", "turn", "aperture.turn_deg", "°", -90.0, 90.0, 8.0, floor=-360.0, ceiling=360.0,
            tip="how far the blades are turned, clockwise"),
    ),
    *under(
        "floating dust",
        row("dust", "dust", "dust.per_m3", "", 0.0, 60.0, 0.0, floor=0.0, ceiling=200.0,
            tip="motes in a cubic metre of the air before the lens, lit by what shines there"),
        row("dust brightness", "brightness of dust", "dust.brightness", "", 10.0, 10_000.0, 300.0, ratio=True,
            floor=0.01, ceiling=1e6,
            tip="1 is what motes a tenth of a millimetre wide do by nature; flakes are brighter"),
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
        row("acuity", "night acuity", "acuity", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=2.0,
            tip="the darker, the less fine detail, as the eye has it"),
        row("dark noise", "night noise", "dark_noise", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=4.0,
            tip="the darker, the more restless, as the eye has it; it keeps to the frame"),
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


#: The steps that are turned off and on, copied and taken alone, by the names of their sections.
STEPS = (*dict.fromkeys(each.section for each in FINISH_ROWS), MASKS, TABLE)


def between(one: Finish, two: Finish, share: float) -> Finish:
    """A finish between two: every number of its rows goes evenly, ratios by factors; the rest is the nearer one's."""
    near = one if share < 0.5 else two
    for each in FINISH_ROWS:
        a, b = each.read(one), each.read(two)
        mixed = a * (b / a) ** share if each.ratio and min(a, b) > 0 else a + (b - a) * share
        near = each.write(near, mixed)
    return near
