"""Glow and halation: light that lens and eye scatter round bright things, and that a film's base mirrors back.

The point spread function of glow is that of the eye by day: Spencer, Shirley, Zimmerman & Greenberg 1995,
"Physically-based glare effects for digital images", SIGGRAPH: P = 0.384 f0 + 0.478 f1 + 0.138 f2, f0 the sharp image,
f1 and f2 falling with the third and second power of the angle. f0 stays where it is; f1 and f2 are the glow. The
frame's height stands for 27 degrees at size 1. How halation spreads is told in `halation`. Both are worked out at once.
"""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.halation import LAYERS, halo
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.spread import gains_of, spread_by
from lunar_haze.core.finish.step import At
from lunar_haze.core.finish.steps import plain_steps
from lunar_haze.core.finish.values import Glow, Halation
from lunar_haze.core.picture.mix import block_mean

#: Angle of the frame's height [deg] at size 1.
HEIGHT_DEG = 27.0
#: From so many rows on the glow of a moving picture is worked out at half its size.
HALF_FROM = 400


def spread(angle_deg: NDArray) -> NDArray:
    """The glow's part of the spread function, 0.478 f1 + 0.138 f2 per square degree. Angles [deg] of any shape."""
    angle = np.asarray(angle_deg, float)
    return 0.478 * 20.91 / (angle + 0.02) ** 3 + 0.138 * 72.37 / (angle + 0.02) ** 2


@functools.lru_cache(maxsize=8)
def _glow_gains(height: int, width: int, size: float) -> NDArray[np.float32]:
    degrees = HEIGHT_DEG / size
    return gains_of(lambda heights: spread(heights * degrees), height, width)


@functools.lru_cache(maxsize=8)
def _halo_gains(height: int, width: int, size: float) -> NDArray[np.float32]:
    return gains_of(lambda heights: halo(heights, size), height, width)


def _shares(glow: Glow, halation: Halation) -> tuple[NDArray[np.float32], np.float32]:
    """The shares (3,) of red, green and blue that are scattered, before there are more of them than there is light,
    and what they are divided by so that there are not.
    """
    shares = np.float32(glow.strength) + np.float32(halation.strength) * LAYERS
    return shares, np.float32(max(float(shares.max()), 1.0))


def stays(glow: Glow, halation: Halation) -> NDArray[np.float32]:
    """The share (3,) of a picture's light that ``glow`` and ``halation`` leave where it is, in [0, 1]."""
    shares, most = _shares(glow, halation)
    return np.float32(1.0) - shares / most


def scattered(picture: NDArray[np.float32], glow: Glow, halation: Halation) -> NDArray[np.float32]:
    """The light (h, w, 3) of a picture that is scattered; together with what stays it is the picture with its glow."""
    return spread_by(picture, _gains(*picture.shape[:2], glow, halation))


@functools.lru_cache(maxsize=4)
def _gains(height: int, width: int, glow: Glow, halation: Halation) -> NDArray[np.float32]:
    """How much of every cosine of a picture of a size is scattered: (h, w), or (h, w, 3) with halation."""
    most = _shares(glow, halation)[1]
    glowing_by = np.float32(glow.strength) / most
    if halation.strength == 0.0:
        return np.asarray(glowing_by * _glow_gains(height, width, float(glow.size)))
    red = np.float32(halation.strength) / most * LAYERS * _halo_gains(height, width, float(halation.size))[..., None]
    if glow.strength == 0.0:
        return np.asarray(red)
    return np.asarray(red + glowing_by * _glow_gains(height, width, float(glow.size))[..., None])


def glowing(picture: NDArray[np.float32], glow: Glow, halation: Halation) -> NDArray[np.float32]:
    """A picture (h, w, 3) of which shares of the light are scattered; the very picture when none is."""
    if glow.strength == halation.strength == 0.0:
        return picture
    found = np.maximum(scattered(picture, glow, halation), 0.0)
    found += stays(glow, halation) * picture
    return found


@attrs.frozen
class Scatter:
    """Scatters a live picture, at half its size and as linearly as light: what sums of pictures scatter can be summed.

    Glow by itself is scattered whole, and its share taken where it is laid on the picture.
    """

    glow: Glow
    halation: Halation

    def __call__(self, picture: NDArray[np.float32]) -> NDArray[np.float32]:
        """The light of a picture (h, w, 3), and of a difference of pictures, that is scattered (h / 2, w / 2, 3)."""
        return scattered(block_mean(np.ascontiguousarray(picture, np.float32), 2), self.glow, self.halation)

    def share_of(self, glow: Glow) -> float:
        """How much of that is laid on a picture whose glow this is."""
        return glow.strength if self.halation.strength == 0.0 else 1.0


def live_scatter(finish: Finish, height: int) -> Scatter | None:
    """What scatters a live picture of a height [px] as a finish has it.

    None where nothing glows, and where a picture is too small for half its size.
    """
    on = finish.in_force
    if height < HALF_FROM or on.glow.strength == on.halation.strength == 0.0:
        return None
    if on.halation.strength == 0.0:
        return Scatter(Glow(1.0, on.glow.size), Halation())
    return Scatter(on.glow, on.halation)


def layer_scatter(finish: Finish, height: int) -> Scatter | None:
    """The same for the layers of a picture, where the glow is what first happens to their sum; None where it is not."""
    on = finish.in_force
    before = on.masks_at_work or max(on.dust.per_m3, on.star, on.ghosts) > 0.0 or plain_steps(At.LIGHT, on)
    return None if before else live_scatter(finish, height)
