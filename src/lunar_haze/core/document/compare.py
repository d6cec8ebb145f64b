"""What differs between two looks, and looks between two: kept states side by side and blended."""

import math

import attrs

from lunar_haze.core.document import edits
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.document.rows import AIR, CAMERA, FINISH, facets_of
from lunar_haze.core.finish.model import between
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.quantity import format_quantity

#: A number that differs by less than this share of itself is the same.
_SAME = 1e-4


@attrs.frozen
class Difference:
    """One thing that two looks differ in: of what, which number, in words what it was and is, and by how much.

    ``size`` orders differences: stops for light, shares of the useful span for the rest.
    """

    of: str
    what: str
    before: str
    after: str
    by: str
    size: float

    @property
    def words(self) -> str:
        """The difference in a line."""
        change = f"{self.before} → {self.after}" if self.before or self.after else ""
        return f"{self.of}: {self.what} {change}{f' ({self.by})' if self.by else ''}".rstrip()


def differences(document: Document, before: Look, after: Look) -> tuple[Difference, ...]:
    """What differs from one look to another, in the document's shot; the largest first."""
    one, two = (edits.with_look(document, attrs.evolve(look, name=document.current_look)) for look in (before, after))
    found: list[Difference] = []
    old, new = {s.id: s for s in before.sources}, {s.id: s for s in after.sources}
    for source_id, source in new.items():
        if source_id not in old:
            found.append(Difference(source.name, "is new", "", "", "", 100.0))
        else:
            found += _of_source(one, two, old[source_id], source)
    found += [Difference(s.name, "is gone", "", "", "", 100.0) for i, s in old.items() if i not in new]
    cards = {c.id: c for c in before.cards}
    for card in after.cards:
        if card.id not in cards:
            found.append(Difference(card.name, "is new", "", "", "", 50.0))
        else:
            found += _of_facets(one, two, card.id, card.name)
    left = {c.id for c in after.cards}
    found += [Difference(c.name, "is gone", "", "", "", 50.0) for c in before.cards if c.id not in left]
    groups = {g.name: g for g in before.groups}
    for group in after.groups:
        was = groups.get(group.name)
        if was is not None and was.dimmer_stops != group.dimmer_stops:
            by = group.dimmer_stops - was.dimmer_stops
            found.append(
                Difference(group.name, "dimmer of the group", _stops(was.dimmer_stops), _stops(group.dimmer_stops),
                           f"{by:+.1f} stops", abs(by))
            )  # fmt: skip
    if (before.hour_h, before.date) != (after.hour_h, after.date):
        found.append(Difference("sky", "hour", _hour(before), _hour(after), "", abs(before.hour_h - after.hour_h)))
    if len(before.medium.banks) != len(after.medium.banks):
        counts = str(len(before.medium.banks)), str(len(after.medium.banks))
        found.append(Difference(AIR, "banks of mist", *counts, "", 10.0))
    found += _of_facets(one, two, AIR, AIR)
    if before.finish.view != after.finish.view:
        found.append(Difference(FINISH, "view", before.finish.view, after.finish.view, "", 1.0))
    if before.finish.muted != after.finish.muted:
        found.append(Difference(FINISH, "muted" if after.finish.muted else "no longer muted", "", "", "", 5.0))
    if before.finish.masks != after.finish.masks:
        counts = str(len(before.finish.masks)), str(len(after.finish.masks))
        found.append(Difference(FINISH, "masks", *counts, "", 3.0))
    found += _of_facets(one, two, FINISH, FINISH)
    found += [d for d in _of_facets(one, two, CAMERA, CAMERA) if d.what not in ("f-stop", "shutter time", "ISO")]
    return tuple(sorted(found, key=lambda d: -d.size))


def _hour(look: Look) -> str:
    minutes = round(look.clock_h * 60)
    return f"{minutes // 60:02d}:{minutes % 60:02d} on {look.day}"


def _stops(value: float) -> str:
    return f"{value:+.1f}"


def _of_source(one: Document, two: Document, old: Source, new: Source) -> list[Difference]:
    found = []
    for what in ("muted", "alone"):
        if getattr(old, what) != getattr(new, what):
            found.append(Difference(new.name, what if getattr(new, what) else f"no longer {what}", "", "", "", 20.0))
    if old.role != new.role:
        found.append(Difference(new.name, "role", old.role or "none", new.role or "none", "", 0.1))
    if type(old.shape) is not type(new.shape):
        found.append(Difference(new.name, "is another kind of source", "", "", "", 50.0))
        return found
    if old.gel != new.gel:
        found.append(Difference(new.name, "has another gel", "", "", "", 1.0))
    return found + _of_facets(one, two, new.id, new.name)


