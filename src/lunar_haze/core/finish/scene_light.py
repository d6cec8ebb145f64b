"""The steps of a finish on scene light, before it is exposed: from stars to the vignette."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels, white_balance
from lunar_haze.core.finish.bright import bright_part
from lunar_haze.core.finish.dark import noisy, softened
from lunar_haze.core.finish.ghosts import with_ghosts
from lunar_haze.core.finish.glow import HALF_FROM, glowing, parts
from lunar_haze.core.finish.model import Finish, Vignette, White
from lunar_haze.core.finish.night import adaptation_of, by_eye, mesopic_share, of_the_eye
from lunar_haze.core.finish.star import starred
from lunar_haze.core.finish.vignette import gains

_EVEN = np.ones((1, 1), np.float32)
_ALL, _NOTHING = np.ones(3, np.float32), np.zeros((1, 1, 3), np.float32)


def in_light(
    picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float, is_quick: bool = False
) -> NDArray[np.float32]:
    """The steps on scene light: stars, ghosts, glow and halation, night by eye, white balance, vignette.

    ``picture`` (h, w, 3) ACEScg [cd/m2], the very one when no step is on; ``scale`` is the exposure, by which stars and
    ghosts know what will be seen; ``tan_half_width`` that of the lens. A quick one has its glow from a picture of half
    its size.
    """
    given = picture
    if finish.star > 0.0 or finish.ghosts > 0.0:
        # Both are of the light as it comes to the lens.
        bright = bright_part(picture, scale)
        picture = starred(picture, bright, finish.star, finish.aperture, scale)
        picture = with_ghosts(picture, bright, finish.ghosts, finish.aperture, tan_half_width, scale)
    if is_quick and finish.acuity == finish.dark_noise == 0.0:
        return _in_one_go(picture, finish, tan_half_width, given)
    picture = glowing(picture, finish.glow, finish.halation, is_quick)
    picture = softened(picture, finish.acuity)
    picture = by_eye(picture, finish.night, None if picture is given else picture)
    picture = noisy(picture, finish.dark_noise, finish.grain.seed)
    return _balanced(picture, finish, tan_half_width, given)


def _balanced(picture: NDArray, finish: Finish, tan_half_width: float, given: NDArray) -> NDArray[np.float32]:
    """White balance and vignette; ``given`` is the picture that is not to be written over."""
    if finish.white == White() and finish.vignette == Vignette():
        return picture
    # What a step has made for itself the next one may write over.
    out = np.empty(picture.shape, np.float32) if picture is given else picture
    matrix, shade = _balance(picture, finish, tan_half_width)
    kernels.balanced(np.ascontiguousarray(picture, np.float32), matrix, shade, out)
    return out


def _balance(picture: NDArray, finish: Finish, tan_half_width: float) -> tuple[NDArray, NDArray]:
    """The white balance's matrix (3, 3) and the vignette's gains (h, w), (1, 1) for none."""
    height, width = picture.shape[:2]
    shade = _EVEN if finish.vignette == Vignette() else gains(height, width, finish.vignette, tan_half_width)
    return white_balance.matrix(finish.white).astype(np.float32), shade


def _in_one_go(
    picture: NDArray[np.float32], finish: Finish, tan_half_width: float, given: NDArray
) -> NDArray[np.float32]:
    """Glow, night by eye, white balance and vignette for a moving picture: one pass over its pixels."""
    glows = finish.glow.strength > 0.0 or finish.halation.strength > 0.0
    is_small = glows and picture.shape[0] >= HALF_FROM
    if glows and not is_small:
        picture = glowing(picture, finish.glow, finish.halation)
    stays, scattered = parts(picture, finish.glow, finish.halation, True) if is_small else (_ALL, _NOTHING)
    m = 1.0
    if finish.night > 0.0:
        seen = picture[::8, ::8]
        if is_small:
            # Every eighth pixel as it will be with its glow.
            seen = stays * seen + scattered[::4, ::4][: seen.shape[0], : seen.shape[1]]
        m = mesopic_share(adaptation_of(seen, 1))
    night = finish.night if m < 1.0 else 0.0
    if not is_small and night == 0.0:
        return _balanced(picture, finish, tan_half_width, given)
    out = np.empty(picture.shape, np.float32)
    to_xyz, blue, day, k, share, white = of_the_eye(m, night)
    matrix, shade = _balance(picture, finish, tan_half_width)
    kernels.in_one_go(
        np.ascontiguousarray(picture, np.float32), stays, scattered, to_xyz, blue, day, k, share, white, matrix, shade,
        out,
    )  # fmt: skip
    return out
