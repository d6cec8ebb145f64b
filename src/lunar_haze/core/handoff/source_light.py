"""What one source gives to a computed still."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.errors import HandOffError
from lunar_haze.core.layers.model import LayerImage, View
from lunar_haze.core.plan.frames import gains
from lunar_haze.core.sources.model import Source


@attrs.frozen(eq=False)
class SourceLight:
    """A source's part of a picture [cd/m2]: what comes from surfaces, and what comes from the air (h, w, 3) each."""

    surface: NDArray[np.float32]
    air: NDArray[np.float32]

    @property
    def whole(self) -> NDArray[np.float32]:
        """Both together (h, w, 3)."""
        return np.asarray(self.surface + self.air)


def source_light(
    look: Look, source: Source, view: View, place_key: str, layers: dict[str, LayerImage]
) -> SourceLight | None:
    """The part that a balanced source of a look has in the picture of a view; None for one that is silent.

    ``view`` has the moment of the picture (see `view_of`). Raises HandOffError where one of its layers is missing.
    """
    if source.id not in look.active():
        return None
    alone = attrs.evolve(look, sources=(attrs.evolve(source, muted=False, alone=False),), groups=())
    surface = air = None
    for gain in gains(alone, view, place_key):
        if gain.is_silent:
            continue
        image = layers.get(gain.key)
        if image is None:
            raise HandOffError(
                f"the layer of “{source.name}” was not computed, so the picture's layers would not add up"
            )
        one, other = image.surface * np.asarray(gain.surface, np.float32), image.air * np.asarray(gain.air, np.float32)
        surface, air = (one, other) if surface is None or air is None else (surface + one, air + other)
    return None if surface is None or air is None else SourceLight(surface, air)
