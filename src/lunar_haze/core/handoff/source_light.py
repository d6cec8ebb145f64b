"""What one source gives to a computed still."""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.layers.model import LayerImage, View
from lunar_haze.core.plan.frames import gains
from lunar_haze.core.sources.model import Source


def source_light(
    look: Look, source: Source, view: View, place_key: str, layers: dict[str, LayerImage]
) -> NDArray[np.float32] | None:
    """The part (h, w, 3) [cd/m2] that a source of a look has in the picture; None for one that gives nothing."""
    if source.id not in look.active():
        return None
    alone = attrs.evolve(look, sources=(source,))
    parts = [
        np.asarray(g.surface, np.float32) * layers[g.key].surface + np.asarray(g.air, np.float32) * layers[g.key].air
        for g in gains(alone, view, place_key)
        if g.key in layers
    ]
    return functools.reduce(np.add, parts) if parts else None
