"""Edits: pure functions from one document to the next. What they do not touch stays the same value."""

import datetime as dt
import math
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

import attrs

from lunar_haze.core.air.medium import Bank, Medium
from lunar_haze.core.document.hold import held
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Cue, Document, Group, Look, Pin, Shot
from lunar_haze.core.document.photographs import bonded
from lunar_haze.core.errors import QuantityError, SkyError
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.ephemeris import Site, bright_limb_deg, heavens
from lunar_haze.core.sky.model import ClearSky, Panorama, SkyGrade
from lunar_haze.core.sources.amounts import convert, units_of
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.kinds import Shape, kind_of
from lunar_haze.core.sources.model import Sky, Source, Sun

AMOUNT_MAX = 1e9
#: Target and row of the cue of the hour.
HOUR = ("day", "hour")
T = TypeVar("T")


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


def change_camera(document: Document, camera: Camera) -> Document:
    """The document with the camera on screen changed: the end of its move at the last frame, its start before."""
    return change_shot(document, **{"ends" if document.shot.edits_end else "camera": camera})


def with_lens(document: Document, change: Callable[[Camera], Camera]) -> Document:
    """The document with the same change made to the lens at both ends of the camera's move."""
    shot = document.shot
    ends = None if shot.ends is None else change(shot.ends)
    return change_shot(document, camera=change(shot.camera), ends=ends)


def set_rate(document: Document, rate: float) -> Document:
    """The document with another frame rate [frames/s], the same for all its shots."""
    return attrs.evolve(document, shots=tuple(attrs.evolve(s, rate=float(rate)) for s in document.shots))


def with_medium(document: Document, medium: Medium) -> Document:
    """The document with other air in the current look; sources that hold their level follow."""
    look = document.look
    sources = tuple(held(s, s, look.medium, medium) if s.holds_level else s for s in look.sources)
    return change_look(document, medium=medium, sources=sources)


def change_finish(document: Document, **changes: Any) -> Document:
    """The document with fields of the current look's finish changed."""
    return change_look(document, finish=attrs.evolve(document.look.finish, **changes))


def change_medium(document: Document, **changes: Any) -> Document:
    """The document with fields of the current look's air changed."""
    return with_medium(document, attrs.evolve(document.look.medium, **changes))


def with_one(items: tuple[T, ...], number: int, **changes: Any) -> tuple[T, ...]:
    """A row of values with fields of one of them changed."""
    one: Any = items[number]
    return (*items[:number], attrs.evolve(one, **changes), *items[number + 1 :])


def without(items: tuple[T, ...], number: int) -> tuple[T, ...]:
    """A row of values without one of them."""
    return (*items[:number], *items[number + 1 :])


def add_bank(document: Document, bank: Bank) -> Document:
    """The document with one more bank of mist, the last of them."""
    return change_medium(document, banks=(*document.look.medium.banks, bank))


def change_bank(document: Document, number: int, **changes: Any) -> Document:
    """The document with fields of one bank changed."""
    return change_medium(document, banks=with_one(document.look.medium.banks, number, **changes))


def remove_bank(document: Document, number: int) -> Document:
    """The document without one bank."""
    document = change_look(document, cues=without_part(document.look.cues, "air", number))
    return change_medium(document, banks=without(document.look.medium.banks, number))


def without_part(cues: tuple[Cue, ...], target: str, number: int) -> tuple[Cue, ...]:
    """Cues of banks or masks after one of them is gone: its own go along, those of later ones count one less."""

    def moved(cue: Cue) -> Cue:
        if cue.target != target or not cue.part or cue.part[0] < number:
            return cue
        return attrs.evolve(cue, part=(cue.part[0] - 1, *cue.part[1:]))

    return tuple(moved(c) for c in cues if not (c.target == target and c.part[:1] == (number,)))


def _without_target(cues: tuple[Cue, ...], target: str) -> tuple[Cue, ...]:
    return tuple(cue for cue in cues if cue.target != target)


def with_source(document: Document, source: Source) -> Document:
    """The document with another value for the source of that id; suns go along with their photographs."""
    before = document.look.source(source.id)
    sources = tuple(source if s.id == source.id else s for s in document.look.sources)
    if before is not None and before.shape != source.shape:
        sources = bonded(sources, before, source.id)
    return change_look(document, sources=sources)


def change_source(document: Document, source_id: str, **changes: Any) -> Document:
    """The document with fields of one source of the current look changed."""
    source = document.look.source(source_id)
    return document if source is None else with_source(document, attrs.evolve(source, **changes))


