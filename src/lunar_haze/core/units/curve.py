"""Curves through keys: a number over the frames of a shot.

Between two keys the curve is a cubic whose slope at each end is what that key asks for. No slope is more than three
times that of the straight line between the keys and none runs against it, so that the curve never overshoots
(Fritsch and Carlson 1980, Monotone piecewise cubic interpolation, SIAM J. Numer. Anal. 17). A smooth key takes the
slope of Steffen (1990, A simple method for monotonic interpolation in one dimension, Astron. Astrophys. 239), which
asks the neighbouring keys alone. A curve has no memory: any frame can be asked for in any order.
"""

import bisect
import math
from collections.abc import Callable

import attrs

#: How a key is left and reached: hold until the next key, a straight line, a smooth bend, or from and to rest.
STEP, LINEAR, SMOOTH, EASED = "step", "linear", "smooth", "eased"
EASINGS = (STEP, LINEAR, SMOOTH, EASED)
#: What is drawn straight between keys: the number itself, its logarithm, or its reciprocal.
PLAIN, RATIO, RECIPROCAL = "plain", "ratio", "reciprocal"
SCALES = (PLAIN, RATIO, RECIPROCAL)


@attrs.frozen
class Key:
    """A number at a frame; ``into`` is how it is reached, ``out`` how it is left, each one of `EASINGS`."""

    frame: float
    value: float
    into: str = SMOOTH
    out: str = SMOOTH


def _same(x: float) -> float:
    return x


def _inverse(x: float) -> float:
    return math.inf if x == 0.0 else 1.0 / x


#: From a number to what is drawn straight, and back.
THERE_AND_BACK: dict[str, tuple[Callable[[float], float], Callable[[float], float]]] = {
    PLAIN: (_same, _same), RATIO: (math.log, math.exp), RECIPROCAL: (_inverse, _inverse),
}  # fmt: skip


def scale_in_force(keys: tuple[Key, ...], scale: str) -> str:
    """The scale that keys can be drawn in: a ratio has no zero and no end, a reciprocal no zero."""
    if scale == RATIO and any(key.value <= 0.0 or math.isinf(key.value) for key in keys):
        return PLAIN
    if scale == RECIPROCAL and any(key.value <= 0.0 for key in keys):
        return PLAIN
    return scale


def _slope(keys: tuple[Key, ...], values: list[float], at: int, easing: str, ahead: bool) -> float:
    """Slope at key ``at`` towards the next key (``ahead``) or the one before, in units a frame."""
    other = at + 1 if ahead else at - 1
    secant = (values[other] - values[at]) / (keys[other].frame - keys[at].frame)
    if easing == LINEAR:
        return secant
    if easing == EASED or not 0 < at < len(keys) - 1:
        # At either end a smooth curve comes from rest.
        return 0.0
    before, after = keys[at].frame - keys[at - 1].frame, keys[at + 1].frame - keys[at].frame
    low, high = (values[at] - values[at - 1]) / before, (values[at + 1] - values[at]) / after
    if low * high <= 0.0:
        return 0.0
    mean = (low * after + high * before) / (before + after)
    return math.copysign(min(abs(mean), 2.0 * abs(low), 2.0 * abs(high)), low)


def value_at(keys: tuple[Key, ...], frame: float, scale: str = PLAIN) -> float:
    """The number of a curve at a frame: a key's own value at the key, the nearest key's beyond the ends.

    ``keys`` lie in order of their frames, at least one, no two at the same frame; ``scale`` is one of `SCALES`.
    """
    at = bisect.bisect_right(keys, frame, key=lambda key: key.frame) - 1
    if at < 0:
        return keys[0].value
    left = keys[at]
    if at == len(keys) - 1 or left.frame == frame or STEP in (left.out, keys[at + 1].into):
        return left.value
    right = keys[at + 1]
    if left.value == right.value:
        return left.value
    # The slopes ask the neighbours; no other key matters.
    first = max(at - 1, 0)
    near = keys[first : at + 3]
    here = at - first
    there, back = THERE_AND_BACK[scale_in_force(near, scale)]
    values = [there(key.value) for key in near]
    span = right.frame - left.frame
    m0 = _slope(near, values, here, left.out, True) * span
    m1 = _slope(near, values, here + 1, right.into, False) * span
    t = (frame - left.frame) / span
    low, high = values[here], values[here + 1]
    found = low + t * (m0 + t * (3.0 * (high - low) - 2.0 * m0 - m1 + t * (m0 + m1 - 2.0 * (high - low))))
    return back(min(max(found, min(low, high)), max(low, high)))
