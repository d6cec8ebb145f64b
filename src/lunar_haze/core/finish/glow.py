"""Glow and halation: light that lens and eye scatter round bright things, and that a film's base mirrors back.

The point spread function of glow is that of the eye by day: Spencer, Shirley, Zimmerman & Greenberg 1995,
"Physically-based glare effects for digital images", SIGGRAPH: P = 0.384 f0 + 0.478 f1 + 0.138 f2, f0 the sharp image,
f1 and f2 falling with the third and second power of the angle. f0 stays where it is; f1 and f2 are the glow. The
frame's height stands for 27 degrees at size 1. How halation spreads is told in `halation`. Both are worked out at once.
"""

import functools
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.halation import LAYERS, halo
from lunar_haze.core.finish.model import Finish, Glow, Halation
from lunar_haze.core.finish.spread import gains_of, spread_by
from lunar_haze.core.picture.mix import block_mean, enlarge

#: Angle of the frame's height [deg] at size 1.
HEIGHT_DEG = 27.0
#: From so many rows on the glow of a moving picture is worked out at half its size.
HALF_FROM = 400


def spread(angle_deg: NDArray) -> NDArray:
    """The glow's part of the spread function, 0.478 f1 + 0.138 f2 per square degree."""
    angle = np.asarray(angle_deg, float)
    return 0.478 * 20.91 / (angle + 0.02) ** 3 + 0.138 * 72.37 / (angle + 0.02) ** 2


@functools.lru_cache(maxsize=8)
def _glow_gains(height: int, width: int, size: float) -> NDArray[np.float32]:
    degrees = HEIGHT_DEG / size
    return gains_of(lambda heights: spread(heights * degrees), height, width)


@functools.lru_cache(maxsize=8)
def _halo_gains(height: int, width: int, size: float) -> NDArray[np.float32]:
    return gains_of(lambda heights: halo(heights, size), height, width)


def blurred(picture: NDArray[np.float32], size: float) -> NDArray[np.float32]:
    """The light of a picture (h, w, 3), all of it scattered as glow."""
    return spread_by(picture, _glow_gains(*picture.shape[:2], float(size)))


def parts(
    picture: NDArray[np.float32], glow: Glow, halation: Halation, is_small: bool = False
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The share (3,) of a picture's light that stays, and the light (h, w, 3) that is scattered, of half the size if so
    wished; together they are the picture with its glow.
    """
    source = block_mean(np.ascontiguousarray(picture), 2) if is_small else picture
    size = source.shape[:2]
    shares = np.float32(glow.strength) + np.float32(halation.strength) * LAYERS
    # No more light is scattered than there is.
    most = np.float32(max(float(shares.max()), 1.0))
    gains = np.float32(glow.strength) / most * _glow_gains(*size, float(glow.size)) if glow.strength > 0.0 else None
    if halation.strength > 0.0:
        red = np.float32(halation.strength) / most * LAYERS * _halo_gains(*size, float(halation.size))[..., None]
        gains = red if gains is None else red + gains[..., None]
    assert gains is not None
    return np.float32(1.0) - shares / most, spread_by(source, gains)


def glowing(
    picture: NDArray[np.float32], glow: Glow, halation: Halation, is_quick: bool = False
) -> NDArray[np.float32]:
    """A picture (h, w, 3) of which shares of the light are scattered; a quick one is scattered at half its size.

    The very picture when nothing is scattered.
    """
    if glow.strength == halation.strength == 0.0:
        return picture
    is_small = is_quick and picture.shape[0] >= HALF_FROM
    stays, found = parts(picture, glow, halation, is_small)
    if is_small:
        scattered = np.empty_like(picture)
        enlarge(found, scattered)
        found = scattered
    found += stays * picture
    return found


def live_scatter(finish: Finish, height: int) -> Callable[[NDArray[np.float32]], NDArray[np.float32]] | None:
    """What scatters the half-size layers of a moving picture of a height [px] as a finish has it (see `FrameMix`).

    None where the glow is off, where something comes before it that is not as linear as light, and where a picture is
    too small for half its size.
    """
    on = finish.in_force
    if on.glow.strength == 0.0 or on.masks_at_work or height < HALF_FROM:
        return None
    if on.halation.strength > 0.0 or on.star > 0.0 or on.ghosts > 0.0:
        return None
    return functools.partial(blurred, size=on.glow.size)
