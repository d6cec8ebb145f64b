"""What a file holds, as a short name: the digest of its bytes, looked up again whenever the file has changed."""

import functools
import hashlib
import os
import stat
from pathlib import Path

_PIECE = 1 << 22
#: Nothing that is read is larger [bytes].
LARGEST = 8 << 30


def open_regular(path: Path) -> int:
    """A descriptor to read an ordinary file by. Raises OSError for anything else, without waiting for it."""
    descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    if not stat.S_ISREG(os.fstat(descriptor).st_mode):
        os.close(descriptor)
        raise OSError(0, "it is not an ordinary file")
    return descriptor


@functools.lru_cache(maxsize=512)
def _digest(path: str, _state: tuple[int, ...]) -> str:
    digest = hashlib.blake2b(digest_size=16)
    with os.fdopen(open_regular(Path(path)), "rb") as stream:
        while piece := stream.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()


def content_digest(path: Path | str) -> str:
    """Digest of a file's bytes, remembered as long as its size and dates stay. Raises OSError."""
    status = os.stat(path)
    if not stat.S_ISREG(status.st_mode):
        raise OSError(0, "it is not an ordinary file")
    if status.st_size > LARGEST:
        raise OSError(0, f"it is larger than {LARGEST >> 30} GiB")
    state = (status.st_dev, status.st_ino, status.st_size, status.st_mtime_ns, status.st_ctime_ns)
    return _digest(str(path), state)


def digest_or_none(path: Path | str) -> str:
    """`content_digest`, or "" for a file that cannot be read."""
    try:
        return content_digest(path) if path else ""
    except (OSError, ValueError):  # a NUL in the name is a ValueError
        return ""


def read_regular(path: Path, most: int = 4 << 30) -> bytes:
    """All bytes of an ordinary file of no more than ``most``. Raises OSError for anything else, without waiting."""
    try:
        descriptor = open_regular(path)
    except ValueError as error:
        raise OSError(0, "its name is none") from error
    return read_open(descriptor, most)


def read_open(descriptor: int, most: int) -> bytes:
    """All bytes of an open file of no more than ``most``, and close it. Raises OSError."""
    with os.fdopen(descriptor, "rb") as stream:
        size = os.fstat(stream.fileno()).st_size
        if size > most:
            raise OSError(0, f"it is larger than {most >> 20:,} MiB")
        # Room for all that is asked for is taken before anything is read: never ask for more than there is.
        return stream.read(size)
