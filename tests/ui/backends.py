"""An instant renderer for tests of the window: every layer an even tone of its own."""

from collections.abc import Callable

import numpy as np

from lunar_haze.core.layers.model import FrameRequest, LayerGain
from lunar_haze.core.layers.motes import LitMotes, floating
from lunar_haze.service.board import Board
from lunar_haze.service.protocol import BoardReady, Cleaned, Event, Finished, LayerAt, MotesLit, Published


class InstantBackend:
    """Answers `want` and settled `balance` at once; keeps what it was asked."""

    def __init__(self) -> None:
        self.board: Board | None = None
        self.requests: list[FrameRequest] = []
        self.balances: list[tuple[int, tuple[LayerGain, ...], bool]] = []
        self.closed = False
        self.process_id = None
        self.limits: list[int] = []
        self.is_held = False
        self._tell: Callable[[Event], None] = lambda event: None

    def start(self, on_event: Callable[[Event], None]) -> None:
        self._tell = on_event

    def want(self, request: FrameRequest) -> None:
        self.requests.append(request)
        width, height, count = request.view.width, request.view.height, max(len(request.layers), 1)
        # As the real client does: memory stays taken as long as its descriptor is open.
        if self.board is not None:
            self.board.close()
        self.board = Board.create(width, height, count)
        layers = []
        for slot, spec in enumerate(request.layers):
            key = spec.key()
            self.board.surface[slot] = 1e-4 * (1 + slot)
            self.board.air[slot] = 1e-5
            layers.append(LayerAt(key, slot, request.passes))
        # A floor five metres off in the lower half, sky above.
        self.board.depth[...] = np.inf
        self.board.depth[height // 2 :] = 5.0
        self.board.ground[...] = (0.0, 0.0, 1.0)
        self.board.owner[...] = 0
        self._tell(BoardReady(width, height, count))
        self._tell(Published(request.id, tuple(layers), request.passes, request.passes))
        if request.motes is not None:
            motes = floating(request.motes, request.view.camera, width / height)
            self._tell(MotesLit(request.id, LitMotes(motes, {at.key: np.ones_like(motes.at) for at in layers})))
        self._clean(request.gains, 0)
        self._tell(Finished(request.id))

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None:
        self.balances.append((mix_id, gains, settled))
        if settled:
            self._clean(gains, mix_id)

    def _clean(self, gains: tuple[LayerGain, ...], mix_id: int) -> None:
        request = self.requests[-1]
        slots = {spec.key(): slot for slot, spec in enumerate(request.layers)}
        # Every layer is even: one pixel tells all.
        total = np.zeros(3, np.float32)
        for gain in gains:
            if gain.key in slots:
                total += self.board.surface[slots[gain.key], 0, 0] * np.float32(gain.surface)
                total += self.board.air[slots[gain.key], 0, 0] * np.float32(gain.air)
        self.board.clean[...] = total
        self._tell(Cleaned(request.id, mix_id, request.passes))

    def keep_within(self, limit_bytes: int) -> None:
        self.limits.append(limit_bytes)

    def hold(self, on: bool) -> None:
        self.is_held = on

    def close(self) -> None:
        self.closed = True
        if self.board is not None:
            self.board.close()


class HeldBackend(InstantBackend):
    """Answers when it is let: what a renderer under load is to a moving hand."""

    def __init__(self) -> None:
        super().__init__()
        self.held: list[FrameRequest] = []

    def want(self, request: FrameRequest) -> None:
        self.held.append(request)

    def let_go(self) -> None:
        super().want(self.held.pop(0))
