"""Photometric amounts of every shape, converted truly between lux, lumen, candela and cd/m2.

Sun, moon and skies may also be told as multiples of what they really give ("true"), which the
air of the moment decides.

A layer is computed for a source of one *canonical unit*: 1 lx for the sun (on a surface facing
it) and the sky (on level ground), 1 cd/m2 for glowing surfaces, 1 lm for lamps. `canonical`
brings an amount in any unit to that one.

Lambertian emitters: Phi = pi L A, axial intensity I = L A. Ball: Phi = 4 pi^2 r^2 L, I = Phi / 4 pi.
Axial illuminance of a disc of radius r at d: E = pi L r^2 / (r^2 + d^2); of a centred rectangle
from four corner configuration factors (Siegel & Howell, Thermal Radiation Heat Transfer, C-11);
of a ball E = pi L (r / d)^2. A tube is a line of elements that each send 2 r L sin(angle to the
axis) per metre, summed over its length. "lx" is meant at a lamp's aim, facing the lamp, in clear air.
"""

import functools
import math
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.errors import QuantityError
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.dome import dome_illuminance_lx, moon_light, sun_light
from lunar_haze.core.sources.distribution import axial_candela, intensity, lumens
from lunar_haze.core.sources.model import (
    Ball,
    Beam,
    Crowd,
    Disc,
    Lamp,
    Photometric,
    Rectangle,
    Rig,
    Shape,
    Sky,
    Source,
    Sun,
    Surface,
    Tube,
    Vec3,
    facing_frame,
)  # fmt: skip

CLEAR_AIR = Atmosphere()
CANONICAL_UNIT = {
    Sun: "lx", Sky: "lx", Surface: "cd/m2", Ball: "lm", Disc: "lm", Rectangle: "lm", Beam: "lm", Tube: "lm",
    Photometric: "lm", Rig: "lm", Crowd: "lm",
}  # fmt: skip
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(32)


def units_of(shape: Shape) -> tuple[str, ...]:
    """Units in which a shape's amount may be given, its canonical one first."""
    if isinstance(shape, (Sun, Sky)):
        return ("true", "lx")
    if isinstance(shape, Surface):
        return (CANONICAL_UNIT[Surface],)
    return ("lm", "cd", "cd/m2", "lx")


@functools.lru_cache(maxsize=256)
def beam_cone_integral_sr(inner_rad: float, outer_rad: float) -> float:
    """Integral of the beam's profile times cosine over the hemisphere [sr], by Gauss-Legendre."""
    nodes, weights = np.polynomial.legendre.leggauss(48)

    def part(a: float, b: float) -> float:
        theta = 0.5 * (b - a) * nodes + 0.5 * (a + b)
        profile = beam_profile(np.cos(theta), math.cos(inner_rad), math.cos(outer_rad))
        return 0.5 * (b - a) * float((weights * profile * np.cos(theta) * np.sin(theta)).sum())

    return 2 * math.pi * (part(0.0, inner_rad) + part(inner_rad, outer_rad))


def natural_light(shape: Sky | Sun, atmosphere: Atmosphere) -> NDArray[np.float64]:
    """What a sun, a moon or a sky really gives (3,) [lx ACEScg]: facing a disc, on level ground under a sky.

    Of a sky only the level is told, since its colours are in its layer.
    """
    if isinstance(shape, Sun):
        if shape.body == "moon":
            return moon_light(atmosphere, shape.altitude_deg, shape.phase_deg)
        return sun_light(atmosphere, shape.altitude_deg)
    return np.full(3, dome_illuminance_lx(shape.dome))


def beam_profile(cos_angle: np.ndarray, cos_inner: float, cos_outer: float) -> np.ndarray:
    """Radiance of the lens over its axial radiance: one inside, a smooth step to zero at the edge."""
    t = np.clip((cos_angle - cos_outer) / max(cos_inner - cos_outer, 1e-7), 0.0, 1.0)
    return t * t * (3 - 2 * t)


