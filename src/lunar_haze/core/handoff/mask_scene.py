"""The masks of a look over a computed still: what its lens sees, and what each source gives."""

import functools
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.finish.masks import cover, share_in, with_masks
from lunar_haze.core.finish.regions import Scene, scene_of
from lunar_haze.core.handoff.source_light import source_light
from lunar_haze.core.layers.model import LayerImage, PlaceSpec, View
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.plan.frames import planned_sources
from lunar_haze.core.units.photometry import exposure_scale


def under_masks(
    look: Look,
    shot: Shot,
    view: View,
    place: PlaceSpec,
    beauty: NDArray[np.float32],
    seen: tuple[NDArray[np.int32], NDArray[np.float32]] | None,
    layers: dict[str, LayerImage],
) -> Callable[[NDArray[np.float32]], NDArray[np.float32]]:
    """What the look's masks make of a still's picture; ``place`` is opened where a mask asks for it.

    ``seen`` are object numbers and distances (h, w) as the lens has them, ``beauty`` the sum of all ``layers``;
    ``view`` has the moment of the picture.
    """
    masks = look.finish.masks_at_work
    if not masks or seen is None:
        return lambda picture: picture

    @functools.cache
    def scene() -> Scene:
        opened = load_place(Path(place.path), place.scale, place.scene)
        return scene_of(*seen, shot.seen_from, opened, RayIndex(opened))

    def share(source_id: str) -> NDArray[np.float32] | None:
        source = next((s for s in planned_sources(look) if s.id == source_id), None)
        light = None if source is None else source_light(look, source, view, place.key, layers)
        return None if light is None else share_in(beauty, light.whole)

    scale = exposure_scale(look.ev100, look.stops)
    return lambda picture: with_masks(picture, masks, scale, lambda mask: cover(mask.regions, scene()), share)
