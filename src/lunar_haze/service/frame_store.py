"""The pictures that are kept for coming back to, within what memory there is."""

from collections import OrderedDict

from lunar_haze.core.errors import EngineError
from lunar_haze.core.layers.model import FrameRequest, View
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.memory import allowed, limit_in_force, machine, needed_for


class FrameStore:
    """Frames by place and view, the one in use last; the others give way to it, and both to the machine's needs."""

    def __init__(self) -> None:
        self._frames: OrderedDict[tuple[str, View], Frame] = OrderedDict()
        #: Bytes that layers may take.
        self.limit = limit_in_force()

    def frame(self, request: FrameRequest, place: PackedPlace) -> Frame:
        """The frame of a request, a new one where there is none. Raises EngineError for one that has no room."""
        _judge_size(request)
        name = (request.place.key, request.view)
        frame = self._frames.pop(name, None) or Frame(place, request.view, self.limit // 2)
        self._frames[name] = frame
        self.shrink()
        return frame

    def forget(self, request: FrameRequest) -> None:
        """Begin the frame of a request anew."""
        self._frames.pop((request.place.key, request.view), None)

    def keep_within(self, limit_bytes: int) -> None:
        """Take no more than so many bytes from now on."""
        self.limit = limit_bytes
        self.shrink()

    def shrink(self) -> None:
        """Let go of what is only kept for later as far as memory asks for it, the oldest first."""
        used = self.memory_bytes
        most = allowed(self.limit, used, machine())
        for name in list(self._frames)[:-1]:
            if used <= most:
                return
            used -= self._frames.pop(name).memory_bytes
        for frame in self._frames.values():
            frame.shrink(most)

    @property
    def memory_bytes(self) -> int:
        """Bytes that layers take."""
        return sum(frame.memory_bytes for frame in self._frames.values())

    def clear(self) -> None:
        """Forget them all."""
        self._frames.clear()


def _judge_size(request: FrameRequest) -> None:
    needed, state = needed_for(request), machine()
    if needed > state.total - state.total // 10:
        view, count = request.view, len(request.layers)
        raise EngineError(
            f"a picture of {view.width}x{view.height} with {count} layers needs {needed / 1e9:,.0f} GB of memory; "
            f"this machine has {state.total / 1e9:,.0f} GB: choose a smaller size"
        )
