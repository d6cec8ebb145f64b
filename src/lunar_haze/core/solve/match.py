"""Match: dimmers, colour temperatures, exposure and white balance that bring a picture near a reference in tone,
palette and place.

The distance is a sliced optimal transport of the pixels' colours in Oklab (Bonneel et al. 2015, Sliced and Radon
Wasserstein barycenters of measures), with hue counted twice, and of the mean colour of coarse cells for where things
are. The view is a table with its slopes, so that the whole has a gradient: L-BFGS-B (Byrd et al. 1995) descends it from
two starts. How sure each dimmer is, is told by the curvature at the end. A reference of another subject cannot be met
where things are: then its tone and palette count alone, or nearly so.
"""

import math
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.values import COOLEST_K, HOTTEST_K, MOST_DUV, White
from lunar_haze.core.finish.white_balance import matrix
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.tints import Tint, factor

#: Pixels across that are compared, slices, cells across and down.
WIDTH, SLICES, CELLS = 48, 20, (24, 14)
#: How much hue counts against value, and place against the whole; and place where light lies elsewhere in it.
HUE, PLACE, PLACE_ELSEWHERE = 2.0, 2.0, 0.1
#: Light lies elsewhere when less than this share of how its cells differ is met by the nearest balance.
ALIKE = 0.6
#: How much a stop of change weighs against the distance: nothing moves for nothing.
DAMP = 1e-7
#: Dimmers and exposure go so far [stops].
SPAN = 8.0
#: Colour temperatures go so far [mired], counted in steps of so many, each as heavy as a stop of a dimmer.
MIRED_SPAN, _MIRED = 60.0, 20.0
#: The white balance goes so many steps either way, each of so many mired and so much Duv.
_MOST_WHITE, _DUV = 4.0, 0.005
#: A dimmer is sure within so many stops.
SURE = 0.15
#: When less of the distance is gone, it is told what stands between.
HALF = 0.5
#: What is told of as standing between a picture and a reference: a difference of lightness, and of colour, in Oklab.
_LIGHTNESS_TOLD, _COLOUR_TOLD = 0.04, 0.015
#: Steps of the view's table, and the stops of exposed light between which it lies.
_TABLE, _LOW, _HIGH = 25, -11.0, 7.0

Show = Callable[[NDArray[np.float32], float], NDArray[np.uint8]]


@attrs.frozen(eq=False)
class Matched:
    """Dimmer moves and exposure [stops], distance before and after, how sure each move is (one sigma, stops).

    ``mireds`` are changes of colour temperatures, warmer above 0; ``white`` the white balance, None where it stays;
    ``elsewhere`` tells that the light of the reference lies in other parts of the frame, so that place hardly counted;
    ``remains`` what no balance of these sources gives, "" for nothing that anyone would see.
    """

    moves: tuple[tuple[str, float], ...]
    exposure: float
    before: float
    after: float
    sigma: dict[str, float]
    mireds: tuple[tuple[str, float], ...] = ()
    white: White | None = None
    elsewhere: bool = False
    remains: str = ""

    @property
    def words(self) -> str:
        """How near it came."""
        why = f"; {self.remains} than in the reference, whatever these sources do" if self.remains else ""
        if self.before <= 0 or self.after >= 0.98 * self.before:
            return f"no balance of these sources comes nearer{why}"
        share = 1 - self.after / self.before
        how = "comes near" if share > 0.75 else "comes nearer" if share > 0.4 else "comes a little nearer"
        said = f"{how}: {share:.0%} of the distance is gone"
        if self.elsewhere:
            said += ", in tone and colours; its light lies in other parts of the frame"
        return said if share >= HALF else said + why


