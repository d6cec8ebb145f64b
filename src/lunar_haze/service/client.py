"""The window's and the command line's hold on the render process.

`RenderClient` starts the process, sends it requests, hands its events to a callback (on a thread
of its own) and maps its board. When the process dies it is started again and the last request
sent again; when it keeps dying without ever getting anywhere that is an end, until somebody tries again.
"""

import logging
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import IO, Protocol

from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage, PlaceSpec
from lunar_haze.service.board import Board
from lunar_haze.service.channel import Channel, ChannelClosed
from lunar_haze.service.memory import LEAST, ended_for_memory, kills_for_memory, limit_in_force
from lunar_haze.service.protocol import (
    Balance,
    BoardReady,
    DenoiseThis,
    Event,
    Finished,
    Hold,
    KeepWithin,
    Lost,
    Prepare,
    Published,
    Request,
    Restarted,
    Want,
)

log = logging.getLogger(__name__)

#: So many deaths on end the attempts; a process that has finished a picture, or has lived so long, starts anew.
DEATHS_ALLOWED, FORGIVEN_AFTER_S = 4, 300.0
#: Seconds waited before each further attempt.
PAUSES_S = (0.0, 0.2, 1.0, 3.0)
#: So much of what a process says at its end is kept [bytes].
_WORDS = 2000


class RenderBackend(Protocol):
    """What the window needs of a renderer; tests put an instant one in its place."""

    board: Board | None

    @property
    def process_id(self) -> int | None: ...

    def start(self, on_event: Callable[[Event], None]) -> None: ...

    def want(self, request: FrameRequest) -> None: ...

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None: ...

    def keep_within(self, limit_bytes: int) -> None: ...

    def hold(self, on: bool) -> None: ...

    def denoise(self, message: DenoiseThis) -> None: ...

    def try_again(self) -> None: ...

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
        #: What a process that is started again is to be told: the last message of each kind, in the order of telling.
        self._told: dict[type[Request], Request] = {}
        self._closing = False
        self._patience = threading.Event()
        self._deaths = 0
        self._born = 0.0
        #: What the process says on its way out, and how often the system had killed for want of memory by then.
        self._words: IO[bytes] | None = None
        self._kills = kills_for_memory()
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
        self._forget_words()
        self._words = tempfile.TemporaryFile()  # noqa: SIM115 - it lives as long as the process
        self._process = subprocess.Popen(
            command, pass_fds=[other.fileno()], stdin=subprocess.DEVNULL, stderr=self._words
        )
        self._born = time.monotonic()
        other.close()
        self._channel = channel

    @property
    def process_id(self) -> int | None:
        """Number of the render process, for those who watch it."""
        return self._process.pid if self._process else None

    def want(self, request: FrameRequest) -> None:
        """Ask for a picture, in place of the one asked for before."""
        with self._lock:
            self._told.pop(Balance, None)
            self._told.pop(DenoiseThis, None)
            self._tell(Want(request))

    def balance(self, mix_id: int, gains: tuple[LayerGain, ...], settled: bool) -> None:
        """Tell the present gains; ``settled`` asks for a denoised mix."""
        with self._lock:
            self._tell(Balance(mix_id, gains, settled))

    def keep_within(self, limit_bytes: int) -> None:
        """Let layers take so many bytes of memory from now on."""
        with self._lock:
            self._tell(KeepWithin(limit_bytes))

    def hold(self, on: bool) -> None:
        """Let the light wait to be refined, or go on: frames that are played need the processors."""
        with self._lock:
            self._tell(Hold(on))

    def denoise(self, message: DenoiseThis) -> None:
        """Have a picture denoised that was put together elsewhere; `Denoised` brings it."""
        with self._lock:
            self._told.pop(Want, None)
            self._tell(message)

    def _tell(self, message: Request) -> None:
        self._told.pop(type(message), None)
        self._told[type(message)] = message
        self._send(message)

    def _send(self, message: Request) -> None:
        if self._channel is None:
            return
        try:
            self._channel.send(message)
        except ChannelClosed:
            pass  # the listener notices too, and sends it again to the next process

    def _listen(self) -> None:
        while not self._closing:
            channel = self._channel
            if channel is None:
                return
            try:
                event, descriptor = channel.receive()
            except ChannelClosed:
                if not self._revive():
                    return
                continue
            if isinstance(event, BoardReady) and descriptor is not None:
                if self.board is not None:
                    self.board.close()
                self.board = Board(descriptor, event.width, event.height, event.slots)
            if isinstance(event, Finished):
                self._deaths = 0
            self._on_event(event)

    def _revive(self) -> bool:
        """Start the process again after it died; False when that is an end. Runs on the listening thread."""
        # Nobody who asks for a picture may have to wait for a process to be gone.
        process = self._process
        code = process.wait() if process is not None else None
        if self._closing:
            return False
        words = self._last_words()
        log.warning("the render process ended (%s) %s", code, words)
        self._deaths = 1 if time.monotonic() - self._born > FORGIVEN_AFTER_S else self._deaths + 1
        short = code is not None and ended_for_memory(code, words, self._kills)
        self._kills = kills_for_memory()
        if self._deaths > DEATHS_ALLOWED:
            reason = "the machine's memory does not hold the picture; make it smaller or close other programs"
            log_tells = "the render process keeps ending; the log tells the reason (help, “show the log”)"
            self._on_event(Lost(reason if short else log_tells))
            return False
        if short:
            self._give_way()
        self._patience.wait(PAUSES_S[self._deaths - 1])
        self._start_again()
        self._on_event(Restarted(self._deaths, short))
        return not self._closing

    def _give_way(self) -> None:
        """Let layers take half of what they could."""
        with self._lock:
            told = self._told.get(KeepWithin)
            limit = told.limit_bytes if isinstance(told, KeepWithin) else limit_in_force()
            # It is told first: what is asked for after it finds less room.
            self._told.pop(KeepWithin, None)
            self._told = {KeepWithin: KeepWithin(max(limit // 2, LEAST)), **self._told}

    def _forget_words(self) -> None:
        if self._words is not None:
            self._words.close()
            self._words = None

    def _last_words(self) -> str:
        """The end of what the process wrote where errors go."""
        if self._words is None:
            return ""
        try:
            size = self._words.seek(0, os.SEEK_END)
            self._words.seek(max(size - _WORDS, 0))
            return self._words.read().decode("utf-8", "replace").strip()
        except (OSError, ValueError):
            return ""

    def _start_again(self) -> None:
        with self._lock:
            if self._closing:
                return
            if self._channel is not None:
                self._channel.close()
            self._spawn()
            for message in self._told.values():
                self._send(message)

    def try_again(self) -> None:
        """Start the process once more after it was given up."""
        self._deaths = 0
        self._start_again()
        threading.Thread(target=self._listen, name="render-events", daemon=True).start()

    def close(self) -> None:
        """End the process."""
        with self._lock:
            self._closing = True
            self._patience.set()
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
        self._forget_words()
