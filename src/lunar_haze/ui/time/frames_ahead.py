"""Small pictures of a shot's frames, made while one works: test frames, and frames whose light is not at hand."""

from collections.abc import Callable

import attrs
from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.document.model import Document
from lunar_haze.core.plan.frames import fitted_size
from lunar_haze.core.plan.sequence import FramePlan, planned_frames
from lunar_haze.service.client import RenderBackend, RenderClient
from lunar_haze.service.small_frames import PASSES, SmallFrame, SmallFrames
from lunar_haze.ui.session.session import Session

#: Room of small pictures [px].
SMALL = (240, 240)
#: Longer shots are not made ahead as a whole [frames].
MOST_AHEAD = 500
#: Where the air alone moves, frames so far apart come first, then those between: neighbours tell of the rest.
STRIDES = (24, 8, 4, 2, 1)
#: Neighbours tell of no frame farther away.
NEAR = 25
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
        #: Those of frames to come, by frame.
        self._ahead: dict[int, FramePlan] = {}
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
        if who == AHEAD:
            self._ahead = {plan.frame: plan for plan in plans}
        self._small.want(self._wanted())

    def _wanted(self) -> list[FramePlan]:
        return list({plan.name: plan for plans in self._asked.values() for plan in plans}.values())

    def small(self, plan: FramePlan) -> SmallFrame | None:
        """The small picture of a frame, None while it is not made."""
        return self._small.get(plan.name)

    def made_of(self, there: Document) -> SmallFrame | None:
        """The small picture of the document at its frame, where it was asked for as that is now, and is made."""
        plan = self._ahead.get(there.shot.frame)
        if plan is None or plan.look != there.look or plan.shot != there.shot:
            return None
        return self.small(plan)

    def made_around(self, frame: int, at: Callable[[int], Document]) -> tuple[SmallFrame, SmallFrame] | None:
        """The nearest small pictures that are made at or before a frame, and at or after it; None with none so near.

        ``at`` tells the document at a frame.
        """

        def is_made(other: int) -> bool:
            return other in self._ahead and self.small(self._ahead[other]) is not None

        before = next(filter(is_made, range(frame, frame - NEAR, -1)), None)
        after = next(filter(is_made, range(frame, frame + NEAR)), None)
        if before is None or after is None:
            return None
        one, other = self.made_of(at(before)), self.made_of(at(after))
        return None if one is None or other is None else (one, other)

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
        if moves and _is_air_alone(plans):
            plans = in_strides(plans)
        self.make(AHEAD, plans if moves else [])

    def pause(self, on: bool) -> None:
        """Make nothing for as long as frames go by, but what is asked for meanwhile; or go on."""
        self._small.want([] if on else self._wanted())

    def close(self) -> None:
        """End what runs."""
        self._rests.stop()
        self._small.close()


def in_strides(plans: list[FramePlan]) -> list[FramePlan]:
    """Plans of frames in turn: a few over all of them first, the last with those, then ever more between."""
    order: dict[int, FramePlan] = {}
    for stride in STRIDES:
        order |= {id(plan): plan for plan in (*plans[::stride], plans[-1])}
    return list(order.values())


def _is_air_alone(plans: list[FramePlan]) -> bool:
    """Whether the layers of frames differ by their air alone."""
    first = plans[0].request.layers
    return all(
        len(plan.request.layers) == len(first)
        and all(attrs.evolve(one, medium=other.medium) == other for one, other in zip(first, plan.request.layers))
        for plan in plans
    )
