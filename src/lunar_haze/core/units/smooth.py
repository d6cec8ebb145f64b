"""A smooth step: the cubic that edges of beams, feathers of masks and split tones go over by."""

import numpy as np
from numpy.typing import NDArray


def smoothstep(share: NDArray) -> NDArray:
    """0 for what is at most 0, 1 from 1 on, level at both; of the dtype of ``share``. Arrays of any shape."""
    held = np.clip(share, 0.0, 1.0)
    return held * held * (3.0 - 2.0 * held)
