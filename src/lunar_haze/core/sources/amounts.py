"""Photometric amounts of every shape, converted truly between lux, lumen, candela and cd/m2.

A layer is computed for a source of one *canonical unit*: 1 lx for the sun (on a surface facing
it) and the sky (on level ground), 1 cd/m2 for glowing surfaces, 1 lm for lamps. `canonical`
brings an amount in any unit to that one.

Lambertian emitters: Phi = pi L A, axial intensity I = L A. Ball: Phi = 4 pi^2 r^2 L, I = Phi / 4 pi.
Axial illuminance of a disc of radius r at d: E = pi L r^2 / (r^2 + d^2); of a centred rectangle
from four corner configuration factors (Siegel & Howell, Thermal Radiation Heat Transfer, C-11);
of a ball E = pi L (r / d)^2.
"""

import functools
import math

import numpy as np

from lunar_haze.core.errors import QuantityError
from lunar_haze.core.sources.model import (
    Ball,
    Beam,
    Disc,
    Rectangle,
    Shape,
    Sky,
    Source,
    Sun,
    Surface,
    subject_distance,
)  # fmt: skip

CANONICAL_UNIT = {
    Sun: "lx", Sky: "lx", Surface: "cd/m2", Ball: "lm", Disc: "lm", Rectangle: "lm", Beam: "lm",
}  # fmt: skip


def units_of(shape: Shape) -> tuple[str, ...]:
    """Units in which a shape's amount may be given, its canonical one first."""
    if isinstance(shape, (Sun, Sky, Surface)):
        return (CANONICAL_UNIT[type(shape)],)
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


def beam_profile(cos_angle: np.ndarray, cos_inner: float, cos_outer: float) -> np.ndarray:
    """Radiance of the lens over its axial radiance: one inside, a smooth step to zero at the edge."""
    t = np.clip((cos_angle - cos_outer) / max(cos_inner - cos_outer, 1e-7), 0.0, 1.0)
    return t * t * (3 - 2 * t)


def radiance_per_lumen(shape: Shape) -> float:
    """Axial radiance of a lamp that emits one lumen [cd/m2 per lm]."""
    if isinstance(shape, Ball):
        return 1.0 / (4 * math.pi**2 * shape.radius_m**2)
    if isinstance(shape, Beam):
        return 1.0 / (math.pi * shape.radius_m**2 * beam_cone_integral_sr(*shape.half_angles_rad()))
    return 1.0 / (math.pi * lamp_area_m2(shape))


def lamp_area_m2(shape: Shape) -> float:
    """Emitting area as seen along the axis [m2]."""
    if isinstance(shape, Rectangle):
        return shape.width_m * shape.height_m
    if isinstance(shape, (Ball, Disc, Beam)):
        return math.pi * shape.radius_m**2
    raise TypeError(f"{type(shape).__name__} has no lamp area")


def axial_illuminance_per_radiance(shape: Shape, distance_m: float) -> float:
    """Illuminance on a surface facing the lamp on its axis, per axial radiance [lx per cd/m2]."""
    d2 = distance_m**2
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


def _lumen_per(unit: str, shape: Shape) -> float:
    """Lumens of a lamp of one ``unit``."""
    radiance = radiance_per_lumen(shape)
    per_lumen = {
        "lm": 1.0,
        "cd/m2": radiance,
        "cd": radiance * lamp_area_m2(shape),
        "lx": radiance * axial_illuminance_per_radiance(shape, subject_distance(shape)),
    }
    return 1.0 / per_lumen[unit]


def canonical(shape: Shape, amount: float, unit: str) -> float:
    """``amount`` in the shape's canonical unit. Raises QuantityError for a unit it does not take."""
    if unit not in units_of(shape):
        raise QuantityError(
            f"a {type(shape).__name__.lower()} is not measured in {unit}; use {' or '.join(units_of(shape))}"
        )
    if CANONICAL_UNIT[type(shape)] == unit:
        return amount
    return amount * _lumen_per(unit, shape)


def convert(source: Source, unit: str) -> float:
    """Amount of ``source`` expressed in another unit its shape takes."""
    amount = canonical(source.shape, source.amount, source.unit)
    return amount if unit == CANONICAL_UNIT[type(source.shape)] else amount / _lumen_per(unit, source.shape)
