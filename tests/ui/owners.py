"""State of the window is written to by one thread once it is made: whoever breaks that is told."""

import functools
import sys
import threading
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from types import ModuleType

from PySide6.QtCore import QObject

import lunar_haze.ui as ui


class ForeignThreadError(AssertionError):
    """A field was written to by a second thread."""


def _classes(package: ModuleType) -> Iterator[type]:
    for name, module in list(sys.modules.items()):
        if name.startswith(package.__name__ + "."):
            for kind in vars(module).values():
                if (
                    isinstance(kind, type)
                    and kind.__module__ == name
                    and kind.__setattr__ in (object.__setattr__, QObject.__setattr__)
                ):
                    yield kind


@contextmanager
def watched() -> Iterator[list[str]]:
    """While this is entered, writes of a second thread to any object of the window raise, and are listed."""
    found: list[str] = []
    owners: dict[int, tuple[weakref.ref[object], int]] = {}
    making: set[int] = set()
    lock = threading.Lock()
    kept: list[tuple[type, str, object]] = []

    def guarded(kind: type) -> None:
        write_plainly, make_plainly = kind.__setattr__, kind.__init__

        def write(self: object, name: str, value: object) -> None:
            now = threading.get_ident()
            with lock:
                # Who makes it may hand it to another.
                known, owner = owners.get(id(self), (lambda: None, now))
                if known() is not self:
                    owner = now
                    if id(self) not in making:
                        owners[id(self)] = weakref.ref(self), now
            if owner != now:
                found.append(f"{type(self).__name__}.{name} by {threading.current_thread().name}")
                raise ForeignThreadError(found[-1])
            write_plainly(self, name, value)

        @functools.wraps(make_plainly)
        def make(self: object, *told: object, **more: object) -> None:
            is_outermost = id(self) not in making
            making.add(id(self))
            try:
                make_plainly(self, *told, **more)
            finally:
                if is_outermost:
                    making.discard(id(self))

        for name, value in (("__setattr__", write), ("__init__", make)):
            kept.append((kind, name, vars(kind).get(name)))
            setattr(kind, name, value)

    for kind in _classes(ui):
        guarded(kind)
    try:
        yield found
    finally:
        for kind, name, mine in reversed(kept):
            if mine is None:
                delattr(kind, name)
            else:
                setattr(kind, name, mine)
