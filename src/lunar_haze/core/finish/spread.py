"""Pictures spread by a function of distance, without losing light: the common part of glow and halation.

Spreading is a product with the function's own cosine transform: the picture goes on beyond its edges as in a mirror, so
that even light stays even and no light is lost. The function is taken over each pixel, not at its middle, and reaches
as far as the mirrored picture goes: a sum with weights that are nowhere below zero, so that light is nowhere either.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

#: Pixels as near as this to the middle have the function's mean over them, of so many points each way.
_NEAR_PX, _POINTS = 6, 9

#: Light per area by the distance in frame heights.
ByHeights = Callable[[NDArray], NDArray]


def _kernel(by_heights: ByHeights, height: int, width: int) -> NDArray[np.float64]:
    """The function over pixels (height + 1, width + 1), by how far they lie from the middle one."""
    rows, columns = np.ogrid[0 : height + 1, 0 : width + 1]
    far = np.hypot(rows, columns) / height
    found = by_heights(far)
    near = min(_NEAR_PX, height, width)
    within = (np.arange(_POINTS) + 0.5) / _POINTS - 0.5
    j, i = (np.arange(near + 1)[:, None] + within).ravel()[:, None], (np.arange(near + 1)[:, None] + within).ravel()
    fine = by_heights(np.hypot(j, i) / height).reshape(near + 1, _POINTS, near + 1, _POINTS)
    found[: near + 1, : near + 1] = fine.mean((1, 3))
    # It may be steepest in its very middle: there it is summed over rings, out to a disc of the pixel's area.
    edges = np.geomspace(1e-6, 1.0 / np.sqrt(np.pi), 400) / height
    rings = (edges[1:] + edges[:-1]) / 2
    found[0, 0] = (by_heights(rings) * 2 * np.pi * rings * np.diff(edges)).sum() * height**2
    return found


def gains_of(by_heights: ByHeights, height: int, width: int) -> NDArray[np.float32]:
    """How much of every cosine (height, width) of a picture is left when all of its light is spread."""
    from scipy.fft import dctn

    waves = dctn(_kernel(by_heights, height, width), type=1, workers=2)
    return np.asarray(waves[:height, :width] / waves[0, 0], np.float32)


def spread_by(picture: NDArray[np.float32], gains: NDArray[np.float32]) -> NDArray[np.float32]:
    """A picture (h, w, 3) with every cosine at its gain, (h, w) or (h, w, 3).

    Of light that is nowhere below zero it is that but for rounding.
    """
    from scipy.fft import dctn, idctn

    waves = dctn(picture, axes=(0, 1), norm="ortho", workers=2)
    waves *= gains if gains.ndim == 3 else gains[..., None]
    return np.asarray(idctn(waves, axes=(0, 1), norm="ortho", workers=2, overwrite_x=True))
