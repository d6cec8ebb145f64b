"""What the dark takes from the eye: fine detail, and quiet.

Acuity after Larson, Rushmeier & Piatko 1997 ("A visibility matching tone reproduction operator for high dynamic range
scenes", equation 8, a fit of Shaler's measurements): the finest grating that is seen has
17.25 arctan(1.4 log10 L + 0.35) + 25.72 cycles to the degree at a level of L [cd/m2]. The picture is made softer where
it is dark, so that such a grating keeps a tenth of its contrast.

Noise after the law of de Vries and Rose: light comes in quanta, so that what can be told apart is a share of the level
that grows with the root of darkness (Rose 1948, "The sensitivity performance of the human eye on an absolute scale").
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.dark_rows import QUIET, SHARP, Quanta, Softness
from lunar_haze.core.finish.glow import HEIGHT_DEG
from lunar_haze.core.finish.grain import noise
from lunar_haze.core.picture.mix import block_mean

#: Softness of the three pictures between which the eye's is read [deg, one sigma].
SOFT_DEG = (0.04, 0.1, 0.25)
#: What is less soft than this is sharp [deg, one sigma].
FINEST_DEG = 0.012
#: What is left of the contrast of the finest grating that is seen.
_LEFT = 0.1
#: Spread of the noise over the level at 0.01 cd/m2, and the size of its grains in thousandths of the frame's height.
NOISE_AT, NOISE_LEVEL, NOISE_SIZE = 0.25, 0.01, 3.0
#: The level never falls below this [cd/m2], and what is as bright as this has no noise that is seen.
DARKEST, BRIGHTEST = 1e-4, 3.0


def finest_seen(level: NDArray) -> NDArray[np.float64]:
    """Cycles to the degree of the finest grating that is seen at a level [cd/m2]. Arrays of any shape."""
    found = 17.25 * np.arctan(1.4 * np.log10(np.maximum(level, DARKEST)) + 0.35) + 25.72
    return np.asarray(np.maximum(found, 2.0))


def softness_deg(level: NDArray) -> NDArray[np.float64]:
    """How soft a picture is at a level [cd/m2]: one sigma [deg]. Arrays of any shape."""
    return np.asarray(math.sqrt(2.0 * math.log(1.0 / _LEFT)) / (2.0 * math.pi * finest_seen(level)))


def _soft(picture: NDArray[np.float32], sigma_px: float) -> NDArray[np.float32]:
    """A picture (h, w, 3) blurred by a Gaussian of one sigma, as much smaller as that hides."""
    step = 1
    while sigma_px / step > 1.7 and min(picture.shape[:2]) >= 16 * step:
        step *= 2
    small = block_mean(picture, step)
    # The mean over a block and the lines between its middles blur by themselves.
    sigma = math.sqrt(max((sigma_px / step) ** 2 - (0.25 if step > 1 else 0.0), 1e-4))
    reach = np.arange(max(math.ceil(3.0 * sigma), 1) + 1)
    weights = np.exp(-0.5 * (reach / sigma) ** 2)
    weights = (weights / (2.0 * weights.sum() - weights[0])).astype(np.float32)
    out = np.empty_like(small)
    kernels.blurred(small, weights, out)
    return out


def _level_of(wanted_deg: NDArray) -> NDArray[np.float64]:
    """Between which of the pictures, 0 the sharp one to 3, a place of a softness (n,) [deg] is read.

    What is read between two is no Gaussian: their shares are such that the grating that the wanted one would leave a
    tenth of keeps that tenth.
    """
    wanted = np.maximum(wanted_deg, 1e-6)[:, None]
    # What each leaves of that grating.
    left = np.concatenate([np.ones_like(wanted), _LEFT ** ((np.array(SOFT_DEG) / wanted) ** 2)], 1)
    low = np.clip(np.searchsorted(SOFT_DEG, wanted[:, 0]), 0, len(SOFT_DEG) - 1)
    rows = np.arange(len(wanted))
    above, below = left[rows, low], left[rows, low + 1]
    share = np.clip((above - _LEFT) / np.maximum(above - below, 1e-9), 0.0, 1.0)
    # Finer gratings than a picture can show: it stays sharp.
    fade = np.clip(np.log(wanted[:, 0] / FINEST_DEG) / np.log(0.5 * SOFT_DEG[0] / FINEST_DEG), 0.0, 1.0)
    return np.asarray((low + share) * np.where(low == 0, fade, 1.0))


def softness(picture: NDArray[np.float32], strength: float) -> Softness:
    """What a picture (h, w, 3) [cd/m2] has to be read from to have the detail that an eye has in such light.

    ``strength`` in [0, 1].
    """
    if strength == 0.0:
        return SHARP
    picture = np.ascontiguousarray(picture, np.float32)
    pixels = picture.shape[0] / HEIGHT_DEG
    third = _soft(picture, SOFT_DEG[2] * pixels)
    # The eye's level goes by what lies about a place, not by a point.
    level = third @ LUMINANCE_WEIGHTS.astype(np.float32)
    knots = np.geomspace(DARKEST, 1e3, 64)
    at = _level_of(strength * softness_deg(knots))
    levels = np.interp(np.log(np.maximum(level, DARKEST)), np.log(knots), at).astype(np.float32)
    low, high = float(levels.min()), float(levels.max())
    if high <= 0.0:
        return SHARP
    # No row is read from a picture that is left out here: see `soften_row`.
    first = _soft(picture, SOFT_DEG[0] * pixels) if low < 2.0 else SHARP.first
    second = _soft(picture, SOFT_DEG[1] * pixels) if high > 1.0 and low < 3.0 else SHARP.first
    return Softness(first, second, third, levels[..., None])


def quanta(height: int, strength: float, seed: int) -> Quanta:
    """The noise of the dark in a picture of a height [px]; it lies where the seed has it."""
    if strength == 0.0:
        return QUIET
    return Quanta(
        noise(seed, NOISE_SIZE / 1000.0 * height), LUMINANCE_WEIGHTS.astype(np.float32),
        np.float32(strength * NOISE_AT), np.float32(NOISE_LEVEL), np.float32(DARKEST), np.float32(BRIGHTEST),
    )  # fmt: skip
