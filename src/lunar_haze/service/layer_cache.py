"""Finished layers on disk, found again by key. May be deleted at any time.

Of every number the upper three bytes are kept: 15 bits and the whole range of single precision
(an error of 0.0015 %). When the folder grows past its limit the files unused for longest go.
"""

import contextlib
import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerImage
from lunar_haze.core.units.kept_arrays import is_kept, read_arrays, write_arrays


def _shortened(picture: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Three bytes (..., 3) for each number, rounded to the nearest."""
    bits = np.ascontiguousarray(picture, np.float32).view(np.uint32)
    # What is no finite number must not be rounded into another one.
    rounded = np.where(np.isfinite(picture), bits + np.uint32(0x80), bits)
    return rounded.astype("<u4").view(np.uint8).reshape(*picture.shape, 4)[..., 1:]


def _restored(stored: NDArray[np.uint8]) -> NDArray[np.float32]:
    whole = np.zeros((*stored.shape[:-1], 4), np.uint8)
    whole[..., 1:] = stored
    return whole.view("<u4")[..., 0].view(np.float32)


class LayerCache:
    """A folder of layers with a size limit."""

    def __init__(self, folder: Path, limit_bytes: int = 2 << 30) -> None:
        self.folder = folder
        self.limit_bytes = limit_bytes

    def _path(self, key: str) -> Path:
        return self.folder / f"{key}.npz"

    def has(self, key: str) -> bool:
        """Whether a layer of that key is kept."""
        return is_kept(self._path(key))

    def get(self, key: str) -> LayerImage | None:
        """The layer of that key, or None. A damaged file counts as absent and is removed."""
        path = self._path(key)
        arrays = read_arrays(path)
        if arrays is None:
            return None
        try:
            parts, passes = arrays["parts"], int(arrays["passes"])
            if parts.dtype != np.uint8 or parts.ndim != 5 or parts.shape[0] != 2 or parts.shape[3:] != (3, 3):
                raise ValueError("not the pictures of a layer")
            surface, air = _restored(parts)
            if passes < 1 or np.isnan(surface).any() or np.isnan(air).any():
                raise ValueError("a picture that is none")
            with contextlib.suppress(OSError):
                os.utime(path)  # a folder that cannot be written can still be read
            return LayerImage(key, passes, surface, air)
        except (KeyError, ValueError, TypeError):
            with contextlib.suppress(OSError):
                path.unlink()
            return None

    def put(self, image: LayerImage) -> None:
        """Keep a layer. A full disk only means that it is not kept."""
        if image.passes < 1 or np.isnan(image.surface).any() or np.isnan(image.air).any():
            return
        parts = np.stack([_shortened(image.surface), _shortened(image.air)])
        if write_arrays(self._path(image.key), {"parts": parts, "passes": np.array(image.passes)}):
            self._trim()

    def _files(self) -> list[tuple[float, int, Path]]:
        """Date, size [bytes] and path of every layer."""
        files = []
        with contextlib.suppress(OSError):
            for path in self.folder.glob("*.npz"):
                with contextlib.suppress(OSError):  # another window may have removed it
                    status = path.stat()
                    files.append((status.st_mtime, status.st_size, path))
        return files

    @property
    def bytes_on_disk(self) -> int:
        """What the layers take on disk [bytes]."""
        return sum(size for _modified, size, _path in self._files())

    def clear(self) -> None:
        """Delete every layer; they are made again when they are asked for."""
        for _modified, _size, path in self._files():
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)

    def _trim(self) -> None:
        used = 0
        for _modified, size, path in sorted(self._files(), reverse=True):
            used += size
            if used > self.limit_bytes:
                with contextlib.suppress(OSError):
                    path.unlink(missing_ok=True)
