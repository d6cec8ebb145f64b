"""Light that falls on level ground over a plan, source by source: direct light, for judging where it lies.

Lambert's cosine and the inverse square from every lamp's middle, shade by rays. What is bounced is left to the
picture. As everywhere, one source's light is kept per unit of it and mixed.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium, optical_depth
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex, sphere_directions
from lunar_haze.core.sources.amounts import reach_window
from lunar_haze.core.sources.array import Placed, lamps_of
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import Sky, Sun, Surface

#: Directions in which the sky is asked for, and parts of a glowing material that count as lamps of their own.
SKY_WAYS, MOST_PARTS = 24, 24
#: Rays set out so far over the ground [m].
LIFT_M = 0.03
#: As far as mist is asked for towards sun and sky [m].
_FAR_M = 3000.0


def light_on_ground(
    shape: Shape, points: NDArray[np.float64], index: RayIndex, place: Place, medium: Medium
) -> NDArray[np.float64]:
    """Illuminance (n,) [lx per canonical unit] on level ground at ``points`` (n, 3) [m], of one source.

    The canonical unit is lx of a sun that is faced and of a sky over open ground, lm of a lamp, cd/m2 of a glowing
    material.
    """
    lifted = points + np.array([0.0, 0.0, LIFT_M])
    match shape:
        case Sun():
            return _of_sun(shape, lifted, index, medium)
        case Sky():
            return _of_sky(lifted, index, medium) if shape.lights else np.zeros(len(points))
        case Surface():
            return _of_material(shape, lifted, index, place, medium)
    if not isinstance(shape, Placed):
        return np.zeros(len(points))
    lamps = lamps_of(shape)
    return sum((_of_lamp(lamp, lifted, index, medium) for lamp in lamps), np.zeros(len(points))) / len(lamps)


def _through_all(medium: Medium, points: NDArray, way: NDArray) -> NDArray[np.float64]:
    """Share of light (n,) that all the mist from far away along a direction lets through to points."""
    return np.exp(-np.asarray(optical_depth(medium, points + way * _FAR_M, points), float))


def _of_sun(sun: Sun, points: NDArray, index: RayIndex, medium: Medium) -> NDArray[np.float64]:
    towards = np.asarray(sun.towards())
    if towards[2] <= 0:
        return np.zeros(len(points))
    _distance, hit = index.nearest(points, towards)
    return np.where(hit < 0, towards[2], 0.0) * _through_all(medium, points, towards)


def _of_sky(points: NDArray, index: RayIndex, medium: Medium) -> NDArray[np.float64]:
    """The share of an even sky that is open, each direction by its cosine; what mist scatters of it goes on down."""
    ways = sphere_directions(2 * SKY_WAYS)
    ways = ways[ways[:, 2] > 0]
    total = np.zeros(len(points))
    for way in ways:
        _distance, hit = index.nearest(points, way)
        # Most of what droplets scatter goes on nearly as it came.
        total += np.where(hit < 0, way[2], 0.0) * np.sqrt(_through_all(medium, points, way))
    return total / ways[:, 2].sum()


def _arriving(points: NDArray, spot: NDArray, index: RayIndex, medium: Medium) -> tuple[NDArray, NDArray, NDArray]:
    """Unit directions (n, 3) from a spot to points, distances (n,), and what arrives on level ground per candela."""
    offset = points - spot
    distance = np.maximum(np.linalg.norm(offset, axis=1), 0.05)
    direction = offset / distance[:, None]
    light = np.maximum(-direction[:, 2], 0.0) / distance**2
    lit = np.flatnonzero(light > 0)
    seen = np.zeros(len(points))
    if len(lit):
        seen[lit] = index.sees(spot, points[lit], 0.02)
        seen[lit] *= np.exp(-np.asarray(optical_depth(medium, spot, points[lit]), float))
    return direction, distance, light * seen


def _of_lamp(lamp: Lamp, points: NDArray, index: RayIndex, medium: Medium) -> NDArray[np.float64]:
    direction, distance, light = _arriving(points, np.asarray(lamp.position, float), index, medium)
    axial = lamp.radiance_per_lumen() * lamp.area_m2()
    for n in np.flatnonzero(light):
        light[n] *= axial * lamp.relative_intensity(direction[n]) * reach_window(float(distance[n]), lamp.reach_m)
    return light


@attrs.frozen(eq=False)
class _Part:
    middle: NDArray[np.float64]
    area_m2: float


def _parts(place: Place, material: str) -> list[_Part]:
    """A glowing material's surfaces, gathered in cells of half a metre, the largest first."""
    number = next((i for i, m in enumerate(place.materials) if m.name == material), -1)
    wearing = np.flatnonzero(place.material_of == number)
    if not len(wearing):
        return []
    corners = place.positions[place.triangles[wearing].astype(np.int64)].astype(float)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    middles = corners.mean(1)
    _cells, cell_of = np.unique(np.floor(middles / 0.5).astype(np.int64), axis=0, return_inverse=True)
    areas = np.bincount(cell_of.ravel(), area)
    centres = [np.bincount(cell_of.ravel(), area * middles[:, k]) / np.maximum(areas, 1e-12) for k in range(3)]
    parts = [_Part(np.array(centre), float(a)) for *centre, a in zip(*centres, areas)]
    return sorted(parts, key=lambda part: -part.area_m2)[:MOST_PARTS]


def _of_material(shape: Surface, points: NDArray, index: RayIndex, place: Place, medium: Medium) -> NDArray[np.float64]:
    """A convex glowing thing has on average a quarter of its surface for its candelas, whichever way one looks."""
    total = np.zeros(len(points))
    for part in _parts(place, shape.material):
        # From just outside the thing itself, which would shade everything.
        spot = part.middle - np.array([0.0, 0.0, math.sqrt(part.area_m2) * 0.5 + 0.05])
        total += _arriving(points, spot, index, medium)[2] * part.area_m2 / 4
    return total
