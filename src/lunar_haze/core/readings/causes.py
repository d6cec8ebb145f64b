"""What is wrong with a picture, in sentences: each with its figure, the source that causes it most, and one remedy.

A cause is found by leaving each source out of the sum, exactly: what the picture would be without it is arithmetic.
What is fine is not mentioned.
"""

import math
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.readings.levels import Latitude, Levels, levels, overs, spreads, stops
from lunar_haze.core.readings.outline import LOST, READS, Outline
from lunar_haze.core.readings.ratios import Ratios
from lunar_haze.core.readings.remedies import Remedy, Trials, exposed, moved, told
from lunar_haze.core.readings.shares import Shares

#: A picture within fewer stops than this is flat.
FLAT_STOPS = 3.0
#: Shares of the picture that may be over or under the camera's latitude.
BURNT, CRUSHED, SUBJECT_CRUSHED = 0.02, 0.65, 0.5
#: A subject so many stops under what is behind it reads as a hole, unless that is meant.
HOLE_STOPS = 2.5
#: A source with so much of the light drowns the rest.
DROWNS = 0.85
#: What changes no part of the picture by more than this [stops] is not seen; parts are so many across.
UNSEEN_STOPS, BLOCKS = 0.06, 24
#: A night keeps so much of its picture under so many stops.
NIGHT_DARK, NIGHT_STOPS = 0.12, -3.0
#: The mean colour may lie so far to the warm or the cold side of white: log2 of red over blue.
CAST = 0.9


@attrs.frozen
class Cause:
    """One sentence about the picture. ``weight`` orders them, worst first; ``source_id`` is "" when none stands out."""

    kind: str
    sentence: str
    figure: float
    weight: float
    source_id: str = ""
    remedy: Remedy | None = None


def causes(
    shares: Shares, ratios: Ratios, outline: Outline | None, whole: Levels, latitude: Latitude, is_night: bool = False
) -> tuple[Cause, ...]:
    """All that is wrong with a picture, worst first.

    ``ratios``, ``outline`` (None without a subject) and ``whole``, its levels, are of the same ``shares``; ``latitude``
    is the camera's. A night is held to have dark left in it.
    """
    if not shares.sources or not shares.luminance.max() > 0:
        return (Cause("black", "the picture is black: no source gives light that the lens sees", 0.0, 10.0),)
    trials = Trials(shares, latitude, FLAT_STOPS, NIGHT_DARK if is_night else None, NIGHT_STOPS)
    found = [
        _flat(shares, whole, trials),
        _burnt(shares, whole, latitude),
        _crushed(shares, whole, latitude),
        _merged(shares, outline, trials),
        _hole(shares, ratios),
        _drowned(shares, ratios),
        _cast(shares),
        _unseen(shares),
        _everywhere(shares, is_night, trials),
    ]
    return tuple(sorted((c for c in found if c is not None), key=lambda c: -c.weight))


def _flat(shares: Shares, now: Levels, trials: Trials) -> Cause | None:
    if now.spread >= FLAT_STOPS:
        return None
    n = _most(shares, lambda light: spreads(light, shares.scale))
    words = f"flat: nearly all of the picture lies within {now.spread:.1f} stops"
    found = trials.best("flat")
    remedy = found[1] if found is not None else None
    if n is None:
        return Cause("flat", words, now.spread, 3.0 - now.spread, "", remedy)
    source = shares.sources[n]
    return Cause("flat", f"{words}, most of all by {source.name}", now.spread, 5.0 - now.spread, source.id, remedy)


def _most(shares: Shares, measure: Callable[[NDArray], NDArray]) -> int | None:
    """The source without which a measure of luminance would be largest; None when none would make it larger.

    ``measure`` takes several pictures at once (n, m).
    """
    if len(shares.sources) < 2:
        return None
    # Which source it is shows in every fourth pixel each way as well, in a sixteenth of the time.
    few = shares.luminances[:, ::4, ::4].reshape(len(shares.sources), -1)
    whole = few.sum(0)
    found = measure(np.concatenate([whole[None], np.maximum(whole - few, 0.0)]))
    n = int(np.argmax(found[1:]))
    return n if found[1 + n] > found[0] else None


def _burnt(shares: Shares, now: Levels, latitude: Latitude) -> Cause | None:
    over = now.over
    if over <= BURNT:
        return None
    n = _most(shares, lambda light: -overs(light, shares.scale, latitude))
    n = int(np.argmax(shares.luminances.mean((1, 2)))) if n is None else n
    source = shares.sources[n]
    burnt = stops(shares.luminance, shares.scale)
    excess = float(np.quantile(burnt[burnt > latitude.high], 0.8)) - latitude.high
    down = -min(max(round(excess * 3 + 1) / 3, 1 / 3), 6.0)
    remedy = moved(shares, n, down)
    sentence = f"clipped: {over:.0%} of the picture is brighter than the camera holds, most of it from {source.name}"
    return Cause("clipped", sentence, over, 1.0 + 8 * over, source.id, remedy)


def _crushed(shares: Shares, now: Levels, latitude: Latitude) -> Cause | None:
    under = now.under
    if shares.subject is not None and shares.subject.any():
        own = levels(shares.luminance, shares.scale, latitude, shares.subject).under
        if own > SUBJECT_CRUSHED:
            up = exposed(1.0)
            return Cause("crushed", f"crushed: {own:.0%} of the subject is black", own, 1.5 + own, "", up)
    if under <= CRUSHED:
        return None
    up = exposed(1.0)
    return Cause("crushed", f"crushed: {under:.0%} of the picture is black", under, under, "", up)


