"""Which engine made a layer: a digest of all sources of the core, and of the libraries that trace and add.

It is part of every layer's key, so that a layer kept by another version is never taken for one of ours.
"""

import functools
import hashlib
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

_CORE = Path(__file__).resolve().parent.parent


@functools.lru_cache(maxsize=1)
def engine_version() -> str:
    """Sixteen hexadecimal digits."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(_CORE.rglob("*.py")):
        digest.update(str(path.relative_to(_CORE)).encode())
        digest.update(path.read_bytes())
    for package in ("numba", "numpy", "scipy", "embreex"):
        try:
            digest.update(f"{package} {version(package)}".encode())
        except PackageNotFoundError:
            digest.update(package.encode())
    return digest.hexdigest()
