"""Every number of a document that can be set, as rows bound to what they are of.

A *target* is a source's or a card's id, `AIR`, `CAMERA`, `DAY` or `FINISH`. Window and command line read and write
through the same facets, in the same sections and order.
"""

import math
from typing import Any

import attrs

from lunar_haze.core.air.rows import BANK_ROWS, MEDIUM_ROWS
from lunar_haze.core.document import edits
from lunar_haze.core.document.checks import LARGEST
from lunar_haze.core.document.exposure import TRIPLE_ROWS
from lunar_haze.core.document.facet import Facet, bound, points
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.source_rows import cutout_rows, source_facets
from lunar_haze.core.errors import DocumentError, QuantityError
from lunar_haze.core.finish.mask_model import MASK_ROWS, REGION_ROWS, Mask, Region
from lunar_haze.core.finish.steps import FINISH_ROWS, TABLE_STRENGTH
from lunar_haze.core.finish.values import TableFile
from lunar_haze.core.place.rows import LENS_ROWS
from lunar_haze.core.sources.cards import CARD_ROWS
from lunar_haze.core.units.row import Row, row, under

AIR, CAMERA, DAY, FINISH = "air", "camera", edits.HOUR[0], "finish"


def _card_facets(document: Document, card_id: str) -> list[Facet]:
    first = next(c for c in document.look.cards if c.id == card_id)

    def get(d: Document) -> Any:
        return next((c for c in d.look.cards if c.id == card_id), first)

    def put(d: Document, changed: Any) -> Document:
        cards = tuple(changed if c.id == card_id else c for c in d.look.cards)
        return edits.change_look(d, cards=cards)

    where = [*points("position", "position", first.position), *points("target", "aim", first.aim)]
    return bound((*CARD_ROWS, *cutout_rows(first)), get, put) + bound(where, get, put, "place and aim")


def _air_facets(document: Document, bank: int) -> list[Facet]:
    found = bound(MEDIUM_ROWS, lambda d: d.look.medium, edits.with_medium)
    banks = document.look.medium.banks
    if not 0 <= bank < len(banks):
        return found

    def one(d: Document) -> Any:
        now = d.look.medium.banks
        return now[bank] if bank < len(now) else banks[bank]

    def put(d: Document, changed: Any) -> Document:
        now = d.look.medium.banks
        return edits.change_medium(d, banks=(*now[:bank], changed, *now[bank + 1 :]))

    middle = points("bank middle", "centre", banks[bank].centre, 20.0)
    return found + bound([*BANK_ROWS, *middle], one, put, "bank")


_EXPOSURE_ROWS = under(
    "exposure",
    row("exposure", "exposure", "ev100", "EV", -6.0, 18.0, 12.0, floor=-20.0, ceiling=30.0,
        tip="EV at ISO 100, locked until you change it: lower is brighter"),
    row("exposure compensation", "exposure compensation", "stops", "stops", -5.0, 5.0, 0.0, floor=-20.0, ceiling=20.0,
        tip="brighter above 0"),
)  # fmt: skip
_BOUNCES = row("bounces", "bounces", "bounces", "", 0.0, 4.0, 2.0, whole=True, floor=0.0, ceiling=4.0,
               tip="how often light is thrown on by surfaces: 0 has black shadows")  # fmt: skip


#: So many days lie between the first and the last hour of a shot at the most.
_MOST_DAYS = 31
_HOUR = Row("hour", "hour", "h", 0.0, 24.0, 12.0, lambda d: d.look.hour_h, edits.set_hour, floor=-24.0 * _MOST_DAYS,
            ceiling=24.0 * _MOST_DAYS, section="hour", period=24.0,
            tip="local clock time of the look's date; past 24 the day after")  # fmt: skip
_RATE = Row("frame rate", "frame rate", "fps", 12.0, 60.0, 24.0, lambda d: d.shot.rate, edits.set_rate, floor=1.0,
            ceiling=240.0, tip="how many frames go by in a second, in all shots")  # fmt: skip


def _day_facets() -> list[Facet]:
    return bound([_HOUR], lambda d: d, lambda d, changed: changed)


def _lens_facets() -> list[Facet]:
    """Rows of the lens: one that has a cue is the same at both ends of the camera's move."""

    def facet(one: Row) -> Facet:
        def write(d: Document, value: float) -> Document:
            if any(cue.row == one.name for cue in d.shot.cues):
                return edits.with_lens(d, lambda camera: one.written(camera, value))
            return edits.change_camera(d, one.written(d.shot.seen_from, value))

        return Facet(one.section, one, lambda d: one.read(d.shot.seen_from), write)

    return [facet(one) for one in LENS_ROWS]


