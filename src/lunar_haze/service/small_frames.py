"""Small pictures of a shot's frames, made one after the other in a render process of their own while others work.

They stand beside the picture as test frames, and for frames whose light is not at hand when the shot is played.
"""

import functools
import logging
import threading
from collections import OrderedDict
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.errors import HazeError
from lunar_haze.core.plan.sequence import FramePlan
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.still import StillMaker

log = logging.getLogger(__name__)

#: Their passes, and how many are kept besides those that were asked for last: a step of undo finds its own again.
PASSES, OTHERS_KEPT = 6, 48


@attrs.frozen(eq=False)
class SmallFrame:
    """A frame's light (h, w, 3) [cd/m2], denoised, and which frame of which picture it is."""

    name: str
    frame: int
    light: NDArray[np.float32]


class SmallFrames:
    """Makes what was asked for last; ``made`` is told of each frame on the thread that made it.

    ``backend`` makes the render process that they are made in, once the first is asked for.
    """

    def __init__(self, backend: Callable[[], RenderBackend], made: Callable[[SmallFrame], None]) -> None:
        self._backend, self._made = backend, made
        self._lock = threading.Condition()
        self._due: list[FramePlan] = []
        self._asked = 0
        self._kept: OrderedDict[str, SmallFrame] = OrderedDict()
        #: Names of those that were asked for last; a pause asks for none.
        self._wanted: frozenset[str] = frozenset()
        self._thread: threading.Thread | None = None
        self._closing = False

    def want(self, plans: list[FramePlan]) -> None:
        """Make these frames, in this order, and no others that were asked for before."""
        with self._lock:
            self._due = [plan for plan in plans if plan.name not in self._kept]
            self._asked += 1
            if plans:
                self._wanted = frozenset(plan.name for plan in plans)
                self._forget()
            if self._due and self._thread is None and not self._closing:
                self._thread = threading.Thread(target=self._work, name="small-frames", daemon=True)
                self._thread.start()
            self._lock.notify()

    def get(self, name: str) -> SmallFrame | None:
        """The frame of a plan's digest, None while it is not made."""
        with self._lock:
            return self._kept.get(name)

    def close(self) -> None:
        """End the work."""
        with self._lock:
            self._closing, self._due = True, []
            self._lock.notify()
        if self._thread is not None:
            self._thread.join(timeout=5.0)

    def _work(self) -> None:
        maker: StillMaker | None = None
        number = 0
        try:
            while True:
                with self._lock:
                    while not self._due and not self._closing:
                        self._lock.wait()
                    if self._closing:
                        return
                    plan = self._due.pop(0)
                    asked = self._asked
                if maker is None:
                    maker = StillMaker(self._backend())
                number += 1
                request = attrs.evolve(plan.request, id=number)
                still = maker.still(request, cancelled=functools.partial(self._is_stale, plan, asked))
                if still is not None and still.clean is not None:
                    self._keep(SmallFrame(plan.name, plan.frame, still.clean))
        except HazeError as error:
            log.warning("no small frames: %s", error)
        except Exception:
            log.exception("small frames failed")
        finally:
            if maker is not None:
                maker.close()
            with self._lock:
                self._thread = None

    def _is_stale(self, plan: FramePlan, asked: int) -> bool:
        """Whether what is under way is of no use any longer: others were asked for since then."""
        with self._lock:
            if self._closing:
                return True
            return self._asked != asked and plan.name not in {other.name for other in self._due}

    def _forget(self) -> None:
        """Drop the oldest of those that nobody asks for any longer; under the lock."""
        others = [name for name in self._kept if name not in self._wanted]
        for name in others[: max(len(others) - OTHERS_KEPT, 0)]:
            del self._kept[name]

    def _keep(self, made: SmallFrame) -> None:
        with self._lock:
            self._kept[made.name] = made
            self._forget()
            if self._closing:
                return
        try:
            self._made(made)
        except RuntimeError:
            pass  # the window is closing
