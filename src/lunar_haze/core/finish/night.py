"""The night as the eye sees it: colours fade and lean to blue as the light falls.

Mesopic luminance after CIE 191:2010 (Recommended system for mesopic photometry based on visual performance), scotopic
light from the three channels after Larson, Rushmeier & Piatko 1997 ("A visibility matching tone reproduction operator
for high dynamic range scenes", equation of appendix A), the blue of rod vision after Jensen, Premoze, Shirley,
Thompson, Ferwerda & Stark 2000 ("Night rendering", University of Utah): x = y = 0.25.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ, LUMINANCE_WEIGHTS, xy_to_acescg
from lunar_haze.core.finish.dark_rows import Eye

#: Luminous efficacies [lm/W] at the peaks of day and night vision; their ratio scales night luminance at 555 nm.
K_DAY, K_NIGHT = 683.0, 1699.0
#: From this level of adaptation on [cd/m2] day vision sees alone.
DAY_ABOVE = 5.0


def scotopic_of(xyz: NDArray) -> NDArray:
    """Scotopic luminance of XYZ (..., 3), in units where that of equal-energy white is about 2.4 times Y."""
    x, y, z = xyz[..., 0], xyz[..., 1], xyz[..., 2]
    return np.maximum(y * (1.33 * (1.0 + (y + z) / np.maximum(x, 1e-12)) - 1.68), 0.0)


def mesopic_share(adaptation: float, ratio: float = 1.0) -> float:
    """How much day vision takes part, m in [0, 1], at a level of adaptation [cd/m2] (photopic).

    ``ratio`` is the scotopic over the photopic luminance of what is seen. CIE 191, by its own iteration.
    """
    if adaptation >= DAY_ABOVE:
        return 1.0
    m = 0.5
    for _ in range(60):
        level = mesopic_luminance(adaptation, adaptation * ratio, m)
        m = min(max(0.7670 + 0.3334 * math.log10(max(level, 1e-12)), 0.0), 1.0)
    return m


def mesopic_luminance(photopic: float, scotopic: float, m: float) -> float:
    """CIE 191: L = (m Lp + (1 - m) Ls k) / (m + (1 - m) k) with k = 683 / 1699 [cd/m2]."""
    k = K_DAY / K_NIGHT
    return (m * photopic + (1.0 - m) * scotopic * k) / (m + (1.0 - m) * k)


_WHITE_RATIO = float(scotopic_of(ACESCG_TO_XYZ @ np.ones(3)))
#: Light of the night's blue, of luminance 1 (ACEScg).
BLUE = xy_to_acescg(0.25, 0.25) / float(xy_to_acescg(0.25, 0.25) @ LUMINANCE_WEIGHTS)


def adaptation_of(picture: NDArray) -> float:
    """The level that eyes adapt to [cd/m2]: the mean of the logarithms. ``picture`` is (h, w, 3) ACEScg [cd/m2]."""
    light = np.maximum(picture @ LUMINANCE_WEIGHTS.astype(np.float32), 0.0)
    return float(np.exp2(np.mean(np.log2(light + 1e-6)))) if light.size else 0.0


def eye_on(picture: NDArray, strength: float) -> Eye:
    """An eye that has adapted to a picture (h, w, 3) ACEScg [cd/m2]; ``strength`` in [0, 1], 0 for none, as by day."""
    m = mesopic_share(adaptation_of(picture)) if strength > 0.0 else 1.0
    return Eye(
        ACESCG_TO_XYZ.astype(np.float32), BLUE.astype(np.float32), np.float32(m), np.float32(K_DAY / K_NIGHT),
        np.float32(strength if m < 1.0 else 0.0), np.float32(_WHITE_RATIO),
    )  # fmt: skip
