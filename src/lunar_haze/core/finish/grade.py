"""The grade: what becomes of exposed light point by point, before the view.

Exposure and contrast act about mid grey, in stops; toe and shoulder bend stops below and above it with slope 1 at grey;
the CDL is the ASC's (Technology Committee, "ASC Color Decision List (ASC CDL) Transfer Functions and Interchange
Syntax", 2009), in ACEScct; the split tone leans shadows and lights towards colours and keeps their luminance.

All up to saturation is done to each channel alone (`per_channel`), the rest to colours (`coupled`): in a live picture
the first are three curves (`live_tone`).
"""

import functools

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import acescct
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.one_pass import Tone, couple_rows
from lunar_haze.core.finish.step import At
from lunar_haze.core.finish.steps import applied
from lunar_haze.core.finish.values import Cdl, Grade
from lunar_haze.core.picture.display import TABLE_SIZE, axis, grid_of, shaped
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.core.units.smooth import smoothstep

#: The ASC's weights for saturation, those of Rec. 709.
CDL_WEIGHTS = np.array([0.2126, 0.7152, 0.0722])
#: How strongly toe and shoulder bend at most: a stop away from grey by so much of a stop less.
_BEND = 0.6
#: From so many stops under grey to so many over it the split tone goes from shadows to lights; its most, in stops.
_SPLIT_STOPS, _SPLIT_MOST = 3.0, 1.0
#: The curves of a live picture have so many nodes: 100 a stop.
_CURVE_NODES = 2001
#: No light is taken farther from grey than so many stops.
_FARTHEST = 60.0


def bent(stops: NDArray, amount: float) -> NDArray:
    """Stops away from grey (0 and more), held back by ``amount`` above 0, spread below it; slope 1 at 0.

    Arrays of any shape.
    """
    k = _BEND * abs(amount)
    if k < 1e-6:
        return stops
    return np.log1p(k * stops) / k if amount > 0 else np.expm1(np.minimum(k * stops, 12.0)) / k


def toned(exposed: NDArray, grade: Grade) -> NDArray:
    """Exposure, contrast, toe and shoulder on exposed linear values; black stays black.

    Arrays of any shape, of light times the exposure.
    """
    if (grade.exposure, grade.contrast, grade.toe, grade.shoulder) == (0.0, 1.0, 0.0, 0.0):
        return exposed
    positive = np.maximum(exposed, 0.0)
    with np.errstate(divide="ignore"):
        stops = np.log2(positive / MID_GREY) * grade.contrast + grade.exposure
    over, under = np.maximum(stops, 0.0), np.minimum(np.maximum(-stops, 0.0), 40.0)
    moved = np.clip(bent(over, grade.shoulder) - bent(under, grade.toe), -_FARTHEST, _FARTHEST)
    return MID_GREY * np.exp2(moved) * (positive > 0)


def per_channel(exposed: NDArray, grade: Grade, cdl: Cdl) -> NDArray:
    """Tone and the CDL's slope, offset and power, on exposed values (..., 3).

    Exposed values again; but the signal in ACEScct, clamped to [0, 1] as the ASC has it, where the CDL changes
    saturation, which `coupled` does.
    """
    exposed = toned(exposed, grade)
    if cdl == Cdl():
        return exposed
    signal = acescct.encode(exposed)
    slope, offset, power = (np.asarray(each, signal.dtype) for each in (cdl.slope, cdl.offset, cdl.power))
    signal = np.clip(signal * slope + offset, 0.0, 1.0) ** power
    return signal if cdl.saturation != 1.0 else acescct.decode(signal)


def coupled(values: NDArray, grade: Grade, cdl: Cdl) -> NDArray:
    """What is done to colours rather than to channels, on what `per_channel` gives: saturation, split tone.

    Both (..., 3), the dtype stays.
    """
    if cdl.saturation != 1.0:
        luma = (values @ CDL_WEIGHTS.astype(values.dtype))[..., None]
        values = acescct.decode(np.clip(luma + cdl.saturation * (values - luma), 0.0, 1.0))
    return values if grade.split == 0.0 else _split_toned(values, grade)


def graded(exposed: NDArray, grade: Grade, cdl: Cdl) -> NDArray:
    """The whole grade on exposed ACEScg (..., 3); the very array where there is nothing to do."""
    return coupled(per_channel(exposed, grade, cdl), grade, cdl)


def coloured(exposed: NDArray, finish: Finish) -> NDArray:
    """Exposed ACEScg (..., 3) after the grade and the steps on colours that come after it."""
    return applied(At.COLOUR, graded(exposed, finish.grade, finish.cdl), finish)


@functools.lru_cache(maxsize=4)
def live_tone(grade: Grade, cdl: Cdl) -> Tone:
    """The same for `one_pass`, whose curves run over the display table's shaper."""
    is_on = (grade, cdl) != (Grade(), Cdl())
    couples = cdl.saturation != 1.0 or grade.split != 0.0
    exposed = np.repeat(axis(_CURVE_NODES)[:, None].astype(np.float64), 3, 1)
    curves = per_channel(exposed, grade, cdl) if is_on else exposed
    if is_on and not couples:
        curves = np.clip(shaped(curves), 0.0, 1.0) * (TABLE_SIZE - 1)
    shadows, lights = (_leaning(colour).astype(np.float32) for colour in (grade.shadows, grade.lights))
    return Tone(
        np.ascontiguousarray(curves.T, np.float32), is_on, couples, cdl.saturation != 1.0, np.float32(cdl.saturation),
        CDL_WEIGHTS.astype(np.float32),
        np.array([acescct.CUT_SIGNAL, acescct.SLOPE, acescct.OFFSET, acescct.STOPS, acescct.BIAS], np.float32),
        np.float32(_SPLIT_MOST * grade.split), shadows, lights, LUMINANCE_WEIGHTS.astype(np.float32),
        np.float32(MID_GREY), np.float32(0.5 / _SPLIT_STOPS),
    )  # fmt: skip


def graded_nodes(grade: Grade, cdl: Cdl) -> NDArray[np.float32]:
    """Exposed values (N, N, N, 3) that the grade makes of those at a display table's nodes."""
    edges = per_channel(np.repeat(axis()[:, None], 3, 1), grade, cdl).astype(np.float32)
    nodes, tone = grid_of(*edges.T), live_tone(grade, cdl)
    if tone.couples:
        rows = nodes.reshape(-1, TABLE_SIZE, 3)
        couple_rows(tone, rows, rows)
    return nodes


def _split_toned(exposed: NDArray, grade: Grade) -> NDArray:
    weights = LUMINANCE_WEIGHTS.astype(exposed.dtype)
    level = np.maximum(exposed @ weights, 1e-10)
    share = smoothstep(np.log2(level / MID_GREY) / (2 * _SPLIT_STOPS) + 0.5)[..., None]
    shadows, lights = (_leaning(colour).astype(exposed.dtype) for colour in (grade.shadows, grade.lights))
    out = np.maximum(exposed, 0.0) * np.exp2(_SPLIT_MOST * grade.split * (shadows + share * (lights - shadows)))
    return out * (level / np.maximum(out @ weights, 1e-10))[..., None]


def _leaning(colour: tuple[float, float, float]) -> NDArray[np.float64]:
    """Stops (3,) of a colour about its own luminance."""
    rgb = np.maximum(np.asarray(colour, float), 1e-3)
    return np.log2(rgb / float(rgb @ LUMINANCE_WEIGHTS))
