"""Small masks at the size of a picture."""

import numpy as np
from numpy.typing import NDArray


def enlarged(where: NDArray[np.bool_], height: int, width: int) -> NDArray[np.bool_]:
    """A small mask (h, w) at the size of a picture: the nearest of its pixels."""
    rows = np.minimum(np.arange(height) * where.shape[0] // height, where.shape[0] - 1)
    columns = np.minimum(np.arange(width) * where.shape[1] // width, where.shape[1] - 1)
    large: NDArray[np.bool_] = where[rows[:, None], columns[None]]
    return large
