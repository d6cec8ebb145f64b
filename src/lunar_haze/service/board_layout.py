"""Which layer lies where on the board: laid as it gets better, and in whose place when there is no room."""

from collections import OrderedDict

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import FrameRequest, LayerImage
from lunar_haze.core.picture.mix import enlarge
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.service.board import Board
from lunar_haze.service.protocol import LayerAt

#: Slots for layers that are not wanted now: what comes back is there at once.
SPARE_SLOTS = 4


class BoardLayout:
    """The render process's side of a `Board`: makes it, and keeps account of its slots."""

    def __init__(self) -> None:
        self._board: Board | None = None
        self._laid: OrderedDict[str, LayerAt] = OrderedDict()
        self._guides_laid: tuple[Board, Frame, int] | None = None
        #: Layers whose denoised pictures are laid, by key and how many times smaller, and the samples those are of.
        self._smooth: dict[tuple[str, int], LayerAt] = {}

    @property
    def board(self) -> Board:
        """The board as it is now. There must have been a request."""
        assert self._board is not None
        return self._board

    def close(self) -> None:
        """Give the board back."""
        if self._board is not None:
            self._board.close()

    def make_ready(self, request: FrameRequest) -> bool:
        """Make room for a request; whether that took a new board."""
        view, count, board = request.view, len(request.layers), self._board
        if board is not None and (board.width, board.height) == (view.width, view.height) and board.slots >= count:
            return False
        if board is not None:
            board.close()
        self._board = Board.create(view.width, view.height, count + SPARE_SLOTS)
        self._laid.clear()
        self._smooth.clear()
        return True

    def _slot_for(self, key: str, keep: set[str]) -> int:
        known = self._laid.pop(key, None)
        if known is not None:
            self._laid[key] = known
            return known.slot
        taken = {at.slot for at in self._laid.values()}
        free = next((s for s in range(self.board.slots) if s not in taken), None)
        if free is None:
            oldest = next(k for k in self._laid if k not in keep)
            free = self._laid.pop(oldest).slot
            self._smooth = {of: at for of, at in self._smooth.items() if of[0] != oldest}
        self._laid[key] = LayerAt(key, free, -1)
        return free

    def lay(self, frame: Frame, keys: list[str], live: set[str]) -> None:
        """Lay every layer of ``keys`` that has moved on since it was last laid; ``live`` ones stay as they are."""
        keep = set(keys)
        for key in keys:
            layer, known = frame.sums[key], self._laid.get(key)
            if key in live:
                self._laid.move_to_end(key)
            elif layer.counts.any() and (known is None or known.samples != layer.samples or known.live):
                slot = self._slot_for(key, keep)
                frame.write_mean(key, self.board.surface[slot], self.board.air[slot])
                self._laid[key] = LayerAt(key, slot, layer.passes, samples=layer.samples)
            elif known is not None:
                self._laid.move_to_end(key)

    def lay_small(self, image: LayerImage, keep: set[str]) -> None:
        """Lay a small picture of a layer out large, as a stand-in."""
        slot = self._slot_for(image.key, keep)
        enlarge(image.surface, self.board.surface[slot])
        enlarge(image.air, self.board.air[slot])
        self._laid[image.key] = LayerAt(image.key, slot, 0)

    def is_smooth(self, key: str, step: int) -> bool:
        """Whether the denoised picture of a layer, ``step`` times smaller, is of all that it has gathered."""
        at, smooth = self._laid.get(key), self._smooth.get((key, step))
        return at is not None and smooth is not None and smooth.samples == at.samples

    def lay_smooth(self, key: str, step: int, surface: NDArray[np.float32], air: NDArray[np.float32]) -> None:
        """Lay the denoised pictures (H / step, W / step, 3) of a layer that is laid; ``step`` is 1 or 2."""
        at = self._laid[key]
        room = self.board.small if step == 2 else self.board.whole
        room[at.slot, 0], room[at.slot, 1] = surface, air
        self._smooth[key, step] = at

    def smooth_layers(self, keys: list[str], step: int) -> tuple[LayerAt, ...]:
        """Where denoised pictures, ``step`` times smaller, of those of ``keys`` lie that have one."""
        return tuple(self._smooth[key, step] for key in keys if (key, step) in self._smooth and key in self._laid)

    def live_room(self, key: str, keep: set[str]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Where a live stand-in for a layer is to be written: its surface and its air (H, W, 3)."""
        slot = self._slot_for(key, keep)
        self._laid[key] = LayerAt(key, slot, 0, live=True)
        return self.board.surface[slot], self.board.air[slot]

    def lay_guides(self, frame: Frame) -> None:
        """Lay what the lens sees, where it is not laid already."""
        board, guides = self.board, frame.guides
        if self._guides_laid == (board, frame, guides.passes):
            return
        self._guides_laid = board, frame, guides.passes
        shape = (board.height, board.width)
        board.depth[...] = np.where(guides.depth < FAR, guides.depth, np.inf).reshape(shape)
        board.ground[...] = guides.ground.reshape(*shape, 3)
        board.owner[...] = guides.owner.reshape(*shape, 2)

    def layers(self, keys: list[str]) -> tuple[LayerAt, ...]:
        """Where those of ``keys`` lie that are laid."""
        return tuple(self._laid[key] for key in keys if key in self._laid)

    def images(self, keys: list[str] | None = None) -> list[LayerImage]:
        """The pictures of those of ``keys`` that are laid, of all by default; views of the board."""
        found = self._laid.values() if keys is None else self.layers(keys)
        return [LayerImage(at.key, at.passes, self.board.surface[at.slot], self.board.air[at.slot]) for at in found]
