"""ACEScct: the logarithmic encoding that grades are made in (Academy S-2016-001)."""

import numpy as np
from numpy.typing import NDArray

#: Up to here linear values are encoded by a straight line, from there by stops: signal = (log2 x + BIAS) / STOPS.
BREAK = 0.0078125
SLOPE, OFFSET = 10.5402377416545, 0.0729055341958355
STOPS, BIAS = 17.52, 9.72
#: The signal at the break.
CUT_SIGNAL = SLOPE * BREAK + OFFSET
_TOP = 65504.0


def encode(linear: NDArray) -> NDArray:
    """ACEScct of linear values. Arrays of any shape; the dtype stays."""
    linear = np.asarray(linear)
    return np.where(linear <= BREAK, SLOPE * linear + OFFSET, (np.log2(np.maximum(linear, 1e-10)) + BIAS) / STOPS)


def decode(encoded: NDArray) -> NDArray:
    """Linear values of ACEScct. Arrays of any shape; the dtype stays."""
    encoded = np.asarray(encoded)
    low = (encoded - OFFSET) / SLOPE
    high = np.minimum(np.exp2(np.minimum(encoded * STOPS - BIAS, 16.0)), _TOP)
    return np.where(encoded <= CUT_SIGNAL, low, high)
