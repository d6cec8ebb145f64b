"""The edge of a subject in a small picture: where it runs, and which way leads into it."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_erosion, gaussian_filter

#: Rows and columns (n,) of an outline, and the way into the subject at each (2, n).
Edge = tuple[NDArray, NDArray, NDArray]


def edge_of(subject: NDArray[np.bool_]) -> Edge | None:
    """The edge of a subject (h, w); none where it leaves the frame, None where there is none at all."""
    edge = subject & ~binary_erosion(subject, border_value=1)
    rows, columns = np.nonzero(edge)
    if len(rows) < 8 or subject.all():
        return None
    slope = np.stack(np.gradient(gaussian_filter(subject.astype(float), 1.2)))
    normal = slope[:, rows, columns]
    return rows + 0.0, columns + 0.0, normal / np.maximum(np.linalg.norm(normal, axis=0), 1e-9)
