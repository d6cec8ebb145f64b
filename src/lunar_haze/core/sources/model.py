"""What gives light: shapes in the place, and sources that carry a shape with amount and colour.

A *shape* is all that decides a source's layer: where it is and how its light leaves it. Amount,
dimmer and colour only scale the layer, so they live beside the shape and never restart a ray.
Lengths in metres, angles in degrees, bearings from north clockwise.
"""

import math

import attrs

from lunar_haze.core.sky.hours import direction_of

Vec3 = tuple[float, float, float]

ROLES = ("key", "fill", "rim", "kicker", "bounce", "practical", "background")


@attrs.frozen
class Sun:
    """A far disc: the sun, or the moon. ``diameter_deg`` is its apparent size."""

    altitude_deg: float = 35.0
    azimuth_deg: float = 200.0
    diameter_deg: float = 0.53
    follows_hour: bool = True

    def towards(self) -> Vec3:
        """Unit vector from the place to the disc."""
        return tuple(direction_of(self.altitude_deg, self.azimuth_deg).tolist())


@attrs.frozen
class Sky:
    """The sky as a dome whose colours follow the height of a sun that need not be lit."""

    sun_altitude_deg: float = 35.0
    sun_azimuth_deg: float = 200.0
    follows_hour: bool = True


@attrs.frozen
class Ball:
    """A sphere that shines evenly to all sides."""

    position: Vec3 = (0.0, 0.0, 2.0)
    radius_m: float = 0.05


@attrs.frozen
class Disc:
    """A flat round emitter that faces ``aim``; Lambertian, one side."""

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.4


@attrs.frozen
class Rectangle:
    """A flat panel that faces ``aim``; Lambertian, one side; its width stays level."""

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    width_m: float = 1.2
    height_m: float = 0.8


@attrs.frozen
class Beam:
    """A lamp with a lens of ``radius_m`` whose light fills a cone.

    ``cone_deg`` is the full angle where the edge has fallen to half; ``edge`` is the share of the
    cone's angle over which it falls, 0 hard to 1 soft.
    """

    position: Vec3 = (0.0, 0.0, 4.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    radius_m: float = 0.06
    cone_deg: float = 40.0
    edge: float = 0.35

    def half_angles_rad(self) -> tuple[float, float]:
        """Angles from the axis where the fall begins and where nothing is left [rad]."""
        half = math.radians(min(max(self.cone_deg, 0.5), 170.0)) / 2
        spread = half * min(max(self.edge, 0.01), 0.98)
        return half - spread / 2, min(half + spread / 2, math.radians(89.5))


@attrs.frozen
class Surface:
    """All surfaces of the place that wear one glowing material."""

    material: str = ""


Shape = Sun | Sky | Ball | Disc | Rectangle | Beam | Surface
PLACED = (Ball, Disc, Rectangle, Beam)
AIMED = (Disc, Rectangle, Beam)


@attrs.frozen
class Source:
    """One source of a look: shape, amount, colour and its standing in the balance.

    ``amount`` is in ``unit`` (lx, lm, cd or cd/m2); ``dimmer_stops`` lies on top. ``kelvin`` of
    None leaves a sky or a glowing surface its own colours. ``gel`` is an ACEScg factor.
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


def subject_distance(shape: Shape) -> float:
    """Distance at which "lux at the aim" is meant [m]: to the aim, or one metre for a ball."""
    if isinstance(shape, AIMED):
        return max(math.dist(shape.position, shape.aim), 1e-3)
    return 1.0
