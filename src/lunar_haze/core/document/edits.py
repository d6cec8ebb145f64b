"""Edits: pure functions from one document to the next. What they do not touch stays the same value."""

import uuid
from collections.abc import Iterable
from typing import Any

import attrs

from lunar_haze.core.document.model import Document, Look, Pin, Shot
from lunar_haze.core.sky.hours import sky_illuminance_lx, sun_at_hour, sun_illuminance_lx, sun_kelvin
from lunar_haze.core.sources.amounts import convert
from lunar_haze.core.sources.model import Sky, Source, Sun

AMOUNT_MAX = 1e9


def new_id() -> str:
    """A short random name that no other source or pin has."""
    return uuid.uuid4().hex[:8]


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """``wanted``, or with the first number that makes it new."""
    taken = set(taken)
    if wanted not in taken:
        return wanted
    number = 2
    while f"{wanted} {number}" in taken:
        number += 1
    return f"{wanted} {number}"


def with_look(document: Document, look: Look) -> Document:
    """The document with its current look replaced (it may have a new name)."""
    looks = tuple(look if k.name == document.current_look else k for k in document.looks)
    return attrs.evolve(document, looks=looks, current_look=look.name)


def with_shot(document: Document, shot: Shot) -> Document:
    """The document with its current shot replaced."""
    shots = tuple(shot if s.name == document.current_shot else s for s in document.shots)
    return attrs.evolve(document, shots=shots, current_shot=shot.name)


def change_look(document: Document, **changes: Any) -> Document:
    """The document with fields of the current look changed."""
    return with_look(document, attrs.evolve(document.look, **changes))


def change_shot(document: Document, **changes: Any) -> Document:
    """The document with fields of the current shot changed."""
    return with_shot(document, attrs.evolve(document.shot, **changes))


def change_medium(document: Document, **changes: Any) -> Document:
    """The document with fields of the current look's air changed."""
    return change_look(document, medium=attrs.evolve(document.look.medium, **changes))


def _evolved(shape: Any, changes: dict[str, Any]) -> Any:
    return attrs.evolve(shape, **changes)


def change_source(document: Document, source_id: str, **changes: Any) -> Document:
    """The document with fields of one source of the current look changed."""
    sources = tuple(attrs.evolve(s, **changes) if s.id == source_id else s for s in document.look.sources)
    return change_look(document, sources=sources)


def change_shape(document: Document, source_id: str, **changes: Any) -> Document:
    """The document with fields of one source's shape changed; its amount stays as it is."""
    source = document.look.source(source_id)
    if source is None:
        return document
    return change_source(document, source_id, shape=_evolved(source.shape, changes))


def change_unit(document: Document, source_id: str, unit: str) -> Document:
    """The same light told in another unit."""
    source = document.look.source(source_id)
    if source is None or source.unit == unit:
        return document
    return change_source(document, source_id, amount=convert(source, unit), unit=unit)


def add_source(document: Document, source: Source) -> Document:
    """The document with a source added to the current look; a taken name gets a number."""
    look = document.look
    source = attrs.evolve(source, name=free_name(source.name, (s.name for s in look.sources)))
    return change_look(document, sources=(*look.sources, source))


def remove_source(document: Document, source_id: str) -> Document:
    """The document without one source of the current look."""
    return change_look(document, sources=tuple(s for s in document.look.sources if s.id != source_id))


def move_source(document: Document, source_id: str, index: int) -> Document:
    """The document with a source at another place in the row."""
    rest = [s for s in document.look.sources if s.id != source_id]
    moved = document.look.source(source_id)
    if moved is None:
        return document
    rest.insert(max(0, min(index, len(rest))), moved)
    return change_look(document, sources=tuple(rest))


def at_hour(source: Source, hour_h: float) -> Source:
    """A sun or sky that follows the hour, as it is at that hour: direction, amount and colour."""
    position = sun_at_hour(hour_h)
    shape = source.shape
    if isinstance(shape, Sun) and shape.follows_hour:
        return attrs.evolve(
            source,
            shape=attrs.evolve(shape, altitude_deg=position.altitude_deg, azimuth_deg=position.azimuth_deg),
            amount=sun_illuminance_lx(position.altitude_deg),
            unit="lx",
            kelvin=sun_kelvin(position.altitude_deg),
        )
    if isinstance(shape, Sky) and shape.follows_hour:
        return attrs.evolve(
            source,
            shape=attrs.evolve(shape, sun_altitude_deg=position.altitude_deg, sun_azimuth_deg=position.azimuth_deg),
            amount=sky_illuminance_lx(position.altitude_deg),
            unit="lx",
        )
    return source


def set_hour(document: Document, hour_h: float) -> Document:
    """The current look at another hour: suns and skies that follow the hour go with it."""
    hour_h = hour_h % 24.0
    sources = tuple(at_hour(s, hour_h) for s in document.look.sources)
    return change_look(document, hour_h=hour_h, sources=sources)


def start_from_black(document: Document) -> Document:
    """The current look with everything that gives light silenced, the sky included."""
    sources = tuple(attrs.evolve(s, muted=True, alone=False) for s in document.look.sources)
    return change_look(document, sources=sources)


def add_look(document: Document, name: str) -> Document:
    """A copy of the current look under a new name, made current."""
    name = free_name(name, (k.name for k in document.looks))
    look = attrs.evolve(document.look, name=name)
    return attrs.evolve(document, looks=(*document.looks, look), current_look=name)


def add_shot(document: Document, name: str) -> Document:
    """A copy of the current shot under a new name, unlocked and made current."""
    name = free_name(name, (s.name for s in document.shots))
    shot = attrs.evolve(document.shot, name=name, locked=False)
    return attrs.evolve(document, shots=(*document.shots, shot), current_shot=name)


def add_pin(document: Document, name: str = "") -> Document:
    """Keep the current look and shot as a pin."""
    name = free_name(name or f"{document.look.name}", (p.name for p in document.pins))
    pin = Pin(new_id(), name, document.current_shot, document.look)
    return attrs.evolve(document, pins=(*document.pins, pin))


def remove_pin(document: Document, pin_id: str) -> Document:
    """The document without one pin."""
    return attrs.evolve(document, pins=tuple(p for p in document.pins if p.id != pin_id))


def return_to_pin(document: Document, pin_id: str) -> Document:
    """The pinned look in place of the look of that name (or added again), seen in the pinned shot."""
    pin = next(p for p in document.pins if p.id == pin_id)
    if any(k.name == pin.look.name for k in document.looks):
        looks = tuple(pin.look if k.name == pin.look.name else k for k in document.looks)
    else:
        looks = (*document.looks, pin.look)
    shot = pin.shot if any(s.name == pin.shot for s in document.shots) else document.current_shot
    return attrs.evolve(document, looks=looks, current_look=pin.look.name, current_shot=shot)
