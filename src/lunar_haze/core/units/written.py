"""Writes files so that a crash leaves old or new, never half, and so that nobody else can say where they go.

What is written is made in a fresh folder that only this account can enter, beside the file, and moved into place: a
link that somebody has put there leads nowhere. Modes follow the umask, or the mode of what is replaced.
"""

import contextlib
import errno
import os
import secrets
import shutil
import stat
import time
from collections.abc import Callable
from pathlib import Path

#: A folder of a writer that is gone is swept after this long [s]: it may be one of another machine.
_STALE_S = 3600.0


def put(path: Path, write: Callable[[Path], object], mode: int | None = None, follow: bool = False) -> None:
    """Let ``write`` make a file and put it in place of ``path`` in one step. Raises OSError, and what ``write`` raises.

    It has ``mode``, or that of the file that is there, or what the umask leaves; one that may not be written is not
    replaced. A link at ``path`` is replaced, or followed where ``follow`` says so.
    """
    path = path.resolve() if follow else path.parent.resolve() / path.name
    kept = mode
    with contextlib.suppress(FileNotFoundError):
        status = path.lstat()
        if stat.S_ISREG(status.st_mode):
            now = stat.S_IMODE(status.st_mode)
            kept = now if mode is None else mode
            if not now & 0o222:
                raise PermissionError(errno.EACCES, "it is read-only")
        elif stat.S_ISDIR(status.st_mode):
            raise IsADirectoryError(errno.EISDIR, "it is a folder")
    _sweep(path)
    room = path.parent / f".{_short(path.name)}.{os.getpid()}-{secrets.token_hex(4)}.new"
    room.mkdir(0o700)
    try:
        made = room / f"new{path.suffix}"
        write(made)
        descriptor = os.open(made, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        try:
            if kept is not None:
                os.fchmod(descriptor, kept)
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
        os.replace(made, path)
    finally:
        shutil.rmtree(room, ignore_errors=True)
    folder = os.open(path.parent, os.O_RDONLY | os.O_CLOEXEC)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def put_bytes(path: Path, data: bytes, mode: int | None = None, follow: bool = False) -> None:
    """Put ``data`` in place of ``path`` in one step (see `put`). Raises OSError."""

    def write(to: Path) -> None:
        with to.open("xb") as stream:
            stream.write(data)

    put(path, write, mode, follow)


def _short(name: str) -> str:
    """A name with room for more in what a file system takes."""
    return os.fsencode(name)[:180].decode("utf-8", "ignore")


def _sweep(path: Path) -> None:
    """Remove what writers of a file have left that died in the middle of it."""
    begin = f".{_short(path.name)}."
    with contextlib.suppress(OSError):
        for left in [entry for entry in os.scandir(path.parent) if entry.name.startswith(begin)]:
            writer, _dash, rest = left.name[len(begin) :].partition("-")
            old = time.time() - left.stat(follow_symlinks=False).st_mtime > _STALE_S
            if not (rest.endswith(".new") and writer.isdigit() and left.is_dir(follow_symlinks=False)):
                continue
            if old or (int(writer) != os.getpid() and not Path("/proc", writer).exists()):
                shutil.rmtree(left.path, ignore_errors=True)