def radiance_per_lumen(shape: Lamp) -> float:
    """Axial radiance of a lamp that emits one lumen [cd/m2 per lm]; of a tube, that of its side."""
    if isinstance(shape, Photometric):
        return axial_candela(shape.distribution) / lumens(shape.distribution) / lamp_area_m2(shape)
    if isinstance(shape, Tube):
        return 1.0 / (2 * math.pi**2 * shape.radius_m * shape.length_m)
    if isinstance(shape, Ball):
        return 1.0 / (4 * math.pi**2 * shape.radius_m**2)
    if isinstance(shape, Beam):
        return 1.0 / (math.pi * shape.radius_m**2 * beam_cone_integral_sr(*shape.half_angles_rad()))
    return 1.0 / (math.pi * lamp_area_m2(shape))


def lamp_area_m2(shape: Lamp) -> float:
    """Emitting area as seen along the axis, or from beside a tube [m2]."""
    if isinstance(shape, Tube):
        return 2 * shape.radius_m * shape.length_m
    if isinstance(shape, Rectangle):
        return shape.width_m * shape.height_m
    return math.pi * shape.radius_m**2


def _tube_illuminance_per_radiance(tube: Tube) -> float:
    """Illuminance at a tube's aim, facing its middle [lx per cd/m2]."""
    along = np.asarray(tube.along())
    offset = np.subtract(tube.aim, tube.position)
    distance = max(float(np.linalg.norm(offset)), tube.radius_m)
    ways = offset - along * (_NODES[:, None] * tube.length_m / 2)
    d2 = np.maximum((ways**2).sum(1), tube.radius_m**2)
    sine = np.sqrt(np.maximum(1.0 - (ways @ along) ** 2 / d2, 0.0))
    facing = np.maximum(ways @ offset, 0.0) / (np.sqrt(d2) * distance)
    return float((_WEIGHTS * 2 * tube.radius_m * sine * facing / d2).sum() * tube.length_m / 2)


def axial_illuminance_per_radiance(shape: Lamp, distance_m: float) -> float:
    """Illuminance on a surface facing the lamp on its axis, per axial radiance [lx per cd/m2]."""
    d2 = distance_m**2
    if isinstance(shape, Tube):
        return _tube_illuminance_per_radiance(shape)
    if isinstance(shape, Ball):
        return math.pi * min(shape.radius_m**2 / d2, 1.0)
    if isinstance(shape, Disc):
        return math.pi * shape.radius_m**2 / (shape.radius_m**2 + d2)
    if isinstance(shape, Rectangle):
        a, b = shape.width_m / 2 / distance_m, shape.height_m / 2 / distance_m
        corner = a / math.hypot(1, a) * math.atan(b / math.hypot(1, a))
        corner += b / math.hypot(1, b) * math.atan(a / math.hypot(1, b))
        return 4 * corner / 2
    return lamp_area_m2(shape) / d2


def illuminance_per_lumen(shape: Lamp | Rig) -> float:
    """What one lumen of a lamp delivers at its aim, on a surface that faces it, in clear air [lx/lm].

    What stands in a beam's gate is not counted, nor is the lamp's reach: that keeps a lamp local, and one
    whose reach ends before its aim would have to be without bounds to deliver anything there.
    """
    distance = max(math.dist(shape.position, shape.aim), 1e-3)
    if isinstance(shape, Rig):
        axis = np.subtract(shape.aim, shape.position) / distance
        members = shape.members()
        free = [attrs.evolve(m, reach_m=math.inf) for m in members]
        return sum(illuminance_towards(m, shape.aim, axis) for m in free) / len(members)
    return radiance_per_lumen(shape) * axial_illuminance_per_radiance(shape, distance)


