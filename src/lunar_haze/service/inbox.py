"""What the other side asks of the render process, read by a thread of its own."""

import logging
import os
import queue
import threading

from lunar_haze.service.channel import Channel, ChannelClosed
from lunar_haze.service.protocol import Balance, Prepare, Request, Want

log = logging.getLogger(__name__)


class Inbox:
    """Messages of a channel in the order in which they came."""

    def __init__(self, channel: Channel) -> None:
        self._channel = channel
        self._messages: queue.SimpleQueue[Request] = queue.SimpleQueue()
        self._wanted = threading.Event()

    def open(self) -> None:
        """Read from now on. The process ends with the channel, and where a message cannot be read."""
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        # When the window is gone there is nobody to compute for, in mid-pass or not.
        try:
            while True:
                message = self._channel.receive()[0]
                self._messages.put(message)
                if isinstance(message, Want):
                    self._wanted.set()
        except ChannelClosed:
            os._exit(0)
        except Exception:
            # What cannot be read, such as a message of another version, would leave its sender waiting for ever.
            log.exception("a message could not be read")
            os._exit(1)

    @property
    def has_more(self) -> bool:
        """Whether a message waits."""
        return not self._messages.empty()

    @property
    def has_want(self) -> bool:
        """Whether another picture is asked for: gains alone can wait for what is under way."""
        return self._wanted.is_set() and self.has_more

    def next(self, waits: bool = False, timeout_s: float | None = None) -> Request | None:
        """The next message; None where none is there, nor comes in time for who ``waits``."""
        try:
            return self._messages.get(block=waits, timeout=timeout_s)
        except queue.Empty:
            return None

    def latest(self, message: Request) -> list[Request]:
        """A message and those that wait behind it, of each kind the last: a drag sends many, and only that matters."""
        found: dict[type, Request] = {}
        following: Request | None = message
        while following is not None:
            if isinstance(following, Want):
                found.pop(Balance, None)
                found.pop(Prepare, None)
            found.pop(type(following), None)
            found[type(following)] = following
            following = self.next()
        self._wanted.clear()
        return list(found.values())
