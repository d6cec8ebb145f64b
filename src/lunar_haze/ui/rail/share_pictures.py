"""Small pictures of what sources, or the mist alone, add to the present picture."""

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage

from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.picture.mix import share_of
from lunar_haze.core.readings.own_exposure import own_stops
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image

#: What a share says that is as good as none.
NO_LIGHT = "no light here"


@attrs.frozen(eq=False)
class SharePicture:
    """A small picture, and ``words`` for how its exposure differs from that of the picture; "" when it does not."""

    image: QImage
    words: str = ""


def share_picture(bridge: RenderBridge, source_ids: list[str], width: int) -> SharePicture | None:
    """What sources add to the picture, exposed so that it can be seen; None when unknown."""
    look = bridge.session.document.look
    chosen = tuple(attrs.evolve(s, muted=False, alone=False) for s in look.balanced() if s.id in source_ids)
    if not chosen:
        return None
    parts = [_part(bridge, gain, width) for gain in bridge.gains.lone(chosen)]
    known = [part for part in parts if part is not None]
    return _small(bridge, known, width) if len(known) == len(parts) else None


def air_picture(bridge: RenderBridge, width: int) -> SharePicture | None:
    """What the mist alone adds, exposed so that it can be seen; None when there is none."""
    airs = [attrs.evolve(gain, surface=(0.0, 0.0, 0.0)) for gain in bridge.gains.present() if any(gain.air)]
    parts = [_part(bridge, gain, width) for gain in airs]
    return _small(bridge, [part for part in parts if part is not None], width)


def _part(bridge: RenderBridge, gain: LayerGain, width: int) -> NDArray[np.float32] | None:
    """One layer as mixed, about three times as wide as ``width``."""
    image = bridge.light.layer(gain.key)
    return None if image is None else share_of(image, gain, max(image.surface.shape[1] // (3 * width), 1))


def _small(bridge: RenderBridge, parts: list[NDArray[np.float32]], width: int) -> SharePicture | None:
    if not parts:
        return None
    # Made small after it is made for the screen: a grain far brighter than white is then one white dot among
    # many, where before it would outweigh them all.
    light, scale = np.sum(parts, 0), bridge.shown.exposure()
    stops = own_stops(light, scale)
    shown = as_image(bridge.shown.screen.table.show(light, scale * 2.0 ** (stops or 0)))
    small = shown.scaledToWidth(min(width, shown.width()), Qt.TransformationMode.SmoothTransformation)
    return SharePicture(small, NO_LIGHT if stops is None else f"{stops:+d} stops" if stops else "")
