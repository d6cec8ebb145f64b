"""What holds for every document, as functions that raise AssertionError; the tests and `bench/laws.py` try them."""

from pathlib import Path
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.cli.numbers import assigned
from lunar_haze.core.document.checks import check_document
from lunar_haze.core.document.cues import at_frame, can_be_keyed, followed, with_key
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.files import from_json, to_json
from lunar_haze.core.document.journal import Journal, read
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.rows import facets_of, targets_of, within
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HazeError
from lunar_haze.core.finish.masks import share_in
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.scene_light import in_light
from lunar_haze.core.handoff.deliver import source_layers
from lunar_haze.core.layers.model import FrameRequest
from lunar_haze.core.plan.frames import frame_request, view_of
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.service.still import Still, StillMaker
from tests.strategies.renderer import HereBackend

#: Passes of a picture that a law looks at.
PASSES = 2


def differences(one: Any, other: Any, where: str = "") -> list[tuple[str, Any, Any]]:
    """Where two values differ: the path to each field, and what either has there."""
    if one == other:
        return []
    if attrs.has(type(one)) and type(one) is type(other):
        return [
            found
            for field in attrs.fields(type(one))
            for found in differences(getattr(one, field.name), getattr(other, field.name), f"{where}.{field.name}")
        ]
    if isinstance(one, tuple) and isinstance(other, tuple) and len(one) == len(other):
        pairs = enumerate(zip(one, other))
        return [found for at, (a, b) in pairs for found in differences(a, b, f"{where}[{at}]")]
    return [(where, one, other)]


def size_of(shot: Shot) -> tuple[int, int]:
    """The size of a shot's frame [px]."""
    return shot.frame_width, shot.frame_height


def request_of(document: Document, passes: int = PASSES, number: int = 1) -> FrameRequest:
    """The request of the picture on screen, as a still."""
    shot, look = document.shot, document.look
    return frame_request(
        number, place_spec(document.place), shot, look, size_of(shot), passes, denoise=False, live=False
    )


def saved_is_equal(document: Document) -> None:
    """Saved and read again a document is equal, and its picture is planned of the same layers and gains."""
    back, notes = from_json(to_json(document, Path("/somewhere")), Path("/somewhere"), "x.haze")
    assert not notes, notes
    assert not differences(document, back), differences(document, back)[:4]
    one, two = request_of(document), request_of(back)
    assert [spec.key() for spec in one.layers] == [spec.key() for spec in two.layers]
    assert one.gains == two.gains


def what_is_taken_can_be_opened(document: Document, facet: Facet, number: float) -> None:
    """An edit is refused in words, or it is saved and opened again as it is."""
    try:
        wanted = followed(document, facet.write(document, within(facet, number)))
        check_document(wanted, document)
    except HazeError:
        return
    back, notes = from_json(to_json(wanted, Path("/somewhere")), Path("/somewhere"), "x.haze")
    assert not notes, (facet.name, number, notes)
    assert not differences(wanted, back), (facet.name, number, differences(wanted, back)[:4])


def zero_has_no_sign(document: Document, facet: Facet) -> None:
    """Nothing and minus nothing are one number: documents that are equal have the same layers."""
    if not facet.row.floor <= 0.0 <= facet.row.ceiling:
        return
    try:
        one, other = (facet.write(document, zero) for zero in (0.0, -0.0))
    except HazeError:
        return
    if one == other:
        assert [s.key() for s in request_of(one).layers] == [s.key() for s in request_of(other).layers]


def work_is_kept(document: Document, folder: Path) -> None:
    """What a journal keeps of a document is all of it."""
    found, note = read(Journal(None, folder).write(document))
    assert found is not None, note
    assert not differences(document, found.document), differences(document, found.document)[:4]


def words_are_the_edit(document: Document, target: str, facet: Facet, number: float, frame: int) -> None:
    """A number told in words, or a key of it, is what a hand sets it to; so are all words that tell a number as it is."""
    names = [name for name, known in targets_of(document).items() if known == target]
    if not names or not names[0]:
        return  # another has its name, or it has none
    unit = facet.row.unit
    told = f"{number!r} {unit}".rstrip()
    try:
        wanted = followed(document, facet.write(document, number))
    except HazeError:
        return
    alone = sum(facet.name in facets_of(document, each) for each in targets_of(document).values()) == 1
    # A row that only one target has needs no name.
    for row_name in (f"{names[0]}: {facet.name}", *((facet.name,) if alone else ())):
        assert not differences(assigned(document, f"{row_name} = {told}"), wanted)
        if can_be_keyed(target, facet):
            keyed = at_frame(with_key(document, target, facet.name, number, frame=frame))
            assert not differences(assigned(document, f"{row_name} @ {frame} = {told}"), keyed)


