"""The kernels with numba's bounds check on: ``python bench/bounds.py [STEP ...]``.

Runs what the warm-up runs (all of it takes some ten minutes), compiled anew into a folder that is thrown away. The first
read or write past the end of an array ends it with an IndexError.
"""

import os
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))
_FOLDER = tempfile.TemporaryDirectory()
os.environ |= {"NUMBA_BOUNDSCHECK": "1", "NUMBA_CACHE_DIR": _FOLDER.name, "XDG_CACHE_HOME": _FOLDER.name}

import numba as nb
import numpy as np

from lunar_haze.service.warmup import steps


@nb.njit
def _past_the_end(a):
    return a[a.size]


def is_checked() -> bool:
    """Whether reading past the end of an array is noticed at all."""
    try:
        _past_the_end(np.zeros(3))
    except IndexError:
        return True
    return False


def main(names: list[str]) -> None:
    """Run the steps of those names, all where there are none."""
    if not is_checked():
        sys.exit("numba does not check bounds here")
    known = list(steps())
    if unknown := set(names) - {name for name, _seconds, _act in known}:
        sys.exit(f"there is no step {', '.join(sorted(unknown))}; there are {', '.join(name for name, *_ in known)}")
    for name, _seconds, act in known:
        if not names or name in names:
            began = time.monotonic()
            act()
            print(f"{name}: within bounds, {time.monotonic() - began:.0f} s", flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
