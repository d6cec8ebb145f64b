"""The level at which a lamp that is added does its work: a stated ratio to the key that is there, as a round number.

Ratios are the trade's own (key to fill 3:1 for key and fill over fill; a rim a stop over the key). The key's level is
read from what each source gives the subject in the picture where that is known, otherwise reckoned from amounts and
geometry.
"""

import math

import attrs
import numpy as np

from lunar_haze.core.colour.spaces import luminance, srgb_decode
from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.readings.ratios import groups
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.delivered import delivered_at, strongest_at
from lunar_haze.core.solve.subject import Subject, subject_of, triangles_of
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.photometry import MID_GREY, exposure_scale
from lunar_haze.core.units.quantity import format_quantity

#: What each role delivers at the subject, over the key's level.
RATIOS = {"key": 1.0, "fill": 0.5, "rim": 2.0, "kicker": 1.0, "bounce": 0.25, "practical": 0.5, "background": 0.5}
#: From here on, over the level that shows the subject at mid grey, a key counts as seen under an exposure [stops].
SEEN_FROM_STOPS = -5.0
#: What a subject reflects whose materials tell nothing of use.
USUAL_REFLECTANCE, LEAST_REFLECTANCE = 0.25, 0.03
#: A lamp that gives the subject less than this [lx] for its own amount is for what it is aimed at.
_LEAST_LX = 1e-9


@attrs.frozen
class KeyThere:
    """The key at the subject: what it gives a surface that faces it [lx], and which source that is.

    None when no source is a key: the level is then that which shows the subject at mid grey.
    """

    level_lx: float
    source: Source | None


@attrs.frozen
class Arrival:
    """A source at the level at which it does its work, and a sentence that says so."""

    source: Source
    sentence: str


def reflectance_of(place: Place, objects: tuple[str, ...]) -> float:
    """What the named objects reflect on the whole, in [0.03, 1]: their materials' colours by area."""
    own = triangles_of(place, objects)
    if not len(own):
        return USUAL_REFLECTANCE
    corners = place.positions[place.triangles[own].astype(np.int64)].astype(float)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    by_material = np.bincount(place.material_of[own], area, len(place.materials))
    total, weight = 0.0, 0.0
    for number in np.flatnonzero(by_material):
        material = place.materials[number]
        own_colour = float(luminance(np.asarray(material.base_colour, float)))
        if material.base_texture >= 0:
            texture = place.textures[material.base_texture]
            pixels = texture.pixels[::8, ::8, :3].reshape(-1, 3) / 255.0
            own_colour *= float(np.mean(srgb_decode(pixels) if texture.is_colour else pixels))
        total, weight = total + by_material[number] * own_colour, weight + by_material[number]
    return min(max(total / weight if weight > 0 else USUAL_REFLECTANCE, LEAST_REFLECTANCE), 1.0)


def grey_lx(look: Look, reflectance: float) -> float:
    """Illuminance [lx] that shows a surface of a reflectance at mid grey under the look's exposure."""
    return math.pi * MID_GREY / (exposure_scale(look.ev100, look.stops) * reflectance)


def key_there(
    look: Look, subject: Subject, index: RayIndex, reflectance: float, measured: Shares | None = None
) -> KeyThere:
    """The key at the subject: the source with that role, or the brightest on the subject from one side.

    ``measured`` are the shares of the picture on screen, None where they are not known. What the exposure does not
    show is no key.
    """
    grey = grey_lx(look, reflectance)
    found = [] if measured is None else [_measured(measured, look, reflectance)]
    found += [
        strongest_at(look, subject.centre, index, subject.radius_m, with_skies=with_skies)
        for with_skies in (False, True)
    ]
    seen = ((source, level) for source, level in found if source is not None and level >= grey * 2.0**SEEN_FROM_STOPS)
    source, level = next(seen, (None, grey))
    return KeyThere(level, source)


def _measured(shares: Shares, look: Look, reflectance: float) -> tuple[Source | None, float]:
    """The key and its level [lx] by what it gives the subject in the picture."""
    if shares.subject is None or not shares.sources:
        return None, 0.0
    on = shares.sums.subject
    is_key = groups(shares, on)[0]
    number = int(np.argmax(np.where(is_key | ~is_key.any(), on, -1.0)))
    light = shares.luminances[number][shares.subject]
    # The side that it lights, of which a quarter of what is seen at least.
    lit = float(np.quantile(light, 0.75))
    return look.source(shares.sources[number].id), math.pi * lit / reflectance


def arriving(
    source: Source, place: Place, shot: Shot, look: Look, index: RayIndex, measured: Shares | None = None
) -> Arrival:
    """A lamp that is about to be added, at its role's ratio to the key where its light is wanted.

    That is at the subject if its light reaches it, otherwise at what it is aimed at. Without a key that is seen the
    lamp becomes it, and shows the subject at mid grey. A lamp whose light reaches neither keeps its amount.
    """
    if not isinstance(source.shape, Placed):
        return Arrival(source, f"{source.name}: as it comes")
    subject = subject_of(place, shot)
    reflectance = reflectance_of(place, shot.subject)
    key = key_there(look, subject, index, reflectance, measured)
    role = source.role or ("key" if key.source is None else "practical")
    wanted = RATIOS[role] * key.level_lx
    what, given = "the subject", delivered_at(source, look, subject.centre, index, subject.radius_m)
    if given < _LEAST_LX:
        what, given = "what it is aimed at", delivered_at(source, look, np.asarray(source.shape.aim, float))
    if given < _LEAST_LX:
        return Arrival(attrs.evolve(source, role=role), f"{source.name}: its light falls on nothing yet; aim it")
    amount = round_amount(source.amount * wanted / given)
    told = [f"{source.name} at {format_quantity(amount, source.unit)}: {format_quantity(wanted, 'lx')} on {what}"]
    told.append(f"{_stops(RATIOS[role])} {key.source.name}" if key.source else "mid grey, as the key")
    if not math.isclose(amount, source.amount):
        told.append(f"where a usual one gives {format_quantity(source.amount, source.unit)}")
    return Arrival(attrs.evolve(source, amount=amount, role=role), ", ".join(told))


def _stops(ratio: float) -> str:
    stops = round(math.log2(ratio))
    if stops == 0:
        return "as bright as"
    return f"{abs(stops)} {'stop' if abs(stops) == 1 else 'stops'} {'over' if stops > 0 else 'under'}"


def round_amount(amount: float) -> float:
    """To two significant figures: what a person would have typed."""
    return float(f"{amount:.2g}")
