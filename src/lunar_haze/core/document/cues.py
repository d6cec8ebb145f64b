"""Cues: numbers of a look and of a shot's lens that change over its frames.

A document holds, at each of its keyed numbers, what the curve has at the frame on screen: all that reads a document
reads the right light, and knows nothing of cues. `followed` keeps that so after every edit: what a hand did to a keyed
number is a key at that frame; at another frame, shot or look every keyed number gets what its curve has there.
"""

import bisect
import functools

import attrs

from lunar_haze.core.document import edits
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Cue, Document, Look, Shot
from lunar_haze.core.document.rows import AIR, CAMERA, FINISH, facets_of
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.units.curve import PLAIN, RATIO, RECIPROCAL, SMOOTH, STEP, Key

#: Headings of the camera's numbers that no cue can move: the move itself, what follows from others, frames.
_FIXED = ("frames", "exposure as a camera", "place and aim", "bounced light")
_LENS = "lens"
#: No key lies at a later frame.
LAST_FRAME = 1e6


def facet_of(document: Document, target: str, row: str, part: tuple[int, ...] = ()) -> Facet | None:
    """The facet that a cue is of, None where the document has it no longer."""
    bank = part[0] if target == AIR and part else 0
    mask = (part[0], part[1]) if target == FINISH and len(part) == 2 else (0, 0)
    try:
        return facets_of(document, target, bank, mask).get(row)
    except DocumentError:
        return None


def can_be_keyed(target: str, facet: Facet) -> bool:
    """Whether a number may change over the frames."""
    return not (target == CAMERA and facet.section in _FIXED)


def part_of(target: str, facet: Facet, bank: int, mask: tuple[int, int]) -> tuple[int, ...]:
    """Which bank or mask a facet is of, among those that a target has; () where it is of none."""
    if target == AIR and facet.section == "bank":
        return (bank,)
    if target == FINISH and facet.section in ("where", "what it does"):
        return mask
    return ()


def scale_of(facet: Facet) -> str:
    """What is drawn straight between keys: mireds of a temperature, extinction of a visibility, stops of a ratio."""
    if facet.row.unit == "K" or facet.row.endless:
        return RECIPROCAL
    return RATIO if facet.row.ratio else PLAIN


def cues_of(document: Document) -> tuple[Cue, ...]:
    """The cues of the look and shot on screen."""
    return (*document.look.cues, *document.shot.cues)


def cue_of(document: Document, target: str, row: str, part: tuple[int, ...] = ()) -> Cue | None:
    """The cue of a number, None where it has none."""
    return next((cue for cue in cues_of(document) if cue.name == (target, row, part)), None)


def _is_of_lens(document: Document, cue: Cue) -> bool:
    if cue.target != CAMERA:
        return False
    facet = facet_of(document, cue.target, cue.row)
    return facet is not None and facet.section == _LENS


def with_cue(document: Document, cue: Cue) -> Document:
    """The document with a cue in place of the one of the same number, or added; one without keys is gone."""

    def laid(cues: tuple[Cue, ...]) -> tuple[Cue, ...]:
        if cue.keys and not any(c.name == cue.name for c in cues):
            return (*cues, cue)
        return tuple(cue if c.name == cue.name else c for c in cues if c.name != cue.name or cue.keys)

    if _is_of_lens(document, cue):
        return edits.change_shot(document, cues=laid(document.shot.cues))
    return edits.change_look(document, cues=laid(document.look.cues))


def without_cue(document: Document, cue: Cue) -> Document:
    """The document without a cue; its number stays what it is at the frame on screen."""
    return with_cue(document, attrs.evolve(cue, keys=()))


