"""ACEScct: the logarithmic encoding that grades are made in (Academy S-2016-001)."""

import numpy as np
from numpy.typing import NDArray

BREAK = 0.0078125
_SLOPE, _OFFSET = 10.5402377416545, 0.0729055341958355
_TOP = 65504.0


def encode(linear: NDArray) -> NDArray:
    """ACEScct of linear values."""
    linear = np.asarray(linear)
    return np.where(linear <= BREAK, _SLOPE * linear + _OFFSET, (np.log2(np.maximum(linear, 1e-10)) + 9.72) / 17.52)


def decode(encoded: NDArray) -> NDArray:
    """Linear values of ACEScct."""
    encoded = np.asarray(encoded)
    low = (encoded - _OFFSET) / _SLOPE
    high = np.minimum(np.exp2(np.minimum(encoded * 17.52 - 9.72, 16.0)), _TOP)
    return np.where(encoded <= _SLOPE * BREAK + _OFFSET, low, high)
