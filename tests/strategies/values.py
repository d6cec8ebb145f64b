"""Frozen values of any class, drawn by the types of their fields; what types do not tell stands in tables here.

Numbers that have rows are drawn by those (see `documents`): here they keep their defaults.
"""

import functools
import types
import typing
from collections.abc import Callable, Sequence
from typing import Any

import attrs
from hypothesis import strategies as st

from lunar_haze.core.air.banks import BANK_KINDS as BANK_SHAPES
from lunar_haze.core.air.medium import Bank
from lunar_haze.core.finish.mask_model import WAYS, Region
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.regions import region_kinds
from lunar_haze.core.finish.steps import STEP_NAMES
from lunar_haze.core.finish.values import SPACES, TableFile
from lunar_haze.core.picture.views import VIEWS
from lunar_haze.core.sky.kinds import sky_kinds
from lunar_haze.core.sky.model import CLOUDS, Panorama, Weather
from lunar_haze.core.sky.photograph_kinds import NAMES as PHOTOGRAPHS
from lunar_haze.core.sources.array import ARRANGEMENTS, LampArray
from lunar_haze.core.sources.cutouts import CutOut, kinds
from lunar_haze.core.sources.flicker_kinds import Flicker, flicker_kinds
from lunar_haze.core.sources.kinds import Shape, lamp_kinds
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import LightLinking, Sky, Source, Sun, Surface
from tests.strategies.yard import Yard

#: Names that files, layers and lists have to keep apart.
NAMES = ("lamp", "Lamp", "wärmer Schein", "灯", "a/b: c", "R", "lamp 2", "", "-", "ключ")
_COLOUR_PARTS = (0.0, 0.25, 0.5, 1.0)


def colours() -> st.SearchStrategy[tuple[float, ...]]:
    """An ACEScg colour, black among them."""
    return st.tuples(*[st.sampled_from(_COLOUR_PARTS)] * 3)


#: What fields may hold that their types do not tell: options, read from the registries each time.
_CHOICES: dict[tuple[type, str], Callable[[Yard], Sequence[Any]]] = {
    (LampArray, "arrangement"): lambda yard: ARRANGEMENTS,
    (Sun, "body"): lambda yard: ("sun", "moon"),
    (Bank, "kind"): lambda yard: tuple(BANK_SHAPES),
    (CutOut, "kind"): lambda yard: kinds(),
    (CutOut, "path"): lambda yard: (str(yard.picture),),
    (Region, "kind"): lambda yard: tuple(region_kinds()),
    (Region, "how"): lambda yard: WAYS,
    (Region, "objects"): lambda yard: ((), yard.objects[:1], yard.objects[1:3]),
    (Region, "materials"): lambda yard: ((), yard.materials[:2]),
    (Surface, "material"): lambda yard: (yard.glowing,),
    (LightLinking, "mode"): lambda yard: ("all", "only", "but"),
    (LightLinking, "objects"): lambda yard: ((), yard.objects[:1], yard.objects[1:3]),
    (Finish, "view"): lambda yard: tuple(VIEWS),
    (Finish, "off"): lambda yard: ((), *((step,) for step in STEP_NAMES)),
    (Finish, "masks"): lambda yard: ((),),
    (TableFile, "path"): lambda yard: (str(yard.table),),
    (TableFile, "space"): lambda yard: tuple(SPACES),
    (Panorama, "path"): lambda yard: (str(yard.panorama),),
    (Panorama, "encoding"): lambda yard: ("linear", "display"),
    (Panorama, "sky_kind"): lambda yard: ("", *PHOTOGRAPHS),
    (Weather, "clouds"): lambda yard: tuple(CLOUDS.values()),
}


#: Fields of these names hold an ACEScg colour.
_COLOURS = frozenset({"gel", "reflectance", "hold", "zenith", "horizon", "below", "shadows", "lights"})
#: Fields that go together with others, or that only the program itself fills in: they keep what they begin with.
_KEPT = frozenset({
    (Source, "id"), (Source, "name"), (Source, "group"), (Source, "lobe_of"), (Source, "muted"), (Source, "alone"),
    (Panorama, "without_sun"), (Finish, "white_follows"),
})  # fmt: skip


@st.composite
def varied(draw: st.DrawFn, value: Any, yard: Yard) -> Any:
    """Values like ``value``: switches either way, choices any of theirs, what may be missing there or not."""
    kind = type(value)
    changes = {}
    for field in _fields(kind):
        if (kind, field.name) in _KEPT or not field.init:
            continue
        choices = _CHOICES.get((kind, field.name))
        if choices is not None:
            changes[field.name] = draw(st.sampled_from(choices(yard)))
            continue
        one = _of_type(getattr(value, field.name), field, yard)
        if one is not None:
            changes[field.name] = draw(one)
    return attrs.evolve(value, **changes)


@functools.cache
def _fields(kind: type) -> tuple[Any, ...]:
    attrs.resolve_types(kind)
    return attrs.fields(kind)


def _of_type(now: Any, field: Any, yard: Yard) -> st.SearchStrategy[Any] | None:
    """What a field may hold by its type, None where it keeps what it has."""
    options = typing.get_args(field.type) if typing.get_origin(field.type) in (types.UnionType, typing.Union) else ()
    if field.name in _COLOURS and type(now) is not bool:
        return st.one_of(st.none(), colours()) if type(None) in options else colours()
    if type(now) is bool:
        return st.booleans()
    if isinstance(now, Flicker):
        return flickers(yard)
    if isinstance(now, Lamp):
        return lamps(yard)
    if attrs.has(type(now)) and field.type is type(now):
        return varied(now, yard)
    made = next((o for o in options if attrs.has(o)), None)
    if type(None) in options and made is not None and field.name != "reference":
        return st.one_of(st.none(), varied(made(), yard))
    if type(None) in options and float in options:
        return st.sampled_from((None, 2700.0, 6500.0))
    return None


def flickers(yard: Yard) -> st.SearchStrategy[Flicker]:
    """A flicker of any kind, steady light the first."""
    return st.sampled_from(flicker_kinds()).flatmap(lambda kind: varied(kind.value(), yard))


def lamps(yard: Yard) -> st.SearchStrategy[Lamp]:
    """A single lamp of any kind."""
    values = [kind.value for kind in lamp_kinds() if issubclass(kind.value, Lamp)]
    return st.sampled_from(values).flatmap(lambda value: varied(value(), yard))


@st.composite
def shape_of(draw: st.DrawFn, kind: Any, yard: Yard) -> Shape:
    """A shape of a kind of source; a sky of any of its kinds."""
    shape = draw(varied(kind.value(), yard))
    if kind.value is Sky:
        return attrs.evolve(shape, dome=draw(varied(draw(st.sampled_from(sky_kinds())).value(), yard)))
    return shape
