"""Places for a lamp from what it should do: a highlight here, a shadow there, round its aim, at its distance."""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.sources.array import Placed, moved
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.orbit import distance_to_aim


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
