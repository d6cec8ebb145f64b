"""The colour of a light, whatever its lamp is: told by its gel."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.edits import change_source
from lunar_haze.core.document.model import Document
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sources.gain import source_colour


def levelled(rgb: NDArray) -> tuple[float, float, float]:
    """A colour (3,) ACEScg as a gel that keeps the level: brought to luminance one."""
    r, g, b = (np.asarray(rgb, float) / max(float(np.asarray(rgb) @ LUMINANCE_WEIGHTS), 1e-3)).tolist()
    return r, g, b


def with_light_of(document: Document, source_id: str, rgb: NDArray, air: Atmosphere) -> Document:
    """The document in which the light of a source of the look has a colour (3,) ACEScg, at the level that it had.

    ``air`` is what a sun shines through.
    """
    source = document.look.expect(source_id)
    lamp = source_colour(attrs.evolve(source, gel=(1.0, 1.0, 1.0)), air)
    return change_source(document, source_id, gel=levelled(np.maximum(rgb, 1e-4) / np.maximum(lamp, 1e-4)))