class _View:
    """The screen's view as a table over log light, with its slopes: exposed ACEScg to Oklab."""

    def __init__(self, show: Show) -> None:
        axis = np.exp2(np.linspace(_LOW, _HIGH, _TABLE))
        grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).astype(np.float32)
        screen = show(np.ascontiguousarray(grid.reshape(_TABLE * _TABLE, _TABLE, 3)), 1.0)
        self._table = screen_lab(screen).reshape(_TABLE, _TABLE, _TABLE, 3)

    def __call__(self, rgb: NDArray) -> tuple[NDArray, NDArray]:
        """Oklab (n, 3) of exposed light (n, 3), and its slopes (n, 3, 3): by colour, by channel of light."""
        held = np.clip(rgb, 2.0**_LOW, 2.0**_HIGH)
        at = (np.log2(held) - _LOW) / (_HIGH - _LOW) * (_TABLE - 1)
        low = np.minimum(at.astype(int), _TABLE - 2)
        f = at - low
        lab = np.zeros((len(rgb), 3))
        slope = np.zeros((len(rgb), 3, 3))
        for i in (0, 1):
            for j in (0, 1):
                for k in (0, 1):
                    corner = self._table[low[:, 0] + i, low[:, 1] + j, low[:, 2] + k]
                    w = [f[:, c] if side else 1 - f[:, c] for c, side in enumerate((i, j, k))]
                    lab += (w[0] * w[1] * w[2])[:, None] * corner
                    slope[:, :, 0] += ((1 if i else -1) * w[1] * w[2])[:, None] * corner
                    slope[:, :, 1] += ((1 if j else -1) * w[0] * w[2])[:, None] * corner
                    slope[:, :, 2] += ((1 if k else -1) * w[0] * w[1])[:, None] * corner
        by_log = (_TABLE - 1) / (_HIGH - _LOW) / (held * math.log(2.0))
        inside = (rgb >= 2.0**_LOW) & (rgb <= 2.0**_HIGH)
        return lab, slope * (by_log * inside)[:, None, :]


