"""The files that a look is lit with: which they are, and what they hold at this moment.

A document names panoramas and pictures of cut-outs by their paths. What a layer depends on is what
those files hold, so the plan puts their digests into the shapes whenever it is made.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import attrs

from lunar_haze.core.document.model import Look
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.array import Placed, lamp_of, with_lamp
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import PICTURE, CutOut
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.units.content import digest_or_none


def current_panorama(dome: Panorama) -> Panorama:
    """A panorama that knows what its file holds now; without a digest when that cannot be read."""
    return attrs.evolve(dome, digest=digest_or_none(dome.path))


def _cutout(cut: CutOut | None) -> CutOut | None:
    if cut is None or cut.kind != PICTURE:
        return cut
    return attrs.evolve(cut, digest=digest_or_none(cut.path))


def card_with_content(card: Card) -> Card:
    """A card that knows what the picture of its cut-out holds now."""
    return card if card.cutout is None else attrs.evolve(card, cutout=_cutout(card.cutout))


def with_content(shape: Shape) -> Shape:
    """A shape that knows what the files hold now that it is made with."""
    if isinstance(shape, Sky) and isinstance(shape.dome, Panorama):
        return attrs.evolve(shape, dome=current_panorama(shape.dome))
    if isinstance(shape, Placed):
        lamp: Any = lamp_of(shape)
        cut = getattr(lamp, "cutout", None)
        return shape if cut is None else with_lamp(shape, attrs.evolve(lamp, cutout=_cutout(cut)))
    return shape


def files_of_look(look: Look) -> Iterator[Path]:
    """Every file that a look is lit with or graded by."""
    shapes = [s.shape for s in look.sources]
    for shape in shapes:
        if isinstance(shape, Sky) and isinstance(shape.dome, Panorama) and shape.dome.path:
            yield Path(shape.dome.path)
    lamps = [lamp_of(shape) for shape in shapes if isinstance(shape, Placed)]
    for item in [*lamps, *look.cards]:
        cut = getattr(item, "cutout", None)
        if cut is not None and cut.kind == PICTURE and cut.path:
            yield Path(cut.path)
    table = look.finish.table
    if table is not None and table.path:
        yield Path(table.path)
