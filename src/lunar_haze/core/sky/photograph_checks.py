"""What can be told of a photographed sky from its pixels: how it is encoded, its faults, what hour it is of.

Pictures are (H, W, 3) float32, lat-long, row 0 at the zenith.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lunar_haze.core.colour.spaces import srgb_encode
from lunar_haze.core.sky.lat_long import row_solid_angles

#: A pixel so many times brighter than half the picture is no sky's light: the sun's disc has 3e5 times.
MOST_OVER_MEDIAN = 1e8
#: Values that lie this near to whole steps of eight bits were eight bits once.
_STEP_NEARNESS = 0.03
#: From this share of white on a channel of an ordinary picture is clipped.
CLIPPED_FROM = 0.985


def guess_encoding(pixels: NDArray[np.float32], integer: bool, said_space: str) -> str:
    """ "linear" or "display": what the file says, else what its values look like.

    ``said_space`` is the colour space named by the file, "" for none; ``integer`` whether it stores whole numbers.
    Eight bits that were stored as floats keep their steps: even ones are encoded for a display, steps of the sRGB curve
    have been decoded already. ``pixels`` are (h, w, 3) as stored.
    """
    said = said_space.lower()
    if said.startswith("lin") or said in ("scene_linear", "acescg", "aces2065-1"):
        return "linear"
    if integer:
        return "display"
    top = float(pixels.max(initial=0.0))
    if top > 1.0:
        return "linear"
    some = pixels.reshape(-1)[:: max(pixels.size // 20_000, 1)]
    # A step shows only where there are many of them.
    some = some[(some > 0.02) & (some < 0.98)].astype(np.float64)
    if some.size > 200 and len(np.unique(some)) > 8:
        for values, encoding in ((some, "display"), (srgb_encode(some), "linear")):
            away = np.abs(values * 255.0 - np.round(values * 255.0))
            if np.quantile(away, 0.95) < _STEP_NEARNESS:
                return encoding
    # Light of a whole sky has a long tail: half of it lies far below its brightest.
    return "display" if float(np.median(pixels)) > 0.2 * max(top, 1e-9) and top > 0.5 else "linear"


def held_at_zero(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """The picture without negative light, and no brighter for it: what is added there its surround gives.

    What a pixel lacks is taken from those near it in proportion to what they have, so that the sum of every channel
    over the sphere stays. ``pixels`` are (h, w, 3), of any unit.
    """
    rows = row_solid_angles(*pixels.shape[:2])[:, None, None]
    light = pixels.astype(np.float64) * rows
    for sigma in (1.5, 6.0, 24.0, 96.0):
        lacking, have = np.maximum(-light, 0.0), np.maximum(light, 0.0)
        if not lacking.any():
            break
        near = _blurred(have, sigma)
        taken = have * _blurred(np.where(near > 0, lacking / np.maximum(near, 1e-300), 0.0), sigma)
        given = np.minimum(taken, have)
        # Where neighbours have not enough, the rest is asked for farther away.
        left = lacking * np.clip(1.0 - given.sum((0, 1)) / np.maximum(lacking.sum((0, 1)), 1e-300), 0.0, 1.0)
        light = have - given - left
    return np.maximum(light / rows, 0.0).astype(np.float32)


def _blurred(picture: NDArray, sigma: float) -> NDArray:
    return np.stack([gaussian_filter(picture[..., k], sigma, mode=("reflect", "wrap")) for k in range(3)], -1)