def _of_facets(one: Document, two: Document, target: str, name: str) -> list[Difference]:
    before, after = facets_of(one, target), facets_of(two, target)
    found = []
    for key, facet in after.items():
        if key not in before or before[key].row.unit != facet.row.unit:
            continue
        was, now = before[key].read(one), facet.read(two)
        if not _same(was, now):
            found.append(_difference(name, facet, was, now))
    return found


def _same(was: float, now: float) -> bool:
    if math.isinf(was) or math.isinf(now):
        return was == now
    return abs(was - now) <= _SAME * max(abs(was), abs(now), 1e-6)


def _difference(name: str, facet: Facet, was: float, now: float) -> Difference:
    row = facet.row
    by = ""
    span = max(row.high - row.low, 1e-9)
    size = abs(now - was) / span if math.isfinite(now - was) else 1.0
    if row.unit == "stops":
        by, size = f"{now - was:+.1f} stops", abs(now - was)
    elif row.unit == "EV":
        by, size = f"{was - now:+.1f} stops of light", abs(now - was)
    elif row.unit == "K" and min(was, now) > 0:
        by = f"{1e6 / now - 1e6 / was:+.0f} mired"
    elif row.ratio and min(was, now) > 0 and math.isfinite(was * now):
        stops = math.log2(now / was)
        by, size = (f"{stops:+.1f} stops", abs(stops)) if row.name == "level" else (f"×{now / was:.3g}", size)

    def shown(value: float) -> str:
        if math.isinf(value):
            return row.endless or "no end"
        return row.zero if value == 0 and row.zero else format_quantity(value, row.unit)

    return Difference(name, row.label, shown(was), shown(now), by, size)


# -- between two looks ------------------------------------------------------------------------------


def _mix(one: float, two: float, share: float) -> float:
    return one + (two - one) * share


def blended(one: Look, two: Look, share: float) -> Look:
    """A look between two: at 0 the first, at 1 the second, under the first's name.

    Dimmers and exposure go by stops, colour temperatures by mired. What has no between (places, shapes, air, mutes,
    sources that only one has) comes from the nearer look. Where those agree, no ray is asked for.
    """
    if share <= 0.0:
        return one
    near = one if share < 0.5 else two
    if share >= 1.0:
        return attrs.evolve(two, name=one.name)
    first, second = {s.id: s for s in one.sources}, {s.id: s for s in two.sources}
    sources = tuple(
        _source_between(source, first[source.id], second[source.id], share, one, two)
        if source.id in first and source.id in second
        else source
        for source in near.sources
    )
    dimmers = ({g.name: g.dimmer_stops for g in one.groups}, {g.name: g.dimmer_stops for g in two.groups})
    groups = tuple(
        attrs.evolve(g, dimmer_stops=_mix(dimmers[0][g.name], dimmers[1][g.name], share))
        if g.name in dimmers[0] and g.name in dimmers[1]
        else g
        for g in near.groups
    )
    return attrs.evolve(
        near,
        name=one.name,
        sources=sources,
        groups=groups,
        ev100=_mix(one.ev100, two.ev100, share),
        stops=_mix(one.stops, two.stops, share),
        finish=between(one.finish, two.finish, share),
    )


def _source_between(near: Source, first: Source, second: Source, share: float, one: Look, two: Look) -> Source:
    changes: dict[str, object] = {
        name: _mix(getattr(first, name), getattr(second, name), share)
        for name in ("dimmer_stops", "air_factor", "matte", "highlights")
    }
    if first.unit == second.unit and min(first.amount, second.amount) > 0:
        changes["amount"] = math.exp(_mix(math.log(first.amount), math.log(second.amount), share))
    if (first.kelvin, first.tint_duv) != (second.kelvin, second.tint_duv):
        kelvin = [lamp_kelvin(s, k.weather.atmosphere) for s, k in ((first, one), (second, two))]
        changes["kelvin"] = 1.0 / _mix(1.0 / kelvin[0], 1.0 / kelvin[1], share)
        changes["tint_duv"] = _mix(first.tint_duv, second.tint_duv, share)
    if first.gel != second.gel:
        changes["gel"] = tuple(
            math.exp(_mix(math.log(max(a, 1e-6)), math.log(max(b, 1e-6)), share)) for a, b in zip(first.gel, second.gel)
        )
    return attrs.evolve(near, **changes)  # type: ignore[arg-type]
