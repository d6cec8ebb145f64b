"""The seam to Open Image Denoise. Without the package pictures stay as they are."""

import functools
import logging
from collections.abc import Callable

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label, maximum_filter, median

from lunar_haze.core.units.between import between, times_grid

log = logging.getLogger(__name__)

#: Blocks along each side of the picture over which a denoised picture keeps its light.
BLOCKS = 10
#: What is so many times brighter than the mean is a lamp.
LAMP_OVER_MEAN = 30.0
#: What is left of it when it is denoised is so many times brighter than the mean, else it was grain; it stands out of
#: the light about it from so many times the median of that on.
LAMP_LEFT_OVER_MEAN, LAMP_OVER_LIGHT_ABOUT = 10.0, 1.5
#: A lamp's light is brought back by this factor at the most: past that it is grain.
MOST_OF_A_LAMP = 1.5
#: Up to this share of a picture the light of bright grain is given to all of it, from the second on it is luck.
SHARED_OUT = 0.015, 0.03
#: How often what is amiss is taken back, by how much in all at the most (past that it is grain), what is let be.
CORRECTIONS, MOST_CORRECTED, NEAR_ENOUGH = 14, 1.1, 1.5e-3


class StoppedError(Exception):
    """Denoising was given up because nobody waits for it any longer."""


class _Denoiser:
    """The library's filter for rendered pictures, with a say in whether it goes on."""

    def __init__(self) -> None:
        import pyoidn
        from pyoidn.capi import oidn_Capi, oidn_ffi

        # What the binding leaves out of the library's interface.
        oidn_ffi.cdef("void oidnSetFilterProgressMonitorFunction(OIDNFilter, OIDNProgressMonitorFunction, void*);")
        self._binding, self._library, self._ffi = pyoidn, oidn_Capi, oidn_ffi
        self._device = pyoidn.Device()
        self._device.commit()
        self._stop: Callable[[], bool] = lambda: False
        self._was_stopped = False
        # Kept here, since the library calls it from threads of its own.
        self._monitor = oidn_ffi.callback("bool(void*, double)", self._goes_on, error=True)

    def _goes_on(self, _user: object, _share: float) -> bool:
        self._was_stopped = self._was_stopped or self._stop()
        return not self._was_stopped

    def run(self, images: dict[str, NDArray[np.float32]], quality: str, stop: Callable[[], bool]) -> None:
        """Denoise ``color`` (H, W, 3) with its guides into ``output``. Raises RuntimeError and `StoppedError`."""
        self._stop, self._was_stopped = stop, False
        with self._binding.Filter(self._device, "RT") as act:
            for name, image in images.items():
                act.set_image(name, image, self._binding.OIDN_FORMAT_FLOAT3)
            act.set_bool("hdr", True)
            act.set_bool("cleanAux", True)
            act.set_quality(getattr(self._binding, f"OIDN_QUALITY_{quality.upper()}"))
            self._library.oidnSetFilterProgressMonitorFunction(act._filter, self._monitor, self._ffi.NULL)
            act.commit()
            act.execute()
            error = self._device.get_error()
        if self._was_stopped:
            raise StoppedError
        if error:
            raise RuntimeError(error)


@functools.lru_cache(maxsize=1)
def _denoiser() -> _Denoiser | None:
    try:
        return _Denoiser()
    except (ImportError, OSError) as error:
        log.warning("the denoiser cannot be loaded, pictures stay undenoised: %s", error)
        return None


def denoise(
    radiance: NDArray[np.float32],
    albedo: NDArray[np.float32],
    normal: NDArray[np.float32],
    quality: str = "fast",
    stop: Callable[[], bool] = lambda: False,
) -> NDArray[np.float32]:
    """Radiance (H, W, 3) freed of grain, with albedo and normal (H, W, 3) as guides.

    ``quality`` is fast, balanced or high. ``stop`` is asked while it goes on, from any thread: when
    it says so the work is given up and `StoppedError` raised. Without the package, or should it fail,
    the input is returned and the reason logged.
    """
    backend = _denoiser()
    if backend is None:
        return radiance
    peak = float(radiance.max(initial=0.0))
    if not peak > 0.0:
        return radiance
    # Night layers are tiny in cd/m2; the network is trained round one. Some pixels tell how bright the middle one is.
    scale = np.float32(0.18 / max(float(np.median(radiance[::3, ::3])), peak * 1e-6, 1e-20))
    clean = np.empty_like(radiance)
    images = {"color": radiance * scale, "albedo": albedo, "normal": normal}
    images = {name: np.ascontiguousarray(image, np.float32) for name, image in images.items()}
    try:
        backend.run(images | {"output": clean}, quality, stop)
    except RuntimeError as error:
        log.warning("the denoiser failed, the picture stays undenoised: %s", error)
        return radiance
    return with_the_light_of(radiance, (np.maximum(clean, 0.0) / scale).astype(np.float32, copy=False))


