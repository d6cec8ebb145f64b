"""What gives light: shapes in the place, and sources that carry a shape with amount and colour.

A *shape* is all that decides a source's layer: where it is and how its light leaves it. Amount,
dimmer and colour only scale the layer, so they live beside the shape and never restart a ray.
Lengths in metres, angles in degrees, bearings from north clockwise. Lamps have modules of their own.
"""

from typing import Any

import attrs

from lunar_haze.core.sky.kinds import Dome
from lunar_haze.core.sky.lat_long import direction_of
from lunar_haze.core.sky.model import ClearSky, CloudLayer, plain_clouds
from lunar_haze.core.sky.refracted_light import apparent_elevation_deg
from lunar_haze.core.sources.array import LampArray
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.beam import Beam
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.flat import Disc, Rectangle
from lunar_haze.core.sources.flicker_kinds import Flicker
from lunar_haze.core.sources.ies_lamp import IesLamp
from lunar_haze.core.sources.kinds import Shape, kind_of, source_kind
from lunar_haze.core.sources.oval_beam import OvalBeam
from lunar_haze.core.sources.tube import Tube
from lunar_haze.core.units.row import Row, row, under

#: The kinds of lamp that ship: to bring in their modules declares them.
LAMPS = (Ball, Beam, Disc, Rectangle, IesLamp, OvalBeam, Tube, LampArray)
DIMMER_ROW = row(
    "dimmer", "dimmer", "dimmer_stops", "stops", -10.0, 6.0, 0.0, floor=-40.0, ceiling=20.0,
    tip="a mix: it moves the picture at once and costs no render", section="level",
)  # fmt: skip
ACTS_ON_ROWS = under("acts on", *(
    row(name, label, field, "", 0.0, 2.0, 1.0, floor=0.0, ceiling=100.0, tip=tip)
    for name, label, field, tip in (
        ("matte", "diffuse", "matte", "how much it adds to diffuse reflection"),
        ("highlights", "specular", "highlights", "how much it adds to highlights; 0 for a fill that leaves no trace"),
        ("shows in air", "shows in air", "air_factor", "how much it shows in the mist"),
    )
))  # fmt: skip
#: Rows of a source whose spans depend on nothing else.
SOURCE_ROWS = (DIMMER_ROW, *ACTS_ON_ROWS)

ROLES = ("key", "fill", "rim", "kicker", "bounce", "practical", "background")


def _by_hand(value: "Sun", **changes: Any) -> "Sun":
    return attrs.evolve(value, follows_hour=False, **changes)


@source_kind(
    "sun", units=("true", "lx"), placed=False, aimed=False, is_lamp=False,
    rows=(
        Row(
            "elevation", "elevation", "°", -18.0, 90.0, 35.0, lambda s: s.altitude_deg,
            lambda s, v: _by_hand(s, altitude_deg=v), floor=-90.0, ceiling=90.0, path=("altitude_deg",),
            tip="above the horizon; set by hand it no longer follows the hour",
        ),
        Row(
            "azimuth", "azimuth", "°", 0.0, 360.0, 180.0, lambda s: s.azimuth_deg,
            lambda s, v: _by_hand(s, azimuth_deg=v % 360.0), tip="from north, clockwise", period=360.0,
            path=("azimuth_deg",),
        ),
        row("size", "size", "diameter_deg", "°", 0.3, 10.0, 0.53, ratio=True, floor=0.1, ceiling=45.0,
            tip="apparent size: larger throws softer shadows"),
        Row(
            "phase", "phase", "°", 0.0, 180.0, 0.0, lambda s: s.phase_deg, lambda s, v: _by_hand(s, phase_deg=v),
            path=("phase_deg",), floor=0.0, ceiling=180.0,
            tip="0 full, 90 half, 180 new", when=lambda s: s.body == "moon",
        ),
    ),
)  # fmt: skip
@attrs.frozen
class Sun(Shape):
    """A far disc: the sun, or the moon (``body``). Its altitude is true; the air lifts it a little.

    ``diameter_deg`` is its apparent size. The moon is lit as its phase angle (0 full, 180 new) has it,
    from ``limb_deg``, counted on its disc from the level towards the zenith. ``clouds`` let it
    through by patches.
    """

    altitude_deg: float = 35.0
    azimuth_deg: float = 200.0
    diameter_deg: float = 0.53
    follows_hour: bool = True
    body: str = "sun"
    phase_deg: float = 0.0
    limb_deg: float = 0.0
    clouds: tuple[CloudLayer, ...] = ()

    def towards(self) -> Vec3:
        """Unit vector from the place to where the disc is seen."""
        return tuple(direction_of(apparent_elevation_deg(self.altitude_deg), self.azimuth_deg).tolist())

    def plain(self) -> "Sun":
        # Whether the hour or a hand set its place is no light.
        return attrs.evolve(self, follows_hour=False, clouds=plain_clouds(self.clouds))


