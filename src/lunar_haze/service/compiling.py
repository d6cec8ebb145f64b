"""Says so when a kernel has to be compiled while the program runs.

The warm-up compiles them all before; after an update, on another processor, or where its folder cannot be written,
one may be left. It takes seconds, once, and nobody should have to wonder what is going on.
"""

from collections.abc import Callable

from numba.core import event

#: What is told, to be followed by nothing: the sentence stands alone.
SENTENCE = "compiling the light kernels, once"


class _Teller(event.Listener):
    def __init__(self, tell: Callable[[bool], None]) -> None:
        self._tell = tell
        # One kernel compiles those that it calls: only the outermost is told.
        self._depth = 0

    def on_start(self, event: event.Event) -> None:
        self._depth += 1
        if self._depth == 1:
            self._tell(True)

    def on_end(self, event: event.Event) -> None:
        self._depth -= 1
        if self._depth == 0:
            self._tell(False)


def tell_compiling(tell: Callable[[bool], None]) -> Callable[[], None]:
    """Call ``tell(True)`` whenever a kernel begins to be compiled and ``tell(False)`` when that is done.

    What is read from disk is not told. The calls come on whichever thread compiles. Returns what ends the telling.
    """
    teller = _Teller(tell)
    event.register("numba:compile", teller)
    return lambda: event.unregister("numba:compile", teller)
