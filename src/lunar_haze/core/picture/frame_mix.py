"""The mix of many frames in turn: all gains may be new at each, so every layer is added in one go.

A denoised picture is brought to each frame's gains by layers that are denoised (see `rebalance`). As long as those are
not there, its layers' changes are laid on it: ``clean + sum over layers of (gain - gain it was made with) * layer``.
Layers whose surface and air have the same gains at all frames are kept as one picture then, and what does not change
from frame to frame is summed once. Glow is as linear as light: what the layers scatter is made once, at half their
size, and mixed alike.
"""

from collections.abc import Callable
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.picture.mix import Rooms
from lunar_haze.core.picture.rebalance import Rebalance
from lunar_haze.core.units.shapes import entry


class Mixed(NamedTuple):
    """Light (h, w, 3) [cd/m2], and what of it is scattered (see `FrameMix`), None where that is not known."""

    light: NDArray[np.float32]
    scattered: NDArray[np.float32] | None = None


@entry(base="h w 3 f4", layers="n h w 3 f4", gains="n x f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _add_all(base, layers, which, gains, out):
    """``out`` = base + some layers under gains (n, 3 W), written out along a row: four layers are added at once."""
    fours = which.size // 4 * 4
    for row in nb.prange(base.shape[0]):
        here = out[row].reshape(-1)
        here[:] = base[row].reshape(-1)
        for n in range(0, fours, 4):
            i, j, k, m = which[n], which[n + 1], which[n + 2], which[n + 3]
            a, b, c, d = gains[i], gains[j], gains[k], gains[m]
            one, two = layers[i, row].reshape(-1), layers[j, row].reshape(-1)
            three, four = layers[k, row].reshape(-1), layers[m, row].reshape(-1)
            for x in range(here.size):
                here[x] += a[x] * one[x] + b[x] * two[x] + c[x] * three[x] + d[x] * four[x]
        for n in range(fours, which.size):
            a, one = gains[which[n]], layers[which[n], row].reshape(-1)
            for x in range(here.size):
                here[x] += a[x] * one[x]


class _Stack:
    """Pictures of one size with gains of their own; what stays as it was is summed once."""

    def __init__(self, base: NDArray[np.float32], pictures: NDArray[np.float32]) -> None:
        self._base, self._pictures, self._rooms = base, pictures, Rooms()
        self._moving = np.zeros(len(pictures), bool)
        self._summed: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None

    def mixed(self, gains: NDArray[np.float32]) -> NDArray[np.float32]:
        """Base + the pictures under their gains (n, 3); it stays as it is until the call after the next one."""
        if self._summed is not None:
            changed = (gains != self._summed[0]).any(1) & ~self._moving
            if changed.any():
                self._moving |= changed
                self._summed = None
        if self._summed is None:
            still = np.flatnonzero(~self._moving & gains.any(1))
            rest = np.empty_like(self._base)
            _add_all(self._base, self._pictures, still, self._along_a_row(gains), rest)
            self._summed = gains.copy(), rest
        moving = np.flatnonzero(self._moving & gains.any(1))
        out = self._rooms.next(self._base.shape)
        _add_all(self._summed[1], self._pictures, moving, self._along_a_row(gains), out)
        return out

    def _along_a_row(self, gains: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.tile(gains, (1, self._base.shape[1]))


def _laid_on(
    clean: NDArray[np.float32] | None, told: NDArray[np.float32], pictures: list[NDArray[np.float32]]
) -> _Stack:
    """Pictures whose changes from the gains (n, 3) that they had in a clean one are laid on that."""
    layers = np.ascontiguousarray(np.stack(pictures), np.float32)
    base = np.zeros(layers.shape[1:], np.float32)
    return _Stack(base if clean is None else clean - _Stack(base, layers).mixed(told), layers)


class FrameMix:
    """Layers made ready to be mixed frame by frame.

    ``images`` are the layers by key; ``clean`` (H, W, 3) [cd/m2] is a denoised picture made with ``clean_gains``, None
    for none; ``together`` says that surface and air have the same gains at all frames. ``scatter`` makes of a picture
    (h, w, 3) what of its light is scattered (h / 2, w / 2, 3), None where nobody asks. ``rebalance`` brings the
    denoised picture to gains of any of the layers, None where it cannot.
    """

    def __init__(
        self,
        images: dict[str, LayerImage],
        clean: NDArray[np.float32] | None,
        clean_gains: tuple[LayerGain, ...],
        together: bool,
        scatter: Callable[[NDArray[np.float32]], NDArray[np.float32]] | None = None,
        rebalance: Rebalance | None = None,
    ) -> None:
        self.keys = tuple(images)
        self._together = together
        self._rebalance, self._rooms = rebalance, Rooms()
        self._shape = next(iter(images.values())).surface.shape
        pictures: list[NDArray[np.float32]] = []
        for image in images.values():
            pictures += [image.surface + image.air] if together else [image.surface, image.air]
        told = self._gains(clean_gains)
        self._full = _laid_on(clean, told, pictures) if rebalance is None else None
        self._small: _Stack | None = None
        if scatter is not None:
            self._small = _laid_on(None if clean is None else scatter(clean), told, [scatter(one) for one in pictures])

    def _gains(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32]:
        found = {gain.key: gain for gain in gains}
        rows: list[tuple[float, float, float]] = []
        for key in self.keys:
            gain = found.get(key)
            surface, air = ((0.0, 0.0, 0.0),) * 2 if gain is None else (gain.surface, gain.air)
            rows += [surface] if self._together else [surface, air]
        return np.array(rows, np.float32).reshape(-1, 3)

    def picture(self, gains: tuple[LayerGain, ...]) -> Mixed:
        """The picture under gains; it stays as it is until the call after the next one."""
        told = self._gains(gains)
        if self._rebalance is not None:
            light = self._rooms.next(self._shape)
            self._rebalance.to(gains, light)
        else:
            assert self._full is not None
            light = self._full.mixed(told)
        return Mixed(light, None if self._small is None else self._small.mixed(told))


def are_together(gains: tuple[LayerGain, ...]) -> bool:
    """Whether surface and air of every layer have the same gain."""
    return all(gain.surface == gain.air for gain in gains)
