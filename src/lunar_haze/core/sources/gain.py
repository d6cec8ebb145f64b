"""What a source's layer is multiplied by in the mix: amount x dimmer x colour, zero when silent."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.mccamy1992 import kelvin_of
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sources.amounts import CLEAR_AIR, canonical, natural_light
from lunar_haze.core.sources.model import Source, Sun

#: Near the working space's white: as lamp colour it leaves a sky or a glowing surface about as it is.
NEUTRAL_KELVIN = 6000.0


def source_colour(source: Source, atmosphere: Atmosphere = CLEAR_AIR) -> NDArray[np.float64]:
    """ACEScg colour factor (3,): the lamp's temperature, or the sun's colour through the air, times its gel."""
    lamp = np.ones(3)
    if source.kelvin is not None:
        lamp = kelvin_to_acescg(source.kelvin, source.tint_duv)
    elif isinstance(source.shape, Sun):
        light = natural_light(source.shape, atmosphere)
        level = float(light @ LUMINANCE_WEIGHTS)
        # A sun out of sight has no colour of its own: the last one seen.
        lamp = light / level if level > 1e-9 else kelvin_to_acescg(1900.0)
    return lamp * np.asarray(source.gel)


def lamp_kelvin(source: Source, atmosphere: Atmosphere = CLEAR_AIR) -> float:
    """Colour temperature [K] from which a source is made warmer or cooler: its own, or the nearest to its colour."""
    if source.kelvin is not None:
        return source.kelvin
    if isinstance(source.shape, Sun):
        return kelvin_of(source_colour(attrs.evolve(source, gel=(1.0, 1.0, 1.0)), atmosphere))
    return NEUTRAL_KELVIN


def is_active(source: Source, any_alone: bool) -> bool:
    """Whether a source takes part in the mix, given that some source is alone."""
    return not source.muted and (source.alone or not any_alone)


def source_gain(source: Source, atmosphere: Atmosphere = CLEAR_AIR) -> NDArray[np.float32]:
    """Mix factor (3,) float32 of the source's unit layer, mute aside."""
    level = canonical(source.shape, source.amount, source.unit, atmosphere) * 2.0**source.dimmer_stops
    return (level * source_colour(source, atmosphere)).astype(np.float32)
