"""Lamps arrive at the level at which they do their work, and a sentence says which."""

from lunar_haze.core.document import edits
from lunar_haze.core.solve.arriving import arriving
from lunar_haze.core.sources.model import Source
from lunar_haze.ui.session.session import Session


def add_lamp(session: Session, label: str, source: Source) -> None:
    """Add a lamp to the look on screen, as one step of undo, and choose it."""
    document, place = session.document, session.place
    told = ""
    if place is not None:
        arrived = arriving(source, place, document.shot, document.look, session.index(), session.measured())
        source, told = arrived.source, arrived.sentence
    session.act(label, edits.add_source(document, source))
    session.choose(source.id)
    if told:
        session.said.emit(told, False)
