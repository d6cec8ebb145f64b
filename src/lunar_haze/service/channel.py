"""A two-way line between two processes over a Unix socket: pickled values, with file descriptors beside."""

import os
import pickle
import socket
import struct
import threading
from typing import Any

_HEADER = struct.Struct("<Q")


class ChannelClosed(Exception):  # noqa: N818 - an event, not a fault
    """The other side is gone."""


class Channel:
    """One end of the line. `send` may be called from any thread; `receive` from one."""

    def __init__(self, end: socket.socket) -> None:
        self._socket = end
        self._lock = threading.Lock()

    @staticmethod
    def pair() -> tuple["Channel", socket.socket]:
        """A channel and the socket of its other end, to be handed to a child process."""
        here, there = socket.socketpair(socket.AF_UNIX, socket.SOCK_STREAM)
        return Channel(here), there

    def send(self, value: Any, descriptor: int | None = None) -> None:
        """Send a value, and a file descriptor with it. Raises ChannelClosed."""
        data = pickle.dumps(value)
        header = _HEADER.pack(len(data))
        try:
            with self._lock:
                if descriptor is None:
                    self._socket.sendall(header)
                else:
                    socket.send_fds(self._socket, [header], [descriptor])
                self._socket.sendall(data)
        except OSError as error:
            raise ChannelClosed from error

    def receive(self) -> tuple[Any, int | None]:
        """The next value and the descriptor that came with it. Blocks. Raises ChannelClosed."""
        try:
            header, descriptors, _flags, _address = socket.recv_fds(self._socket, _HEADER.size, 1)
            header += self._read(_HEADER.size - len(header)) if header else b""
            if len(header) < _HEADER.size:
                raise ChannelClosed
            data = self._read(_HEADER.unpack(header)[0])
        except OSError as error:
            raise ChannelClosed from error
        return pickle.loads(data), (descriptors[0] if descriptors else None)

    def _read(self, count: int) -> bytes:
        parts = bytearray()
        while len(parts) < count:
            part = self._socket.recv(min(count - len(parts), 1 << 20))
            if not part:
                raise ChannelClosed
            parts += part
        return bytes(parts)

    def close(self) -> None:
        """Close this end; the other side sees it at once."""
        try:
            self._socket.shutdown(socket.SHUT_RDWR)
        except OSError:
            pass
        self._socket.close()


def inherited(descriptor: int) -> Channel:
    """The channel of a socket that a parent process handed down."""
    return Channel(socket.socket(fileno=os.dup(descriptor)))
