"""Painted asks: strokes in the picture that say brighter, darker, warmer, cooler or this colour, solved for dimmers.

After Schoeneman, Dorsey, Smits, Arvo & Greenberg, "Painting with Light", SIGGRAPH 1993, with the misfit taken in
stops rather than in light, so that dark strokes count as much as bright ones, and damped steps (Levenberg 1944,
Marquardt 1963) in place of linear least squares, which switches sources off.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.units.photometry import MID_GREY

#: What a stroke may say.
KINDS = ("brighter", "darker", "warmer", "cooler", "colour")
#: A picture is solved at about so many pixels across.
WIDTH = 60
#: How far dimmers go [stops].
SPAN = 6.0
#: How much the dimmers' own size weighs; and, in places without a stroke, their level and their colour.
_SMALL, _KEEP, _KEEP_HUE = 3e-4, 0.012, 0.1
#: From so many stops on a move costs so much more: no stroke is worth another picture.
_FAR, _TOO_FAR = 2.5, 0.03
#: How much the level of a place weighs where only its colour was painted, and its colour where only its level was.
_LEVEL, _HUE = 0.3, 0.15
#: Light so far under mid grey counts as none [stops].
_FLOOR = -9.0
_STEPS = 24
#: An ask of which less than this share is met is not met; so many pixels of a stroke make a sentence.
HALF_MET, WORTH_A_WORD = 0.5, 0.25


@attrs.frozen(eq=False)
class Stroke:
    """One stroke: what it says, where, how strongly.

    ``where`` (h, w) float32 is how often the brush went over a pixel (0 for not at all); ``amount`` what one pass asks
    for: stops for tone, log2(red / blue) for warmth; ``colour`` (3,) ACEScg for kind "colour".
    """

    kind: str
    where: NDArray[np.float32]
    amount: float = 1.0
    colour: NDArray[np.float64] | None = None


@attrs.frozen(eq=False)
class Wanted:
    """What strokes ask of every pixel (h, w): ``weight`` in [0, 1] and log2 targets; NaN where nothing is asked.

    ``tone`` is the luminance wanted [log2 of cd/m2]; ``warmth`` log2(red / blue), ``green`` log2(green / blue).
    """

    weight: NDArray[np.float64]
    tone: NDArray[np.float64]
    warmth: NDArray[np.float64]
    green: NDArray[np.float64]


@attrs.frozen(eq=False)
class Painted:
    """Dimmer moves (n,) [stops], where what was painted is not met (h, w), and sentences on it."""

    moves: NDArray[np.float64]
    unmet: NDArray[np.bool_]
    sentences: tuple[str, ...]


def _floor(shares: Shares) -> float:
    return float(MID_GREY * 2.0**_FLOOR / max(shares.scale, 1e-30))


def wanted_of(picture: NDArray[np.float64], strokes: tuple[Stroke, ...], floor: float, step: int) -> Wanted:
    """What strokes ask of a small picture (h, w, 3) [cd/m2]; passes add up, and later colours take over."""
    shape = picture.shape[:2]
    weight, tone, warmth = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    is_toned, is_warmed = np.zeros(shape, bool), np.zeros(shape, bool)
    level = np.log2(np.maximum(picture @ LUMINANCE_WEIGHTS, floor))
    red, green, blue = (np.log2(picture[..., i] + floor) for i in range(3))
    base_warmth, base_green = red - blue, green - blue
    greens = np.full(shape, np.nan)
    hue = np.full(shape, np.nan)
    for stroke in strokes:
        passes = block_mean(np.repeat(stroke.where[..., None], 3, 2), step)[..., 0].astype(np.float64)
        weight = np.maximum(weight, np.minimum(passes, 1.0))
        on = passes > 1e-3
        way = -1.0 if stroke.kind in ("darker", "cooler") else 1.0
        if stroke.kind in ("brighter", "darker"):
            tone += way * stroke.amount * passes
            is_toned |= on
        elif stroke.kind in ("warmer", "cooler"):
            warmth += way * stroke.amount * passes
            is_warmed |= on
        elif stroke.colour is not None:
            r, g, b = np.log2(np.maximum(stroke.colour, 1e-6))
            hue[on], greens[on] = r - b, g - b
    wanted_warmth = np.where(is_warmed, base_warmth + warmth, hue)
    return Wanted(
        weight,
        np.where(is_toned, level + tone, np.nan),
        wanted_warmth,
        np.where(is_warmed, base_green, greens) if not np.isnan(greens).all() else greens,
    )


def solve_painted(
    shares: Shares,
    strokes: tuple[Stroke, ...],
    locked: frozenset[str] = frozenset(),
    start: NDArray[np.float64] | None = None,
) -> Painted:
    """The dimmers that come nearest to what strokes ask for; those of ``locked`` sources stay.

    Strokes have the shape of the shares' pictures. ``start`` (n,) [stops] is an answer from a moment ago to go on
    from. Without a stroke nothing moves.
    """
    step = max(round(shares.shape[1] / WIDTH), 1)
    lights = np.stack([block_mean(np.ascontiguousarray(s.light), step) for s in shares.sources]).astype(np.float64)
    floor = _floor(shares)
    picture = lights.sum(0)
    wanted = wanted_of(picture, strokes, floor, step)
    free = np.array([share.id not in locked for share in shares.sources])
    fit = _Fit(lights, wanted, floor)
    moves = fit.solve(free, start) if strokes and free.any() else np.zeros(len(lights))
    return _told(shares, fit, moves, free, strokes)


class _Fit:
    """Residuals and slopes of what is painted, on small pictures (n, h, w, 3)."""

    def __init__(self, lights: NDArray[np.float64], wanted: Wanted, floor: float) -> None:
        self.wanted, self._floor = wanted, floor
        n = len(lights)
        self.shape = lights.shape[1:3]
        flat = np.maximum(lights.reshape(n, -1, 3), 0.0)
        self._channels = np.concatenate([flat, (flat @ LUMINANCE_WEIGHTS)[..., None]], axis=-1)
        logs = np.log2(self._channels.sum(0) + floor)
        tone, warmth, green = wanted.tone.ravel(), wanted.warmth.ravel(), wanted.green.ravel()
        weight = wanted.weight.ravel()
        painted = weight > 0
        # Of the places without a stroke every fourth is enough to hold on to.
        self._at = np.flatnonzero(painted | (np.arange(weight.size) % 4 == 0))
        stay = np.where(painted, 0.0, 2.0)

        def goal(
            asked: NDArray, present: NDArray, held: float, kept: float
        ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
            """Targets and weights at the places that count: what is asked, else what there is, less firmly."""
            is_asked = ~np.isnan(asked) & painted
            firm = np.where(is_asked, weight, held * weight + kept * stay)
            return (
                np.where(is_asked, asked, present)[self._at].astype(np.float32),
                firm[self._at].astype(np.float32),
            )

        self._level = goal(tone, logs[:, 3], _LEVEL, _KEEP)
        self._warm = goal(warmth, logs[:, 0] - logs[:, 2], _HUE, _KEEP_HUE)
        self._green = goal(green, logs[:, 1] - logs[:, 2], 0.0, 0.0)
        # Single precision is plenty for slopes, and twice as fast.
        self._channels_at = self._channels[:, self._at].astype(np.float32)
        self._norm = 1.0 / max(float((weight**2).sum()), 1.0)

    def levels(self, moves: NDArray) -> NDArray[np.float64]:
        """Luminance (h w,) [log2 cd/m2]."""
        return np.log2(np.exp2(moves) @ self._channels[..., 3] + self._floor)

    def warmths(self, moves: NDArray) -> NDArray[np.float64]:
        """log2(red / blue) (h w,)."""
        red, blue = (np.exp2(moves) @ self._channels[..., i] + self._floor for i in (0, 2))
        return np.log2(red) - np.log2(blue)

    def _parts(self, moves: NDArray) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Weighted residuals (m,) and their slopes (m, n)."""
        gain = np.exp2(moves).astype(np.float32)
        lit = gain[:, None, None] * self._channels_at
        total = lit.sum(0) + np.float32(self._floor)
        logs, share = np.log2(total), lit / total
        target, weight = self._level
        left = [weight * (logs[:, 3] - target)]
        slopes = [weight[:, None] * share[..., 3].T]
        for (target, weight), first in ((self._warm, 0), (self._green, 1)):
            at = np.flatnonzero(weight)
            left.append(weight[at] * (logs[at, first] - logs[at, 2] - target[at]))
            slopes.append(weight[at, None] * (share[:, at, first] - share[:, at, 2]).T)
        return np.concatenate(left), np.concatenate(slopes)

    def _cost(self, left: NDArray, moves: NDArray) -> float:
        far = np.maximum(np.abs(moves) - _FAR, 0.0)
        return float(left @ left) * self._norm + _SMALL * float(moves @ moves) + _TOO_FAR * float(far @ far)

    def solve(self, free: NDArray[np.bool_], start: NDArray[np.float64] | None) -> NDArray[np.float64]:
        """Moves (n,) [stops] of least cost within SPAN, from ``start`` on; those that are not free stay at 0."""
        moves, damping = np.zeros(len(free)) if start is None else np.where(free, start, 0.0), 1e-2
        left, slopes = self._parts(moves)
        cost = self._cost(left, moves)
        for _ in range(_STEPS):
            j = slopes[:, free]
            # Dimmers that stand at their bound and are pulled past it are left there.
            far = np.sign(moves[free]) * np.maximum(np.abs(moves[free]) - _FAR, 0.0)
            gradient = j.T @ left * self._norm + _SMALL * moves[free] + _TOO_FAR * far
            square = j.T @ j * self._norm + np.diag(_SMALL + _TOO_FAR * (far != 0))
            step = np.linalg.solve(square + damping * np.diag(np.diag(square) + 1e-4), -gradient)
            tried = moves.copy()
            tried[free] = np.clip(moves[free] + np.clip(step, -2.0, 2.0), -SPAN, SPAN)
            new_left, new_slopes = self._parts(tried)
            new_cost = self._cost(new_left, tried)
            if new_cost < cost:
                is_still = np.abs(tried - moves).max() < 1e-3
                moves, left, slopes, cost = tried, new_left, new_slopes, new_cost
                damping = max(damping * 0.3, 1e-6)
                if is_still:
                    break
            else:
                damping *= 4.0
                if damping > 1e6:
                    break
        return moves

    def met(self, moves: NDArray) -> NDArray[np.float64]:
        """The share of what was asked that is met (h, w), the worse of tone and warmth; 1 where nothing is asked."""
        still = np.zeros(len(moves))
        share = np.ones(self.shape[0] * self.shape[1])
        painted = self.wanted.weight.ravel() > 0
        for target, read in ((self.wanted.tone.ravel(), self.levels), (self.wanted.warmth.ravel(), self.warmths)):
            at = np.flatnonzero(painted & ~np.isnan(target))
            asked = target[at] - read(still)[at]
            given = read(moves)[at] - read(still)[at]
            far = np.abs(asked) > 0.1
            share[at] = np.minimum(share[at], np.where(far, given / np.where(far, asked, 1.0), 1.0))
        return share.reshape(self.shape)


