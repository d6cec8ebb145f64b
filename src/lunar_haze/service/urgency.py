"""How the passes of a picture are shared among its layers.

The error of a mix is the sum of its layers' errors under their gains, and a layer that adds a
hundredth of the light adds about a hundredth of the grain. For the least error in a given time
the passes of a layer should be in proportion to what it adds (Neyman 1934, optimum allocation),
looked at where it matters most, not on average: a lantern counts in its own pool of light.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.transport.frame import Emphasis, Frame

#: Silent layers get their first pass, for their card on the rail, once the picture has this many.
SILENT_AFTER = 4
#: Every layer gets this share of the passes at least.
LEAST = 1 / 16
#: Pixels that are looked at to tell how much layers matter, about so many.
LOOKED_AT = 8192


def passes_due(level: int, weight: float) -> int:
    """Passes that a layer of ``weight`` in [0, 1] has in a picture of ``level`` passes."""
    if weight <= 0.0:
        return math.ceil(level * LEAST) if level >= SILENT_AFTER else 0
    return math.ceil(level * weight)


@attrs.frozen
class Standing:
    """How much a layer matters: ``weight`` in [0, 1] for its passes, its ``emphasis`` within them."""

    weight: float
    emphasis: Emphasis


def standings(frame: Frame, gains: tuple[LayerGain, ...]) -> dict[str, Standing]:
    """How much each layer matters under ``gains``: weight one for what matters most, zero for what is silent.

    A layer that has no pass yet, or stands in a picture without light, weighs one.
    """
    parts: dict[str, np.ndarray] = {}
    # Odd, so that they do not stand in columns.
    step = frame.pixels // LOOKED_AT | 1
    for gain in gains:
        layer = frame.sums.get(gain.key)
        if layer is not None and layer.passes and not gain.is_silent:
            weight = frame.weight_of(layer)
            each = weight[::step] if len(weight) > 1 else weight
            surface, air = (part[::step] * each for part in frame.sums_of(layer))
            mixed = surface * np.asarray(gain.surface, np.float32) + air * np.asarray(gain.air, np.float32)
            parts[gain.key] = np.abs(mixed) @ LUMINANCE_WEIGHTS
    total = np.sum(list(parts.values()), 0) if parts else np.zeros(1)
    mean = float(total.mean())
    peaks = {k: float(np.quantile(part / (total + 0.02 * mean + 1e-20), 0.98)) for k, part in parts.items()}
    most = max(peaks.values(), default=0.0)
    found = {}
    for gain in gains:
        key = gain.key
        if gain.is_silent:
            found[key] = Standing(0.0, Emphasis(gain, 0.0))
        elif key not in parts or most <= 0.0:
            found[key] = Standing(1.0, Emphasis(gain, 1 / len(gains)))
        else:
            share = float(parts[key].mean()) / max(mean, 1e-20)
            found[key] = Standing(min(max(peaks[key] / most, LEAST), 1.0), Emphasis(gain, share))
    return found


def lit_by_others(frame: Frame, known: dict[str, Standing], tracing: tuple[str, ...]) -> NDArray[np.float32] | None:
    """Luminance (pixels,) [cd/m2] of the mix of all layers but those that are being traced, or None."""
    # Gains may name layers that are not of this request: those of a look that is balanced before it is asked for.
    there = [k for k in known if k not in tracing and k in frame.sums]
    others = [k for k in there if known[k].weight > 0.0 and frame.sums[k].passes]
    if not others:
        return None
    total = np.zeros(frame.pixels, np.float32)
    for key in others:
        layer, gain = frame.sums[key], known[key].emphasis.gain
        weight = frame.weight_of(layer)[:, 0]
        for part, factor in zip(frame.sums_of(layer), (gain.surface, gain.air)):
            total += (part @ np.multiply(factor, LUMINANCE_WEIGHTS).astype(np.float32)) * weight
    return total