def with_key(
    document: Document, target: str, row: str, value: float, part: tuple[int, ...] = (), frame: float | None = None
) -> Document:
    """The document with a key of a number at a frame, that on screen if None; a key that is there keeps its easing.

    Raises DocumentError for a number that cannot change over the frames.
    """
    facet = facet_of(document, target, row, part)
    if facet is None or not can_be_keyed(target, facet):
        raise DocumentError(f"{row} cannot change over the frames")
    at = float(document.shot.frame if frame is None else frame)
    cue = cue_of(document, target, row, part) or Cue(target, row, (), scale_of(facet), part)
    usual = STEP if facet.row.whole else SMOOTH
    index = bisect.bisect_left(cue.keys, at, key=lambda key: key.frame)
    there = index < len(cue.keys) and cue.keys[index].frame == at
    if cue.keys:
        # The short way round: 350° to 10° is twenty degrees, 23:30 to 0:30 an hour.
        value = facet.row.near(value, cue.keys[min(max(index - 1, 0), len(cue.keys) - 1)].value)
    key = attrs.evolve(cue.keys[index], value=value) if there else Key(at, value, usual, usual)
    return with_cue(document, attrs.evolve(cue, keys=(*cue.keys[:index], key, *cue.keys[index + there :])))


def without_key(document: Document, cue: Cue, frame: float) -> Document:
    """The document without the key of a cue at a frame; with its last key the cue is gone."""
    return with_cue(document, attrs.evolve(cue, keys=tuple(k for k in cue.keys if k.frame != frame)))


class CueSheet:
    """The cues of the look and shot on screen, ready to be asked for any frame."""

    def __init__(self, document: Document) -> None:
        self._document = document
        found = [(cue, facet_of(document, *cue.name)) for cue in cues_of(document)]
        self._bound = [(cue, facet) for cue, facet in found if facet is not None]

    def values(self, frame: float) -> list[float]:
        """The number of every cue at a frame."""
        return [cue.at(frame) for cue, _facet in self._bound]

    def at(self, frame: int) -> Document:
        """The document at a frame: that frame on screen, and every keyed number as its curve has it there."""
        document = self._document
        if document.shot.frame != frame:
            document = edits.change_shot(document, frame=frame)
        for cue, facet in self._bound:
            value = cue.at(frame)
            if facet.read(document) != value:
                document = _written(document, cue, facet, value)
        return document


def _written(document: Document, cue: Cue, facet: Facet, value: float) -> Document:
    if cue.target == CAMERA and facet.section == _LENS:
        return edits.with_lens(document, lambda camera: facet.row.written(camera, value))
    return facet.write(document, value)


def at_frame(document: Document, frame: int | None = None) -> Document:
    """The document at a frame, or at the one on screen, with every keyed number as its curve has it there."""
    return CueSheet(document).at(document.shot.frame if frame is None else frame)


def seen_at(document: Document, shot: str, look: str, frame: int | None = None) -> tuple[Shot, Look]:
    """A shot and a look of a document as they are at a frame of that shot, the one it is left at if None."""
    there = at_frame(attrs.evolve(document, current_shot=shot, current_look=look), frame)
    return there.shot, there.look


def _is_untouched(before: Document, after: Document, target: str) -> bool:
    """Whether an edit has left a target's numbers as they were, told by what it did not touch: an edit shares with the
    document before it all that it leaves alone.
    """
    one, other = before.look, after.look
    if one is other and before.shot is after.shot:
        return True
    if target == AIR:
        return one.medium is other.medium
    if target == FINISH:
        return one.finish is other.finish
    source = one.source(target)
    if source is None:
        return False
    # A sky that follows the hour has the look's weather.
    return source is other.source(target) and one.weather is other.weather


def followed(before: Document, after: Document) -> Document:
    """An edited document with its keyed numbers in step with the frame on screen.

    ``before`` is the document that the edit was done to. A keyed number that was changed gets a key there.
    """
    if not after.shots or not after.looks or not cues_of(after):
        return after

    def standing(document: Document) -> object:
        return document.current_shot, document.current_look, document.shot.frame, cues_of(document)

    if not before.shots or not before.looks or standing(before) != standing(after):
        return at_frame(after)
    went_round = False
    changed = functools.cache(lambda target: not _is_untouched(before, after, target))
    for cue in cues_of(after):
        if not changed(cue.target):
            continue
        now, then = facet_of(after, *cue.name), facet_of(before, *cue.name)
        if now is None or then is None:
            continue
        value = now.read(after)
        if value != then.read(before):
            after = with_key(after, cue.target, cue.row, value, cue.part)
            went_round = went_round or now.row.period > 0.0
    return at_frame(after) if went_round else after
