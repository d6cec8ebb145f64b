"""Arrays that begin where a line of memory does, and memory that is given back to the system.

What is freed stays with the process, in pieces after an hour of pictures of all sizes: some 200 MB that nothing uses.
It is given back from time to time.
"""

import ctypes
import mmap
import time
from math import prod

import numpy as np
from numpy.typing import DTypeLike, NDArray

_LINE_BYTES = 64
#: How often memory is given back at the most [s].
GIVEN_BACK_S = 20.0
_ARENA_MAX = -8


def on_lines(shape: tuple[int, ...], dtype: DTypeLike) -> NDArray:
    """Zeros of a shape that begin on a line of memory."""
    size = prod(shape) * np.dtype(dtype).itemsize
    room = np.zeros(size + _LINE_BYTES, np.uint8)
    first = -room.ctypes.data % _LINE_BYTES
    return room[first : first + size].view(dtype).reshape(shape)


class Pool:
    """Arrays of one shape and float32, numbered from 0: zeros that take no memory until they are written.

    ``array`` (slots, *shape) is all of them.
    """

    def __init__(self, slots: int, shape: tuple[int, ...]) -> None:
        self._slot_bytes = prod(shape) * 4
        try:
            self._memory = mmap.mmap(-1, max(slots * self._slot_bytes, 1), mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
        except OSError as error:
            raise MemoryError(f"{slots} arrays of {self._slot_bytes:,} bytes") from error
        self.array: NDArray[np.float32] = np.frombuffer(self._memory, np.float32, slots * prod(shape)).reshape(
            slots, *shape
        )

    def give_back(self, slot: int) -> None:
        """Make an array zeros again and its memory the system's."""
        start, stop = slot * self._slot_bytes, (slot + 1) * self._slot_bytes
        first, last = -(-start // mmap.PAGESIZE) * mmap.PAGESIZE, stop // mmap.PAGESIZE * mmap.PAGESIZE
        if last > first:
            # Whole pages go and read as zeros from then on; the ends share theirs with a neighbour.
            self._memory.madvise(mmap.MADV_DONTNEED, first, last - first)
            flat = self.array[slot].reshape(-1)
            flat[: (first - start) // 4] = 0
            flat[(last - start) // 4 :] = 0
        else:
            self.array[slot] = 0

    def enlarged(self, slots: int, written: set[int]) -> "Pool":
        """A pool of more arrays, with those of this one that are ``written``."""
        more = Pool(slots, self.array.shape[1:])
        for slot in written:
            more.array[slot] = self.array[slot]
        return more


class GiveBack:
    """Gives back to the system what is freed (malloc_trim of the GNU C library), once in a while; elsewhere nothing."""

    def __init__(self) -> None:
        self._last = time.monotonic()
        library = ctypes.CDLL(None)
        self._trim = getattr(library, "malloc_trim", None)
        # Threads that come and go would each leave a pool of their own behind.
        arenas = getattr(library, "mallopt", None)
        if arenas is not None:
            arenas(_ARENA_MAX, 2)

    @property
    def is_due(self) -> bool:
        """Whether it is time."""
        return self._trim is not None and time.monotonic() - self._last > GIVEN_BACK_S

    def now(self) -> None:
        """Give back what is free."""
        self._last = time.monotonic()
        if self._trim is not None:
            self._trim(0)
