"""The mix: a picture is the sum of its layers, each times the gain of its source.

Sums are float32, in the order of the layers. A gain times a power of two gives a layer times that
power exactly. While one source is being changed only it is added again, to the kept sum of the
rest.
"""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.units.between import read_row
from lunar_haze.core.units.shapes import entry


@entry(base="h w 3 f4", surface="h w 3 f4", air="h w 3 f4", gain="3 f4", air_gain="3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _add_layer(base, surface, air, gain, air_gain, out):
    for row in nb.prange(base.shape[0]):
        for x in range(base.shape[1]):
            for c in range(3):
                out[row, x, c] = base[row, x, c] + (gain[c] * surface[row, x, c] + air_gain[c] * air[row, x, c])


def add_layer(base: NDArray, image: LayerImage, gain: LayerGain, out: NDArray) -> None:
    """``out`` = ``base`` + one layer under its gain; all (H, W, 3) float32, ``out`` may be ``base``."""
    _add_layer(
        base, image.surface, image.air, np.asarray(gain.surface, np.float32), np.asarray(gain.air, np.float32), out
    )


_DARK = (0.0, 0.0, 0.0)


def gain_changes(before: tuple[LayerGain, ...], now: tuple[LayerGain, ...]) -> dict[str, LayerGain]:
    """By how much gains are not what they were, by key; one that is not named is dark."""
    old, new = ({g.key: g for g in each} for each in (before, now))
    found = {}
    for key in old.keys() | new.keys():
        was, become = (each.get(key, LayerGain(key, _DARK, _DARK)) for each in (old, new))
        if was != become:
            surface, air = np.subtract(become.surface, was.surface), np.subtract(become.air, was.air)
            found[key] = LayerGain(key, tuple(surface.tolist()), tuple(air.tolist()))
    return found


class Rooms:
    """Two pictures of a shape that are made in turn: new memory costs as much as a mix."""

    def __init__(self) -> None:
        self._two: list[NDArray[np.float32]] = []

    def next(self, shape: tuple[int, ...]) -> NDArray[np.float32]:
        """Room (H, W, 3) for a picture; it is not written over until the call after the next one."""
        if not self._two or self._two[0].shape != shape:
            self._two = [np.empty(shape, np.float32), np.empty(shape, np.float32)]
        self._two.reverse()
        return self._two[0]


class Mixer:
    """Mixes the layers of one picture, quickly while one gain at a time is moved."""

    def __init__(self) -> None:
        self._images: dict[str, LayerImage] = {}
        self._gains: dict[str, LayerGain] = {}
        self._rest: NDArray[np.float32] | None = None
        self._moving: str | None = None
        self._shape: tuple[int, int, int] | None = None
        self._rooms = Rooms()

    def set_layers(self, images: list[LayerImage]) -> None:
        """The layers there are now; arrays are read at every mix, not copied."""
        self._images = {image.key: image for image in images}
        self._shape = images[0].surface.shape if images else None
        self.invalidate()

    def invalidate(self) -> None:
        """The layers' pixels have changed."""
        self._rest = None
        self._moving = None

    @property
    def keys(self) -> set[str]:
        """Keys of the layers at hand."""
        return set(self._images)

    def picture(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32] | None:
        """The mix (H, W, 3) float32 [cd/m2] under ``gains``, or None while there is no layer.

        While one gain is moved a picture stays as it is until the call after the next one.
        """
        if self._shape is None:
            return None
        wanted = {g.key: g for g in gains if g.key in self._images}
        changed = [k for k in wanted if wanted[k] != self._gains.get(k)]
        changed += [k for k in self._gains if k not in wanted]
        self._gains = wanted
        if len(changed) == 1 and changed[0] in wanted:
            if self._moving != changed[0] or self._rest is None:
                self._rest = self._sum(wanted, without=changed[0])
                self._moving = changed[0]
        elif changed or self._rest is None:
            self._moving, self._rest = None, None
        if self._rest is not None and self._moving in wanted:
            out = self._rooms.next(self._rest.shape)
            add_layer(self._rest, self._images[self._moving], wanted[self._moving], out)
            return out
        return self._sum(wanted, without=None)

    def _sum(self, gains: dict[str, LayerGain], without: str | None) -> NDArray[np.float32]:
        assert self._shape is not None
        total = np.zeros(self._shape, np.float32)
        for key, gain in gains.items():
            if key != without and not gain.is_silent:
                add_layer(total, self._images[key], gain, total)
        return total


def share_of(image: LayerImage, gain: LayerGain, step: int = 1) -> NDArray[np.float32]:
    """What a layer adds to the picture under its gain (h, w, 3) [cd/m2]: means over blocks of ``step`` pixels."""
    return block_mean(image.surface, step) * np.asarray(gain.surface, np.float32) + block_mean(
        image.air, step
    ) * np.asarray(gain.air, np.float32)


@entry(picture="h w 3 f4", out="j i 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _block_mean(picture, step, out):
    weight = np.float32(1.0 / (step * step))
    for row in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                total = np.float32(0.0)
                for j in range(step):
                    for i in range(step):
                        total += picture[row * step + j, x * step + i, c]
                out[row, x, c] = total * weight


@entry(picture="h w 3 f4", out="j i 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _halved(picture, out):
    quarter = np.float32(0.25)
    for row in nb.prange(out.shape[0]):
        above, below, here = picture[2 * row], picture[2 * row + 1], out[row]
        for x in range(out.shape[1]):
            for c in range(3):
                left, right = above[2 * x, c] + below[2 * x, c], above[2 * x + 1, c] + below[2 * x + 1, c]
                here[x, c] = quarter * (left + right)


def block_mean(picture: NDArray, step: int) -> NDArray[np.float32]:
    """Mean over blocks of ``step`` x ``step`` pixels of (H, W, 3); the ragged edge is left out."""
    if step <= 1:
        return picture
    out = np.empty((picture.shape[0] // step, picture.shape[1] // step, 3), np.float32)
    if step == 2 and picture.dtype == np.float32:
        _halved(picture, out)
    else:
        _block_mean(picture, step, out)
    return out


@entry(small="j i 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _enlarge(small, out):
    for row in nb.prange(out.shape[0]):
        room, line = np.empty(small.shape[1], np.float32), np.empty(out.shape[1], np.float32)
        for c in range(3):
            read_row(small, c, row, out.shape[0], room, line)
            for x in range(line.size):
                out[row, x, c] = line[x]


def enlarge(small: NDArray, out: NDArray) -> None:
    """Bilinear enlargement of a picture (h, w, 3) into ``out`` (H, W, 3), both float32."""
    _enlarge(np.ascontiguousarray(small, np.float32), out)
