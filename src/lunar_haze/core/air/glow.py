"""Light scattered many times, about: how much of it there is, for the live way.

Near enough to judge by, never what a still is made of. Light of a lamp spreads in mist as it would
in one without end (Grosjean 1956; as used by d'Eon & Irving 2011, A quantized-diffusion model):
its scattered fluence is 3 sigma_tr I / r, dying away as e^(-sqrt(3 sigma_a sigma_tr) r). Light from
above spreads between the top of the fog and the ground by the diffusion equation with Marshak's
boundaries (Joseph, Wiscombe & Weinman 1976, The delta-Eddington approximation, for the scaling).
"""

import functools
import math

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_banded

from lunar_haze.core.air.medium import Medium

#: Heights that glow is worked out for, from the ground to the top of the fog.
HEIGHTS = 64
#: What a ground gives back of the light that reaches it, about.
GROUND_ALBEDO = 0.2
#: Mist that thins with height lets more light out than mist without end: what is kept of a lamp's.
KEPT = 0.6


def mean_cosine(medium: Medium) -> float:
    """Mean cosine of deflection of a medium's phase function."""
    packed = medium.pack()
    g, g_draine, alpha, share = (float(packed[i]) for i in (4, 9, 10, 11))
    # Draine (2003), equation 5.
    draine = g_draine * (1 + alpha * (3 + 2 * g_draine**2) / 5) / (1 + alpha * (1 + 2 * g_draine**2) / 3)
    return g + share * (draine - g)


def lamp_glow(medium: Medium) -> tuple[float, float]:
    """Strength and decay of a lamp's glow, per optical depth of its way.

    At a way of optical depth d the scattered fluence over that of the lamp unscattered is
    strength * d * exp(-decay * d) (d with no loss on the way).
    """
    albedo = min(max(sum(medium.albedo) / 3, 0.0), 1.0)
    slow = 1 - albedo * mean_cosine(medium)
    return 3 * slow * albedo * KEPT, math.sqrt(3 * (1 - albedo) * slow)


@functools.lru_cache(maxsize=64)
def glow_above(medium: Medium, sine: float) -> tuple[float, float, NDArray[np.float32]]:
    """Scattered mean intensity per unit of light that faces it, by height: lowest height, step [m], (HEIGHTS,) [1/sr].

    ``sine`` is that of the light's altitude; zero stands for an even sky, per its illuminance.
    """
    low, top = min(medium.base_m, 0.0), max(medium.top_m, medium.base_m + 0.1)
    top = min(top, medium.base_m + 8 * medium.fall_off_m)
    heights = np.linspace(low, top, HEIGHTS)
    albedo = min(max(sum(medium.albedo) / 3, 0.0), 0.9999)
    g = mean_cosine(medium)
    sigma = medium.extinction_per_m if medium.has_fog else 0.0
    density = np.exp(-np.maximum(heights - medium.base_m, 0) / medium.fall_off_m)
    rate = np.maximum(sigma * density, 1e-9)
    step = heights[1] - heights[0]
    above = np.concatenate([np.cumsum((0.5 * (rate[1:] + rate[:-1]) * step)[::-1])[::-1], [0.0]])
    # What is thrown nearly straight on counts as not scattered.
    onward = max(g, 0.0) ** 2
    lift = max(sine, 0.02) if sine > 0 else 0.6
    facing = 1.0 if sine > 0 else 1 / lift
    direct = facing * np.exp(-above * (1 - albedo * onward) / lift)
    source = albedo * (1 - onward) * rate * direct / (4 * math.pi)
    # d/dz (D dJ/dz) = sigma_a J - source, with D = 1 / (3 sigma_tr).
    spread = 1 / (3 * np.maximum(rate * (1 - albedo * g), 1e-6))
    between = 0.5 * (spread[1:] + spread[:-1]) / step**2
    bands = np.zeros((3, HEIGHTS))
    bands[1] = rate * (1 - albedo)
    bands[1, :-1] += between
    bands[1, 1:] += between
    bands[0, 1:], bands[2, :-1] = -between, -between
    # Marshak: what leaves is half the mean intensity, less what the ground gives back.
    bands[1, -1] += 0.5 / step
    bands[1, 0] += 0.5 * (1 - GROUND_ALBEDO) / (1 + GROUND_ALBEDO) / step
    right = source.copy()
    right[0] += 2 * GROUND_ALBEDO / (1 + GROUND_ALBEDO) * direct[0] * lift / (4 * math.pi) / step
    return float(low), float(step), np.maximum(solve_banded((1, 1), bands, right), 0).astype(np.float32)
