"""Files that a lamp is told by: an IES file of how its light leaves, a picture as its cut-out."""

import math
from pathlib import Path
from typing import Any

import attrs

from lunar_haze.core.document import edits
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.sources.array import Placed, as_kind, lamp_of, with_lamp
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.distribution import lumens, read_ies
from lunar_haze.core.sources.ies_lamp import IesLamp
from lunar_haze.core.sources.kinds import lamp_kinds
from lunar_haze.core.sources.model import Source
from lunar_haze.core.sources.orbit import distance_to_aim
from lunar_haze.ui.facets.cutout_facets import lay_cutout, of_picture
from lunar_haze.ui.session.session import Session

#: A new lamp hangs so high over what the lens looks at [m].
_OVER_M = 3.0


def with_lamp_changed(document: Document, source_id: str, **changes: Any) -> Document:
    """The document with fields of a lamp changed, or of each lamp of an array."""
    shape: Any = document.look.expect(source_id).shape
    return edits.reshape(document, source_id, with_lamp(shape, attrs.evolve(lamp_of(shape), **changes)))


def with_cutout(document: Document, source_id: str, cut: CutOut | None) -> Document:
    """A cut-out in a lamp's gate; the first moves the gate out, to where a lens of this size leaves it legible."""
    shape: Any = document.look.expect(source_id).shape
    lamp: Any = lamp_of(shape)
    legible = 0.4 * distance_to_aim(shape)
    if cut is not None and lamp.cutout is None and lamp.gate_m < legible:
        return with_lamp_changed(document, source_id, cutout=cut, gate_m=round(legible, 2))
    return with_lamp_changed(document, source_id, cutout=cut)


def takes_cutout(source: Source | None) -> bool:
    """Whether a source is a lamp with a gate that a cut-out can be put in."""
    if source is None or not isinstance(source.shape, Placed):
        return False
    shape: Any = source.shape
    return hasattr(lamp_of(shape), "cutout")


def take_picture_as_cutout(session: Session, source_id: str, path: Path) -> None:
    """Let a picture be the cut-out of a lamp; what is wrong with it is told."""
    shape: Any = session.document.look.expect(source_id).shape
    lamp: Any = lamp_of(shape)
    lay_cutout(session, of_picture(lamp.cutout, path), lambda cut: with_cutout(session.document, source_id, cut))


def take_ies(session: Session, path: Path, source_id: str = "") -> None:
    """Let an IES file tell how a lamp's light leaves, and how much of it; without a lamp a new one hangs in sight.

    A lamp of another kind becomes an IES lamp where it stands. What is wrong with the file is told.
    """
    try:
        distribution, notes = read_ies(path)
    except HazeError as error:
        session.said.emit(str(error), True)
        return
    document = session.document
    if not source_id:
        x, y, z = document.shot.seen_from.aim
        name = edits.free_name(path.stem, (s.name for s in document.look.sources))
        lamp = IesLamp(position=(x, y, z + _OVER_M), aim=(x, y, z))
        source_id = new_id()
        document = edits.add_source(document, Source(source_id, name, lamp, 1.0, "lm", role="practical"))
    shape: Any = document.look.expect(source_id).shape
    if not hasattr(lamp_of(shape), "distribution"):
        ies = next(kind for kind in lamp_kinds() if kind.value is IesLamp)
        document = edits.reshape(document, source_id, as_kind(shape, ies))
    document = with_lamp_changed(document, source_id, distribution=distribution)
    level = lumens(distribution)
    if math.isfinite(level) and level > 0.0:
        document = edits.change_source(document, source_id, amount=level, unit="lm")
    session.act("an IES lamp", document)
    session.choose(source_id)
    for note in notes:
        session.said.emit(note, False)