class Studio:
    """Makes the pictures that laws look at, one after the other, in this process."""

    def __init__(self, cache: Path) -> None:
        self.backend = HereBackend(cache)
        self._asked = 0

    def still(self, request: FrameRequest) -> Still:
        """The still of a request, computed from nothing."""
        self._asked += 1
        found = StillMaker(self.backend).still(attrs.evolve(request, id=self._asked, fresh=True))
        assert found is not None
        return found


def close(one: NDArray, other: NDArray, relative: float = 2e-5) -> bool:
    """Whether pictures differ by no more than the rounding of their sums."""
    scale = max(float(np.abs(other).max(initial=0.0)), 1e-30)
    return bool(np.abs(one.astype(np.float64) - other).max(initial=0.0) <= relative * scale)


def layers_add_up(still: Still, look: Look, shot: Shot, place_key: str) -> None:
    """The layers that are handed on add up to the picture, none is missing."""
    layers = source_layers(look, view_of(shot, size_of(shot)), place_key, still.layers)
    total = np.sum([np.zeros_like(still.beauty), *layers.values()], axis=0)
    assert close(total, still.beauty), (float(np.abs(total - still.beauty).max()), float(still.beauty.max()))
    # What a mask weakens by source is a share of the same picture.
    shares = [share_in(still.beauty, light) for light in layers.values()]
    lit = still.beauty > 1e-6 * still.beauty.max(initial=1e-12)
    assert close(np.sum([np.zeros_like(still.beauty), *shares], axis=0)[lit], np.ones_like(still.beauty)[lit], 1e-3)


def nothing_is_odd(still: Still, look: Look, shot: Shot) -> None:
    """No layer, no picture before the view and no finished picture is negative, not a number or without end."""
    for key, image in still.layers.items():
        for part in (image.surface, image.air):
            assert np.isfinite(part).all(), key
            assert part.min() >= 0.0, (key, float(part.min()))
    scale, lens = exposure_scale(look.ev100, look.stops), shot.seen_from.tan_half_width
    light = in_light(still.beauty, look.finish.in_force, scale, lens)
    assert np.isfinite(light).all()
    assert light.min() >= 0.0, float(light.min())
    shown = finished(still.beauty, look.finish, scale, lens)
    assert np.isfinite(shown).all()
    assert shown.min() >= 0.0, float(shown.min())
    assert shown.max() <= 1.0, float(shown.max())


def a_mix_is_a_render(studio: Studio, document: Document) -> None:
    """Layers of one balance, mixed under the gains of another, are the picture that is rendered for that one."""
    before = studio.still(request_of(document))
    look = document.look
    sources = tuple(
        attrs.evolve(s, dimmer_stops=s.dimmer_stops - 1.0 - n, gel=(0.5, 1.0, 0.25), air_factor=0.5)
        for n, s in enumerate(look.sources)
    )
    request = request_of(attrs.evolve(document, looks=(attrs.evolve(look, sources=sources), *document.looks[1:])))
    assert [spec.key() for spec in request.layers] == list(before.layers)
    mixed = np.zeros_like(before.beauty)
    for gain in request.gains:
        if gain.is_silent:
            continue
        image = before.layers[gain.key]
        mixed += image.surface * np.float32(gain.surface) + image.air * np.float32(gain.air)
    assert close(mixed, studio.still(request).beauty)


def the_lens_makes_no_light(look: Look) -> None:
    """What a lens does to a small bright thing and a bright field takes light from where it comes; none goes below 0."""
    finish = look.finish
    lens = Finish(
        glow=finish.glow, halation=finish.halation, star=finish.star, ghosts=finish.ghosts, aperture=finish.aperture
    )
    for lamp, field in ((400.0, 0.2), (30.0, 3.0)):
        picture = np.full((54, 96, 3), 0.2, np.float32)
        picture[20:34, 30:66] = field
        picture[27, 48] = lamp
        made = in_light(picture, lens, 1.0, 0.5)
        assert made.min() >= 0.0, float(made.min())
        for channel in range(3):
            ratio = float(made[..., channel].sum() / picture[..., channel].sum())
            assert ratio < 1.002, (channel, ratio)
