"""Tables of an atmosphere, made once and kept: in memory, and in a folder where one is given.

They do not depend on the hour. Making one takes about a second on two threads; reading one from
disk a few milliseconds.
"""

import contextlib
import hashlib
import os
import threading
from collections import OrderedDict
from pathlib import Path

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.clear_air import Atmosphere, coefficients
from lunar_haze.core.sky.refracted_light import transmittance_table
from lunar_haze.core.sky.scattering import packed, scattered_field

#: Counts up whenever the tables' making changes.
VERSION = 1
KEPT = 6


@attrs.frozen(eq=False)
class AtmosphereTables:
    """Flat float32 arrays as `scattering.look` takes them."""

    matter: NDArray[np.float32]
    profile: NDArray[np.float32]
    sun: NDArray[np.float32]
    field: NDArray[np.float32]
    ground: NDArray[np.float32]


_lock = threading.Lock()
_known: OrderedDict[Atmosphere, AtmosphereTables] = OrderedDict()
_folder: Path | None = None


def keep_tables_in(folder: Path | None) -> None:
    """Where tables are kept between runs; None for nowhere. What they hold does not depend on it."""
    global _folder
    _folder = folder


def _path(atmosphere: Atmosphere) -> Path | None:
    if _folder is None:
        return None
    name = hashlib.blake2b(repr((VERSION, atmosphere)).encode(), digest_size=12).hexdigest()
    return _folder / f"air-{name}.npz"


def _read(path: Path | None) -> AtmosphereTables | None:
    if path is None or not path.exists():
        return None
    try:
        with np.load(path) as data:
            return AtmosphereTables(*(data[a.name] for a in attrs.fields(AtmosphereTables)))
    except Exception:  # zip, numpy and the system each raise their own for a torn file
        return None


def _write(path: Path | None, tables: AtmosphereTables) -> None:
    if path is None:
        return
    temporary = path.with_suffix(f".{os.getpid()}.new")
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        with temporary.open("wb") as stream:
            np.savez(stream, **attrs.asdict(tables))
        os.replace(temporary, path)


def is_ready(atmosphere: Atmosphere) -> bool:
    """Whether `tables_of` answers at once."""
    path = _path(atmosphere)
    return atmosphere in _known or (path is not None and path.exists())


def tables_of(atmosphere: Atmosphere) -> AtmosphereTables:
    """The tables of an atmosphere. May be called from any thread."""
    with _lock:
        if atmosphere in _known:
            _known.move_to_end(atmosphere)
            return _known[atmosphere]
        path = _path(atmosphere)
        tables = _read(path)
        if tables is None:
            c = coefficients(atmosphere)
            sun = transmittance_table(atmosphere)
            field, ground = scattered_field(c, sun, atmosphere.ground_albedo, nb.get_num_threads())
            tables = AtmosphereTables(*packed(c), sun.ravel(), field.ravel(), ground.ravel())
            _write(path, tables)
        _known[atmosphere] = tables
        while len(_known) > KEPT:
            _known.popitem(last=False)
        return tables
