"""Tables of an atmosphere, made once and kept: in memory, and in a folder where one is given.

They do not depend on the hour. Making one takes about a second on two threads; reading one from
disk a few milliseconds.
"""

import hashlib
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
from lunar_haze.core.units.kept_arrays import is_kept, read_arrays, write_arrays

#: Counts up whenever the tables' making changes.
VERSION = 2
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
    arrays = read_arrays(path) if path is not None else None
    if arrays is None or set(arrays) != {a.name for a in attrs.fields(AtmosphereTables)}:
        return None
    return AtmosphereTables(**arrays) if all(np.isfinite(a).all() for a in arrays.values()) else None


def is_ready(atmosphere: Atmosphere) -> bool:
    """Whether `tables_of` answers at once."""
    path = _path(atmosphere)
    return atmosphere in _known or (path is not None and is_kept(path))


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
            if path is not None:
                write_arrays(path, attrs.asdict(tables))
        _known[atmosphere] = tables
        while len(_known) > KEPT:
            _known.popitem(last=False)
        return tables