def illuminance_towards(lamp: Lamp, point: Vec3, facing: np.ndarray) -> float:
    """What one lumen of a lamp delivers at a point, on a surface that faces against ``facing`` (3,) [lx/lm].

    Taken as a point lamp unless it aims there.
    """
    offset = np.subtract(point, lamp.position)
    distance = max(float(np.linalg.norm(offset)), 1e-3)
    direction = offset / distance
    cosine = max(float(direction @ facing), 0.0)
    _side, _up, axis = facing_frame(lamp.position, lamp.aim)
    on_axis = isinstance(lamp, (Ball, Tube)) or float(direction @ axis) > 1 - 1e-9
    if on_axis:
        return cosine * illuminance_per_lumen(attrs.evolve(lamp, aim=point)) * reach_window(distance, lamp.reach_m)
    intensity = radiance_per_lumen(lamp) * lamp_area_m2(lamp) * relative_intensity(lamp, direction)
    return cosine * intensity * reach_window(distance, lamp.reach_m) / distance**2


def relative_intensity(lamp: Lamp, direction: np.ndarray) -> float:
    """Intensity of a lamp along a unit direction (3,) over the one along its axis."""
    if isinstance(lamp, Ball):
        return 1.0
    if isinstance(lamp, Tube):
        return math.sqrt(max(1.0 - float(direction @ np.asarray(lamp.along())) ** 2, 0.0))
    turn = lamp.turn_deg if isinstance(lamp, Photometric) else 0.0
    side, up, axis = facing_frame(lamp.position, lamp.aim, turn)
    cosine = float(direction @ axis)
    if isinstance(lamp, Photometric):
        gamma = math.degrees(math.acos(min(max(cosine, -1.0), 1.0)))
        round_deg = math.degrees(math.atan2(float(direction @ up), float(direction @ side)))
        there = float(intensity(lamp.distribution, np.array(gamma), np.array(round_deg)))
        return there / axial_candela(lamp.distribution)
    if isinstance(lamp, Beam):
        inner, outer = lamp.half_angles_rad()
        return max(cosine, 0.0) * float(beam_profile(np.array(cosine), math.cos(inner), math.cos(outer)))
    return max(cosine, 0.0)


def reach_window(distance_m: float, reach_m: float) -> float:
    """Share of a lamp's light that is left at a distance: one near by, smoothly to zero at its reach.

    (1 - (d / r)^4)^2, after Karis (2013), SIGGRAPH course on physically based shading.
    """
    if math.isinf(reach_m):
        return 1.0
    ratio = (distance_m / max(reach_m, 1e-6)) ** 4
    return (1.0 - ratio) ** 2 if ratio < 1.0 else 0.0


def _lumen_per(unit: str, shape: Any) -> float:
    """Lumens of a lamp of one ``unit``."""
    if unit == "lm":
        return 1.0
    if unit == "lx":
        # An aim that a lamp does not face gets nothing, whatever it emits.
        return 1.0 / max(illuminance_per_lumen(shape), 1e-12)
    lamp, count = (shape.lamp, len(shape.members())) if isinstance(shape, Rig) else (shape, 1)
    radiance = radiance_per_lumen(lamp)
    return count / radiance if unit == "cd/m2" else 1.0 / (radiance * lamp_area_m2(lamp))


def canonical(shape: Shape, amount: float, unit: str, atmosphere: Atmosphere = CLEAR_AIR) -> float:
    """``amount`` in the shape's canonical unit. Raises QuantityError for a unit it does not take."""
    if unit not in units_of(shape):
        raise QuantityError(
            f"a {type(shape).__name__.lower()} is not measured in {unit}; use {' or '.join(units_of(shape))}"
        )
    if unit == "true" and isinstance(shape, (Sun, Sky)):
        return amount * float(natural_light(shape, atmosphere) @ LUMINANCE_WEIGHTS)
    if CANONICAL_UNIT[type(shape)] == unit:
        return amount
    return amount * _lumen_per(unit, shape)


def convert(source: Source, unit: str, atmosphere: Atmosphere = CLEAR_AIR) -> float:
    """Amount of ``source`` expressed in another unit its shape takes."""
    amount = canonical(source.shape, source.amount, source.unit, atmosphere)
    if unit == "true":
        natural = canonical(source.shape, 1.0, "true", atmosphere)
        # Under the horizon a sun gives nothing whatever it is told: as much as it gives by itself.
        return amount / natural if natural > 0.0 else 1.0
    return amount if unit == CANONICAL_UNIT[type(source.shape)] else amount / _lumen_per(unit, source.shape)
