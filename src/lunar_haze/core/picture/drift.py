"""Air that drifts over a picture whose light was made in the air of one moment.

A small picture is there of every frame, in its own air. What it has over that frame's light in the air of the moment,
by what that is at the moment itself, is what the drift of the air does to light: it is laid over the large picture.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.picture.mix import block_mean, enlarge

#: The drift is told at so many times fewer pixels than small pictures have, and by neighbours so far away [those px]:
#: mist has no edges, and grain goes with it.
_COARSER, _SMOOTH_PX = 2, 1.0
#: Light below this share of the picture's mean says nothing of the air.
_LEAST = 0.01
#: The air takes or gives so many times at the most.
_MOST = np.float32(6.0)


def quotient(small: NDArray[np.float32], light: NDArray[np.float32]) -> NDArray[np.float32]:
    """What a frame's small picture (h, w, 3) has over its light in the air of the moment (H, W, 3), both [cd/m2].

    Smooth, (h / 2, w / 2, 3). ``light`` is no smaller than ``small``.
    """
    shape = (*(max(side // _COARSER, 1) for side in small.shape[:2]), 3)
    return _smooth(small, shape) / _smooth(light, shape)


def drift(now: NDArray[np.float32], then: NDArray[np.float32]) -> NDArray[np.float32]:
    """What the air does to light since the moment, times: of the `quotient` of a frame and that of the moment.

    All (h, w, 3), without a unit.
    """
    return np.clip(now / then, 1.0 / _MOST, _MOST)


def _smooth(picture: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray[np.float32]:
    means = np.empty(shape, np.float32)
    enlarge(block_mean(picture, max(picture.shape[0] // shape[0], 1)), means)
    smooth = gaussian_filter(means, (_SMOOTH_PX, _SMOOTH_PX, 0.0), mode="nearest")
    return smooth + np.maximum(smooth.mean((0, 1)) * np.float32(_LEAST), np.float32(1e-12))