def change_shape(document: Document, source_id: str, **changes: Any) -> Document:
    """The document with fields of one source's shape changed. Its amount stays, or its level where that is held."""
    source = document.look.source(source_id)
    if source is None:
        return document
    shape: Any = source.shape
    return reshape(document, source_id, attrs.evolve(shape, **changes))


def reshape(document: Document, source_id: str, shape: Shape) -> Document:
    """The document with another shape for a source; its unit goes along as far as the new shape takes it."""
    look = document.look
    source = look.source(source_id)
    if source is None:
        return document
    after = attrs.evolve(source, shape=shape)
    if source.unit not in units_of(shape):
        after = attrs.evolve(after, amount=1.0, unit=units_of(shape)[0])
    elif source.holds_level:
        after = held(source, after, look.medium, look.medium)
    return with_source(document, after)


#: What of a source can be copied to another by itself.
FACETS = {
    "amount": ("amount", "unit", "dimmer_stops"),
    "colour": ("kelvin", "tint_duv", "gel"),
    "acts on": ("matte", "highlights", "air_factor", "linking"),
    "shape": ("shape",),
}


def paste_facet(document: Document, source_id: str, other: Source, facet: str) -> Document:
    """One facet of ``other`` laid on a source: its place and aim stay its own, and so does a level it holds."""
    source = document.look.source(source_id)
    if source is None:
        return document
    if facet == "shape":
        shape: Any = other.shape
        own: Any = source.shape
        if kind_of(shape).placed and kind_of(own).placed:
            shape = attrs.evolve(shape, position=own.position, aim=own.aim)
        return reshape(document, source_id, shape)
    taken = {name: getattr(other, name) for name in FACETS[facet]}
    if facet == "amount" and other.unit not in units_of(source.shape):
        raise QuantityError(f"{source.name} is not measured in {other.unit}; tell {other.name} in another unit first")
    return change_source(document, source_id, **taken)


def change_group(document: Document, group: str, **changes: Any) -> Document:
    """The document with fields of one group of the current look changed; a new name goes to its members."""
    look = document.look
    groups = tuple(attrs.evolve(g, **changes) if g.name == group else g for g in look.groups)
    renamed = changes.get("name", group)
    sources = tuple(attrs.evolve(s, group=renamed) if s.group == group else s for s in look.sources)
    return change_look(document, groups=groups, sources=sources)


def put_in_group(document: Document, source_id: str, name: str) -> Document:
    """A source in a group, made if need be; "" takes it out. Groups without members are gone."""
    look = document.look
    sources = tuple(attrs.evolve(s, group=name) if s.id == source_id else s for s in look.sources)
    groups = look.groups
    if name and look.group(name) is None:
        groups = (*groups, Group(name))
    held_by = {s.group for s in sources}
    return change_look(document, sources=sources, groups=tuple(g for g in groups if g.name in held_by))


def change_card(document: Document, card_id: str, **changes: Any) -> Document:
    """The document with fields of one card of the current look changed."""
    cards = tuple(attrs.evolve(c, **changes) if c.id == card_id else c for c in document.look.cards)
    return change_look(document, cards=cards)


def add_card(document: Document, card: Card) -> Document:
    """The document with a card added to the current look; a taken name gets a number."""
    look = document.look
    card = attrs.evolve(card, name=free_name(card.name, (c.name for c in look.cards)))
    return change_look(document, cards=(*look.cards, card))


def remove_card(document: Document, card_id: str) -> Document:
    """The document without one card of the current look."""
    look = document.look
    cues = _without_target(look.cues, card_id)
    return change_look(document, cards=tuple(c for c in look.cards if c.id != card_id), cues=cues)


def change_unit(document: Document, source_id: str, unit: str) -> Document:
    """The same light told in another unit."""
    source = document.look.source(source_id)
    if source is None or source.unit == unit:
        return document
    return change_source(document, source_id, amount=convert(source, unit, document.look.weather.atmosphere), unit=unit)


def add_source(document: Document, source: Source) -> Document:
    """The document with a source added to the current look; a taken name gets a number."""
    look = document.look
    source = attrs.evolve(source, name=free_name(source.name, (s.name for s in look.sources)))
    return change_look(document, sources=(*look.sources, source))


def remove_source(document: Document, source_id: str) -> Document:
    """The document without one source of the current look."""
    look = document.look
    cues = _without_target(look.cues, source_id)
    return change_look(document, sources=tuple(s for s in look.sources if s.id != source_id), cues=cues)


