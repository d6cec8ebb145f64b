"""The steps of a finish in the order they are listed: their rows, what of them can be on, what a table can tell.

A new step is a module with a value and a `plain_step`, named here, and a field of `model.Finish`.
"""

from collections.abc import Callable
from functools import reduce
from typing import Any, TypeVar

from numpy.typing import NDArray

from lunar_haze.core.finish import suppress
from lunar_haze.core.finish.step import At, Part, Step
from lunar_haze.core.finish.values import (
    COOLEST_K,
    HOTTEST_K,
    MOST_DUV,
    NEUTRAL_K,
    ONES,
    ZEROS,
    Glow,
    Grain,
    Halation,
    Vignette,
    White,
)
from lunar_haze.core.units.row import Row, put_in, row, under

F = TypeVar("F")

#: Steps that have no rows of their own, by the names of their sections.
MASKS, TABLE = "masks", "grading table"
#: The step that has colours beside its rows.
LEANING = "colour of shadows and lights"
#: The step that a hand may let go with the key light.
WHITE = "white balance"
TABLE_STRENGTH = row("table strength", "strength", "strength", "", 0.0, 1.0, 1.0, floor=0.0, ceiling=1.0,
                     tip="how much of the table is taken: 0 is none of it")  # fmt: skip


def _rgb(name: str, span: tuple[float, float], taken: tuple[float, float], usual: float, tip: str) -> tuple[Row, ...]:
    return tuple(
        row(f"{name} {colour}", f"{name}, {colour}", f"cdl.{name}.{i}", "", *span, usual, floor=taken[0],
            ceiling=taken[1], tip=tip)
        for i, colour in enumerate(("red", "green", "blue"))
    )  # fmt: skip


_TONE = under(
    "tone",
    row("finish exposure", "exposure", "grade.exposure", "stops", -3.0, 3.0, 0.0, floor=-10.0, ceiling=10.0,
        tip="of the finished picture alone; the camera's exposure stays"),
    row("contrast", "contrast", "grade.contrast", "", 0.5, 2.0, 1.0, floor=0.1, ceiling=4.0,
        tip="about mid grey: darks darker and lights lighter above 1"),
    row("toe", "toe", "grade.toe", "", -1.0, 1.0, 0.0, floor=-1.0, ceiling=1.0,
        tip="shadows are lifted above 0, sink below it"),
    row("shoulder", "shoulder", "grade.shoulder", "", -1.0, 1.0, 0.0, floor=-1.0, ceiling=1.0,
        tip="lights are held back above 0, spread below it"),
)  # fmt: skip
_WHITE = under(
    WHITE,
    row("neutral", "neutral", "white.kelvin", "K", 2500.0, 12_000.0, NEUTRAL_K, ratio=True, floor=COOLEST_K,
        ceiling=HOTTEST_K, tip="light of this colour is drawn grey: below 6000 K all gets cooler, above it warmer"),
    row("neutral tint", "tint", "white.tint_duv", "", -0.03, 0.03, 0.0, floor=-MOST_DUV, ceiling=MOST_DUV,
        tip="the green (above 0) or magenta of what is drawn grey"),
)  # fmt: skip
_LEANING = under(
    LEANING,
    row("split tone", "split tone", "grade.split", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
        tip="shadows and lights lean towards their colours, their level stays"),
    row("saturation", "saturation", "cdl.saturation", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0,
        tip="0 is grey"),
)  # fmt: skip
_GLOW = under(
    "glow",
    row("glow", "glow", "glow.strength", "", 0.0, 0.5, 0.0, floor=0.0, ceiling=1.0,
        tip="the share of the light that lens and eye scatter round bright things"),
    row("glow size", "size", "glow.size", "", 0.2, 4.0, 1.0, ratio=True, floor=0.05, ceiling=10.0,
        tip="how wide it is scattered; 1 as in the eye"),
    row("halation", "halation", "halation.strength", "", 0.0, 0.4, 0.0, floor=0.0, ceiling=1.0,
        tip="a red halo round bright things, as the back of a film's base mirrors it"),
    row("halation size", "size of halation", "halation.size", "", 0.4, 4.0, 1.0, ratio=True, floor=0.1,
        ceiling=20.0, tip="how wide the halo is; 1 for a usual film"),
)  # fmt: skip
_LENS = under(
    "starburst and ghosts",
    row("starburst", "starburst", "star", "", 0.0, 4.0, 0.0, floor=0.0, ceiling=50.0,
        tip="spikes that the blades make of what is bright; 1 is what the aperture does"),
    row("ghosts", "ghosts", "ghosts", "", 0.0, 10.0, 0.0, floor=0.0, ceiling=500.0,
        tip="faint images of the aperture that very bright things make in the lens; 1 is what coated glass does"),
    row("aperture", "f-number", "aperture.f_number", "", 2.8, 22.0, 11.0, ratio=True, floor=0.7, ceiling=64.0,
        tip="of starburst and ghosts alone: the smaller the aperture, the longer the spikes"),
    row("blades", "blades", "aperture.blades", "", 5.0, 16.0, 6.0, floor=3.0, ceiling=32.0, whole=True,
        tip="of the aperture: as many spikes when even, twice as many when odd"),
    row("aperture turn", "rotation", "aperture.turn_deg", "°", -90.0, 90.0, 8.0, floor=-360.0, ceiling=360.0,
        tip="how far the blades are turned, clockwise"),
)  # fmt: skip
_DUST = under(
    "floating dust",
    row("dust", "dust", "dust.per_m3", "", 0.0, 60.0, 0.0, floor=0.0, ceiling=200.0,
        tip="motes in a cubic metre of the air before the lens, lit by what shines there"),
    row("dust brightness", "brightness of dust", "dust.brightness", "", 10.0, 10_000.0, 300.0, ratio=True,
        floor=0.01, ceiling=1e6,
        tip="1 is what motes a tenth of a millimetre wide do by nature; flakes are brighter"),
)  # fmt: skip
_VIGNETTE = under(
    "vignette",
    row("vignette", "corners", "vignette.stops", "stops", -2.0, 0.0, 0.0, floor=-8.0, ceiling=2.0,
        tip="how much darker the corners are"),
    row("falloff", "lens falloff", "vignette.falloff", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
        tip="the share of the falloff that this lens has by nature: more when it is short"),
)  # fmt: skip
_NIGHT = under(
    "night and grain",
    row("night by eye", "night by eye", "night", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
        tip="as the eye sees it: colours fade and lean to blue as the light falls; 0 is a camera's night"),
    row("acuity", "night acuity", "acuity", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=2.0,
        tip="the darker, the less fine detail, as the eye has it"),
    row("dark noise", "night noise", "dark_noise", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=4.0,
        tip="the darker, the more restless, as the eye has it; it keeps to the frame"),
    row("grain", "grain", "grain.strength", "", 0.0, 12.0, 0.0, floor=0.0, ceiling=64.0,
        tip="how strong, in 8-bit code values"),
    row("grain size", "size of grain", "grain.size", "‰", 1.0, 6.0, 2.0, ratio=True, floor=0.5, ceiling=50.0,
        tip="in ‰ of the frame's height"),
)  # fmt: skip
_CDL = under(
    "CDL",
    *_rgb("slope", (0.5, 2.0), (0.0, 16.0), 1.0, "of the red, green and blue signal in ACEScct"),
    *_rgb("offset", (-0.2, 0.2), (-1.0, 1.0), 0.0, "added to the signal in ACEScct"),
    *_rgb("power", (0.5, 2.0), (0.05, 16.0), 1.0, "of the signal in ACEScct, after slope and offset"),
)  # fmt: skip

