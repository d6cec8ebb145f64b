"""What of a picture is bright enough for the lens to be seen by: the common part of stars and ghosts."""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels

#: Wavelengths that stand for red, green and blue [mm].
WAVES_MM = np.array([0.61e-3, 0.55e-3, 0.465e-3])


@attrs.frozen(eq=False, slots=False)
class Bright:
    """The light (h, w, 3) [cd/m2] of what is brighter than the screen's white, and ``where`` (h, w) there is some."""

    light: NDArray[np.float32]
    where: NDArray[np.bool_]

    @functools.cached_property
    def places(self) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Rows and columns (n,) of it, from the top."""
        rows, columns = np.unravel_index(np.flatnonzero(self.where), self.where.shape)
        return rows, columns


def bright_part(picture: NDArray[np.float32], scale: float) -> Bright:
    """The bright part of a picture (h, w, 3): none of its light at the screen's white, all of it from two stops over
    that. The rest is bent and mirrored alike, by too little to be seen. ``scale`` is the exposure.
    """
    light, where = np.empty(picture.shape, np.float32), np.empty(picture.shape[:2], bool)
    kernels.bright_part(np.ascontiguousarray(picture, np.float32), np.float32(scale), light, where)
    return Bright(light, where)
