"""Edits of the lists of a document: looks, shots and pins made, named, put in order and deleted."""

import attrs

from lunar_haze.core.document.edits import free_name
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.errors import DocumentError

#: Fields of a look that an empty one begins with as the look before has them: hour and exposure, not its light.
_KEPT = ("hour_h", "date", "weather", "ev100", "bounces")


def add_empty_look(document: Document, name: str) -> Document:
    """A look without any light, made current; it has the hour, the weather and the exposure of the one before."""
    before = document.look
    name = free_name(name, (k.name for k in document.looks))
    look = Look(name, **{field: getattr(before, field) for field in _KEPT})
    return attrs.evolve(document, looks=(*document.looks, look), current_look=name)


def _named(name: str, taken: list[str], what: str) -> str:
    name = name.strip()
    if not name:
        raise DocumentError(f"a {what} without a name cannot be found again; type one")
    if name in taken:
        raise DocumentError(f"there is a {what} “{name}” already; choose another name")
    return name


def rename_look(document: Document, name: str, new: str) -> Document:
    """A look under another name. Raises DocumentError for one that is taken, or none."""
    new = _named(new, [k.name for k in document.looks if k.name != name], "look")
    looks = tuple(attrs.evolve(k, name=new) if k.name == name else k for k in document.looks)
    current = new if document.current_look == name else document.current_look
    return attrs.evolve(document, looks=looks, current_look=current)


def rename_shot(document: Document, name: str, new: str) -> Document:
    """A shot under another name; pins of it go along. Raises DocumentError for one that is taken, or none."""
    new = _named(new, [s.name for s in document.shots if s.name != name], "shot")
    shots = tuple(attrs.evolve(s, name=new) if s.name == name else s for s in document.shots)
    pins = tuple(attrs.evolve(p, shot=new) if p.shot == name else p for p in document.pins)
    current = new if document.current_shot == name else document.current_shot
    return attrs.evolve(document, shots=shots, pins=pins, current_shot=current)


def rename_pin(document: Document, pin_id: str, new: str) -> Document:
    """A pin under another name. Raises DocumentError for none."""
    new = _named(new, [], "pin")
    return attrs.evolve(document, pins=tuple(attrs.evolve(p, name=new) if p.id == pin_id else p for p in document.pins))


def _without(items: tuple, name: str, what: str) -> tuple[tuple, str]:
    """The items but one, and the name of the one that comes after it, or before it at the end."""
    if len(items) < 2:
        raise DocumentError(f"the last {what} stays: a document holds one at least")
    index = next(i for i, item in enumerate(items) if item.name == name)
    rest = (*items[:index], *items[index + 1 :])
    return rest, rest[min(index, len(rest) - 1)].name


def remove_look(document: Document, name: str) -> Document:
    """The document without a look. Raises DocumentError for the last."""
    looks, nearest = _without(document.looks, name, "look")
    current = nearest if document.current_look == name else document.current_look
    return attrs.evolve(document, looks=looks, current_look=current)


def remove_shot(document: Document, name: str) -> Document:
    """The document without a shot; pins of it stay. Raises DocumentError for the last."""
    shots, nearest = _without(document.shots, name, "shot")
    current = nearest if document.current_shot == name else document.current_shot
    return attrs.evolve(document, shots=shots, current_shot=current)


def _moved(items: tuple, name: str, by: int) -> tuple:
    rest = [item for item in items if item.name != name]
    index = next(i for i, item in enumerate(items) if item.name == name)
    rest.insert(min(max(index + by, 0), len(rest)), items[index])
    return tuple(rest)


def move_look(document: Document, name: str, by: int) -> Document:
    """A look so many places later in its list."""
    return attrs.evolve(document, looks=_moved(document.looks, name, by))


def move_shot(document: Document, name: str, by: int) -> Document:
    """A shot so many places later in its list."""
    return attrs.evolve(document, shots=_moved(document.shots, name, by))
