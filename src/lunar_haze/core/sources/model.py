"""What gives light: shapes in the place, and sources that carry a shape with amount and colour.

A *shape* is all that decides a source's layer: where it is and how its light leaves it. Amount,
dimmer and colour only scale the layer, so they live beside the shape and never restart a ray.
Lengths in metres, angles in degrees, bearings from north clockwise.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.lat_long import direction_of
from lunar_haze.core.sky.model import ClearSky, CloudLayer, Dome
from lunar_haze.core.sky.refracted_light import apparent_elevation_deg
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.distribution import EVEN, Distribution

Vec3 = tuple[float, float, float]

ROLES = ("key", "fill", "rim", "kicker", "bounce", "practical", "background")


@attrs.frozen
class Sun:
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


@attrs.frozen
class Sky:
    """A dome round the place. It may light it, be what the lens sees, and be met by bounced light, or not."""

    dome: Dome = ClearSky()
    follows_hour: bool = True
    lights: bool = True
    seen: bool = True
    bounces: bool = True


@attrs.frozen(kw_only=True)
class _Lamp:
    """What all lamps share: past ``reach_m`` [m] nothing arrives, and the lens sees the lamp itself, or not."""

    reach_m: float = math.inf
    seen: bool = False


@attrs.frozen
class Ball(_Lamp):
    """A sphere that shines evenly to all sides. ``aim`` is where its level is told in lux."""

    position: Vec3 = (0.0, 0.0, 2.0)
    radius_m: float = 0.05
    aim: Vec3 = attrs.field(default=(0.0, 0.0, 0.0), kw_only=True)


@attrs.frozen
class Tube(_Lamp):
    """A straight tube, Lambertian on its side, dark at its ends, lying along a bearing and tilted up from it."""

    position: Vec3 = (0.0, 0.0, 2.4)
    length_m: float = 1.2
    radius_m: float = 0.013
    bearing_deg: float = 90.0
    tilt_deg: float = 0.0
    aim: Vec3 = attrs.field(default=(0.0, 0.0, 0.0), kw_only=True)

    def along(self) -> Vec3:
        """Unit vector along the tube."""
        return tuple(direction_of(self.tilt_deg, self.bearing_deg).tolist())


@attrs.frozen
class Disc(_Lamp):
    """A flat round emitter that faces ``aim``; Lambertian, one side."""

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.4


@attrs.frozen
class Rectangle(_Lamp):
    """A flat panel that faces ``aim``; Lambertian, one side; its width stays level."""

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    width_m: float = 1.2
    height_m: float = 0.8


@attrs.frozen
class Beam(_Lamp):
    """A lamp with a lens of ``radius_m`` whose light fills a cone.

    ``cone_deg`` is the full angle where the edge has fallen to half; ``edge`` is the share of the
    cone's angle over which it falls, 0 hard to 1 soft. Shutters (left, right, bottom, top) and a
    cut-out stand ``gate_m`` [m] before the lens: a larger lens, or a nearer gate, a softer pattern.
    Each shutter covers a share of the cone's width, 0 open to 2 shut.
    """

    position: Vec3 = (0.0, 0.0, 4.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.06
    cone_deg: float = 40.0
    edge: float = 0.35
    shutters: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    cutout: CutOut | None = None
    gate_m: float = 0.5

    def half_angles_rad(self) -> tuple[float, float]:
        """Angles from the axis where the fall begins and where nothing is left [rad]."""
        half = math.radians(min(max(self.cone_deg, 0.5), 170.0)) / 2
        spread = half * min(max(self.edge, 0.01), 0.98)
        return half - spread / 2, min(half + spread / 2, math.radians(89.5))


@attrs.frozen
class Photometric(_Lamp):
    """A small lamp whose light leaves it as measured. The distribution's nadir points at ``aim``.

    ``turn_deg`` turns it about that axis; ``radius_m`` is how large it looks, which softens shadows.
    """

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.06
    turn_deg: float = 0.0
    distribution: Distribution = EVEN


Lamp = Ball | Tube | Disc | Rectangle | Beam | Photometric
ARRANGEMENTS = ("ring", "row", "grid")


@attrs.frozen
class Rig:
    """``count`` lamps alike, arranged in the plane that faces ``aim``, as one source.

    A ring has the diameter ``width_m``, a row that length, a grid that width and ``height_m``.
    Lamps that ``converge`` all face the aim, others face the same way.
    """

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    lamp: Lamp = Ball(radius_m=0.03)
    arrangement: str = "ring"
    count: int = 8
    width_m: float = 1.0
    height_m: float = 0.6
    turn_deg: float = 0.0
    converge: bool = True

    def members(self) -> tuple[Lamp, ...]:
        """The lamps, each where it stands."""
        side, up, _axis = facing_frame(self.position, self.aim, self.turn_deg)
        found = []
        for x, y in self._spots():
            offset = side * x + up * y
            aim = np.asarray(self.aim) + (0.0 if self.converge else offset)
            where = tuple((np.asarray(self.position) + offset).tolist())
            found.append(attrs.evolve(self.lamp, position=where, aim=tuple(aim.tolist())))
        return tuple(found)

    def _spots(self) -> list[tuple[float, float]]:
        count = min(max(self.count, 1), MOST_MEMBERS)
        if self.arrangement == "ring":
            angles = [2 * math.pi * i / count for i in range(count)]
            return [(self.width_m / 2 * math.cos(a), self.width_m / 2 * math.sin(a)) for a in angles]
        columns = count if self.arrangement == "row" else max(round(math.sqrt(count * self.width_m / self.height_m)), 1)
        rows = math.ceil(count / columns)

        def place(i: int, n: int, extent: float) -> float:
            return extent * (i / (n - 1) - 0.5) if n > 1 else 0.0

        return [
            (place(i % columns, min(columns, count), self.width_m), place(i // columns, rows, self.height_m))
            for i in range(count)
        ]


@attrs.frozen
class Crowd:
    """Many lamps of one colour that are computed as one: each with its share of the light they give together."""

    lamps: tuple[Lamp, ...]
    shares: tuple[float, ...]


@attrs.frozen
class Surface:
    """All surfaces of the place that wear one glowing material; the lens sees it glow, or not."""

    material: str = ""
    seen: bool = True


Shape = Sun | Sky | Ball | Tube | Disc | Rectangle | Beam | Photometric | Rig | Surface
PLACED = (Ball, Tube, Disc, Rectangle, Beam, Photometric, Rig)
#: Lamps with a front: their aim decides how their light leaves them.
AIMED = (Disc, Rectangle, Beam, Photometric, Rig)
MOST_MEMBERS = 64


def facing_frame(position: Vec3, aim: Vec3, turn_deg: float = 0.0) -> tuple[NDArray, NDArray, NDArray]:
    """Side, up and axis (3,) of what stands at a position and faces an aim; the side is level before it is turned."""
    axis = np.subtract(aim, position).astype(float)
    length = float(np.linalg.norm(axis))
    axis = axis / length if length > 1e-9 else np.array([0.0, 0.0, -1.0])
    side = np.cross((0.0, 0.0, 1.0), axis)
    if np.linalg.norm(side) < 1e-6:
        side = np.array([1.0, 0.0, 0.0])
    side = side / np.linalg.norm(side)
    up = np.cross(axis, side)
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    return c * side + s * up, c * up - s * side, axis


@attrs.frozen
class Touches:
    """Which objects of the place a source lights: ``all`` of them, ``only`` these, or all ``but`` these."""

    mode: str = "all"
    objects: tuple[str, ...] = ()

    def spares(self, name: str) -> bool:
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
    of the photographed sky whose sun this is, "" for none.
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
    touches: Touches = Touches()
    holds_level: bool = False
    aims_at_subject: bool = False
    group: str = ""
    lobe_of: str = ""
