"""Places for a lamp from what it should do: a highlight here, a shadow there, round its aim, at its distance."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.sky.refracted_light import apparent_elevation_deg
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.sources.array import LampArray, Placed, moved
from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.model import Sun
from lunar_haze.core.sources.orbit import distance_to_aim

#: A sun that is turned to strike something stays this high [deg].
LOWEST_SUN_DEG = 1.0
#: How far before a row along a line its aim lies [m].
ROW_AIM_M = 2.0


def as_vec(values: NDArray) -> Vec3:
    """A point of the document from an array (3,)."""
    x, y, z = (float(v) for v in values)
    return x, y, z


def for_highlight(shape: Placed, camera: Camera, point: NDArray, normal: NDArray) -> Placed:
    """The lamp where a mirror at ``point`` (3,), facing ``normal`` (3,), would show it to the lens.

    It keeps its distance, now from the point, and aims there.
    """
    towards = np.subtract(camera.position, point)
    towards = towards / max(float(np.linalg.norm(towards)), 1e-9)
    mirrored = 2 * float(towards @ normal) * normal - towards
    return moved(shape, as_vec(point + mirrored * distance_to_aim(shape)), as_vec(point))


def for_shadow(shape: Placed, subject: NDArray, point: NDArray) -> Placed:
    """The lamp on the line from ``point`` (3,) through ``subject`` (3,), beyond it at its distance, aimed at it."""
    line = subject - point
    length = float(np.linalg.norm(line))
    if length < 1e-6:
        return shape
    return moved(shape, as_vec(subject + line / length * distance_to_aim(shape)), as_vec(subject))


def striking(sun: Sun, point: NDArray, normal: NDArray, index: RayIndex) -> Sun | None:
    """The sun turned as little as may be so that it shines on ``point`` (3,) of that ``normal``; None if it cannot.

    Directions are tried in rings about the present one (a spiral search); set by hand, it no longer follows the hour.
    """
    now = np.asarray(sun.towards())
    side = np.cross(now, [0.0, 0.0, 1.0])
    side = side / max(float(np.linalg.norm(side)), 1e-9)
    up = np.cross(side, now)
    ring, turn = np.meshgrid(np.radians(np.arange(0.0, 120.0, 1.5)), np.linspace(0, 2 * math.pi, 36, endpoint=False))
    ring, turn = ring.ravel(), turn.ravel()
    order = np.argsort(ring, kind="stable")
    ring, turn = ring[order], turn[order]
    ways = np.cos(ring)[:, None] * now + np.sin(ring)[:, None] * (
        np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * up
    )
    good = np.flatnonzero((ways[:, 2] > math.sin(math.radians(LOWEST_SUN_DEG))) & (ways @ normal > 0.03))
    if not len(good):
        return None
    _distance, hit = index.nearest(point + 2e-3 * normal, ways[good])
    free = np.flatnonzero(hit < 0)
    return coming_from(sun, ways[good[free[0]]]) if len(free) else None


def coming_from(sun: Sun, towards: NDArray) -> Sun:
    """The sun seen in a direction (3,), set by hand."""
    x, y, z = (float(v) for v in towards / np.linalg.norm(towards))
    altitude = math.degrees(math.asin(min(max(z, -1.0), 1.0)))
    # Its altitude is the true one; the air lifts what is seen.
    true = altitude - (apparent_elevation_deg(altitude) - altitude)
    return attrs.evolve(sun, altitude_deg=true, azimuth_deg=math.degrees(math.atan2(x, y)) % 360.0, follows_hour=False)


def following(document: Document, place: Place) -> Document:
    """The document with every source that aims at the subject turned to where it is now."""
    centre = as_vec(subject_of(place, document.shot).centre)
    for source in document.look.sources:
        if source.aims_at_subject and isinstance(source.shape, Placed) and source.shape.aim != centre:
            document = edits.change_shape(document, source.id, aim=centre)
    return document


def dragged(shape: Placed, origin: NDArray, direction: NDArray) -> Placed:
    """The lamp under a ray (origin, unit direction (3,)) at its distance from its aim, or as near as the ray gets.

    Of the two places that are as far away it takes the one nearer to where it was.
    """
    offset = np.subtract(shape.aim, origin)
    along = float(offset @ direction)
    apart2 = float(offset @ offset) - along**2
    room = distance_to_aim(shape) ** 2 - apart2
    if room <= 0.0:
        steps = [along]
    else:
        steps = [t for t in (along - math.sqrt(room), along + math.sqrt(room)) if t > 0.05]
    if not steps:
        return shape
    spots = [origin + max(t, 0.05) * direction for t in steps]
    nearest = min(spots, key=lambda p: float(np.linalg.norm(p - np.asarray(shape.position))))
    return moved(shape, as_vec(nearest))


def row_along(array: LampArray, start: NDArray, end: NDArray, away: NDArray) -> LampArray:
    """An array as a row from one point to another, which faces the side that lies opposite to ``away`` (3,).

    What of ``away`` lies along the line is left out: lamps stand square to it.
    """
    middle, line = (start + end) / 2.0, end - start
    length = max(float(np.linalg.norm(line)), 1e-6)
    along = line / length
    away = away - along * float(away @ along)
    if float(np.linalg.norm(away)) < 1e-6:
        away = np.cross(along, [1.0, 0.0, 0.0] if abs(along[0]) < 0.9 else [0.0, 1.0, 0.0])
    aim = middle - away / float(np.linalg.norm(away)) * ROW_AIM_M
    side, up, _axis = facing_frame(as_vec(middle), as_vec(aim), 0.0)
    turn = math.degrees(math.atan2(float(along @ up), float(along @ side)))
    # A row looks the same from its other end.
    turn = (turn + 90.0) % 180.0 - 90.0
    return attrs.evolve(
        array, position=as_vec(middle), aim=as_vec(aim), arrangement="row", width_m=length, turn_deg=turn,
        converge=False,
    )  # fmt: skip
