"""Lamps moved and turned together: a lamp with its aim, a group as one."""

import math
from collections.abc import Iterable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.sources.array import Placed, moved
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.tube import Tube


def companions(look: Look, source_id: str) -> tuple[str, ...]:
    """The lamps that stand with a source in its group, itself included; itself alone when it is in none."""
    source = look.source(source_id)
    if source is None or not isinstance(source.shape, Placed):
        return ()
    if not source.group:
        return (source_id,)
    return tuple(s.id for s in look.sources if s.group == source.group and isinstance(s.shape, Placed))


def middle_of(look: Look, source_ids: Iterable[str]) -> NDArray[np.float64]:
    """The mean position (3,) [m] of lamps."""
    shapes = [look.expect(source_id).shape for source_id in source_ids]
    return np.mean([shape.position for shape in shapes if isinstance(shape, Placed)], axis=0)


def shifted(document: Document, source_ids: Iterable[str], offset: NDArray, with_aim: bool = True) -> Document:
    """Lamps moved by ``offset`` (3,) [m], their aims along with them or left where they are."""
    for source_id in source_ids:
        shape = document.look.expect(source_id).shape
        if isinstance(shape, Placed):
            aim = _plus(shape.aim, offset) if with_aim else None
            document = edits.reshape(document, source_id, moved(shape, _plus(shape.position, offset), aim))
    return document


def turned(document: Document, source_ids: Iterable[str], centre: NDArray, degrees: float) -> Document:
    """Lamps and their aims turned about the vertical through ``centre`` (3,) [m], clockwise from above."""
    for source_id in source_ids:
        shape = document.look.expect(source_id).shape
        if not isinstance(shape, Placed):
            continue
        position, aim = _turned(shape.position, centre, degrees), _turned(shape.aim, centre, degrees)
        changed = moved(shape, position, aim)
        if isinstance(changed, Tube):
            changed = attrs.evolve(changed, bearing_deg=(changed.bearing_deg + degrees) % 360.0)
        document = edits.reshape(document, source_id, changed)
    return document


def _plus(point: Vec3, offset: NDArray) -> Vec3:
    x, y, z = (float(v) for v in np.add(point, offset))
    return x, y, z


def _turned(point: Vec3, centre: NDArray, degrees: float) -> Vec3:
    angle = math.radians(degrees)
    x, y = point[0] - float(centre[0]), point[1] - float(centre[1])
    return (
        float(centre[0]) + x * math.cos(angle) + y * math.sin(angle),
        float(centre[1]) - x * math.sin(angle) + y * math.cos(angle),
        point[2],
    )