class _Distance:
    """How far a balance lies from a reference, with its gradient.

    What is moved is one row of numbers: dimmers [stops], the exposure [stops], colour temperatures [steps of mired],
    the white balance [steps of mired, steps of Duv]; ``kelvins`` and ``white`` are what these begin with, None for a
    source that keeps its colour.
    """

    def __init__(
        self,
        lights: NDArray,
        reference: NDArray,
        view: _View,
        cells: NDArray,
        scale: float,
        kelvins: tuple[float | None, ...] = (),
        white: White | None = None,
    ) -> None:
        self._lights, self._view, self._scale = lights, view, scale
        #: How much place counts.
        self.place = PLACE
        self.count = len(lights)
        self._kelvins = kelvins or (None,) * len(lights)
        self._white = white or White()
        self._pull = np.array([1.0, HUE, HUE])
        self._goal = reference * self._pull
        turns = np.random.default_rng(5).normal(size=(SLICES, 3))
        self._ways = turns / np.linalg.norm(turns, axis=1, keepdims=True)
        self._sorted = np.sort(self._goal @ self._ways.T, axis=0)
        self._cell, self._count = cells, np.bincount(cells)
        self._goal_cells = self._means(self._goal)

    def _means(self, lab: NDArray) -> NDArray:
        sums = np.stack([np.bincount(self._cell, lab[:, c]) for c in range(3)], 1)
        return sums / self._count[:, None]

    def picture(self, x: NDArray) -> tuple[NDArray, NDArray]:
        """Exposed light (pixels, 3) of what is moved, before the white balance, and the gains (sources, 3)."""
        gains = (np.exp2(x[: self.count] + x[self.count]) * self._scale)[:, None] * self._tints(x)
        return np.einsum("sc,spc->pc", gains, self._lights), gains

    def white_of(self, x: NDArray) -> White:
        """The white balance of what is moved."""
        mired, duv = x[-2] * _MIRED, x[-1] * _DUV
        kelvin = min(max(1e6 / (1e6 / self._white.kelvin + mired), COOLEST_K), HOTTEST_K)
        return White(float(kelvin), float(min(max(self._white.tint_duv + duv, -MOST_DUV), MOST_DUV)))

    def balanced(self, x: NDArray) -> NDArray:
        """Matrix (3, 3) of the white balance of what is moved."""
        return matrix(self.white_of(x))

    def _by_white(self, x: NDArray) -> NDArray:
        """How that matrix changes with each of its two numbers (2, 3, 3)."""
        found = np.empty((2, 3, 3))
        for k in range(2):
            step = np.zeros(len(x))
            step[-2 + k] = 0.02
            found[k] = (self.balanced(x + step) - self.balanced(x - step)) / 0.04
        return found

    def _steps(self, x: NDArray) -> NDArray:
        return x[self.count + 1 : 2 * self.count + 1]

    def _tints(self, x: NDArray) -> NDArray:
        """What the colours (sources, 3) are multiplied by."""
        steps = self._steps(x)
        return np.array([np.ones(3) if k is None else factor(k, _MIRED * m) for k, m in zip(self._kelvins, steps)])

    def _by_tint(self, x: NDArray) -> NDArray:
        """How the logarithms of the gains (sources, 3) change with each step of mired."""
        steps, small = self._steps(x), 0.05
        return np.array([
            np.zeros(3) if k is None
            else np.log(factor(k, _MIRED * (m + small)) / factor(k, _MIRED * (m - small))) / (2 * small)
            for k, m in zip(self._kelvins, steps)
        ])  # fmt: skip

    def __call__(self, x: NDArray) -> tuple[float, NDArray]:
        rgb, gains = self.picture(x)
        white = self.balanced(x)
        lab, slope = self._view(rgb @ white.T)
        lab = lab * self._pull
        along = lab @ self._ways.T
        order = np.argsort(along, axis=0, kind="stable")
        off = np.take_along_axis(along, order, 0) - self._sorted
        spread = np.empty_like(off)
        np.put_along_axis(spread, order, off, 0)
        count = len(lab)
        value = float((off**2).mean())
        by_lab = 2.0 / (count * SLICES) * spread @ self._ways
        apart = self._means(lab) - self._goal_cells
        value += self.place * float((apart**2).mean())
        by_lab += self.place * 2.0 / apart.size * (apart / self._count[:, None])[self._cell]
        by_seen = np.einsum("pl,plc->pc", by_lab * self._pull, slope)
        by_white = np.einsum("pc,pd,kcd->k", by_seen, rgb, self._by_white(x), optimize=True)
        by_rgb = by_seen @ white
        by_gain = np.einsum("pc,spc->sc", by_rgb, self._lights) * gains
        by_source, by_tint = by_gain.sum(1) * math.log(2.0), (by_gain * self._by_tint(x)).sum(1)
        return value + DAMP * float(x @ x), np.concatenate(
            [by_source, [by_source.sum()], by_tint, by_white]
        ) + 2 * DAMP * x

    def alike(self, x: NDArray) -> float:
        """The share of how the reference's cells differ that is met, 1 for all of it."""
        lab, _slope = self._view(self.picture(x)[0] @ self.balanced(x).T)
        apart = self._means(lab * self._pull) - self._goal_cells
        goal = self._goal_cells - self._goal_cells.mean(0)
        return 1.0 - float((apart**2).sum()) / max(float((goal**2).sum()), 1e-12)

    def remains(self, x: NDArray) -> str:
        """What lies farthest from the reference, in a few words; "" where nothing does that anyone would see."""
        lab, _slope = self._view(self.picture(x)[0] @ self.balanced(x).T)
        goal = self._goal / self._pull
        dark, bright = (float(np.quantile(lab[:, 0], q) - np.quantile(goal[:, 0], q)) for q in (0.05, 0.95))
        red, yellow = (lab[:, 1:].mean(0) - goal[:, 1:].mean(0)).tolist()
        spread = math.sqrt(lab[:, 1:].var(0).sum()) - math.sqrt(goal[:, 1:].var(0).sum())
        apart = (
            (dark / _LIGHTNESS_TOLD, "its darks stay lighter", "its darks stay darker"),
            (bright / _LIGHTNESS_TOLD, "its lights stay brighter", "its lights stay darker"),
            (yellow / _COLOUR_TOLD, "it stays warmer", "it stays cooler"),
            (red / _COLOUR_TOLD, "it stays more magenta", "it stays greener"),
            (spread / _COLOUR_TOLD, "its colours stay farther apart", "its colours stay closer together"),
        )
        far, more, less = max(apart, key=lambda each: abs(each[0]))
        return "" if abs(far) < 1.0 else more if far > 0.0 else less

    def slopes(self, x: NDArray) -> NDArray:
        """How pixels' colours (pixels * 3, 2 sources) change with each dimmer, then with each colour temperature."""
        rgb, gains = self.picture(x)
        white = self.balanced(x)
        _lab, slope = self._view(rgb @ white.T)
        slope = (slope * self._pull[None, :, None]) @ white
        found = [
            np.einsum("plc,spc->pls", slope, self._lights * factor[:, None])
            for factor in (gains * math.log(2.0), gains * self._by_tint(x))
        ]
        return np.concatenate(found, 2).reshape(-1, 2 * len(gains))


