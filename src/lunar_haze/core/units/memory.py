"""Arrays that begin where a line of memory does, so that rows of a part of a line never lie in two."""

from math import prod

import numpy as np
from numpy.typing import DTypeLike, NDArray

_LINE_BYTES = 64


def on_lines(shape: tuple[int, ...], dtype: DTypeLike) -> NDArray:
    """Zeros of a shape that begin on a line of memory."""
    size = prod(shape) * np.dtype(dtype).itemsize
    room = np.zeros(size + _LINE_BYTES, np.uint8)
    first = -room.ctypes.data % _LINE_BYTES
    return room[first : first + size].view(dtype).reshape(shape)
