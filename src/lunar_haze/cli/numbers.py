"""Reads and sets the numbers of a document by the names that they have in the window."""

import math

import attrs

from lunar_haze.core.document.cues import LAST_FRAME, at_frame, followed, with_key
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.rows import facets_of, targets_of, within
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.units.quantity import format_quantity, parse_written


def with_current(document: Document, shot: str, look: str) -> Document:
    """The document with a shot and a look on screen, "" for those that are. Raises DocumentError."""
    if shot:
        document = attrs.evolve(document, current_shot=document.shot_named(shot).name)
    if look:
        document = attrs.evolve(document, current_look=document.look_named(look).name)
    return document


def shown(facet: Facet, document: Document) -> str:
    """A number as the window shows it, with its unit."""
    value = facet.read(document)
    if value == float("inf"):
        return facet.row.endless or "no end"
    return facet.row.zero if value == 0 and facet.row.zero else format_quantity(value, facet.row.unit)


def listed(document: Document) -> list[str]:
    """A line for every number of the current shot and look: target, row, value."""
    lines = []
    for name, target in targets_of(document).items():
        for facet in facets_of(document, target).values():
            lines.append(f"{name}: {facet.name} = {shown(facet, document)}")
    return lines


def _owner_of(document: Document, text: str) -> str:
    """The only target that has the row that a text begins with, "" where none or several have it."""
    row_name = text.partition("=")[0].partition("@")[0].rstrip(" +-*/")
    found = [name for name, target in targets_of(document).items() if row_name in facets_of(document, target)]
    return found[0] if len(found) == 1 else ""


def assigned(document: Document, text: str) -> Document:
    """The document with one number set: ``"hand lantern: level = 200 lx"``, or a step such as ``+=1/3``; a key of it
    at a frame: ``"hand lantern: dimmer @ 24 = -2"``. A row that only one target has needs no target: ``"hour = 19"``.

    Raises DocumentError and QuantityError with a sentence to show.
    """
    targets = targets_of(document)
    # A name may have colons of its own.
    begun = [known for known in targets if known and text.lstrip().startswith(f"{known}:")]
    if begun:
        name = max(begun, key=len)
        rest = text.lstrip()[len(name) + 1 :]
    else:
        name, colon, rest = text.partition(":")
        if not colon:
            name, rest = _owner_of(document, text), text
    equals = rest.find("=")
    if not name or equals < 1:
        raise DocumentError(f"“{text}” sets nothing; write it as 'hand lantern: level = 200 lx'")
    at = equals - 1 if rest[equals - 1] in "+-*/" else equals
    row_name, value = rest[:at].strip(), rest[at if at < equals else equals + 1 :].strip()
    row_name, is_key, frame = (part.strip() for part in row_name.partition("@"))
    if name.strip() not in targets:
        raise DocumentError(f"the look has nothing called “{name.strip()}”; there are {', '.join(targets)}")
    facets = facets_of(document, targets[name.strip()])
    if row_name not in facets:
        raise DocumentError(f"{name.strip()} has no “{row_name}”; it has {', '.join(facets)}")
    facet = facets[row_name]

    def converts(amount: float, unit: str) -> float | None:
        return facet.converts(document, amount, unit)

    wanted = within(facet, parse_written(value, facet.row.unit, facet.read(document), converts))
    if not is_key:
        return followed(document, facet.write(document, wanted))
    try:
        when = float(frame)
    except ValueError as error:
        raise DocumentError(f"“{frame}” is no frame; write a key as 'hand lantern: dimmer @ 24 = -2'") from error
    if not (math.isfinite(when) and abs(when) <= LAST_FRAME):
        raise DocumentError(f"frame {frame} is past all frames")
    return at_frame(with_key(document, targets[name.strip()], row_name, wanted, frame=when))