def move_source(document: Document, source_id: str, index: int) -> Document:
    """The document with a source at another place in the row."""
    rest = [s for s in document.look.sources if s.id != source_id]
    moved = document.look.source(source_id)
    if moved is None:
        return document
    rest.insert(max(0, min(index, len(rest))), moved)
    return change_look(document, sources=tuple(rest))


def under_heavens(source: Source, look: Look, site: Site) -> Source:
    """A sun, moon or sky that follows the hour, as the look's moment, site and weather have it."""
    shape = source.shape
    if not isinstance(shape, (Sun, Sky)) or not shape.follows_hour:
        return source
    above = heavens(look.date, look.hour_h, site)
    if isinstance(shape, Sun):
        body = above.moon if shape.body == "moon" else above.sun
        shape = attrs.evolve(
            shape,
            altitude_deg=body.altitude_deg,
            azimuth_deg=body.azimuth_deg,
            clouds=look.weather.clouds,
            phase_deg=above.phase_deg if shape.body == "moon" else 0.0,
            limb_deg=bright_limb_deg(above),
        )
    elif isinstance(shape.dome, ClearSky):
        shape = attrs.evolve(shape, dome=sky_of(look, site))
    return attrs.evolve(source, shape=shape)


def sky_of(look: Look, site: Site) -> ClearSky:
    """The sky over a site at a look's moment."""
    above = heavens(look.date, look.hour_h, site)
    return ClearSky(
        above.sun.altitude_deg,
        above.sun.azimuth_deg,
        above.moon.altitude_deg,
        above.moon.azimuth_deg,
        above.phase_deg,
        above.sidereal_deg,
        site.latitude_deg,
        site.north_deg,
        look.weather,
    )


def _settled(look: Look, site: Site) -> Look:
    # The air over a place begins at its height.
    air = attrs.evolve(look.weather.atmosphere, altitude_m=max(site.altitude_m, 0.0))
    look = attrs.evolve(look, weather=attrs.evolve(look.weather, atmosphere=air))
    return attrs.evolve(look, sources=tuple(under_heavens(s, look, site) for s in look.sources))


def change_heavens(document: Document, **changes: Any) -> Document:
    """The current look at another hour or date or in other weather; what follows the hour goes along.

    Raises SkyError for a date that no ephemeris covers.
    """
    return with_look(document, _settled(attrs.evolve(document.look, **changes), document.place.site))


def set_hour(document: Document, hour_h: float) -> Document:
    """The current look at another hour; past midnight the date goes along, where the hour is keyed as more than 24."""
    look = document.look
    if any((cue.target, cue.row) == HOUR for cue in look.cues):
        return change_heavens(document, hour_h=hour_h)
    days = math.floor(hour_h / 24.0)
    date = look.date
    if days:
        date = (dt.date.fromisoformat(date) + dt.timedelta(days=days)).isoformat()
    return change_heavens(document, hour_h=hour_h - 24.0 * days, date=date)


def change_site(document: Document, **changes: Any) -> Document:
    """The place elsewhere on earth, or turned: every look's suns and skies that follow the hour go along."""
    place = attrs.evolve(document.place, site=attrs.evolve(document.place.site, **changes))
    looks = tuple(_settled(k, place.site) for k in document.looks)
    return attrs.evolve(document, place=place, looks=looks)


def hold_back(document: Document, source_id: str, rgb: tuple[float, float, float]) -> Document:
    """The grade of a sky told to suppress a colour, half of it to begin with.

    Raises SkyError for a sky of two colours, which has no grade.
    """
    look = document.look
    source = look.source(source_id)
    shape: Any = None if source is None else source.shape
    dome = getattr(shape, "dome", None)
    if not isinstance(dome, (ClearSky, Panorama)):
        raise SkyError("a sky of two colours is changed in its colours; there is nothing to hold back")

    def bent(grade: SkyGrade) -> SkyGrade:
        return attrs.evolve(grade, hold=rgb, hold_share=grade.hold_share or 0.5)

    if isinstance(dome, Panorama):
        return change_shape(document, source_id, dome=attrs.evolve(dome, grade=bent(dome.grade)))
    if shape.follows_hour:
        return change_heavens(document, weather=attrs.evolve(look.weather, grade=bent(look.weather.grade)))
    weather = attrs.evolve(dome.weather, grade=bent(dome.weather.grade))
    return change_shape(document, source_id, dome=attrs.evolve(dome, weather=weather))


def start_from_black(document: Document) -> Document:
    """The current look with everything that gives light silenced, the sky included."""
    sources = tuple(attrs.evolve(s, muted=True, alone=False) for s in document.look.sources)
    return change_look(document, sources=sources)


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