#: The moon as it is seen from the earth: half a degree across.
MOON = Sun(body="moon", diameter_deg=0.52)


@source_kind("sky", units=("true", "lx"), placed=False, aimed=False, is_lamp=False)
@attrs.frozen
class Sky(Shape):
    """A dome round the place. It may light it, be what the lens sees, and be met by bounced light, or not."""

    dome: Dome = ClearSky()
    follows_hour: bool = True
    lights: bool = True
    seen: bool = True
    bounces: bool = True

    def plain(self) -> "Sky":
        return attrs.evolve(self, follows_hour=False, dome=self.dome.plain())


@source_kind("glowing surface", tag="surface", units=("cd/m2",), placed=False, aimed=False, is_lamp=False)
@attrs.frozen
class Surface(Shape):
    """All surfaces of the place that wear one glowing material; the lens sees it glow, or not."""

    material: str = ""
    seen: bool = True


def is_aimed(shape: Shape) -> bool:
    """Whether a shape has a front: its aim decides how its light leaves it."""
    return kind_of(shape).aimed


@attrs.frozen
class LightLinking:
    """Which objects of the place a source lights: ``all`` of them, ``only`` these, or all ``but`` these."""

    mode: str = "all"
    objects: tuple[str, ...] = ()

    def excludes(self, name: str) -> bool:
        """Whether an object is not lit."""
        return self.mode != "all" and (name in self.objects) == (self.mode == "but")


@attrs.frozen
class Source:
    """One source of a look: shape, amount, colour and its standing in the balance.

    ``amount`` is in ``unit``: lx, lm, cd or cd/m2, or "true", times what sun, moon or sky really
    give; ``dimmer_stops`` lies on top. ``kelvin`` of None leaves a source its own colours. ``gel``
    is an ACEScg factor. ``matte``, ``highlights`` and ``air_factor`` are how much it acts on matte
    reflection, on highlights and in the air. ``objects`` are those it lights (``only``), or does
    not (``but``). ``holds_level`` keeps what it delivers at its aim while it moves or changes;
    ``aims_at_subject`` turns it to the shot's subject whenever that is another. ``lobe_of`` is the id
    of the photographed sky whose sun this is, "" for none. ``flicker`` is how it changes by itself over time.
    """

    id: str
    name: str
    shape: Shape
    amount: float = 1.0
    unit: str = "lm"
    dimmer_stops: float = 0.0
    kelvin: float | None = None
    tint_duv: float = 0.0
    gel: Vec3 = (1.0, 1.0, 1.0)
    role: str = ""
    muted: bool = False
    alone: bool = False
    air_factor: float = 1.0
    matte: float = 1.0
    highlights: float = 1.0
    linking: LightLinking = LightLinking()
    holds_level: bool = False
    aims_at_subject: bool = False
    group: str = ""
    lobe_of: str = ""
    flicker: Flicker = Flicker()
