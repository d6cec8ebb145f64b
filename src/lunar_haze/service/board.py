"""Shared memory on which the render process lays pictures for the window.

Anonymous memory whose descriptor is passed along, so that nothing is left behind whichever side
dies. The render process writes; readers may see a layer while it is being renewed, which shows
for one refresh at most and is followed by a message.
"""

import mmap
import os

import numpy as np
from numpy.typing import NDArray


class Board:
    """Arrays over one piece of shared memory, row 0 at the top.

    ``surface`` and ``air`` (slots, H, W, 3), ``clean`` (H, W, 3) float32 [cd/m2]; ``small`` (slots, 2, H / 2, W / 2, 3)
    and ``whole`` (slots, 2, H, W, 3) float32 surface and air of layers, each denoised by itself; ``depth`` (H, W)
    float32 [m]; ``ground`` (H, W, 3) float32 normals; ``owner`` (H, W, 2) int32 object and material. What is not
    written takes no memory.
    """

    def __init__(self, descriptor: int, width: int, height: int, slots: int) -> None:
        self.width, self.height, self.slots = width, height, slots
        self.descriptor = descriptor
        self._memory = mmap.mmap(descriptor, self.size(width, height, slots))
        floats = np.frombuffer(self._memory, np.float32)
        pixels = width * height
        self._at = 0

        def take(shape: tuple[int, ...]) -> NDArray:
            count = int(np.prod(shape))
            array = floats[self._at : self._at + count].reshape(shape)
            self._at += count
            return array

        self.surface: NDArray[np.float32] = take((slots, height, width, 3))
        self.air: NDArray[np.float32] = take((slots, height, width, 3))
        self.small: NDArray[np.float32] = take((slots, 2, height // 2, width // 2, 3))
        self.whole: NDArray[np.float32] = take((slots, 2, height, width, 3))
        self.clean: NDArray[np.float32] = take((height, width, 3))
        self.depth: NDArray[np.float32] = take((height, width))
        self.ground: NDArray[np.float32] = take((height, width, 3))
        self.owner: NDArray[np.int32] = take((pixels * 2,)).view(np.int32).reshape(height, width, 2)

    @staticmethod
    def size(width: int, height: int, slots: int) -> int:
        """Bytes of a board."""
        return 4 * (width * height * (slots * 12 + 3 + 1 + 3 + 2) + (width // 2) * (height // 2) * slots * 6)

    @staticmethod
    def create(width: int, height: int, slots: int) -> "Board":
        """A new board in anonymous memory."""
        descriptor = os.memfd_create("lunar-haze-board", os.MFD_CLOEXEC)
        os.ftruncate(descriptor, Board.size(width, height, slots))
        return Board(descriptor, width, height, slots)

    def close(self) -> None:
        """Give the descriptor back; the memory goes when the last array over it does."""
        if self.descriptor >= 0:
            os.close(self.descriptor)
            self.descriptor = -1
