"""Glow: light that lens and eye scatter round bright things.

The point spread function is that of the eye by day: Spencer, Shirley, Zimmerman & Greenberg 1995, "Physically-based
glare effects for digital images", SIGGRAPH: P = 0.384 f0 + 0.478 f1 + 0.138 f2, f0 the sharp image, f1 and f2 falling
with the third and second power of the angle. f0 stays where it is; f1 and f2 are the glow. The frame's height stands
for 27 degrees at size 1.

Blurring is a product with the spread function's own cosine transform: the picture goes on beyond its edges as in a
mirror, so that even light stays even and no light is lost. The function is taken over each pixel, not at its middle,
and cut to nothing a frame's height away: what is made of it by the transform is nowhere below zero, and a lamp has no
rings.
"""

import functools
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.fft import dctn, idctn

from lunar_haze.core.finish.model import Finish
from lunar_haze.core.picture.mix import block_mean, enlarge

#: Angle of the frame's height [deg] at size 1.
HEIGHT_DEG = 27.0
#: From so many rows on the glow of a moving picture is worked out at half its size.
HALF_FROM = 400
#: Pixels as near as this to the middle have the function's mean over them, of so many points each way.
_NEAR_PX, _POINTS = 6, 9


def spread(angle_deg: NDArray) -> NDArray:
    """The glow's part of the spread function, 0.478 f1 + 0.138 f2 per square degree."""
    angle = np.asarray(angle_deg, float)
    return 0.478 * 20.91 / (angle + 0.02) ** 3 + 0.138 * 72.37 / (angle + 0.02) ** 2


def _kernel(height: int, width: int, degrees: float) -> NDArray[np.float64]:
    """The spread function over pixels (height + 1, width + 1), by how far they lie from the middle one."""
    pixel = degrees / height
    rows, columns = np.ogrid[0 : height + 1, 0 : width + 1]
    far = np.hypot(rows, columns)
    found = spread(far * pixel) * np.cos(np.minimum(far / height, 1.0) * np.pi / 2) ** 2
    near = min(_NEAR_PX, height, width)
    within = (np.arange(_POINTS) + 0.5) / _POINTS - 0.5
    j, i = (np.arange(near + 1)[:, None] + within).ravel()[:, None], (np.arange(near + 1)[:, None] + within).ravel()
    fine = spread(np.hypot(j, i) * pixel).reshape(near + 1, _POINTS, near + 1, _POINTS)
    found[: near + 1, : near + 1] = fine.mean((1, 3))
    # The function is steepest in its very middle: there it is summed over rings, out to a disc of the pixel's area.
    edges = np.geomspace(1e-5, pixel / np.sqrt(np.pi), 400)
    rings = (edges[1:] + edges[:-1]) / 2
    found[0, 0] = (spread(rings) * 2 * np.pi * rings * np.diff(edges)).sum() / pixel**2
    return found


@functools.lru_cache(maxsize=8)
def _gains(height: int, width: int, size: float) -> NDArray[np.float32]:
    """How much of every cosine (h, w) of a picture the glow keeps."""
    waves = dctn(_kernel(height, width, HEIGHT_DEG / size), type=1, workers=2)
    return (waves[:height, :width] / waves[0, 0]).astype(np.float32)


def blurred(picture: NDArray[np.float32], size: float) -> NDArray[np.float32]:
    """The light of a picture (h, w, 3), all of it scattered."""
    gains = _gains(*picture.shape[:2], float(size))
    waves = dctn(picture, axes=(0, 1), norm="ortho", workers=2)
    waves *= gains[..., None]
    out = idctn(waves, axes=(0, 1), norm="ortho", workers=2, overwrite_x=True)
    return np.maximum(out, 0.0, out=out)


def glowing(picture: NDArray[np.float32], strength: float, size: float, is_quick: bool = False) -> NDArray[np.float32]:
    """A picture (h, w, 3) of which a share of the light is scattered; a quick one is scattered at half its size."""
    if strength == 0.0:
        return picture
    if is_quick and picture.shape[0] >= HALF_FROM:
        small = blurred(block_mean(np.ascontiguousarray(picture), 2), size)
        scattered = np.empty_like(picture)
        enlarge(small, scattered)
    else:
        scattered = blurred(picture, size)
    scattered -= picture
    scattered *= np.float32(strength)
    scattered += picture
    return scattered


def live_scatter(finish: Finish, height: int) -> Callable[[NDArray[np.float32]], NDArray[np.float32]] | None:
    """What scatters the half-size layers of a moving picture of a height [px] as a finish has it (see `FrameMix`).

    None where the glow is off, where masks come before it, and where a picture is too small for half its size.
    """
    on = finish.in_force
    if on.glow.strength == 0.0 or on.masks_at_work or height < HALF_FROM:
        return None
    return functools.partial(blurred, size=on.glow.size)
