"""What air leaves of the denoiser's guides: what lies far in mist is mist, and has no edges of its own to be kept.

A pixel's light is what its surface sends, times the transmittance T of the air before it, and what that air adds. So
the guides of a pixel are those of its surface with weight T and those of light that nothing reflects, an albedo of one
and no normal, with weight 1 - T: fine geometry in mist is freed of its grain along with the mist.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import convolve1d

from lunar_haze.core.air.kernels import segment_depths
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.transport.tiles import over_threads
from lunar_haze.core.transport.view import EYE, HEIGHT, WIDTH, view_directions

#: The filter through which a pixel sees, at whole pixels.
_TENT = np.array([0.25, 0.5, 0.25])


def transmittances(medium: Medium, camera: NDArray[np.float32], depth: NDArray[np.float32]) -> NDArray[np.float32]:
    """Share of light (h, w) in [0, 1] that a medium leaves of what each pixel sees.

    ``camera`` is a packed view, ``depth`` (pixels,) how far it sees [m]. Patches are taken as what they are on average:
    they drift, and guides stay.
    """
    height, width = int(camera[HEIGHT]), int(camera[WIDTH])
    if medium.is_clear:
        return np.ones((height, width), np.float32)
    packed, eye = medium.evenly().pack(), camera[EYE : EYE + 3]
    found = np.empty(height * width, np.float32)

    def rows(first: int, stop: int) -> None:
        y, x = np.divmod(np.arange(first * width, stop * width), width)
        here = slice(first * width, stop * width)
        starts = np.repeat(eye[None], len(x), 0)
        ends = starts + view_directions(camera, x + 0.5, y + 0.5) * depth[here, None]
        found[here] = np.exp(-segment_depths(packed, starts, ends))

    over_threads(rows, 0, height)
    image = found.reshape(height, width)
    for axis in (0, 1):
        image = convolve1d(image, _TENT, axis, mode="nearest")
    return image


def faded(
    albedo: NDArray[np.float32], normal: NDArray[np.float32], left: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Albedo and normal (h, w, 3) seen through air that leaves a share (h, w) of light (see `transmittances`)."""
    share = left[..., None]
    return albedo * share + (np.float32(1.0) - share), normal * share