def _told(shares: Shares, fit: _Fit, moves: NDArray, free: NDArray[np.bool_], strokes: tuple[Stroke, ...]) -> Painted:
    """The answer, with what no source can do said."""
    weight = fit.wanted.weight
    painted = weight > 0.25
    unmet = painted & (fit.met(moves) < HALF_MET)
    sentences = []
    area = int(painted.sum())
    if area:
        brightest = fit.levels(np.where(free, SPAN, 0.0)).reshape(fit.shape)
        dark = painted & ~np.isnan(fit.wanted.tone) & (brightest < np.nan_to_num(fit.wanted.tone, nan=-1e9) - HALF_MET)
        if dark.sum() >= WORTH_A_WORD * area:
            held = " but what is locked" if not free.all() else ""
            sentences.append(f"nothing{held} shines on {dark.sum() / area:.0%} of what was painted")
        elif unmet.sum() >= WORTH_A_WORD * area:
            sentences.append(
                f"no source can do it alone there: {unmet.sum() / area:.0%} of what was painted is not met"
            )
    height, width = shares.shape
    rows = np.minimum(np.arange(height) * fit.shape[0] // height, fit.shape[0] - 1)
    columns = np.minimum(np.arange(width) * fit.shape[1] // width, fit.shape[1] - 1)
    return Painted(moves, unmet[rows[:, None], columns[None]], tuple(sentences))
