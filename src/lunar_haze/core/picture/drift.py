"""Air that drifts over a picture whose light was made in the air of one moment.

A small picture is there of every frame, in its own air. What the small one of this frame has over that of the moment,
beyond what lamps have done since then, is the drift of the air: it is laid over the large picture, smoothly.
"""

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.picture.mix import Rooms

#: The drift is told at so many times fewer pixels than small pictures have, and by neighbours so far away [those px]:
#: mist has no edges, and grain goes with it.
_COARSER, _SMOOTH_PX = 2, 1.0
#: Light below this share of the picture's mean says nothing of the air.
_LEAST = 0.01
#: The air takes or gives so many times at the most.
_MOST = np.float32(6.0)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _reduce(picture, out):
    """``out`` (h, w, 3) = means of a picture (H, W, 3) over the pixels that each of its own lies on."""
    height, width = picture.shape[0], picture.shape[1]
    rows, columns = out.shape[0], out.shape[1]
    for i in nb.prange(rows):
        top, bottom = i * height // rows, max((i + 1) * height // rows, i * height // rows + 1)
        for j in range(columns):
            left, right = j * width // columns, max((j + 1) * width // columns, j * width // columns + 1)
            r, g, b = np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for y in range(top, bottom):
                for x in range(left, right):
                    r, g, b = r + picture[y, x, 0], g + picture[y, x, 1], b + picture[y, x, 2]
            share = np.float32(1.0) / np.float32((bottom - top) * (right - left))
            out[i, j, 0], out[i, j, 1], out[i, j, 2] = r * share, g * share, b * share


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _times(picture, factor, out):
    """``out`` = a picture (H, W, 3) times a factor (h, w, 3), read between its pixels."""
    height, width = out.shape[0], out.shape[1]
    rows, columns = factor.shape[0], factor.shape[1]
    half, one = np.float32(0.5), np.float32(1.0)
    left, share = np.empty(width, np.int32), np.empty(width, np.float32)
    for x in range(width):
        at = min(max((np.float32(x) + half) * columns / width - half, np.float32(0.0)), np.float32(columns - 1))
        left[x] = min(int(at), max(columns - 2, 0))
        share[x] = at - np.float32(left[x])
    for row in nb.prange(height):
        at = min(max((np.float32(row) + half) * rows / height - half, np.float32(0.0)), np.float32(rows - 1))
        top = min(int(at), max(rows - 2, 0))
        down = at - np.float32(top)
        upper, lower = factor[top].reshape(-1), factor[min(top + 1, rows - 1)].reshape(-1)
        line = np.empty(3 * columns + 3, np.float32)
        line[: 3 * columns] = upper + np.float32(down) * (lower - upper)
        line[3 * columns :] = line[3 * columns - 3 : 3 * columns]
        here, there = picture[row].reshape(-1), out[row].reshape(-1)
        for x in range(width):
            n, w = 3 * left[x], share[x]
            for c in range(3):
                there[3 * x + c] = here[3 * x + c] * ((one - w) * line[n + c] + w * line[n + 3 + c])


class Drift:
    """Lays the drift of the air over light (H, W, 3) [cd/m2] that was made in the air of one moment.

    ``small`` (h, w, 3) is the small picture of that moment, ``light`` (H, W, 3) the large one, no smaller than it.
    """

    def __init__(self, small: NDArray[np.float32], light: NDArray[np.float32]) -> None:
        self._shape = (*(max(side // _COARSER, 1) for side in small.shape[:2]), 3)
        self._small_then, self._light_then = self._smooth(small), self._smooth(light)
        self._rooms = Rooms()

    def factor(self, small: NDArray[np.float32], light: NDArray[np.float32]) -> NDArray[np.float32]:
        """What the drift does to light by the frame whose small picture is ``small``: (h / 2, w / 2, 3), times.

        ``light`` (H, W, 3) [cd/m2] is of that frame, in the air of the moment.
        """
        drifted = self._smooth(small) / self._small_then
        lit = self._smooth(light) / self._light_then
        return np.clip(drifted / lit, 1.0 / _MOST, _MOST)

    def over(
        self, factor: NDArray[np.float32], light: NDArray[np.float32], *others: NDArray[np.float32]
    ) -> tuple[NDArray[np.float32], ...]:
        """Light (H, W, 3) of another frame, and ``others`` (any size) of it, in its own air (see `factor`).

        The light that is returned stays as it is until the call after the next one.
        """
        made = (self._rooms.next(light.shape), *(np.empty_like(other) for other in others))
        for picture, out in zip((light, *others), made):
            _times(picture, factor, out)
        return made

    def _smooth(self, picture: NDArray[np.float32]) -> NDArray[np.float32]:
        means = np.empty(self._shape, np.float32)
        _reduce(picture, means)
        smooth = gaussian_filter(means, (_SMOOTH_PX, _SMOOTH_PX, 0.0), mode="nearest")
        return smooth + np.maximum(smooth.mean((0, 1)) * np.float32(_LEAST), np.float32(1e-12))
