"""Who has a document open: a small file beside it that tells the window, the person and the machine.

A window that is there keeps it fresh. It is taken over when its process is gone, or, where it was written on another
machine, when nobody has refreshed it for a while. It orders windows of this program and
keeps nobody else from the file.
"""

import contextlib
import fcntl
import getpass
import json
import os
import platform
import secrets
import time
from collections.abc import Iterator
from pathlib import Path

import attrs
import cattrs

#: A window on another machine that has not refreshed its lock for so long is gone [s].
PATIENCE_S = 60.0
_LARGEST = 4096
_STRICT = cattrs.Converter()


def _here() -> str:
    """This machine, as long as it is up and as far as its process numbers go."""
    parts = [platform.node()]
    with contextlib.suppress(OSError):
        parts.append(Path("/proc/sys/kernel/random/boot_id").read_text().strip())
        parts.append(os.readlink("/proc/self/ns/pid"))
    return " ".join(parts)


def _began(process: int) -> str:
    """When a process began, in ticks since the machine was started; "" for one that is not there."""
    try:
        return Path("/proc", str(process), "stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


@attrs.frozen
class Owner:
    """A window that has a document open, and since when [s since 1970]."""

    token: str
    process: int
    began: str
    machine: str
    person: str
    since: float

    def __str__(self) -> str:
        then, now = time.localtime(self.since), time.localtime()
        when = time.strftime("%H:%M" if then[:3] == now[:3] else "%Y-%m-%d %H:%M", then)
        return f"by {self.person} on {self.machine.split(' ')[0]} since {when}"


def _me() -> Owner:
    try:
        person = getpass.getuser()
    except (KeyError, OSError):
        person = str(os.getuid())
    return Owner(secrets.token_hex(8), os.getpid(), _began(os.getpid()), _here(), person, time.time())


class DocumentLock:
    """The lock of one document, for one window. Methods may be called from any thread."""

    def __init__(self, path: Path) -> None:
        self.path = path.with_name(f".{path.name}.lock")
        self._me = _me()
        self._held = False

    def take(self) -> Owner | None:
        """Take the lock; the window that has it, where another does. Without a lock where none can be written."""
        try:
            with self._open(create=True) as descriptor:
                there = _read(descriptor)
                if self._is_another(there, descriptor):
                    return there
                self._write(descriptor)
                self._held = True
        except OSError:
            return None
        return None

    def owner(self) -> Owner | None:
        """Another window that has the document open, or None."""
        try:
            with self._open(create=False) as descriptor:
                there = _read(descriptor)
                return there if self._is_another(there, descriptor) else None
        except OSError:
            return None

    def is_lost(self) -> bool:
        """Whether another window has taken over what was held here; otherwise it is fresh now."""
        if not self._held:
            return False
        try:
            with self._open(create=True) as descriptor:
                there = _read(descriptor)
                if there is not None and there.token != self._me.token:
                    self._held = False
                    return True
                # One that somebody has deleted is written again.
                self._write(descriptor)
        except OSError:
            pass  # a share that is away for a while is no other window
        return False

    def release(self) -> None:
        """The document is no longer open here."""
        if not self._held:
            return
        self._held = False
        with contextlib.suppress(OSError), self._open(create=False) as descriptor:
            there = _read(descriptor)
            if there is not None and there.token == self._me.token:
                self.path.unlink()

    @contextlib.contextmanager
    def _open(self, create: bool) -> Iterator[int]:
        """The lock's file, for this window alone."""
        flags = os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC | (os.O_CREAT if create else 0)
        while True:
            descriptor = os.open(self.path, flags, 0o644)
            try:
                fcntl.flock(descriptor, fcntl.LOCK_EX)
                # Another may have removed it between the two.
                if create and not _is_at(descriptor, self.path):
                    continue
                yield descriptor
                return
            finally:
                os.close(descriptor)

    def _write(self, descriptor: int) -> None:
        data = json.dumps(attrs.asdict(self._me)).encode()
        os.ftruncate(descriptor, 0)
        os.pwrite(descriptor, data, 0)

    def _is_another(self, there: Owner | None, descriptor: int) -> bool:
        """Whether another window that is there holds it."""
        if there is None or there.token == self._me.token:
            return False
        if there.machine == _here():
            return bool(there.began) and _began(there.process) == there.began
        return time.time() - os.fstat(descriptor).st_mtime < PATIENCE_S


def _is_at(descriptor: int, path: Path) -> bool:
    try:
        there = os.lstat(path)
    except OSError:
        return False
    mine = os.fstat(descriptor)
    return (there.st_dev, there.st_ino) == (mine.st_dev, mine.st_ino)


def _read(descriptor: int) -> Owner | None:
    """The window that a lock's file tells of; None for one that is empty or damaged."""
    try:
        data = json.loads(os.pread(descriptor, _LARGEST, 0))
        return _STRICT.structure(data, Owner)
    except (OSError, ValueError, RecursionError, cattrs.BaseValidationError):
        return None
