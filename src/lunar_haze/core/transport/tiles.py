"""Runs of tiles: what one call traces, and which thread makes it."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import numba as nb
import numpy as np

from lunar_haze.core.transport.onward import ONWARD, follow_chunk
from lunar_haze.core.transport.path import trace_chunk
from lunar_haze.core.transport.view import TILE

#: Runs a thread at the least, so that none has to wait long for the other at the end.
_RUNS = 16
_POOL = ThreadPoolExecutor(thread_name_prefix="paths")


def over_threads(act: Callable[[int, int], None], first: int, stop: int) -> None:
    """``act`` on runs that make up ``first``..``stop``; it lets go of the interpreter while it computes."""
    threads = nb.get_num_threads()
    runs = min(threads * _RUNS, stop - first)
    ends = [first + (stop - first) * run // max(runs, 1) for run in range(runs + 1)]
    waiting = iter(list(pairwise(ends)))

    def work() -> None:
        for run in waiting:
            act(*run)

    others = [_POOL.submit(work) for _ in range(threads - 1)]
    work()
    for other in others:
        other.result()


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def trace_tiles(at, lit, stars, camera, mist, even, bounces, width, tiles, layers):
    """A path through each pixel of ``tiles``, of the sample that each is to take, from the lens to its end.

    ``lit`` (pixels,) [cd/m2] is what others add already; ``bounces`` are those of `onward.follow_chunk`, all else is
    of `path.trace_chunk`. One call for many tiles: to hand the arrays over costs as much as thirty rays.
    """
    scratch = np.empty((2 * TILE * TILE, ONWARD), np.float32)
    for n in range(tiles.numbers.shape[0]):
        tile, index = tiles.numbers[n], tiles.samples[n]
        here = tiles.pixels[tiles.starts[tile] : tiles.starts[tile + 1]]
        onward = scratch[: 2 * here.shape[0]]
        trace_chunk(at, lit, stars, camera, mist, index, width, here, layers, onward)
        follow_chunk(at, mist, even, bounces, index, here, onward, layers)