def match(
    shares: Shares, reference: NDArray[np.uint8], show: Show, held: frozenset[str] = frozenset(),
    with_exposure: bool = True, stopped: Callable[[], bool] = lambda: False, kelvins: dict[str, float] | None = None,
    white: White | None = None, with_white: bool = False,
) -> Matched:  # fmt: skip
    """Dimmers (and exposure) that bring a look near a reference (h, w, 3) of any size, red first; ``held`` ones stay.

    ``show`` turns light (h, w, 3) under an exposure factor into screen pixels, red first. Sources in ``kelvins`` may
    become warmer or cooler than these colour temperatures [K], by MIRED_SPAN at the most; so may the white balance
    from ``white``, the usual one if there is none, where it may move at all. The exposure moves
    ``with_exposure`` alone. ``stopped`` is asked between descents whether to leave it at that.
    """
    step = max(shares.shape[1] // WIDTH, 1)
    lights = np.stack([block_mean(np.ascontiguousarray(s.light), step) for s in shares.sources]).astype(np.float64)
    count, height, width, _ = lights.shape
    goal = screen_lab(_fitted(reference, height, width)).reshape(-1, 3)
    rows, columns = np.mgrid[0:height, 0:width]
    cells = (rows * CELLS[1] // height * CELLS[0] + columns * CELLS[0] // width).ravel()
    _names, cells = np.unique(cells, return_inverse=True)
    named = {} if kelvins is None else {i: k for i, k in kelvins.items() if i not in held}
    tinted = tuple(named.get(share.id) for share in shares.sources)
    distance = _Distance(lights.reshape(count, -1, 3), goal, _View(show), cells, shares.scale, tinted, white)
    free = np.array([share.id not in held for share in shares.sources] + [with_exposure])
    bounds = [(-SPAN, SPAN) if is_free else (0.0, 0.0) for is_free in free]
    bounds += [(0.0, 0.0) if k is None else _steps(Tint(k, MIRED_SPAN, MIRED_SPAN)) for k in tinted]
    bounds += [(-_MOST_WHITE, _MOST_WHITE) if with_white else (0.0, 0.0)] * 2
    start = np.zeros(2 * count + 3)
    before = distance(start)[0]
    level = start.copy()
    if with_exposure:
        level[count] = _level_apart(distance, start, goal)
    best, value = _descended(distance, (start, level), bounds, start, stopped)
    movable = np.array([*free[:-1], *(k is not None for k in tinted)])
    sigma = _sigmas(distance, best, movable, value)
    elsewhere = distance.alike(best) < ALIKE
    if elsewhere:
        distance.place = PLACE_ELSEWHERE
        before = distance(start)[0]
        best, value = _descended(distance, (best,), bounds, start, stopped)
    ids = [share.id for share in shares.sources]
    moves = tuple((i, float(m)) for i, m in zip(ids, best[:count]) if abs(m) > 0.02)
    mireds = tuple(
        (i, round(_MIRED * float(m), 1)) for i, m in zip(ids, best[count + 1 : 2 * count + 1]) if abs(m) > 0.05
    )
    exposure = float(best[count]) if abs(best[count]) > 0.02 else 0.0
    neutral = distance.white_of(best) if np.abs(best[-2:]).max() > 0.05 else None
    return Matched(
        moves,
        exposure,
        math.sqrt(before),
        math.sqrt(value),
        dict(zip(ids, sigma.tolist())),
        mireds,
        neutral,
        elsewhere,
        distance.remains(best),
    )


def _descended(
    distance: _Distance, starts: tuple[NDArray, ...], bounds: list[tuple[float, float]], present: NDArray,
    stopped: Callable[[], bool],
) -> tuple[NDArray, float]:  # fmt: skip
    """The nearest of what the descents from some starts and the present look come to, and its distance."""
    from scipy.optimize import minimize

    best, value = present, distance(present)[0]
    for first in starts:
        if stopped():
            break
        # SciPy's tolerance is absolute for small objectives: they are scaled.
        found = minimize(_scaled(distance), first, jac=True, bounds=bounds, method="L-BFGS-B", options={"maxiter": 160})
        if found.fun / _SCALE < value:
            best, value = found.x, found.fun / _SCALE
    return best, value


def _steps(tint: Tint) -> tuple[float, float]:
    """How far a colour temperature goes, in steps of mired."""
    low, high = tint.span
    return low / _MIRED, high / _MIRED


_SCALE = 1e5


def _scaled(distance: _Distance) -> Callable[[NDArray], tuple[float, NDArray]]:
    def of(x: NDArray) -> tuple[float, NDArray]:
        value, slope = distance(x)
        return value * _SCALE, slope * _SCALE

    return of


def _fitted(reference: NDArray[np.uint8], height: int, width: int) -> NDArray[np.uint8]:
    """The middle of a reference in the picture's proportions, at its size: means of what lies in each pixel."""
    h, w = reference.shape[:2]
    wide = min(w, max(round(h * width / height), 1))
    high = min(h, max(round(wide * height / width), 1))
    top, left = (h - high) // 2, (w - wide) // 2
    cut = reference[top : top + high, left : left + wide].astype(np.float64)
    rows = np.linspace(0, high, height + 1).astype(int)
    columns = np.linspace(0, wide, width + 1).astype(int)
    # A part that has no pixel of its own takes the nearest.
    by_row = np.add.reduceat(cut, np.minimum(rows[:-1], high - 1), 0)
    total = np.add.reduceat(by_row, np.minimum(columns[:-1], wide - 1), 1)
    area = np.maximum(np.diff(rows), 1)[:, None] * np.maximum(np.diff(columns), 1)[None]
    return np.clip(np.rint(total / area[..., None]), 0, 255).astype(np.uint8)


def _level_apart(distance: _Distance, start: NDArray, goal: NDArray) -> float:
    """Exposure [stops] that brings the mean lightness about to the reference's: a start for a night against a day."""
    best = (math.inf, 0.0)
    for stops in np.linspace(-6, 6, 13):
        x = start.copy()
        x[distance.count] = stops
        lab, _slope = distance._view(distance.picture(x)[0] @ distance.balanced(x).T)
        best = min(best, (abs(float(lab[:, 0].mean() - goal[:, 0].mean())), float(stops)))
    return best[1]


def _sigmas(distance: _Distance, x: NDArray, free: NDArray, value: float) -> NDArray:
    """One sigma [stops] of each dimmer, from the curvature of the misfit where the descent ended (Gauss and Newton).

    ``free`` tells which dimmers and which colour temperatures were moved: what either can do for the other makes
    both less sure.
    """
    slopes = distance.slopes(x)[:, free]
    noise = max(value, 1e-5)
    curvature = slopes.T @ slopes / noise + 1e-3 * np.eye(int(free.sum()))
    sigma = np.zeros(len(free))
    sigma[free] = np.sqrt(np.maximum(np.diag(np.linalg.inv(curvature)), 0.0))
    return sigma[: distance.count]
