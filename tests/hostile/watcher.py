"""Watches files that nobody has business with: whoever opens, reads, changes or replaces one of them is noted (inotify)."""

import contextlib
import ctypes
import os
import struct
from collections.abc import Iterator
from pathlib import Path

_LIBC = ctypes.CDLL(None, use_errno=True)
_ACCESS, _MODIFY, _ATTRIB, _OPEN, _MOVED_FROM, _MOVED_TO, _CREATE, _DELETE = (
    0x1,
    0x2,
    0x4,
    0x20,
    0x40,
    0x80,
    0x100,
    0x200,
)
_ALL = _ACCESS | _MODIFY | _ATTRIB | _OPEN | _MOVED_FROM | _MOVED_TO | _CREATE | _DELETE
_IS_FOLDER = 0x40000000
_EVENT = struct.Struct("iIII")


class Watcher:
    """What was done to files in guarded folders, as pairs of folder and name."""

    def __init__(self, folders: list[Path]) -> None:
        self._descriptor = _LIBC.inotify_init1(os.O_NONBLOCK | os.O_CLOEXEC)
        assert self._descriptor >= 0
        self._folders: dict[int, Path] = {}
        for folder in folders:
            number = _LIBC.inotify_add_watch(self._descriptor, os.fsencode(folder), _ALL)
            assert number >= 0, os.strerror(ctypes.get_errno())
            self._folders[number] = folder

    def seen(self) -> list[str]:
        """What has happened since it was last asked; that a folder was looked into is no harm."""
        found = []
        with contextlib.suppress(BlockingIOError):
            while data := os.read(self._descriptor, 1 << 16):
                at = 0
                while at < len(data):
                    number, mask, _cookie, length = _EVENT.unpack_from(data, at)
                    name = data[at + _EVENT.size : at + _EVENT.size + length].rstrip(b"\0").decode("utf-8", "replace")
                    at += _EVENT.size + length
                    if not mask & _IS_FOLDER and name:
                        found.append(f"{self._folders.get(number, '?')}/{name} ({mask:#x})")
        return found

    def close(self) -> None:
        """Stop watching."""
        os.close(self._descriptor)


@contextlib.contextmanager
def nothing_touched(folders: list[Path], exactly: dict[Path, bytes]) -> Iterator[None]:
    """Nothing in guarded folders is opened, read, written, made or removed, and it holds what it held."""
    watcher = Watcher(folders)
    try:
        yield
        assert not watcher.seen()
    finally:
        watcher.close()
    for path, data in exactly.items():
        assert path.read_bytes() == data, path
    there = {path for folder in folders for path in folder.iterdir() if path.is_file()}
    assert there == set(exactly)
