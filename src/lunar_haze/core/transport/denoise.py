"""The seam to Open Image Denoise. Without the package pictures stay as they are."""

import functools
import logging
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

log = logging.getLogger(__name__)


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
    radiance: NDArray[np.float32], albedo: NDArray[np.float32], normal: NDArray[np.float32], quality: str = "fast",
    stop: Callable[[], bool] = lambda: False,
) -> NDArray[np.float32]:  # fmt: skip
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
    # Night layers are tiny in cd/m2; the network is trained round one.
    scale = np.float32(0.18 / max(float(np.median(radiance)), peak * 1e-6, 1e-20))
    clean = np.empty_like(radiance)
    images = {"color": radiance * scale, "albedo": albedo, "normal": normal}
    images = {name: np.ascontiguousarray(image, np.float32) for name, image in images.items()}
    try:
        backend.run(images | {"output": clean}, quality, stop)
    except RuntimeError as error:
        log.warning("the denoiser failed, the picture stays undenoised: %s", error)
        return radiance
    return np.maximum(clean, 0.0) / scale
