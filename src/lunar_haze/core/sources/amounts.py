"""Photometric amounts of every shape, converted truly between lux, lumen, candela and cd/m2.

Sun, moon and skies may also be told as multiples of what they really give ("true"), which the
air of the moment decides.

A layer is computed for a source of one *canonical unit*: 1 lx for the sun (on a surface facing
it) and the sky (on level ground), 1 cd/m2 for glowing surfaces, 1 lm for lamps. `canonical`
brings an amount in any unit to that one.

The closed forms of each kind of lamp stand with it. "lx" is meant at a lamp's aim, facing the lamp, in clear air.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.errors import QuantityError
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.dome import dome_illuminance_lx, moon_light, sun_light
from lunar_haze.core.sources.array import Placed, lamp_of, lamps_of
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import Shape, kind_of
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import Sky, Source, Sun

CLEAR_AIR = Atmosphere()


def units_of(shape: Shape) -> tuple[str, ...]:
    """Units in which a shape's amount may be given, the one to begin with first."""
    return kind_of(shape).units


def natural_light(shape: Sky | Sun, atmosphere: Atmosphere) -> NDArray[np.float64]:
    """What a sun, a moon or a sky really gives (3,) [lx ACEScg]: facing a disc, on level ground under a sky.

    Of a sky only the level is told, since its colours are in its layer.
    """
    if isinstance(shape, Sun):
        if shape.body == "moon":
            return moon_light(atmosphere, shape.altitude_deg, shape.phase_deg)
        return sun_light(atmosphere, shape.altitude_deg)
    return np.full(3, dome_illuminance_lx(shape.dome))


def illuminance_per_lumen(shape: Placed) -> float:
    """What one lumen of a lamp delivers at its aim, on a surface that faces it, in clear air [lx/lm].

    What stands in a beam's gate is not counted, nor is the lamp's reach: that keeps a lamp local, and one
    whose reach ends before its aim would have to be without bounds to deliver anything there.
    """
    distance = max(math.dist(shape.position, shape.aim), 1e-3)
    if isinstance(shape, Lamp):
        return shape.radiance_per_lumen() * shape.illuminance_per_radiance(distance)
    axis = np.subtract(shape.aim, shape.position) / distance
    free = [attrs.evolve(lamp, reach_m=math.inf) for lamp in lamps_of(shape)]
    return sum(illuminance_towards(lamp, shape.aim, axis) for lamp in free) / len(free)


def illuminance_towards(lamp: Lamp, point: Vec3, facing: np.ndarray) -> float:
    """What one lumen of a lamp delivers at a point, on a surface that faces against ``facing`` (3,) [lx/lm].

    Taken as a point lamp unless it aims there.
    """
    offset = np.subtract(point, lamp.position)
    distance = max(float(np.linalg.norm(offset)), 1e-3)
    direction = offset / distance
    cosine = max(float(direction @ facing), 0.0)
    _side, _up, axis = lamp.frame()
    if lamp.shines_alike or float(direction @ axis) > 1 - 1e-9:
        return cosine * illuminance_per_lumen(lamp.moved(aim=point)) * reach_window(distance, lamp.reach_m)
    intensity = lamp.radiance_per_lumen() * lamp.area_m2() * lamp.relative_intensity(direction)
    return cosine * intensity * reach_window(distance, lamp.reach_m) / distance**2


def reach_window(distance_m: float, reach_m: float) -> float:
    """Share of a lamp's light that is left at a distance: one near by, smoothly to zero at its reach.

    (1 - (d / r)^4)^2, after Karis (2013), SIGGRAPH course on physically based shading.
    """
    if math.isinf(reach_m):
        return 1.0
    ratio = (distance_m / max(reach_m, 1e-6)) ** 4
    return (1.0 - ratio) ** 2 if ratio < 1.0 else 0.0


def _lumen_per(unit: str, shape: Placed) -> float:
    """Lumens of a lamp of one ``unit``."""
    if unit == "lm":
        return 1.0
    if unit == "lx":
        # An aim that a lamp does not face gets nothing, whatever it emits.
        return 1.0 / max(illuminance_per_lumen(shape), 1e-12)
    lamp, count = lamp_of(shape), len(lamps_of(shape))
    radiance = lamp.radiance_per_lumen()
    # An array is as bright as each of its lamps, and as intense as one of them.
    return count / radiance if unit == "cd/m2" else 1.0 / (radiance * lamp.area_m2())


def canonical(shape: Shape, amount: float, unit: str, atmosphere: Atmosphere = CLEAR_AIR) -> float:
    """``amount`` in the shape's canonical unit. Raises QuantityError for a unit it does not take."""
    kind = kind_of(shape)
    if unit not in kind.units:
        raise QuantityError(f"a {kind.name} is not measured in {unit}; use {' or '.join(kind.units)}")
    if unit == "true" and isinstance(shape, (Sun, Sky)):
        return amount * float(natural_light(shape, atmosphere) @ LUMINANCE_WEIGHTS)
    if unit == kind.canonical_unit or not isinstance(shape, Placed):
        return amount
    return amount * _lumen_per(unit, shape)


def convert(source: Source, unit: str, atmosphere: Atmosphere = CLEAR_AIR) -> float:
    """Amount of ``source`` expressed in another unit its shape takes."""
    shape = source.shape
    amount = canonical(shape, source.amount, source.unit, atmosphere)
    if unit == "true":
        natural = canonical(shape, 1.0, "true", atmosphere)
        # Under the horizon a sun gives nothing whatever it is told: as much as it gives by itself.
        return amount / natural if natural > 0.0 else 1.0
    if unit == kind_of(shape).canonical_unit or not isinstance(shape, Placed):
        return amount
    return amount / _lumen_per(unit, shape)
