"""Names in files from elsewhere as paths: each leads to an ordinary file inside its folder, or nowhere.

A set, a document or an archive of a stranger may name any file of this machine: one that climbs out of the folder, an
absolute one, a drive, an address, a link, a pipe. Whoever turns a name that stands in a file into a path asks here.
"""

import os
import re
from pathlib import Path

from lunar_haze.core.units.content import open_regular, read_open

#: Names are no longer than this, nor their parts [bytes].
_LONGEST, _LONGEST_PART = 1024, 255
#: A scheme such as http: or a drive such as C:.
_ADDRESS = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:")
#: A name of our own making in an archive: nothing but a plain file.
_PLAIN = re.compile(r"[a-z0-9][a-z0-9-]{0,40}(\.[a-z0-9]{1,8})?")
_OUTSIDE = "it lies outside the folder of the set; copy it into it"


def parts_of(name: str) -> tuple[str, ...]:
    """The parts of a relative name, backslashes taken as slashes. Raises OSError for a name that leads elsewhere."""
    told = str(name).replace("\\", "/")
    if not told.strip() or len(told) > _LONGEST or any(ord(letter) < 32 for letter in told):
        raise OSError(0, "its name is none")
    if _ADDRESS.match(told):
        raise OSError(0, "it is an address or a drive outside the folder of the set; copy it into it")
    parts = tuple(part for part in told.split("/") if part not in ("", "."))
    if told.startswith("/") or ".." in parts:
        raise OSError(0, _OUTSIDE)
    if not parts or any(len(os.fsencode(part)) > _LONGEST_PART for part in parts):
        raise OSError(0, "its name is none")
    return parts


def inside(folder: Path, name: str) -> Path:
    """The path in ``folder`` that a name in a file means; nothing need be there. Raises OSError."""
    path = folder.joinpath(*parts_of(name))
    if not is_inside(folder, path):
        raise OSError(0, _OUTSIDE)
    return path


def is_inside(folder: Path, path: Path) -> bool:
    """Whether a path lies in a folder, links followed; one that can be none does not."""
    try:
        return Path(os.path.realpath(path)).is_relative_to(os.path.realpath(folder))
    except (OSError, ValueError):
        return False


def read_inside(folder: Path, name: str, most: int = 4 << 30) -> bytes:
    """All bytes of the ordinary file that a name in a file means. Raises OSError.

    What was opened is looked at again: a link that was put there meanwhile leads nowhere either.
    """
    descriptor = open_regular(inside(folder, name))
    try:
        if not is_inside(folder, Path(os.readlink(f"/proc/self/fd/{descriptor}"))):
            raise OSError(0, _OUTSIDE)
    except OSError:
        os.close(descriptor)
        raise
    return read_open(descriptor, most)


def plain_name(name: object) -> str:
    """A name of our own making, as it came from elsewhere. Raises OSError for anything else."""
    if not isinstance(name, str) or not _PLAIN.fullmatch(name):
        raise OSError(0, "its name is none of ours")
    return name


def plain_suffix(path: Path) -> str:
    """The suffix of a file as a plain name takes it, "" where it has none of that kind."""
    suffix = path.suffix.lower()
    return suffix if re.fullmatch(r"\.[a-z0-9]{1,8}", suffix) else ""
