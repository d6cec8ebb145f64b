"""Small pictures of a shot's frames, made while one works: test frames, and frames whose light is not at hand."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.plan.frames import fitted_size
from lunar_haze.core.plan.sequence import FramePlan, planned_frames
from lunar_haze.service.client import RenderBackend, RenderClient
from lunar_haze.service.small_frames import PASSES, SmallFrame, SmallFrames
from lunar_haze.ui.session import Session

#: Room of small pictures [px].
SMALL = (240, 240)
#: Longer shots are not made ahead as a whole [frames].
MOST_AHEAD = 500
#: How long a look rests before its small frames are made anew [ms].
RESTS_MS = 1200
#: Who waits for small frames, in the order in which they are served.
TEST_FRAMES, AHEAD = "test frames", "ahead"


class FramesAhead(QObject):
    """``renewed`` is emitted when small frames are new.

    ``bounds`` tells the first and last frame that are played, ``is_playing`` whether they are.
    """

    renewed = Signal()
    _made = Signal(object)

    def __init__(self, session: Session, bounds: Callable[[], tuple[int, int]], is_playing: Callable[[], bool]) -> None:
        super().__init__()
        self._session, self._bounds, self._is_playing = session, bounds, is_playing
        #: Makes the render process of small frames; tests put an instant one in its place.
        self.backend: Callable[[], RenderBackend] = RenderClient
        self._small = SmallFrames(lambda: self.backend(), lambda made: self._made.emit(made))
        self._made.connect(lambda _made: self.renewed.emit())
        self._asked: dict[str, list[FramePlan]] = {TEST_FRAMES: [], AHEAD: []}
        self._looks_ahead = False
        self._rests = QTimer(self, singleShot=True, interval=RESTS_MS)
        self._rests.timeout.connect(self._make_all)
        session.changed.connect(self._edited)

    def plans(self, frames: tuple[int, ...]) -> list[FramePlan]:
        """Small pictures of frames of the shot on screen, as they are to be made; none while no place is open."""
        session = self._session
        if not session.is_open or session.place_spec is None:
            return []
        size = fitted_size(session.document.shot, *SMALL)
        return list(planned_frames(session.document, session.place_spec, frames, size, PASSES))

    def make(self, who: str, plans: list[FramePlan]) -> None:
        """Have small pictures made for somebody, in this order."""
        self._asked[who] = plans
        wanted = {plan.digest(): plan for plans in self._asked.values() for plan in plans}
        self._small.want(list(wanted.values()))

    def small(self, plan: FramePlan) -> SmallFrame | None:
        """The small picture of a frame, None while it is not made."""
        return self._small.get(plan.digest())

    def look_ahead(self, on: bool) -> None:
        """Make small pictures of frames whose light is not at hand whenever the look rests, or not."""
        self._looks_ahead = on
        if on:
            self._rests.start()
        else:
            self._rests.stop()
            self.make(AHEAD, [])

    def _edited(self) -> None:
        if self._looks_ahead:
            self._rests.start()

    def _make_all(self) -> None:
        if self._is_playing() or not self._session.is_open:
            return
        first, last = self._bounds()
        if last - first >= MOST_AHEAD:
            return
        plans = self.plans(tuple(range(first, last + 1)))
        # Where frames differ by balance alone all are there already.
        moves = len({tuple(spec.key() for spec in plan.request.layers) for plan in plans}) > 1
        self.make(AHEAD, plans if moves else [])

    def close(self) -> None:
        """End what runs."""
        self._rests.stop()
        self._small.close()
