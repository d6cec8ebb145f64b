"""The one-function seam to Open Image Denoise. Without the package pictures stay as they are."""

import functools
import logging

import numpy as np
from numpy.typing import NDArray

log = logging.getLogger(__name__)


@functools.lru_cache(maxsize=1)
def _backend() -> object | None:
    try:
        import pyoidn
    except (ImportError, OSError) as error:
        log.warning("the denoiser cannot be loaded, pictures stay undenoised: %s", error)
        return None
    return pyoidn


def denoise(
    radiance: NDArray[np.float32], albedo: NDArray[np.float32], normal: NDArray[np.float32], quality: str = "fast"
) -> NDArray[np.float32]:
    """Radiance (H, W, 3) freed of grain, with albedo and normal (H, W, 3) as guides.

    ``quality`` is fast, balanced or high. Without the package, or should it fail, the input is
    returned and the reason logged.
    """
    backend = _backend()
    if backend is None:
        return radiance
    peak = float(radiance.max(initial=0.0))
    if not peak > 0.0:
        return radiance
    # Night layers are tiny in cd/m2; the network is trained round one.
    scale = np.float32(0.18 / max(float(np.median(radiance)), peak * 1e-6, 1e-20))
    try:
        clean = backend.denoise(
            np.ascontiguousarray(radiance * scale), np.ascontiguousarray(albedo), np.ascontiguousarray(normal),
            hdr=True, clean_aux=True, quality=quality,
        )  # fmt: skip
    except (RuntimeError, ValueError) as error:
        log.warning("the denoiser failed, the picture stays undenoised: %s", error)
        return radiance
    return np.maximum(clean, 0.0) / scale
