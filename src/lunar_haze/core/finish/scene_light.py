"""The steps of a finish on scene light, before it is exposed: glow, night, white balance, vignette."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels, white_balance
from lunar_haze.core.finish.glow import glowing
from lunar_haze.core.finish.model import Finish, Vignette, White
from lunar_haze.core.finish.night import by_eye
from lunar_haze.core.finish.vignette import gains

_EVEN = np.ones((1, 1), np.float32)


def in_light(
    picture: NDArray[np.float32], finish: Finish, tan_half_width: float, is_quick: bool = False
) -> NDArray[np.float32]:
    """The steps on scene light: glow, night, white balance, vignette. The very picture when none is on.

    ``picture`` (h, w, 3) ACEScg [cd/m2]; ``tan_half_width`` that of the lens. A quick one has its glow from a picture
    of half its size.
    """
    given = picture
    picture = glowing(picture, finish.glow.strength, finish.glow.size, is_quick)
    picture = by_eye(picture, finish.night, None if picture is given else picture)
    if finish.white == White() and finish.vignette == Vignette():
        return picture
    height, width = picture.shape[:2]
    shade = _EVEN if finish.vignette == Vignette() else gains(height, width, finish.vignette, tan_half_width)
    # What a step has made for itself the next one may write over.
    out = np.empty((height, width, 3), np.float32) if picture is given else picture
    kernels.balanced(
        np.ascontiguousarray(picture, np.float32), white_balance.matrix(finish.white).astype(np.float32), shade, out
    )
    return out
