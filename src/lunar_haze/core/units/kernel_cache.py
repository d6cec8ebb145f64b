"""Where compiled kernels are kept: a folder for each state of their sources, so that an old one is never run.

numba looks at the file of a kernel alone. One that calls another, or reads a constant of another module, would run on
as it was before that was changed; after an update the picture would be that of the version before.
"""

import hashlib
import os
import re
import shutil
import sys
from collections.abc import Iterator
from pathlib import Path

import platformdirs

_CORE = Path(__file__).resolve().parent.parent
_COMPILES = re.compile(rb"^(?:import|from) numba", re.MULTILINE)
_IMPORTED = re.compile(rb"^from lunar_haze\.core\.([\w.]+) import", re.MULTILINE)
#: Names of the folders that are made here: digests of 12 bytes.
_MADE_HERE = re.compile(r"[0-9a-f]{24}")
#: States of the sources whose kernels are kept on disk.
_KEPT = 3


def kernel_sources() -> Iterator[Path]:
    """Every file that is compiled, and those whose constants it reads."""
    texts = {path: path.read_bytes() for path in sorted(_CORE.rglob("*.py"))}
    compiled = {path for path, text in texts.items() if _COMPILES.search(text)}
    names = {name.decode() for path in compiled for name in _IMPORTED.findall(texts[path])}
    read = {_CORE / (name.replace(".", "/") + ".py") for name in names}
    yield from sorted(path for path in compiled | read if path in texts)


def fingerprint() -> str:
    """Digest of all that kernels are compiled from, of the machine's processor and of Python."""
    digest = hashlib.blake2b(digest_size=12)
    for path in kernel_sources():
        digest.update(path.read_bytes())
    cpu = Path("/proc/cpuinfo")
    if cpu.exists():
        lines = cpu.read_text().splitlines()
        digest.update("".join(line for line in lines[:40] if line.startswith(("model name", "flags"))).encode())
    digest.update(f"{sys.version} {_CORE}".encode())
    return digest.hexdigest()


def kernels_root() -> Path:
    """The folder of the program's own in which kernels are kept, a folder for each state of the sources."""
    return Path(platformdirs.user_cache_dir("lunar-haze", appauthor=False)) / "kernels"


def keep_kernels() -> Path:
    """Have numba keep kernels in the folder of the present sources, which is returned; before numba is loaded.

    A folder that the user has named (NUMBA_CACHE_DIR) is theirs to look after.
    """
    named = os.environ.get("NUMBA_CACHE_DIR")
    if named:
        return Path(named)
    folder = kernels_root() / fingerprint()
    os.environ["NUMBA_CACHE_DIR"] = str(folder)
    return folder


def forget_old_kernels(folder: Path) -> None:
    """Delete kernels of sources as they were before, but for the newest few.

    Only folders are touched that this program has made: those of digests' names in its own folder of kernels. Beside a
    folder that the user has named may lie anything.
    """
    if folder.parent != kernels_root():
        return
    try:
        mine = [
            p for p in folder.parent.iterdir() if _MADE_HERE.fullmatch(p.name) and p.is_dir() and not p.is_symlink()
        ]
        others = sorted(mine, key=lambda p: p.stat().st_mtime)
    except OSError:
        return
    for old in others[:-_KEPT]:
        if old != folder:
            shutil.rmtree(old, ignore_errors=True)