def _camera_facets(document: Document) -> list[Facet]:
    def look(d: Document) -> Look:
        return d.look

    def put_look(d: Document, changed: Look) -> Document:
        return edits.with_look(d, changed)

    def camera(d: Document) -> Any:
        return d.shot.seen_from

    seen = document.shot.seen_from
    where = [*points("position", "position", seen.position), *points("target", "aim", seen.aim)]
    return [
        *bound(_EXPOSURE_ROWS, look, put_look),
        *bound(TRIPLE_ROWS, lambda d: d, lambda d, changed: changed),
        *_lens_facets(),
        *bound(where, camera, edits.change_camera, "place and aim"),
        *bound(_frame_rows(document.shot), lambda d: d.shot, edits.with_shot, "frames"),
        *bound([_RATE], lambda d: d, lambda d, changed: changed, "frames"),
        *bound([_BOUNCES], look, put_look, "bounced light"),
    ]


def _finish_facets(document: Document, number: int, which: int) -> list[Facet]:
    found = bound(FINISH_ROWS, lambda d: d.look.finish, lambda d, changed: edits.change_look(d, finish=changed))
    masks = document.look.finish.masks
    if 0 <= number < len(masks):
        found += _mask_facets(masks[number], number, min(which, len(masks[number].regions) - 1))
    table = document.look.finish.table
    if table is None:
        return found

    def get(d: Document) -> TableFile:
        return d.look.finish.table or table

    return found + bound([TABLE_STRENGTH], get, lambda d, changed: edits.change_finish(d, table=changed), "table")


def _mask_facets(mask: Mask, number: int, which: int) -> list[Facet]:
    def get(d: Document) -> Mask:
        now = d.look.finish.masks
        return now[number] if number < len(now) else mask

    def put(d: Document, changed: Mask) -> Document:
        now = d.look.finish.masks
        return edits.change_finish(d, masks=(*now[:number], changed, *now[number + 1 :]))

    def region(d: Document) -> Region:
        now = get(d).regions
        return now[min(which, len(now) - 1)]

    def put_region(d: Document, changed: Region) -> Document:
        now = get(d).regions
        return put(d, attrs.evolve(get(d), regions=(*now[:which], changed, *now[which + 1 :])))

    return bound(MASK_ROWS, get, put) + bound(REGION_ROWS, region, put_region)


def _frame_rows(shot: Shot) -> list[Row]:
    low, high = float(shot.first_frame), float(max(shot.last_frame, shot.first_frame + 1))
    return [
        row("first frame", "first frame", "first_frame", "", 1.0, 240.0, 1.0, whole=True, floor=0.0, ceiling=1e6,
            tip="where the shot begins"),
        row("last frame", "last frame", "last_frame", "", 1.0, 240.0, 1.0, whole=True, floor=0.0, ceiling=1e6,
            tip="where it ends"),
        row("frame", "frame on screen", "frame", "", low, high, low, whole=True, floor=0.0, ceiling=1e6,
            tip="another frame of the move: does the light still work there?"),
    ]  # fmt: skip


def facets_of(document: Document, target: str, bank: int = 0, mask: tuple[int, int] = (0, 0)) -> dict[str, Facet]:
    """The facets of a target by name, those that are shown now, in their order.

    ``bank`` is the bank of mist that is chosen, ``mask`` the mask and its region.

    Raises DocumentError for a target that there is not.
    """
    if target == AIR:
        found = _air_facets(document, bank)
    elif target == CAMERA:
        found = _camera_facets(document)
    elif target == DAY:
        found = _day_facets()
    elif target == FINISH:
        found = _finish_facets(document, *mask)
    elif (source := document.look.source(target)) is not None:
        found = source_facets(document, source)
    elif any(card.id == target for card in document.look.cards):
        found = _card_facets(document, target)
    else:
        raise DocumentError(f"the look has nothing called “{target}”")
    return {facet.name: facet for facet in found if facet.when(document)}


def targets_of(document: Document) -> dict[str, str]:
    """What a document has that can be set: names as an artist says them, and the target each stands for."""
    found = {AIR: AIR, CAMERA: CAMERA, DAY: DAY, FINISH: FINISH}
    for source in document.look.sources:
        found.setdefault(source.name, source.id)
    for card in document.look.cards:
        found.setdefault(card.name, card.id)
    return found


def within(facet: Facet, value: float) -> float:
    """``value`` where the facet takes it. Raises QuantityError that tells what it takes."""
    one = facet.row
    is_none = math.isnan(value) or (abs(value) > LARGEST and not (value == math.inf and one.endless))
    if is_none or not one.floor <= value <= one.ceiling:
        raise QuantityError(f"{one.label} takes {one.floor:g} to {one.ceiling:g} {one.unit}".rstrip())
    return value