def _merged(shares: Shares, outline: Outline | None, trials: Trials) -> Cause | None:
    if outline is None or outline.stands_out >= READS:
        return None
    share = outline.stands_out
    state = "merges with what is behind it" if share < LOST else "reads only in part"
    sentence = f"the subject {state}: {1 - share:.0%} of its outline cannot be told apart"
    found, weight = trials.best("merged"), 2.5 - 2 * share
    if found is not None:
        number, remedy = found
        source_id = "" if number is None else shares.sources[number].id
        return Cause("merged", sentence, share, weight, source_id, remedy)
    behind = shares.sources[int(np.argmax(shares.sums.rest))]
    return Cause("merged", f"{sentence}; most of what is behind it is {behind.name}", share, weight, behind.id)


def _hole(shares: Shares, ratios: Ratios) -> Cause | None:
    if ratios.subject_stops is None or ratios.subject_stops > -HOLE_STOPS:
        return None
    n = int(np.argmax(shares.sums.rest))
    source = shares.sources[n]
    below = -ratios.subject_stops
    remedy = Remedy(f"{source.name} {told(-1.0)}", ((source.id, -1.0),))
    sentence = f"the subject is {below:.1f} stops darker than what is behind it, which is lit by {source.name}"
    return Cause("dark subject", sentence, ratios.subject_stops, 0.4 * below, source.id, remedy)


def _drowned(shares: Shares, ratios: Ratios) -> Cause | None:
    most = max(ratios.parts, key=lambda part: part.of_frame)
    if len(ratios.parts) < 3 or most.of_frame < DROWNS:
        return None
    remedy = Remedy(f"{most.name} {told(-1.0)}", ((most.id, -1.0),))
    sentence = f"{most.name} drowns the rest: {most.of_frame:.0%} of all light is its own"
    return Cause("drowned", sentence, most.of_frame, 1.2 * most.of_frame, most.id, remedy)


def _cast(shares: Shares) -> Cause | None:
    mean = shares.picture.reshape(-1, 3).mean(0, dtype=np.float64)
    if min(mean[0], mean[2]) <= 0:
        return None
    tilt = math.log2(float(mean[0] / mean[2]))
    if abs(tilt) < CAST:
        return None
    side = "warmer" if tilt > 0 else "colder"
    # Sums by a product: a mean over pixels that lie three numbers apart takes as long again for every source.
    one = np.full(shares.shape[0] * shares.shape[1], 1.0 / (shares.shape[0] * shares.shape[1]), np.float32)
    means = [(one @ s.light.reshape(-1, 3)).astype(np.float64) for s in shares.sources]
    light = [float(luminance(colour)) * _leans(colour, tilt) for colour in means]
    source = shares.sources[int(np.argmax(light))]
    remedy = Remedy(f"{source.name} {told(-1.0)}", ((source.id, -1.0),))
    sentence = f"much {side} than the white balance, most of all by {source.name}"
    return Cause("cast", sentence, tilt, 0.5 * abs(tilt) - 0.2, source.id, remedy)


def _leans(mean: NDArray, tilt: float) -> float:
    """How far a mean colour (3,) leans the way of a cast."""
    return max(float(mean[0] - mean[2]) * math.copysign(1.0, tilt) / max(float(mean.sum()), 1e-30), 0.0)


def _unseen(shares: Shares) -> Cause | None:
    """Sources that change nothing anyone could see: in blocks, so that a small glint counts and grain does not."""
    if len(shares.sources) < 2:
        return None
    step = max(shares.shape[1] // BLOCKS, 1)
    rows, columns = shares.shape[0] // step, shares.shape[1] // step
    # Columns are added up by a product, which is far quicker than a mean over two short axes.
    across = np.repeat(np.eye(columns, dtype=np.float32) / (step * step), step, axis=0)
    blocks = shares.luminances[:, : rows * step, : columns * step] @ across
    blocks = blocks.reshape(len(blocks), rows, step, columns).sum(2)
    total = np.maximum(blocks.sum(0), 0.02 * float(blocks.sum(0).mean()) + 1e-30)
    change = (-np.log2(np.maximum(1.0 - blocks / total, 1e-6))).max((1, 2))
    unseen = [s for s, most in zip(shares.sources, change) if most < UNSEEN_STOPS]
    if not unseen or len(unseen) == len(shares.sources):
        return None
    names = _listed([s.name for s in unseen])
    verb = "changes" if len(unseen) == 1 else "change"
    remedy = Remedy("mute " + ("it" if len(unseen) == 1 else "them"), mute=tuple(s.id for s in unseen))
    sentence = f"{names} {verb} nothing that anyone could see"
    return Cause("unseen", sentence, float(len(unseen)), 0.3 + 0.1 * len(unseen), unseen[0].id, remedy)


def _everywhere(shares: Shares, is_night: bool, trials: Trials) -> Cause | None:
    if not is_night:
        return None
    found = float((stops(shares.luminance, shares.scale) < NIGHT_STOPS).mean())
    if found >= NIGHT_DARK:
        return None
    tried = trials.best("everywhere")
    source = shares.sources[int(np.argmax(shares.luminances.mean((1, 2))))]
    sentence = f"light everywhere: {found:.0%} of the picture is dark, too little to be a night; most is {source.name}"
    return Cause("everywhere", sentence, found, 1.6, source.id, tried[1] if tried is not None else exposed(-1.0))


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(names[:-1]) + " and " + names[-1]