STEPS = (
    Step(
        "tone",
        (Part("tone", lambda f: (f.grade.exposure, f.grade.contrast, f.grade.toe, f.grade.shoulder) != (0, 1, 0, 0),
              in_table=True),),
        _TONE,
    ),
    Step(WHITE, (Part(WHITE, lambda f: f.white != White(), in_table=True),), _WHITE),
    Step(
        LEANING,
        (Part("split tone", lambda f: f.grade.split != 0.0, in_table=True),
         Part("saturation", lambda f: f.cdl.saturation != 1.0, in_table=True)),
        _LEANING, ("grade.shadows", "grade.lights"),
    ),
    Step(
        "glow",
        (Part("glow", lambda f: f.glow.strength != Glow().strength),
         Part("halation", lambda f: f.halation.strength != Halation().strength)),
        _GLOW,
    ),
    Step(
        "starburst and ghosts",
        (Part("starburst", lambda f: f.star != 0.0), Part("ghosts", lambda f: f.ghosts != 0.0)),
        _LENS,
    ),
    Step("floating dust", (Part("floating dust", lambda f: f.dust.per_m3 != 0.0),), _DUST),
    Step("vignette", (Part("vignette", lambda f: f.vignette != Vignette()),), _VIGNETTE),
    Step(
        "night and grain",
        (Part("night by eye", lambda f: f.night != 0.0),
         Part("night acuity", lambda f: f.acuity != 0.0),
         Part("night noise", lambda f: f.dark_noise != 0.0),
         Part("grain", lambda f: f.grain.strength != Grain().strength)),
        _NIGHT,
    ),
    Step("CDL", (Part("CDL", lambda f: (f.cdl.slope, f.cdl.offset, f.cdl.power) != (ONES, ZEROS, ONES),
                      in_table=True),), _CDL),
    suppress.STEP,
    Step(MASKS, (Part("masks", lambda f: bool(f.masks_at_work)),), fields=("masks",)),
    Step(TABLE, (Part(TABLE, lambda f: f.table is not None, in_table=True),), fields=("table",)),
)  # fmt: skip
#: Their names: what is turned off and on, copied and taken alone.
STEP_NAMES = tuple(step.name for step in STEPS)
FINISH_ROWS: tuple[Row, ...] = tuple(row for step in STEPS for row in step.rows)
#: The steps without a kernel, by where they are applied.
PLAIN = {at: tuple(step for step in STEPS if step.at is at) for at in At}


def step_named(name: str) -> Step | None:
    """The step of that name, None where there is none."""
    return next((step for step in STEPS if step.name == name), None)


def put_step(finish: F, other: F, step: Step) -> F:
    """``finish`` with all that a step holds as ``other`` has it."""
    for each in step.rows:
        finish = each.write(finish, each.read(other))
    for path in step.fields:
        fields = path.split(".")
        finish = put_in(finish, fields, reduce(getattr, fields, other))
    return finish


def plain_steps(at: At, finish: Any) -> tuple[tuple[Callable[[NDArray, Any], NDArray], Any], ...]:
    """The steps without a kernel that are on at one place, in their order: how each is applied, and its value."""
    return tuple(
        (step.apply, getattr(finish, step.field)) for step in PLAIN[at] if step.apply is not None and step.is_on(finish)
    )


def applied(at: At, picture: NDArray, finish: Any) -> NDArray:
    """A picture after the steps without a kernel at one place; unchanged, and the same array, when none is on.

    Arrays as `At` has them: (h, w, 3) scene light [cd/m2] or (..., 3) exposed light.
    """
    for apply, value in plain_steps(at, finish):
        picture = apply(picture, value)
    return picture
