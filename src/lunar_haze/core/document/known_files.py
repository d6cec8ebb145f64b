"""Files outside a document's folder that this account has named itself, or has agreed to have read.

A document of a stranger may name any file: a picture at home, a mounted share, another's work. What lies in its own
folder is read, what it names elsewhere only when this account has chosen that file before, in any document, or says so.
"""

import contextlib
import functools
import hashlib
import os
from collections.abc import Iterable
from pathlib import Path

from lunar_haze.core.units.account import state_folder
from lunar_haze.core.units.content import read_regular

_FILE, _LARGEST = "known-files", 16 << 20


def _sign(path: Path) -> str:
    return hashlib.blake2b(os.fsencode(path), digest_size=16).hexdigest()


def _place() -> Path:
    return state_folder() / _FILE


@functools.lru_cache(maxsize=2)
def _signs(place: Path, _state: tuple[int, int]) -> frozenset[str]:
    try:
        return frozenset(read_regular(place, _LARGEST).decode("ascii", "replace").split())
    except OSError:
        return frozenset()


def _known() -> frozenset[str]:
    place = _place()
    try:
        status = place.stat()
    except OSError:
        return frozenset()
    return _signs(place, (status.st_mtime_ns, status.st_size))


def is_known(path: Path) -> bool:
    """Whether this account has named a file in a document of its own, or agreed to it."""
    return _sign(path) in _known()


def remember(paths: Iterable[Path]) -> None:
    """This account has chosen these files. Where nothing can be kept it is asked again another time."""
    new = {_sign(path) for path in paths} - _known()
    if not new:
        return
    with contextlib.suppress(OSError):
        place = _place()
        place.parent.mkdir(parents=True, exist_ok=True)
        descriptor = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        with os.fdopen(descriptor, "ab") as stream:
            stream.write("".join(f"{sign}\n" for sign in sorted(new)).encode())
