"""A still whose work is shared out: each share computes its own tiles of it, and all of them make the whole.

Tiles know nothing of one another, so the sums are the same to the bit however many shares there are. Runs of passes
would not be: sums of them in another order are other numbers.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import FrameRequest, LayerImage, Looked
from lunar_haze.core.layers.motes import LitMotes
from lunar_haze.service.still import Still


@attrs.frozen(eq=False)
class StillShare:
    """Some pixels of a still: ``beauty``, ``distance`` and ``owner`` are rows of ``looked.pixels``, as layers are."""

    looked: Looked
    beauty: NDArray[np.float32]
    owner: NDArray[np.int32]
    distance: NDArray[np.float32]
    layers: tuple[LayerImage, ...]
    problems: dict[str, str]
    motes: LitMotes | None


def share_of(still: Still, with_layers: bool) -> StillShare:
    """What a still of a share of the work has computed; its layers only where they are needed."""
    looked, seen = still.looked, still.seen
    assert looked is not None
    assert seen is not None
    owner, distance = seen
    at = looked.pixels

    def rows(picture: NDArray) -> NDArray:
        return picture.reshape(-1, *picture.shape[2:])[at]

    layers = tuple(
        attrs.evolve(image, surface=rows(image.surface), air=rows(image.air)) for image in still.layers.values()
    )
    return StillShare(
        looked,
        rows(still.beauty),
        rows(owner),
        rows(distance),
        layers if with_layers else (),
        still.problems,
        still.motes,
    )


def joined(shares: list[StillShare], request: FrameRequest) -> tuple[Still, NDArray[np.float32], NDArray[np.float32]]:
    """The still of a request from all shares of its work, not denoised, and albedo and normal (H, W, 3) for that."""
    height, width = request.view.height, request.view.width
    at = np.concatenate([share.looked.pixels for share in shares])

    def whole(rows: list[NDArray]) -> NDArray:
        found = np.concatenate(rows)
        picture = np.zeros((height * width, *found.shape[1:]), found.dtype)
        picture[at] = found
        return picture.reshape(height, width, *found.shape[1:])

    beauty = whole([share.beauty for share in shares])
    albedo, normal = whole([s.looked.albedo for s in shares]), whole([s.looked.normal for s in shares])
    layers = {
        images[0].key: LayerImage(
            images[0].key, request.passes, whole([i.surface for i in images]), whole([i.air for i in images])
        )
        for images in zip(*(share.layers for share in shares), strict=True)
    }
    problems = {key: reason for share in shares for key, reason in share.problems.items()}
    motes = next((share.motes for share in shares if share.motes is not None), None)
    owner, distance = whole([s.owner for s in shares]), whole([s.distance for s in shares])
    return Still(beauty, None, layers, problems, owner, distance, motes), albedo, normal
