"""Arrays kept in a file that may be deleted at any time: read whole and unchanged, or not at all.

A folder that cannot be read or written costs speed only: nothing here raises for it.
"""

import contextlib
import hashlib
import os
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

_DIGEST = "digest"


def _digest(arrays: Mapping[str, NDArray]) -> NDArray[np.uint8]:
    digest = hashlib.blake2b(digest_size=16)
    for name in sorted(arrays):
        array = np.ascontiguousarray(arrays[name])
        digest.update(repr((name, array.shape, array.dtype.str)).encode())
        digest.update(array.reshape(-1).view(np.uint8).data)
    return np.frombuffer(digest.digest(), np.uint8)


def is_kept(path: Path) -> bool:
    """Whether there is such a file."""
    try:
        return path.is_file()
    except OSError:
        return False


def read_arrays(path: Path) -> dict[str, NDArray] | None:
    """The arrays of a file by their names; None when it is not there. A damaged one is removed."""
    if not is_kept(path):
        return None
    try:
        with path.open("rb") as stream, np.load(stream, allow_pickle=False) as data:
            arrays = {name: data[name] for name in data.files}
        if arrays.pop(_DIGEST, np.zeros(0)).tobytes() == _digest(arrays).tobytes():
            return arrays
    except Exception:  # zip, numpy and the system each raise their own for a torn file
        pass
    with contextlib.suppress(OSError):
        path.unlink()
    return None


def write_arrays(path: Path, arrays: Mapping[str, NDArray]) -> bool:
    """Keep arrays in a file, in place of what it held; says whether that was possible. They are of any shape."""
    temporary = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        # Made anew, never through a link that somebody has put there.
        with contextlib.suppress(FileNotFoundError):
            temporary.unlink()
        with temporary.open("xb") as stream:
            np.savez(stream, **arrays, **{_DIGEST: _digest(arrays)})  # type: ignore[arg-type]
        os.replace(temporary, path)
    except OSError:
        with contextlib.suppress(OSError):
            temporary.unlink()
        return False
    return True
