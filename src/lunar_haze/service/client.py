"""The window's and the command line's hold on the render process.

`RenderClient` starts the process, sends it requests, hands its events to a callback (on a thread
of its own) and maps its board. When the process dies it is started again and the last request
sent again; only when it keeps dying is that an end.
"""

import logging
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage, PlaceSpec
from lunar_haze.service.board import Board
from lunar_haze.service.channel import Channel, ChannelClosed
from lunar_haze.service.protocol import (
    Balance,
    BoardReady,
    Event,
    Lost,
    Prepare,
    Published,
    Request,
    Restarted,
    Want,
)  # fmt: skip

log = logging.getLogger(__name__)

#: This many deaths within `DEATH_WINDOW_S` seconds end the attempts.
DEATHS_ALLOWED, DEATH_WINDOW_S = 4, 30.0


class RenderBackend(Protocol):
    """What the window needs of a renderer; tests put an instant one in its place."""

    board: Board | None

    def start(self, on_event: Callable[[Event], None]) -> None: ...

    def want(self, request: FrameRequest) -> None: ...

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None: ...

    def close(self) -> None: ...


def images_on(board: Board, published: Published) -> list[LayerImage]:
    """The layers of an event as views of the board."""
    return [LayerImage(at.key, at.passes, board.surface[at.slot], board.air[at.slot]) for at in published.layers]


class RenderClient:
    """A render process kept alive. Methods may be called from one thread; events come on another."""

    def __init__(self, cache: Path | None = None) -> None:
        self._cache = cache
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._channel: Channel | None = None
        self._on_event: Callable[[Event], None] = lambda event: None
        self._last_want: Want | None = None
        self._last_balance: Balance | None = None
        self._closing = False
        self._deaths: list[float] = []
        self.board: Board | None = None

    def launch(self) -> None:
        """Start the process ahead of `start`, so that it gets ready while the window is still being made."""
        self._spawn()

    def prepare(self, place: PlaceSpec) -> None:
        """Tell the process which place will be asked for."""
        with self._lock:
            self._send(Prepare(place))

    def start(self, on_event: Callable[[Event], None]) -> None:
        """Let events go to ``on_event``; start the process unless it is launched already."""
        self._on_event = on_event
        if self._process is None:
            self._spawn()
        threading.Thread(target=self._listen, name="render-events", daemon=True).start()

    def _spawn(self) -> None:
        channel, other = Channel.pair()
        command = [sys.executable, "-m", "lunar_haze.service.render_process", str(other.fileno())]
        if self._cache is not None:
            command.append(str(self._cache))
        self._process = subprocess.Popen(command, pass_fds=[other.fileno()], stdin=subprocess.DEVNULL)
        other.close()
        self._channel = channel

    @property
    def process_id(self) -> int | None:
        """Number of the render process, for those who watch it."""
        return self._process.pid if self._process else None

    def want(self, request: FrameRequest) -> None:
        """Ask for a picture, in place of the one asked for before."""
        with self._lock:
            self._last_want, self._last_balance = Want(request), None
            self._send(self._last_want)

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None:
        """Tell the present gains; ``settled`` asks for a denoised mix."""
        with self._lock:
            self._last_balance = Balance(mix_id, gains, settled)
            self._send(self._last_balance)

    def _send(self, message: Request) -> None:
        try:
            self._channel.send(message)
        except ChannelClosed:
            pass  # the listener notices too, and sends it again to the next process

    def _listen(self) -> None:
        while not self._closing:
            try:
                event, descriptor = self._channel.receive()
            except ChannelClosed:
                if not self._revive():
                    return
                continue
            if isinstance(event, BoardReady):
                if self.board is not None:
                    self.board.close()
                self.board = Board(descriptor, event.width, event.height, event.slots)
            self._on_event(event)

    def _revive(self) -> bool:
        with self._lock:
            if self._closing:
                return False
            code = self._process.wait()
            log.warning("the render process ended (%s)", code)
            now = time.monotonic()
            self._deaths = [t for t in self._deaths if now - t < DEATH_WINDOW_S] + [now]
            times = len(self._deaths)
            if times <= DEATHS_ALLOWED:
                self._channel.close()
                self._spawn()
                for message in (self._last_want, self._last_balance):
                    if message is not None:
                        self._send(message)
        if times > DEATHS_ALLOWED:
            self._on_event(
                Lost("the render process keeps ending; save, and look at the log for the reason (help, “show the log”)")
            )
            return False
        self._on_event(Restarted(times))
        return True

    def close(self) -> None:
        """End the process."""
        with self._lock:
            self._closing = True
            channel, process = self._channel, self._process
        if channel is not None:
            channel.close()
        if process is not None:
            try:
                process.wait(timeout=2.0)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        if self.board is not None:
            self.board.close()
