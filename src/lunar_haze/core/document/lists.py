"""Edits of the lists of a document: its looks and its shots, named, put in order and deleted; a look without light.

``which`` is "look" or "shot": both lists work alike, and one thing of each is on screen.
"""

from typing import Any

import attrs

from lunar_haze.core.document.edits import free_name
from lunar_haze.core.document.exposure import hour_ev100
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.errors import DocumentError

#: Fields of a look that an empty one begins with as the look before has them: its hour and weather, not its light.
_KEPT = ("hour_h", "date", "weather", "bounces")


def current(document: Document, which: str) -> str:
    """The name of the look or shot on screen."""
    return getattr(document, f"current_{which}")


def names(document: Document, which: str) -> list[str]:
    """The names of all looks or shots, in their order."""
    return [item.name for item in getattr(document, f"{which}s")]


def _with(document: Document, which: str, items: tuple, on_screen: str) -> Document:
    changes: dict[str, Any] = {f"{which}s": items, f"current_{which}": on_screen}
    return attrs.evolve(document, **changes)


def add_copy(document: Document, which: str, name: str) -> Document:
    """A copy of the one on screen under a new name, made current; a shot's camera is unlocked."""
    made = next(item for item in getattr(document, f"{which}s") if item.name == current(document, which))
    name = free_name(name, names(document, which))
    fresh = attrs.evolve(made, name=name, **({"locked": False} if which == "shot" else {}))
    return _with(document, which, (*getattr(document, f"{which}s"), fresh), name)


def add_empty_look(document: Document, name: str) -> Document:
    """A look without any light, made current: hour and weather of the one before, exposed for that hour."""
    before = document.look
    name = free_name(name, names(document, "look"))
    look = Look(name, **{field: getattr(before, field) for field in _KEPT})
    look = attrs.evolve(look, ev100=hour_ev100(look, document.place.site))
    return _with(document, "look", (*document.looks, look), name)


def rename(document: Document, which: str, name: str, new: str) -> Document:
    """A look or shot under another name; pins of a shot go along. Raises DocumentError for no name or one taken."""
    new = new.strip()
    if not new:
        raise DocumentError(f"a {which} without a name cannot be found again; type one")
    if new != name and new in names(document, which):
        raise DocumentError(f"there is a {which} “{new}” already; choose another name")
    items = tuple(attrs.evolve(i, name=new) if i.name == name else i for i in getattr(document, f"{which}s"))
    on_screen = current(document, which)
    renamed = _with(document, which, items, new if on_screen == name else on_screen)
    if which == "shot":
        pins = tuple(attrs.evolve(p, shot=new) if p.shot == name else p for p in document.pins)
        renamed = attrs.evolve(renamed, pins=pins)
    return renamed


def remove(document: Document, which: str, name: str) -> Document:
    """The document without a look or shot; the next in the list comes on screen. Raises DocumentError for the last."""
    items = getattr(document, f"{which}s")
    if len(items) < 2:
        raise DocumentError(f"the last {which} stays: a document holds one at least")
    index = names(document, which).index(name)
    rest = (*items[:index], *items[index + 1 :])
    on_screen = current(document, which)
    return _with(document, which, rest, rest[min(index, len(rest) - 1)].name if on_screen == name else on_screen)


def move(document: Document, which: str, name: str, by: int) -> Document:
    """A look or shot so many places later in its list."""
    items = list(getattr(document, f"{which}s"))
    index = names(document, which).index(name)
    items.insert(min(max(index + by, 0), len(items) - 1), items.pop(index))
    return _with(document, which, tuple(items), current(document, which))
