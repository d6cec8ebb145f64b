"""Keys are exact: a row whose change leaves a source's light as it was does not make its layers anew."""

import math
from collections.abc import Iterator
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Bank
from lunar_haze.core.document.edits import under_heavens
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HazeError
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.files import card_with_content, with_content
from lunar_haze.core.plan.frames import layers_of, view_of
from lunar_haze.core.sky.kinds import sky_kinds
from lunar_haze.core.sky.model import CLOUDS
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.cutouts import kinds as cutouts
from lunar_haze.core.sources.flicker import turned
from lunar_haze.core.sources.flicker_kinds import flicker_kinds
from lunar_haze.core.sources.kinds import kinds
from lunar_haze.core.sources.model import Sky, Source, Surface
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units.row import Row
from tests.strategies.documents import CAMERA_AT, targets
from tests.strategies.values import NAMES
from tests.strategies.yard import Yard

SIZE = (32, 18)
PASSES = 3
#: Rows whose change may make a layer anew though this place's light stays the same, and why.
EXCUSED = {
    "s0: stars": "by day they are lost in the rounding of the sky's light",
    "c0: reflectance": "of a pattern that leaves the card dark nothing comes back",
}


def looks_by_name(yard: Yard) -> dict[str, Look]:
    """A look for each kind of source, sky and flicker, in clear air and in mist."""
    made: dict[str, Source] = {}
    for kind in kinds():
        if not kind.in_files or kind.value is Sky:
            continue
        shape = kind.value()
        if isinstance(shape, Surface):
            shape = Surface(yard.glowing)
        if kind.placed:
            shape = attrs.evolve(shape, position=(1.5, -2.5, 2.5), aim=(0.0, 0.5, 0.8))
        made[kind.name] = Source("s0", NAMES[0], shape, 1.0, kind.units[0])
    for sky in sky_kinds():
        dome = sky.value(path=str(yard.panorama)) if "path" in attrs.fields_dict(sky.value) else sky.value()
        made[sky.name] = Source("s0", NAMES[0], Sky(dome), sky.amount, sky.unit)
        made[f"{sky.name} by hand"] = Source("s0", NAMES[0], Sky(dome, follows_hour=False), sky.amount, sky.unit)
    usual = made["beam"]
    for flicker in flicker_kinds():
        made[f"beam, {flicker.name}"] = attrs.evolve(usual, flicker=flicker.value())
    for cut in cutouts():
        path = str(yard.picture) if cut == "picture" else ""
        shape = attrs.evolve(usual.shape, cutout=CutOut(cut, path=path))
        made[f"beam through {cut}"] = attrs.evolve(usual, shape=shape)
    clear = Look("first", bounces=1, cards=(Card("c0", "flag", (0.5, -1.0, 1.2), (0.0, 0.5, 0.8)),))
    clear = attrs.evolve(clear, weather=attrs.evolve(clear.weather, clouds=CLOUDS["broken"]))
    mist = attrs.evolve(
        clear.medium, visibility_m=15.0, banks=(Bank(),), patches=attrs.evolve(clear.medium.patches, contrast=0.8)
    )
    found = {}
    for name, source in made.items():
        found[name] = attrs.evolve(clear, sources=(under_heavens(source, clear, yard.place.site),))
    for name in ("beam", "sun", "the sky of the hour", "ball"):
        found[f"{name} in mist"] = attrs.evolve(found[name], medium=mist)
    bank = attrs.evolve(clear.medium, multiple=0.5, banks=(Bank(size=(6.0, 6.0, 3.0), visibility_m=4.0),))
    found["sun on a bank alone"] = attrs.evolve(found["sun"], medium=bank)
    return found


def numbers_of(row: Row, now: float) -> Iterator[float]:
    """Some other numbers of a row, well apart from the one that it has."""
    for number in (row.high, row.low, row.usual, row.low + 0.37 * (row.high - row.low)):
        whole = float(round(number)) if row.whole else number
        if math.isfinite(whole) and abs(whole - now) > 1e-6 * max(abs(now), 1.0):
            yield whole


class Darkroom:
    """Traces layers of the yard with the same chance each time."""

    def __init__(self, yard: Yard) -> None:
        place = yard.place
        self._place = PackedPlace(load_place(Path(place.path), place.scale, place.scene))
        self._made: dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]] = {}

    def light(self, spec: LayerSpec) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Surface and air (h, w, 3) of a layer by itself."""
        key = spec.key()
        if key not in self._made:
            frame = Frame(self._place, spec.view, sky_rows=64)
            frame.add_guides(1)
            frame.want([spec])
            for _ in range(PASSES):
                frame.trace([key])
            image = frame.image(key)
            self._made[key] = image.surface, image.air
        return self._made[key]


def specs_of(document: Document) -> tuple[LayerSpec, ...]:
    """The layers of a document's only source."""
    look = document.look
    return layers_of(look.sources[0], look, view_of(document.shot, SIZE), place_spec(document.place).key)


def as_told(document: Document) -> LayerSpec:
    """The layer of a document's only source with nothing put back to a default: all that was told of it."""
    look, shot = document.look, document.shot
    source = look.sources[0]
    shape = with_content(turned(source.shape, source.flicker, shot.seconds))
    camera, medium = shot.seen_from, look.medium
    stretch = attrs.evolve(medium.stretch, origin=camera.position, axis=tuple(camera.axes()[2].tolist()))
    patches = attrs.evolve(medium.patches, drifted_s=shot.seconds)
    cards = tuple(attrs.evolve(card_with_content(c), id="", name="") for c in look.cards if not c.muted)
    return LayerSpec(
        place_spec(document.place).key, View(camera, *SIZE), shape,
        attrs.evolve(medium, stretch=stretch, patches=patches), look.bounces, "all", source.linking, cards,
    )  # fmt: skip


def nothing_is_left_out(darkroom: Darkroom, document: Document) -> bool:
    """Whether the layer that is planned has the light of all that was told."""
    found = specs_of(document)
    if len(found) > 1:
        return True
    pairs = zip(darkroom.light(as_told(document)), darkroom.light(found[0]))
    return all(np.allclose(a, b, rtol=1e-4, atol=1e-6 * float(np.abs(a).max(initial=0.0))) for a, b in pairs)


def document_of(yard: Yard, look: Look) -> Document:
    """A look seen by a shot of its own size."""
    shot = Shot("wide", CAMERA_AT, frame_width=SIZE[0], frame_height=SIZE[1], last_frame=8, frame=3)
    return Document(yard.place, (shot,), (look,), (), "wide", "first")


def restarted_for_nothing(darkroom: Darkroom, document: Document, facet: Facet) -> bool:
    """Whether all numbers of a row make other layers, and none of them another light."""
    before = specs_of(document)
    restarts = changes = False
    for number in numbers_of(facet.row, facet.read(document)):
        try:
            after = specs_of(facet.write(document, number))
        except HazeError:
            continue
        if [s.key() for s in before] == [s.key() for s in after]:
            continue
        restarts = True
        if len(before) != len(after):
            return False
        for one, other in zip(before, after):
            pairs = zip(darkroom.light(one), darkroom.light(other))
            changes = changes or any(not np.array_equal(a, b) for a, b in pairs)
        if changes:
            return False
    return restarts


def all_rows(document: Document) -> list[tuple[str, Facet]]:
    """Every row that a document has now, by a name that tells it."""
    return [(f"{target}: {facet.name}", facet) for target, facet, _part in targets(document)]
