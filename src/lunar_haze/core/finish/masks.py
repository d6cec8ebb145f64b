"""Masks: soft regions of the picture (see `regions`), and what is done to the light under them.

What a mask does it does in scene light, before the lens: to all of the picture, or to one source's share of it alone.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import warmed
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import white_balance
from lunar_haze.core.finish.mask_model import Mask, Region
from lunar_haze.core.finish.regions import Scene, cover_of
from lunar_haze.core.finish.values import NEUTRAL_K, White
from lunar_haze.core.units.photometry import MID_GREY


def cover(regions: tuple[Region, ...], scene: Scene, with_edges: bool = True) -> NDArray[np.float32]:
    """How much of every pixel (h, w) lies under a mask: its regions added, subtracted and intersected in turn."""
    found: NDArray[np.float32] = np.zeros(scene.size, np.float32)
    for number, region in enumerate(regions):
        one = cover_of(region, scene, with_edges)
        if region.how == "subtract":
            found = found * (np.float32(1.0) - one)
        elif region.how == "intersect" and number:
            found = found * one
        else:
            found = found + one - found * one
    return found


def masked(
    picture: NDArray[np.float32], mask: Mask, under: NDArray[np.float32], scale: float, share: NDArray | None = None
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] with a mask's work done where ``under`` (h, w) it lies; ``scale`` is the exposure.

    ``share`` (h, w, 3) in [0, 1] is the part of the picture that comes from the mask's source, where it is of one.
    """
    changed: NDArray = picture
    if mask.contrast != 1.0:
        level = np.maximum(changed @ LUMINANCE_WEIGHTS.astype(np.float32), 1e-12)
        grey = np.float32(MID_GREY / scale)
        changed = changed * ((level / grey) ** np.float32(mask.contrast - 1.0))[..., None]
    if mask.saturation != 1.0:
        level = (changed @ LUMINANCE_WEIGHTS.astype(np.float32))[..., None]
        changed = level + np.float32(mask.saturation) * (changed - level)
    if mask.mired != 0.0:
        # What is neutral at a cooler white is warmer under the usual one.
        changed = changed @ white_balance.matrix(White(warmed(NEUTRAL_K, -mask.mired))).astype(np.float32).T
    if mask.stops != 0.0:
        changed = changed * np.float32(2.0**mask.stops)
    if changed is picture:
        return picture
    weight = under[..., None] if share is None else under[..., None] * share.astype(np.float32)
    return np.asarray(picture + weight * (np.maximum(changed, 0.0) - picture), np.float32)


def with_masks(
    picture: NDArray[np.float32],
    masks: tuple[Mask, ...],
    scale: float,
    cover_of_mask: Callable[[Mask], NDArray[np.float32]],
    share_of_source: Callable[[str], NDArray | None],
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] under masks in turn; one of a source that gives no light does nothing.

    ``share_of_source`` gives the part (h, w, 3) in [0, 1] of the picture that comes from a source, None for none.
    """
    for mask in masks:
        share = share_of_source(mask.source) if mask.source else None
        if mask.source and share is None:
            continue
        picture = masked(picture, mask, cover_of_mask(mask), scale, share)
    return picture


def share_in(total: NDArray[np.float32], part: NDArray[np.float32]) -> NDArray[np.float32]:
    """The part (h, w, 3) in [0, 1] that one source has of a picture; none where all is dark."""
    return np.clip(part / np.maximum(total, 1e-20), 0.0, 1.0).astype(np.float32)
