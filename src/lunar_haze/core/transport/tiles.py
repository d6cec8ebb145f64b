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
def trace_tiles(
    s, lights, active, emphasis, lit, stars, star_owner, camera, mist, even, bounces, samples, width, pixels, starts,
    tiles, surface, air, looks,
):  # fmt: skip
    """A path through each pixel of ``tiles`` (n,), of sample number ``samples`` (n,), from the lens to its end.

    ``pixels`` and ``starts`` are those of `view.pixel_tiles`, ``bounces`` those of `onward.follow_chunk`,
    all else is of `path.trace_chunk`. One call for many tiles: to hand the arrays over costs as much as
    thirty rays.
    """
    room = np.empty((2 * TILE * TILE, ONWARD), np.float32)
    for n in range(tiles.shape[0]):
        tile, index = tiles[n], samples[n]
        here = pixels[starts[tile] : starts[tile + 1]]
        onward = room[: 2 * here.shape[0]]
        trace_chunk(s, lights, active, emphasis, lit, stars, star_owner, camera, mist, index, width, here, surface, air,
                    onward, looks)  # fmt: skip
        follow_chunk(s, lights, active, emphasis, mist, even, bounces, index, here, onward, stars, surface, air)
