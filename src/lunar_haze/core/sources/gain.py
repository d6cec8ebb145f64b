"""What a source's layer is multiplied by in the mix: amount x dimmer x colour, zero when silent."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.model import Source


def source_colour(source: Source) -> NDArray[np.float64]:
    """ACEScg colour factor (3,): the lamp's temperature times its gel."""
    lamp = np.ones(3) if source.kelvin is None else kelvin_to_acescg(source.kelvin, source.tint_duv)
    return lamp * np.asarray(source.gel)


def audible(source: Source, any_alone: bool) -> bool:
    """Whether a source takes part in the mix, given that some source is alone."""
    return not source.muted and (source.alone or not any_alone)


def source_gain(source: Source) -> NDArray[np.float32]:
    """Mix factor (3,) float32 of the source's unit layer, mute aside."""
    level = canonical(source.shape, source.amount, source.unit) * 2.0**source.dimmer_stops
    return (level * source_colour(source)).astype(np.float32)
