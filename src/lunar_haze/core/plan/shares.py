"""The shares of a picture from the layers of its sources."""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.layers.model import View
from lunar_haze.core.plan.frames import gains
from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.photometry import exposure_scale

#: Surface and air of a layer (h, w, 3), small, by its key; None when it is not there.
SmallLayer = Callable[[str], tuple[NDArray[np.float32], NDArray[np.float32]] | None]


def shares_of(
    look: Look, view: View, place_key: str, small: SmallLayer, subject: NDArray[np.bool_] | None
) -> Shares | None:
    """The shares of all active sources of a look; None when there are none, or the layer of one is not there.

    ``small`` gives the surface and air light (h, w, 3) [cd/m2] of a layer by its key, None for one that is not there;
    ``subject`` (h, w) tells where the subject is seen.
    """
    active = look.active()
    found = []
    for source in look.balanced():
        if source.id in active:
            light = _light_of(source, look, view, place_key, small)
            if light is None:
                return None
            found.append(Share(source.id, source.name, source.role, light))
    return Shares(tuple(found), exposure_scale(look.ev100, look.stops), subject) if found else None


def _light_of(source: Source, look: Look, view: View, place_key: str, small: SmallLayer) -> NDArray[np.float32] | None:
    total = None
    for gain in gains(attrs.evolve(look, sources=(source,), groups=()), view, place_key):
        parts = small(gain.key)
        if parts is None:
            return None
        part = parts[0] * np.asarray(gain.surface, np.float32) + parts[1] * np.asarray(gain.air, np.float32)
        total = part if total is None else total + part
    return total


def subject_in(
    owner: NDArray[np.int32], objects: tuple[str, ...], subject: tuple[str, ...], step: int
) -> NDArray[np.bool_] | None:
    """Where a subject's objects are seen (h, w), ``step`` times smaller; None where they are not.

    ``owner`` (H, W) are the numbers of the ``objects`` that the lens sees.
    """
    wanted = [i for i, name in enumerate(objects) if name in subject]
    if not wanted:
        return None
    inside = np.isin(owner[step // 2 :: step, step // 2 :: step], wanted)
    inside = inside[: owner.shape[0] // step, : owner.shape[1] // step]
    return inside if inside.any() else None
