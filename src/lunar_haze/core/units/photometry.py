"""Stops, exposure values and the meter equation.

Scene radiance is carried in cd/m2, so exposure is the only place where the absolute level meets
the display. EV at ISO 100 follows ISO 2720:1974 for reflected-light meters with K = 12.5
(cd/m2) s / lx s: a metered luminance ``L = K 2^EV / 100`` is placed on mid grey, 0.18.
"""

import math

METER_CONSTANT_K = 12.5
MID_GREY = 0.18


def factor_to_stops(factor: float) -> float:
    """Stops of a positive linear factor; −inf for zero."""
    return math.log2(factor) if factor > 0 else -math.inf


def metered_luminance_cd_m2(ev100: float) -> float:
    """Luminance [cd/m2] that a reflected-light meter reads as ``ev100`` (ISO 2720)."""
    return METER_CONSTANT_K / 100.0 * 2.0**ev100


def ev100_of_luminance(luminance_cd_m2: float) -> float:
    """EV100 at which ``luminance_cd_m2`` [cd/m2] is placed on mid grey; −inf for zero."""
    return factor_to_stops(luminance_cd_m2 * 100.0 / METER_CONSTANT_K)


def exposure_scale(ev100: float, stops: float = 0.0) -> float:
    """Factor from scene luminance [cd/m2] to exposed scene-linear, mid grey at 0.18.

    ``stops`` brightens the picture on top of the meter's setting.
    """
    return MID_GREY / metered_luminance_cd_m2(ev100) * 2.0**stops
