"""The masks of a look over a computed still: what its lens sees, and what each source gives."""

import functools
from collections.abc import Callable
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.finish.masks import Scene, cover, is_at_work, scene_of, share_in, with_masks
from lunar_haze.core.layers.model import LayerImage, PlaceSpec, View
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.plan.frames import gains
from lunar_haze.core.units.photometry import exposure_scale


def source_light(
    look: Look, source_id: str, view: View, place_key: str, layers: dict[str, LayerImage]
) -> NDArray[np.float32] | None:
    """What one active source gives to a picture (h, w, 3) [cd/m2]; None for one that gives nothing."""
    if source_id not in look.active():
        return None
    alone = attrs.evolve(look, sources=tuple(s for s in look.sources if s.id == source_id))
    parts = [
        np.asarray(g.surface, np.float32) * layers[g.key].surface + np.asarray(g.air, np.float32) * layers[g.key].air
        for g in gains(alone, view, place_key)
        if g.key in layers
    ]
    return functools.reduce(np.add, parts) if parts else None


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

    ``seen`` are object numbers and distances (h, w) as the lens has them, ``beauty`` the sum of all layers.
    """
    masks = tuple(m for m in look.finish.masks if is_at_work(m) and not m.muted)
    if not masks or seen is None:
        return lambda picture: picture

    @functools.cache
    def scene() -> Scene:
        opened = load_place(Path(place.path), place.scale, place.scene)
        return scene_of(*seen, shot.seen_from, opened, RayIndex(opened))

    def share(source_id: str) -> NDArray[np.float32] | None:
        light = source_light(look, source_id, view, place.key, layers)
        return None if light is None else share_in(beauty, light)

    scale = exposure_scale(look.ev100, look.stops)
    return lambda picture: with_masks(picture, masks, scale, lambda mask: cover(mask.regions, scene()), share)
