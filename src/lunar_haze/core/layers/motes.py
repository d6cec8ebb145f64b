"""Motes of dust that float before the lens: where they are, the same for everybody who asks.

They belong to the air of the place, not to the picture: the cubic metre that a camera comes to has the same motes from
wherever it comes, and each drifts about its own spot with time.
"""

import itertools
from typing import NamedTuple

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.camera import Camera

#: Motes nearer than this would be a veil, those farther than that cannot be told from mist [m].
NEAR_M, FAR_M = 0.2, 6.0
#: They are counted by cubes of this side [m].
_CUBE_M = 0.5
#: How much their brightness differs: the standard deviation of its natural logarithm.
_SPREAD = 0.8
#: How far each drifts from its spot [m], and how long it takes to come back [s].
DRIFT_M, _DRIFT_S = 0.04, (6.0, 14.0)


@attrs.frozen
class Motes:
    """So many in a cubic metre, at a moment [s] of the shot."""

    per_m3: float
    seconds: float = 0.0


class Floating(NamedTuple):
    """Motes at places (n, 3) [m] at a moment, and how bright each is (n,) by its own size, 1 on average.

    Each drifts about its ``spot`` (n, 3) [m], along each axis with a ``period`` [s] and a ``phase`` (n, 3) [turns].
    """

    at: NDArray[np.float32]
    bright: NDArray[np.float32]
    spot: NDArray[np.float32]
    period: NDArray[np.float32]
    phase: NDArray[np.float32]

    def after(self, seconds: float) -> "Floating":
        """The same motes at another moment [s] of the shot."""
        return self._replace(at=_drifted(self.spot, self.period, self.phase, seconds).astype(np.float32))


class LitMotes(NamedTuple):
    """Motes, and what they throw to the lens of each layer's light (n, 3) [cd/m2], by its key (see `mote_light`)."""

    motes: Floating
    light: dict[str, NDArray[np.float32]]


def _mixed(number: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Well-mixed numbers of numbers (Steele, Lea & Flood 2014, Fast splittable pseudorandom number generators)."""
    number = number + np.uint64(0x9E3779B97F4A7C15)
    number = (number ^ (number >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    number = (number ^ (number >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return number ^ (number >> np.uint64(31))


def _shares(seeds: NDArray[np.uint64], which: int) -> NDArray[np.float64]:
    """Random numbers in [0, 1), one for each seed; others for another ``which``."""
    mixed = _mixed(seeds + np.uint64(which * 0xD1342543DE82EF95 % 2**64)) >> np.uint64(11)
    return np.asarray(mixed * 2.0**-53, np.float64)


def _drifted(spot: NDArray, period: NDArray, phase: NDArray, seconds: float) -> NDArray[np.floating]:
    """Where motes are [m] at a moment."""
    return spot + DRIFT_M * np.sin(2.0 * np.pi * (seconds / period + phase))


def floating(motes: Motes, camera: Camera, aspect: float) -> Floating:
    """The motes that a camera may see; ``aspect`` is the frame's width over its height."""
    corner = np.array([1.0, 1.0 / aspect]) * camera.tan_half_width
    axes, eye = camera.axes(), np.asarray(camera.position, float)
    sides = corner[:, None] * axes[:2]
    ends = [axes[2] + x * sides[0] + y * sides[1] for x, y in itertools.product((-1, 1), repeat=2)]
    hull = np.concatenate([eye[None], eye + FAR_M * np.array(ends)])
    low, high = (np.floor(edge / _CUBE_M).astype(np.int64) for edge in (hull.min(0) - DRIFT_M, hull.max(0) + DRIFT_M))
    cubes = np.stack(np.meshgrid(*(np.arange(a, b + 1) for a, b in zip(low, high)), indexing="ij"), -1).reshape(-1, 3)
    # Cubes that no mote of the view can lie in are left out before their motes are drawn.
    middle = (cubes + 0.5) * _CUBE_M
    cubes = cubes[_within(middle - eye, axes, corner, _CUBE_M)]
    seeds = np.zeros(len(cubes), np.uint64)
    for number in cubes.T.astype(np.uint64):
        seeds = _mixed(seeds + number)
    expected = motes.per_m3 * _CUBE_M**3
    counts = np.floor(expected + _shares(seeds, 0)).astype(np.int64)
    numbers = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    seeds = _mixed(np.repeat(seeds, counts) + numbers.astype(np.uint64))
    spot, share, phase = (np.stack([_shares(seeds, first + axis) for axis in range(3)], -1) for first in (1, 4, 7))
    spot = (np.repeat(cubes, counts, 0) + spot) * _CUBE_M
    period = _DRIFT_S[0] + share * (_DRIFT_S[1] - _DRIFT_S[0])
    found = _drifted(spot, period, phase, motes.seconds)
    # Sizes lie about their middle as those of many small things do, evenly by their logarithms: few are large.
    normal = np.sqrt(-2.0 * np.log1p(-_shares(seeds, 10))) * np.cos(2.0 * np.pi * _shares(seeds, 11))
    bright = np.exp(_SPREAD * normal - 0.5 * _SPREAD**2)
    inside = _within(found - eye, axes, corner, 0.0)
    return Floating(*(each[inside].astype(np.float32) for each in (found, bright, spot, period, phase)))


def _within(offset: NDArray, axes: NDArray, corner: NDArray, margin: float) -> NDArray[np.bool_]:
    """Which of some points, told from the eye, lie in the view, or no farther from it than a margin [m]."""
    right, up, along = np.abs(offset @ axes[0]), np.abs(offset @ axes[1]), offset @ axes[2]
    far = np.linalg.norm(offset, axis=1)
    # The sides of the view lean outwards: a margin across them is wider along the picture's own axes.
    wide = margin * (1.0 + np.hypot(1.0, corner.max()))
    inside = (right < corner[0] * along + wide) & (up < corner[1] * along + wide) & (along > -margin)
    return np.asarray(inside & (far > NEAR_M - margin) & (far < FAR_M + margin))