def with_the_light_of(summed: NDArray[np.float32], clean: NDArray[np.float32]) -> NDArray[np.float32]:
    """A denoised picture (H, W, 3) whose means over large blocks are those of the sum that it was made of.

    The network keeps detail better than light: mist came out a hundredth too bright. What differs is taken
    back smoothly from block to block, channel by channel. One pixel of a lamp outweighs a block: lamps, and what lies
    close about them, keep their light each by itself.
    """
    light = summed[..., 0] + summed[..., 1] + summed[..., 2]
    lamps = light > LAMP_OVER_MEAN * light.mean()
    # Round a lamp the network spreads light that the sum has in few pixels.
    reach = 2 * max(summed.shape[1] // 80, 2) + 1
    near = maximum_filter(lamps, reach) if lamps.any() else lamps
    clean = clean.copy()
    _give_back(summed, ~near, clean)
    if lamps.any():
        _keep_lamps(summed, near, clean)
        _share_out(summed, clean)
    return clean


def _keep_lamps(summed: NDArray[np.float32], near: NDArray[np.bool_], clean: NDArray[np.float32]) -> None:
    """Bring each lamp of a denoised picture (H, W, 3) to the light, of each colour, that the sum has ``near`` it.

    What is bright in the sum alone is grain and stays out of the picture. Of a lamp only what stands out of the light
    about it is changed, so that no edge of ``near`` shows.
    """
    parts, count = label(near)
    shown = clean.sum(-1)
    index = np.arange(1, count + 1)
    about = np.zeros(count + 1)
    about[1:] = LAMP_OVER_LIGHT_ABOUT * median(shown, parts, index)
    numbers, mine = parts[near], shown[near]
    most = np.zeros(count + 1)
    np.maximum.at(most, numbers, mine)
    share = np.maximum(mine - about[numbers], 0.0) / np.maximum(mine, 1e-30)
    is_lamp = most >= LAMP_LEFT_OVER_MEAN * summed.sum(-1).mean()
    light = clean[near]
    for channel in range(3):
        has = light[:, channel]
        had, is_to, out = (
            np.bincount(numbers, values, count + 1) for values in (has, summed[near][:, channel], has * share)
        )
        gain = np.clip((is_to - had) / np.maximum(out, 1e-30), 1.0 / MOST_OF_A_LAMP - 1.0, MOST_OF_A_LAMP - 1.0)
        light[:, channel] *= (1.0 + np.where(is_lamp, gain, 0.0)[numbers] * share).astype(np.float32)
    clean[near] = light


def _share_out(summed: NDArray[np.float32], clean: NDArray[np.float32]) -> None:
    """Give the little light of bright grain to all of the picture (H, W, 3): where it belongs is not known."""
    lacks = summed.sum((0, 1), dtype=np.float64) / np.maximum(clean.sum((0, 1), dtype=np.float64), 1e-30) - 1.0
    least, most = SHARED_OUT
    lacks *= np.clip((most - np.abs(lacks)) / (most - least), 0.0, 1.0)
    clean *= (1.0 + lacks).astype(np.float32)


@nb.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _block_sums(picture, rest, rows, columns):
    """Sums (rows, columns, 3) of the pixels that count in each block."""
    height, width = rest.shape
    out = np.zeros((rows, columns, 3))
    for block in nb.prange(rows * columns):
        j, i = block // columns, block % columns
        for y in range(j * height // rows, (j + 1) * height // rows):
            for x in range(i * width // columns, (i + 1) * width // columns):
                if rest[y, x]:
                    for c in range(3):
                        out[j, i, c] += picture[y, x, c]
    return out


@nb.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _felt(picture, rest, rows, columns):
    """How the sum of each block takes up a grid that is spread over the picture: of the block's own middle and of
    those about it (rows, columns, 3, 3, 3), the last by channel."""
    height, width = rest.shape
    out = np.zeros((rows, columns, 3, 3, 3))
    for block in nb.prange(rows * columns):
        j, i = block // columns, block % columns
        for y in range(j * height // rows, (j + 1) * height // rows):
            above, below, fy = between(y, height, rows)
            for x in range(i * width // columns, (i + 1) * width // columns):
                if rest[y, x]:
                    left, right, fx = between(x, width, columns)
                    for c in range(3):
                        high, low = picture[y, x, c] * (1.0 - fy), picture[y, x, c] * fy
                        out[j, i, above - j + 1, left - i + 1, c] += high * (1.0 - fx)
                        out[j, i, above - j + 1, right - i + 1, c] += high * fx
                        out[j, i, below - j + 1, left - i + 1, c] += low * (1.0 - fx)
                        out[j, i, below - j + 1, right - i + 1, c] += low * fx
    return out


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _grid_to(wanted, felt):
    """The grid (rows, columns, 3) that brings blocks to the sums that are wanted of them (see `_felt`)."""
    rows, columns = wanted.shape[0], wanted.shape[1]
    grid = np.ones(wanted.shape)
    for _ in range(CORRECTIONS):
        before, furthest, most = grid.copy(), 0.0, 0.0
        for j in range(rows):
            for i in range(columns):
                for c in range(3):
                    now = 0.0
                    for v in range(max(j - 1, 0), min(j + 2, rows)):
                        for u in range(max(i - 1, 0), min(i + 2, columns)):
                            now += felt[j, i, v - j + 1, u - i + 1, c] * before[v, u, c]
                    change = wanted[j, i, c] / now if now > 0.0 else 1.0
                    # Spread between middles a change is felt by less than its block: a little more of it is laid on.
                    after = before[j, i, c] * min(max(change, 0.5), 2.0) ** 1.25
                    grid[j, i, c] = min(max(after, 1.0 / MOST_CORRECTED), MOST_CORRECTED)
                    furthest = max(furthest, abs(change - 1.0))
                    most = max(most, abs(grid[j, i, c] / before[j, i, c] - 1.0))
        if furthest < NEAR_ENOUGH or most < NEAR_ENOUGH / 4:
            return before
    return grid


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _give_back(summed, rest, clean):
    """Bring the blocks of a picture (H, W, 3) to the light of a sum: one kernel, since each takes time to load."""
    rows, columns = min(BLOCKS, rest.shape[0]), min(BLOCKS, rest.shape[1])
    grid = _grid_to(_block_sums(summed, rest, rows, columns), _felt(clean, rest, rows, columns))
    times_grid(clean, grid.astype(np.float32), clean)
