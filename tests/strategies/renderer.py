"""The real render process's worker in this process, answering at once: for many small pictures."""

from collections.abc import Callable
from pathlib import Path

from lunar_haze.core.layers.model import FrameRequest, LayerGain
from lunar_haze.service.board import Board
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.protocol import Balance, BoardReady, DenoiseThis, Event, Hold, KeepWithin, Request, Want
from lunar_haze.service.worker import Worker


class HereBackend:
    """A `RenderBackend` whose worker runs in the caller's thread; it goes on after `close`, for the next caller."""

    process_id = None

    def __init__(self, cache: Path) -> None:
        self._tell: Callable[[Event], None] = lambda event: None
        self._worker = Worker(self, LayerCache(cache))
        self.board: Board | None = None

    def send(self, event: Event, descriptor: int = -1) -> None:
        if isinstance(event, BoardReady):
            self.board = self._worker.layout.board
        self._tell(event)

    def start(self, on_event: Callable[[Event], None]) -> None:
        self._tell = on_event

    def _ask(self, message: Request) -> None:
        self._worker.turn(message)
        while not self._worker.idle:
            self._worker.turn(None)

    def want(self, request: FrameRequest) -> None:
        self._ask(Want(request))

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None:
        self._ask(Balance(mix_id, gains, settled))

    def keep_within(self, limit_bytes: int) -> None:
        self._ask(KeepWithin(limit_bytes))

    def hold(self, on: bool) -> None:
        self._ask(Hold(on))

    def denoise(self, message: DenoiseThis) -> None:
        self._ask(message)

    def try_again(self) -> None:
        pass

    def close(self) -> None:
        pass
