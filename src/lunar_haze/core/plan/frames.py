"""From a document, and what the files hold that it names, to the layers its picture needs: a pure function."""

import contextlib
import functools
from collections import OrderedDict
from typing import Any

import attrs
import numpy as np

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import SkyError
from lunar_haze.core.finish.dust import motes_of
from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerSpec, Part, PlaceSpec, View
from lunar_haze.core.plan.files import card_with_content, with_content
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.model import ClearSky
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.array import Crowd
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.flicker import STEADY, flicker_light, turned
from lunar_haze.core.sources.gain import lamp_kelvin, source_gain
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import LightLinking, Sky, Source


def fitted_size(shot: Shot, width: int, height: int) -> tuple[int, int]:
    """Largest even size in ``width`` x ``height`` with the shot's proportions."""
    scale = min(width / shot.frame_width, height / shot.frame_height)
    # What fills its room exactly may be a hair less than that in binary.
    across, up = (int(side * scale + 1e-6) // 2 * 2 for side in (shot.frame_width, shot.frame_height))
    return max(across, 16), max(up, 16)


def view_of(shot: Shot, size: tuple[int, int]) -> View:
    """What the shot's lens sees at the frame on screen."""
    return View(shot.seen_from.plain(), *size, shot.seconds, shot.open_s)


def _timeless(view: View) -> View:
    # Time is in the air that has drifted and in what has turned; what has not is the same at every frame.
    return attrs.evolve(view, seconds=0.0, open_s=0.0)


@functools.lru_cache(maxsize=64)
def air_before(medium: Medium, view: View) -> Medium:
    """A look's air as it stands before the lens of a view."""
    camera = view.camera
    return medium.before_lens(camera.position, tuple(camera.axes()[2].tolist()), view.seconds)


@attrs.frozen
class Setting:
    """What all sources of a look have in common as far as their layers go: place, view without its moment, air, bounces
    and cards.
    """

    place_key: str
    view: View
    medium: Medium
    bounces: int
    cards: tuple[Card, ...]

    @staticmethod
    def of(look: Look, view: View, place_key: str, air_s: float | None = None) -> "Setting":
        """That of a look; ``air_s`` [s] leaves the air as it has drifted by then."""
        drifted = view if air_s is None else attrs.evolve(view, seconds=air_s)
        cards = tuple(attrs.evolve(card_with_content(c), id="", name="") for c in look.cards if not c.muted)
        return Setting(place_key, _timeless(view), air_before(look.medium, drifted), look.bounces, cards)


#: Layers of a setting by what decides them: the shape as it has turned, how its parts are weighed, what it lights.
_Known = dict[tuple[Shape | Crowd, bool, LightLinking], tuple[tuple[str, LayerSpec], ...]]
_known: OrderedDict[Setting, _Known] = OrderedDict()
#: So many settings are known at once: views of one picture, of small ones, of frames that are played.
_MOST_SETTINGS, _MOST_KNOWN = 24, 4096


def _known_in(setting: Setting) -> _Known:
    found = _known.pop(setting, None)
    if found is None or len(found) > _MOST_KNOWN:
        found = {}
    _known[setting] = found
    while len(_known) > _MOST_SETTINGS:
        _known.popitem(last=False)
    return found


def _keyed_layers(source: Source, setting: Setting, seconds: float, known: _Known) -> tuple[tuple[str, LayerSpec], ...]:
    """Key and spec of the layers of a source at a moment [s]: one, or two where matte reflection and highlights are
    weighed apart. Hashed once as long as nothing of it changes: a dimmer asks for all of them at every move.
    """
    shape = with_content(turned(source.shape, source.flicker, seconds))
    name = (shape, source.matte == source.highlights, source.linking)
    found = known.get(name)
    if found is None:
        at, parts = setting, ("all",) if name[1] else ("matte", "highlights")
        made = [
            LayerSpec(at.place_key, at.view, shape.plain(), at.medium, at.bounces, part, source.linking, at.cards)
            for part in parts
        ]
        found = known[name] = tuple((spec.key(), spec) for spec in made)
    return found


def layers_of(
    source: Source, look: Look, view: View, place_key: str, air_s: float | None = None
) -> tuple[LayerSpec, ...]:
    """What decides the layers of one source of a look; ``air_s`` [s] leaves the air as it has drifted by then.

    One layer, or two where matte reflection and highlights are weighed apart: those are mixed.
    """
    setting = Setting.of(look, view, place_key, air_s)
    return tuple(spec for _key, spec in _keyed_layers(source, setting, view.seconds, _known_in(setting)))


def problem_sentences(look: Look, view: View, place_key: str, problems: dict[str, str]) -> list[str]:
    """What to tell the artist of layers that stay dark: ``problems`` by key, with their sources' names."""
    said = []
    for key, reason in problems.items():
        names = [s.name for s in look.sources if any(l.key() == key for l in layers_of(s, look, view, place_key))]
        whose = "a card is left out" if not key else f"“{', '.join(names) or 'a source'}” gives no light"
        said.append(f"{whose}: {reason}")
    return list(dict.fromkeys(said))


#: More sources than this have no layer each: the others of a colour are computed as one.
MOST_LAYERS = 96


@functools.lru_cache(maxsize=8)
def planned_sources(look: Look) -> tuple[Source, ...]:
    """The balanced sources that have layers, active ones first; those past MOST_LAYERS gathered in crowds by colour.

    A crowd stands for its lamps' levels as they are: moving one of those dimmers computes it anew. A source whose light
    a mask changes has a layer of its own.
    """
    sources = wanted(look)
    if len(sources) <= MOST_LAYERS:
        return tuple(sources)
    masked = {mask.source for mask in look.finish.masks_at_work}
    active, own, rest = look.active(), sources[:MOST_LAYERS], sources[MOST_LAYERS:]
    own += [source for source in rest if source.id in masked]
    crowds: dict[tuple, list[Source]] = {}
    for source in rest:
        if source.id in masked:
            continue
        lamp_like = isinstance(source.shape, Lamp) and source.flicker == STEADY
        if not lamp_like or source.id not in active:
            # Skies, suns and surfaces are few; what is not active needs no layer.
            own += [] if lamp_like else [source]
            continue
        colour = (
            source.kelvin,
            source.tint_duv,
            source.gel,
            source.air_factor,
            source.matte,
            source.highlights,
            source.linking,
        )
        crowds.setdefault(colour, []).append(source)
    return (*own, *(_crowd(members) if len(members) > 1 else members[0] for members in crowds.values()))


def _crowd(members: list[Source]) -> Source:
    levels = [canonical(s.shape, s.amount, s.unit) * 2.0**s.dimmer_stops for s in members]
    total = max(sum(levels), 1e-30)
    lamps: Any = tuple(with_content(s.shape.plain()) for s in members)
    shape: Any = Crowd(lamps, tuple(level / total for level in levels))
    name = f"{members[0].name} and {len(members) - 1} more"
    return attrs.evolve(members[0], name=name, shape=shape, amount=total, unit="lm", dimmer_stops=0.0)


def wanted(look: Look) -> list[Source]:
    """Sources whose layers are worth computing, the ones that are active first."""
    known = look.active()
    sources = look.balanced()
    return [s for s in sources if s.id in known] + [s for s in sources if not s.muted and s.id not in known]


def airs_of(look: Look) -> list[Atmosphere]:
    """Atmospheres whose tables the gains and layers of a look need."""
    domes = [s.shape.dome for s in look.sources if isinstance(s.shape, Sky) and not s.muted]
    return [dome.weather.atmosphere for dome in domes if isinstance(dome, ClearSky)]


def gains(look: Look, view: View, place_key: str, air_s: float | None = None) -> tuple[LayerGain, ...]:
    """Mix factors of every layer of a look; sources that share a layer add up, silent ones are zero.

    ``air_s`` [s] means the layers in the air as it has drifted by then, whatever the moment of the view.
    """
    known, setting = look.active(), Setting.of(look, view, place_key, air_s)
    specs = _known_in(setting)
    total: dict[str, list[np.ndarray]] = {}
    for source in planned_sources(look) if len(look.sources) > MOST_LAYERS else look.balanced():
        gain = np.zeros(3)
        if source.id in known:
            there = attrs.evolve(source, shape=with_content(source.shape))
            with contextlib.suppress(SkyError):  # a photograph that is gone gives no light; the engine says so
                gain = source_gain(there, look.weather.atmosphere).astype(np.float64)
                kelvin = lamp_kelvin(there, look.weather.atmosphere) if there.flicker != STEADY else 0.0
                gain = gain * flicker_light(there.flicker, view.seconds, view.open_s, kelvin)
        for key, spec in _keyed_layers(source, setting, view.seconds, specs):
            surface, air = total.setdefault(key, [np.zeros(3), np.zeros(3)])
            surface += gain * (source.highlights if spec.part == "highlights" else source.matte)
            air += gain * (0.0 if spec.part == "highlights" else source.air_factor)
    return tuple(LayerGain(key, tuple(surface.tolist()), tuple(air.tolist())) for key, (surface, air) in total.items())


def frame_request(
    request_id: int,
    place: PlaceSpec,
    shot: Shot,
    look: Look,
    size: tuple[int, int],
    passes: int = 64,
    denoise: bool = True,
    live: bool = True,
    part: Part | None = None,
    part_alone: bool = False,
) -> FrameRequest:
    """The request whose layers and gains make the picture of ``shot`` under ``look``.

    ``size`` is width and height [px], ``passes`` how many samples a pixel gets of each layer. Of a ``live`` one
    stand-ins may be shown first. ``part`` is refined before the rest, or alone.
    """
    view = view_of(shot, size)
    setting = Setting.of(look, view, place.key)
    specs = _known_in(setting)
    layers: dict[str, LayerSpec] = {}
    for source in planned_sources(look):
        for key, spec in _keyed_layers(source, setting, view.seconds, specs):
            layers.setdefault(key, spec)
    return FrameRequest(
        request_id,
        place,
        setting.view,
        setting.medium,
        look.bounces,
        tuple(layers.values()),
        gains(look, view, place.key),
        passes,
        denoise,
        live,
        part,
        part_alone,
        motes=motes_of(look.finish.in_force.dust, shot.seconds),
    )
