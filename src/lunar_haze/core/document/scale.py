"""The scale of a place as an edit: everything that stands in it grows along, and the picture stays what it was."""

from typing import Any

import attrs

from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import Source

_POINTS = frozenset({"position", "aim", "centre", "size", "origin", "point"})
#: Amounts of light that a lamp as large, and as far off, needs the square of the factor of.
_BY_AREA = frozenset({"lm", "cd"})


def _grown(value: Any, factor: float) -> Any:
    """A value with its points and lengths (fields in metres) multiplied."""
    changes = {}
    for field in attrs.fields(type(value)):
        part = getattr(value, field.name)
        if attrs.has(type(part)):
            changes[field.name] = _grown(part, factor)
        elif isinstance(part, tuple) and part and attrs.has(type(part[0])):
            changes[field.name] = tuple(_grown(item, factor) for item in part)
        elif field.name in _POINTS and isinstance(part, tuple):
            changes[field.name] = tuple(v * factor for v in part)
        elif field.name.endswith(("_m", "_m_s")) and isinstance(part, (int, float)):
            changes[field.name] = part * factor
    return attrs.evolve(value, **changes) if changes else value


def _source(source: Source, factor: float) -> Source:
    if not isinstance(source.shape, Placed):
        return source
    amount = source.amount * factor**2 if source.unit in _BY_AREA else source.amount
    return attrs.evolve(source, shape=_grown(source.shape, factor), amount=amount)


def _look(look: Look, factor: float) -> Look:
    cards: tuple[Card, ...] = tuple(_grown(card, factor) for card in look.cards)
    return attrs.evolve(
        look, sources=tuple(_source(s, factor) for s in look.sources), cards=cards, medium=_grown(look.medium, factor)
    )


def _shot(shot: Shot, factor: float) -> Shot:
    ends = None if shot.ends is None else _grown(shot.ends, factor)
    return attrs.evolve(shot, camera=_grown(shot.camera, factor), ends=ends)


def scaled(document: Document, factor: float) -> Document:
    """The document with its place ``factor`` times as large, and cameras, lamps, cards and mist along with it."""
    return attrs.evolve(
        document,
        place=attrs.evolve(document.place, scale=document.place.scale * factor),
        shots=tuple(_shot(s, factor) for s in document.shots),
        looks=tuple(_look(k, factor) for k in document.looks),
        markers=tuple(_grown(m, factor) for m in document.markers),
        pins=tuple(attrs.evolve(p, look=_look(p.look, factor)) for p in document.pins),
    )
