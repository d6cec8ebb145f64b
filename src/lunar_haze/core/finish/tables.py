"""Grading tables from files: .cube and .clf, read and applied by OpenColorIO."""

import functools
import re
from pathlib import Path

import attrs
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from lunar_haze.core.errors import PictureError, os_reason
from lunar_haze.core.finish import acescct
from lunar_haze.core.finish.table_text import fault_of
from lunar_haze.core.finish.values import TableFile
from lunar_haze.core.units.content import digest_or_none, read_regular

SUFFIXES = (".cube", ".clf", ".spi1d", ".spi3d")
#: A larger file is no grading table [bytes].
LARGEST = 64 << 20
#: What a table may make of values in [0, 1].
_MOST = 1e4
#: Larger files than this take longer to read than a window may wait [bytes].
AT_ONCE = 2 << 20
#: Tables that are at hand, by path and digest.
_KNOWN: dict[tuple[str, str], None] = {}


def read_table(path: Path, space: str = "log") -> TableFile:
    """A table that can be used. Raises PictureError with a sentence on what is wrong with the file."""
    path = Path(path)
    if path.suffix.lower() not in SUFFIXES:
        raise PictureError(f"{path.name} is no grading table that is read; use {', '.join(SUFFIXES)}")
    table = TableFile(str(path), "", 1.0, space)
    table = attrs.evolve(table, digest=content_of(table))
    values = np.random.default_rng(1).random((512, 3), np.float32)
    made = _through(table, np.concatenate([values, np.zeros((1, 3)), np.ones((1, 3))]).astype(np.float32))
    if not np.isfinite(made).all() or np.abs(made).max() > _MOST:
        raise PictureError(f"{path.name} makes of ordinary values numbers past {_MOST:,.0f}; export it again")
    return table


def is_at_hand(table: TableFile | None) -> bool:
    """Whether a table can be used at once: others are read aside first (`prepare`)."""
    if table is None or not table.path or table.strength == 0.0:
        return True
    try:
        return Path(table.path).stat().st_size <= AT_ONCE or (table.path, content_of(table)) in _KNOWN
    except (OSError, ValueError):
        return True  # it is told at once that it is gone


def prepare(table: TableFile) -> None:
    """Read a table, so that it is at hand; what is wrong with it is told when it is used."""
    digest = content_of(table)
    if digest:
        _loaded(table.path, digest)


@functools.lru_cache(maxsize=8)
def _loaded(path: str, digest: str) -> ocio.CPUProcessor | str:
    """The table that a file holds, or what is wrong with it: a damaged one is read once, not for every picture."""
    found = _opened(path)
    _KNOWN[path, digest] = None
    while len(_KNOWN) > 8:
        _KNOWN.pop(next(iter(_KNOWN)))
    return found


def _opened(path: str) -> ocio.CPUProcessor | str:
    try:
        fault = fault_of(Path(path), read_regular(Path(path), LARGEST))
    except OSError as error:
        fault = f"{Path(path).name} cannot be read: {os_reason(error)}"
    if fault:
        return fault
    # OpenColorIO keeps files by their names, and would go on with what one held before.
    ocio.ClearAllCaches()
    transform, name = ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST), Path(path).name
    try:
        return ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    except UnicodeDecodeError:
        # What OpenColorIO tells of a file of noise is itself no text.
        return f"{name} is no grading table; export it again"
    except ocio.Exception as error:
        told = re.search(r"(At line \(\d+\)[^\n|]*|Incorrect[^\n]*|Error[^\n]*?\. [^\n]*)", str(error))
        reason = f": {told[1].strip()}" if told else ""
        return f"{name} is a damaged table{reason[:160]}; export it again"


def _through(table: TableFile, values: NDArray[np.float32]) -> NDArray[np.float32]:
    digest = content_of(table)
    if not digest:
        raise PictureError(_why_not(Path(table.path)))
    loaded = _loaded(table.path, digest)
    if isinstance(loaded, str):
        raise PictureError(loaded)
    out = np.ascontiguousarray(values, np.float32).copy()
    loaded.applyRGB(out)
    return out


def _why_not(path: Path) -> str:
    """Why a table's file cannot be read."""
    if _size(path) > LARGEST:
        return f"{path.name} is larger than {LARGEST >> 20} MiB, which no grading table is"
    return f"the table {path.name} is not there; was it moved or renamed?"


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except (OSError, ValueError):
        return 0


def content_of(table: TableFile | None) -> str:
    """Digest of what a table's file holds now, "" without a table and for a file that is not there or too large."""
    if table is None or not table.path or _size(Path(table.path)) > LARGEST:
        return ""
    return digest_or_none(table.path)


def applied(values: NDArray, table: TableFile | None) -> NDArray[np.float32]:
    """Values (..., 3) as the table has them, by its strength: signal in ACEScct, or on the screen.

    Raises PictureError when its file is gone or damaged.
    """
    if table is None or not table.path or table.strength == 0.0:
        return values
    changed = _through(table, values.astype(np.float32))
    return (values + np.float32(table.strength) * (changed - values)).astype(np.float32)


def graded_by(exposed: NDArray, table: TableFile | None) -> NDArray:
    """Exposed values (..., 3) under a table made for ACEScct; the very array without one."""
    if table is None or table.space != "log" or not table.path:
        return exposed
    return acescct.decode(applied(acescct.encode(exposed), table))


def shown_by(screen: NDArray, table: TableFile | None) -> NDArray:
    """Display-encoded values (..., 3) in [0, 1] under a table made for the screen; the very array without one."""
    if table is None or table.space != "screen" or not table.path:
        return screen
    return np.clip(applied(screen, table), 0.0, 1.0)
