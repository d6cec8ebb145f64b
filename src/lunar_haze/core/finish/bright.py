"""What of a picture is bright enough for the lens to be seen by: the common part of stars and ghosts."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels

#: Wavelengths that stand for red, green and blue [mm].
WAVES_MM = np.array([0.61e-3, 0.55e-3, 0.465e-3])


@attrs.frozen(eq=False)
class Bright:
    """The light (h, w, 3) [cd/m2] of what is brighter than the screen's white, and the rows and columns (n,) where
    there is some, from the top.
    """

    light: NDArray[np.float32]
    rows: NDArray[np.int32]
    columns: NDArray[np.int32]


def bright_part(picture: NDArray[np.float32], scale: float) -> Bright:
    """The bright part of a picture (h, w, 3): none of its light at the screen's white, all of it from two stops over
    that. The rest is bent and mirrored alike, by too little to be seen. ``scale`` is the exposure.
    """
    light, in_row = np.empty(picture.shape, np.float32), np.empty(len(picture), np.int64)
    kernels.bright_part(np.ascontiguousarray(picture, np.float32), np.float32(scale), light, in_row)
    return Bright(light, *kernels.places_of_light(light, np.concatenate([[0], np.cumsum(in_row)])))
