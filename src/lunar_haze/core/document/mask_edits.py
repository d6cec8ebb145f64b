"""Edits of a look's masks: the soft regions of its finish."""

from typing import Any

import attrs

from lunar_haze.core.document.edits import change_finish, change_look, free_name, with_one, without, without_part
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import MOST_MASKS, MOST_PLACES, MOST_REGIONS, Mask, Region, Stroke


def put_mask(document: Document, mask: Mask) -> Document:
    """The document with a mask in the current look, the last of them, under an id and a name of its own.

    Raises FinishError when the look has as many as it can.
    """
    masks = document.look.finish.masks
    if len(masks) >= MOST_MASKS:
        raise FinishError(f"the look has {MOST_MASKS} masks already; delete one first")
    mask = attrs.evolve(mask, id=new_id(), name=free_name(mask.name, (m.name for m in masks)))
    return change_finish(document, masks=(*masks, mask))


def add_mask(document: Document, name: str, region: Region) -> Document:
    """The document with one more mask that begins with a region. Raises FinishError as `put_mask` does."""
    return put_mask(document, Mask("", name, (region,)))


def change_mask(document: Document, number: int, **changes: Any) -> Document:
    """The document with fields of one mask changed."""
    return change_finish(document, masks=with_one(document.look.finish.masks, number, **changes))


def remove_mask(document: Document, number: int) -> Document:
    """The document without one of the masks."""
    document = change_look(document, cues=without_part(document.look.cues, "finish", number))
    return change_finish(document, masks=without(document.look.finish.masks, number))


def change_region(document: Document, number: int, which: int, **changes: Any) -> Document:
    """The document with fields of one region of one mask changed."""
    regions = document.look.finish.masks[number].regions
    return change_mask(document, number, regions=with_one(regions, which, **changes))


def add_stroke(document: Document, number: int, which: int, stroke: Stroke) -> Document:
    """The document with one more brush stroke in a region of a mask.

    Raises FinishError when the region holds as many places of the brush as it can.
    """
    strokes = document.look.finish.masks[number].regions[which].strokes
    if sum(len(one.places) for one in (*strokes, stroke)) > MOST_PLACES:
        raise FinishError(f"this region is full ({MOST_PLACES:,} places of the brush): add another region to paint on")
    return change_region(document, number, which, strokes=(*strokes, stroke))


def add_region(document: Document, number: int, region: Region) -> Document:
    """The document with one more region in a mask, the last of them. Raises FinishError when it has all it can have."""
    regions = document.look.finish.masks[number].regions
    if len(regions) >= MOST_REGIONS:
        raise FinishError(f"the mask has {MOST_REGIONS} regions already; remove one first")
    return change_mask(document, number, regions=(*regions, region))


def remove_region(document: Document, number: int, which: int) -> Document:
    """The document without one region of a mask, which keeps at least one."""
    regions = document.look.finish.masks[number].regions
    return change_mask(document, number, regions=without(regions, which)) if len(regions) > 1 else document
