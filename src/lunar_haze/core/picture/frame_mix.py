"""The mix of many frames in turn: all gains may be new at each, so every layer is added in one go.

Layers whose surface and air have the same gains at all frames are kept as one picture. Frames are laid on a picture
that is clean: ``clean + sum over layers of (gain - gain it was made with) * layer``, so that grain does not come back.
What does not change from frame to frame is summed once. Glow is as linear as light: the scattered layers are made once,
at half their size, and mixed alike.
"""

from collections.abc import Callable

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.picture.mix import block_mean

f32 = np.float32


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _blend_row(scattered, row, height, strength, here):
    """Let a share of a row (width, 3) come from a picture of half the size, read between its pixels."""
    rows, columns = scattered.shape[0], scattered.shape[1]
    y = min(max((f32(row) + f32(0.5)) * f32(rows) / f32(height) - f32(0.5), f32(0.0)), f32(rows - 1))
    j = min(int(y), max(rows - 2, 0))
    upper, lower, fy = scattered[j], scattered[min(j + 1, rows - 1)], y - f32(j)
    along = f32(columns) / f32(here.shape[0])
    for column in range(here.shape[0]):
        x = min(max((f32(column) + f32(0.5)) * along - f32(0.5), f32(0.0)), f32(columns - 1))
        i = min(int(x), max(columns - 2, 0))
        i1, fx = min(i + 1, columns - 1), x - f32(i)
        for c in range(3):
            above = upper[i, c] + fx * (upper[i1, c] - upper[i, c])
            below = lower[i, c] + fx * (lower[i1, c] - lower[i, c])
            here[column, c] += strength * (above + fy * (below - above) - here[column, c])


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _add_all(base, layers, which, gains, scattered, strength, out):
    height, width = base.shape[0], base.shape[1]
    for row in nb.prange(height):
        here = out[row]
        for x in range(width):
            for c in range(3):
                here[x, c] = base[row, x, c]
        for n in range(which.shape[0]):
            k = which[n]
            red, green, blue = gains[k, 0], gains[k, 1], gains[k, 2]
            layer = layers[k, row]
            for x in range(width):
                here[x, 0] += red * layer[x, 0]
                here[x, 1] += green * layer[x, 1]
                here[x, 2] += blue * layer[x, 2]
        if strength > f32(0.0):
            _blend_row(scattered, row, height, strength, here)


class _Stack:
    """Pictures of one size with gains of their own; what stays as it was is summed once."""

    def __init__(self, base: NDArray[np.float32], pictures: NDArray[np.float32]) -> None:
        self._base, self._pictures = base, pictures
        self._moving = np.zeros(len(pictures), bool)
        self._summed: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None

    def mixed(
        self, gains: NDArray[np.float32], out: NDArray[np.float32], scattered: NDArray[np.float32], strength: float
    ) -> None:
        """``out`` = base + the pictures under their gains (n, 3), a share of it from a scattered picture."""
        if self._summed is not None:
            changed = (gains != self._summed[0]).any(1) & ~self._moving
            if changed.any():
                self._moving |= changed
                self._summed = None
        if self._summed is None:
            still = np.flatnonzero(~self._moving & gains.any(1))
            rest = np.empty_like(self._base)
            _add_all(self._base, self._pictures, still, gains, rest[:1, :1], f32(0.0), rest)
            self._summed = gains.copy(), rest
        moving = np.flatnonzero(self._moving & gains.any(1))
        _add_all(self._summed[1], self._pictures, moving, gains, scattered, f32(strength), out)


class FrameMix:
    """Layers made ready to be mixed frame by frame.

    ``images`` are the layers by key; ``clean`` (H, W, 3) [cd/m2] is a denoised picture made with ``clean_gains``, None
    for none; ``together`` says that surface and air have the same gains at all frames. ``scatter`` makes of a picture
    (h, w, 3) the one that its light makes when all of it is scattered, None for frames without glow.
    """

    def __init__(
        self,
        images: dict[str, LayerImage],
        clean: NDArray[np.float32] | None,
        clean_gains: tuple[LayerGain, ...],
        together: bool,
        scatter: Callable[[NDArray[np.float32]], NDArray[np.float32]] | None = None,
    ) -> None:
        self.keys = tuple(images)
        self.glows = scatter is not None
        self._together = together
        pictures: list[NDArray[np.float32]] = []
        for image in images.values():
            pictures += [image.surface + image.air] if together else [image.surface, image.air]
        layers = np.ascontiguousarray(np.stack(pictures), np.float32)
        shape = layers.shape[1:]
        base = np.zeros(shape, np.float32)
        if clean is not None:
            summed = np.empty(shape, np.float32)
            _Stack(base, layers).mixed(self._gains(clean_gains), summed, base[:1, :1], 0.0)
            base = clean - summed
        self._full = _Stack(base, layers)
        # Two pictures taken in turn: what is shown is not written over.
        self._rooms = [np.empty(shape, np.float32), np.empty(shape, np.float32)]
        self._small, self._scattered = self._full, base[:1, :1]
        if scatter is not None:
            small = [scatter(block_mean(np.ascontiguousarray(one), 2)) for one in (base, *layers)]
            self._small = _Stack(small[0], np.stack(small[1:]))
            self._scattered = np.empty_like(small[0])

    def _gains(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32]:
        found = {gain.key: gain for gain in gains}
        rows: list[tuple[float, float, float]] = []
        for key in self.keys:
            gain = found.get(key)
            surface, air = ((0.0, 0.0, 0.0),) * 2 if gain is None else (gain.surface, gain.air)
            rows += [surface] if self._together else [surface, air]
        return np.array(rows, np.float32).reshape(-1, 3)

    def picture(self, gains: tuple[LayerGain, ...], glow: float = 0.0) -> NDArray[np.float32]:
        """The picture (H, W, 3) [cd/m2] under gains, a share ``glow`` of its light scattered; it stays as it is until
        the call after the next one.
        """
        self._rooms.reverse()
        told, out = self._gains(gains), self._rooms[0]
        if glow > 0.0 and self.glows:
            self._small.mixed(told, self._scattered, self._scattered[:1, :1], 0.0)
        self._full.mixed(told, out, self._scattered, glow if self.glows else 0.0)
        return out


def are_together(gains: tuple[LayerGain, ...]) -> bool:
    """Whether surface and air of every layer have the same gain."""
    return all(gain.surface == gain.air for gain in gains)
