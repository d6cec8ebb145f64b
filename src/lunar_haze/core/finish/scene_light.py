"""The steps of a finish on scene light, before it is exposed: from stars to the vignette."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import white_balance
from lunar_haze.core.finish.bright import bright_part
from lunar_haze.core.finish.dark import quanta, softness
from lunar_haze.core.finish.dark_rows import Dark, dark_rows
from lunar_haze.core.finish.ghosts import with_ghosts
from lunar_haze.core.finish.glow import glowing, live_scatter, stays
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.night import eye_on
from lunar_haze.core.finish.one_pass import Balance, LaidGlow, lay_glow
from lunar_haze.core.finish.star import starred
from lunar_haze.core.finish.step import At
from lunar_haze.core.finish.steps import applied
from lunar_haze.core.finish.values import Vignette, White
from lunar_haze.core.finish.vignette import gains

#: An eye adapts to every n-th pixel each way.
EACH = 8
_EVEN = np.ones((1, 1), np.float32)
_NO_GLOW = LaidGlow(np.ones(3, np.float32), np.zeros((1, 1, 3), np.float32), np.float32(0.0))


def in_light(picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float) -> NDArray[np.float32]:
    """The steps on scene light: stars, ghosts, glow and halation, night by eye, white balance, vignette.

    ``picture`` (h, w, 3) ACEScg [cd/m2], returned unchanged when no step is on; ``scale`` is the exposure, by which
    stars and ghosts know what will be seen; ``tan_half_width`` that of the lens.
    """
    given = picture
    picture = applied(At.LIGHT, _through_the_lens(picture, finish, scale, tan_half_width), finish)
    picture = glowing(picture, finish.glow, finish.halation)
    picture = _in_the_dark(picture, finish, given)
    balance = _balance_of(finish, picture, tan_half_width)
    if not balance.is_on:
        return picture
    # Colours at the edge of the working space may leave it: no light is less than none.
    balanced = np.maximum(picture @ balance.matrix.T, np.float32(0.0))
    balanced *= balance.gains[..., None]
    return balanced


def left_for_one_pass(
    picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float,
    light_scattered: NDArray[np.float32] | None,
) -> tuple[NDArray[np.float32], LaidGlow, Dark, Balance]:  # fmt: skip
    """A live picture after the steps that need more of it than one pixel at a time, and what is left of the others.

    ``light_scattered`` is what `glow.layer_scatter` makes of the picture, None where that is not known. ``picture`` is
    (h, w, 3) float32 ACEScg [cd/m2].
    """
    height = picture.shape[0]
    picture = applied(At.LIGHT, _through_the_lens(picture, finish, scale, tan_half_width), finish)
    glow = _NO_GLOW
    # A picture one pixel wide has no half of its size.
    scatter = live_scatter(finish, height) if picture.shape[1] > 1 else None
    if scatter is None:
        picture = glowing(picture, finish.glow, finish.halation)
    else:
        if light_scattered is None:
            light_scattered = scatter(picture)
        share = np.float32(scatter.share_of(finish.glow))
        glow = LaidGlow(stays(finish.glow, finish.halation), light_scattered, share)
    # What the eye adapts to is seen with its glow.
    seen = picture[::EACH, ::EACH]
    if scatter is not None:
        half = EACH // 2
        seen = glow.stays * seen + glow.share * glow.scattered[::half, ::half][: seen.shape[0], : seen.shape[1]]
    if finish.acuity > 0.0 and scatter is not None:
        # What is blurred has its glow already.
        laid = np.empty(picture.shape, np.float32)
        lay_glow(np.ascontiguousarray(picture, np.float32), glow, laid)
        picture, glow = laid, _NO_GLOW
    return picture, glow, _dark_of(picture, finish, seen), _balance_of(finish, picture, tan_half_width)


def _dark_of(picture: NDArray, finish: Finish, seen: NDArray) -> Dark:
    """What the dark does to a picture (h, w, 3); an eye adapts to what is ``seen`` (h', w', 3) of it."""
    noise = quanta(len(picture), finish.dark_noise, finish.grain.seed)
    return Dark(softness(picture, finish.acuity), eye_on(seen, finish.night), noise)


def _through_the_lens(
    picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float
) -> NDArray[np.float32]:
    """Stars and ghosts: both are of the light as it comes to the lens."""
    if finish.star == finish.ghosts == 0.0:
        return picture
    bright = bright_part(picture, scale)
    made = starred(picture, bright, finish.star, finish.aperture, scale)
    out = None if made is picture else made
    return with_ghosts(made, bright, finish.ghosts, finish.aperture, tan_half_width, scale, out)


def _in_the_dark(picture: NDArray[np.float32], finish: Finish, given: NDArray) -> NDArray[np.float32]:
    """Acuity, night by eye, noise; ``given`` is the picture that is not to be written over."""
    dark = _dark_of(picture, finish, picture[::EACH, ::EACH])
    if not dark.is_on:
        return picture
    picture = np.ascontiguousarray(picture, np.float32)
    out = np.empty_like(picture) if picture is given else picture
    dark_rows(picture, *dark, out)
    return out


def _balance_of(finish: Finish, picture: NDArray, tan_half_width: float) -> Balance:
    """White balance and vignette of a picture (h, w, 3)."""
    height, width = picture.shape[:2]
    shade = _EVEN if finish.vignette == Vignette() else gains(height, width, finish.vignette, tan_half_width)
    is_on = finish.white != White() or finish.vignette != Vignette()
    return Balance(white_balance.matrix(finish.white).astype(np.float32), shade, is_on)
