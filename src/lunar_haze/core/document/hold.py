"""Hold level: what a lamp delivers at its aim stays while it moves, grows, changes shape or mist comes between."""

import math

import attrs
import numpy as np

from lunar_haze.core.air.medium import Medium, optical_depth
from lunar_haze.core.sources.amounts import canonical, illuminance_per_lumen
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Source

#: The most by which an amount follows in one step: a lamp that is moved onto its aim must not go out.
MOST = 1e6


def delivered_lx(source: Source, medium: Medium) -> float:
    """What a lamp's amount delivers at its aim, facing it, through the mist [lx]; 0 for what has no aim."""
    if not isinstance(source.shape, Placed):
        return 0.0
    lumens = canonical(source.shape, source.amount, source.unit)
    through = math.exp(-float(optical_depth(medium, np.asarray(source.shape.position), np.asarray(source.shape.aim))))
    return lumens * illuminance_per_lumen(source.shape) * through


def held(before: Source, after: Source, medium_before: Medium, medium_after: Medium) -> Source:
    """``after`` with the amount that delivers at its aim what ``before`` did."""
    level, now = delivered_lx(before, medium_before), delivered_lx(after, medium_after)
    if level <= 0.0 or now <= level / MOST:
        return after
    return attrs.evolve(after, amount=after.amount * min(level / now, MOST))
