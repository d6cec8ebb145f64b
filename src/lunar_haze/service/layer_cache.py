"""Finished layers on disk, found again by key. May be deleted at any time.

A layer is stored as float16 with one scale per part (0.02 % error); when the folder grows past its
limit the files unused for longest go.
"""

import contextlib
import os
from pathlib import Path

import numpy as np

from lunar_haze.core.layers.model import LayerImage

_HALF_MAX = 60000.0


class LayerCache:
    """A folder of layers with a size limit."""

    def __init__(self, folder: Path, limit_bytes: int = 2 << 30) -> None:
        self.folder = folder
        self.limit_bytes = limit_bytes

    def _path(self, key: str) -> Path:
        return self.folder / f"{key}.npz"

    def has(self, key: str) -> bool:
        """Whether a layer of that key is kept."""
        return self._path(key).exists()

    def get(self, key: str) -> LayerImage | None:
        """The layer of that key, or None. A damaged file counts as absent and is removed."""
        path = self._path(key)
        if not path.exists():
            return None
        try:
            with np.load(path) as data:
                scales = data["scales"].astype(np.float32)
                surface = data["surface"].astype(np.float32) * scales[0]
                air = data["air"].astype(np.float32) * scales[1]
                passes = int(data["passes"])
            os.utime(path)
        except Exception:  # zip, numpy and the system each raise their own for a torn file
            with contextlib.suppress(OSError):
                path.unlink()
            return None
        if surface.ndim != 3 or surface.shape != air.shape:
            return None
        return LayerImage(key, passes, surface, air)

    def put(self, image: LayerImage) -> None:
        """Keep a layer. A full disk only means that it is not kept."""
        path = self._path(image.key)
        temporary = path.with_suffix(f".{os.getpid()}.new")
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            scales = [max(float(np.abs(part).max(initial=0)) / _HALF_MAX, 1e-30) for part in (image.surface, image.air)]
            with temporary.open("wb") as stream:
                np.savez(
                    stream,
                    surface=(image.surface / scales[0]).astype(np.float16),
                    air=(image.air / scales[1]).astype(np.float16),
                    scales=np.array(scales, np.float64),
                    passes=image.passes,
                )
            os.replace(temporary, path)
            self._trim()
        except OSError:
            with contextlib.suppress(OSError):
                temporary.unlink()

    def _trim(self) -> None:
        files = sorted(((p.stat().st_mtime, p.stat().st_size, p) for p in self.folder.glob("*.npz")), reverse=True)
        used = 0
        for _modified, size, path in files:
            used += size
            if used > self.limit_bytes:
                path.unlink(missing_ok=True)
