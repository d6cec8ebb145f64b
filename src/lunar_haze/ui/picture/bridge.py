"""Between the window and the render service.

Every change of the document is turned into a request by the pure planner (`asking`). Where the layers asked for are
the same, only gains have moved: the picture is mixed again here and now (`light`), and the service is told, so that it
denoises when the hand rests. `shown` is what is on screen of it, `lens` what the lens sees there.
"""

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.layers.model import FrameRequest
from lunar_haze.core.plan.frames import problem_sentences
from lunar_haze.service.board import Board
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.protocol import (
    BoardReady,
    Cleaned,
    Event,
    Failed,
    Finished,
    Incomplete,
    Lost,
    MotesLit,
    Preparing,
    Published,
    Restarted,
    Smoothed,
)
from lunar_haze.ui.picture.asking import Asking
from lunar_haze.ui.picture.lens import Lens
from lunar_haze.ui.picture.light_at_hand import LightAtHand
from lunar_haze.ui.picture.on_screen import OnScreen
from lunar_haze.ui.session.aside import handed
from lunar_haze.ui.session.session import Session


class RenderBridge(QObject):
    """Signals: ``progress`` (what, share), ``said`` (text, is_problem), ``lost`` (reason) when nothing renders any
    longer."""

    progress = Signal(str, float)
    said = Signal(str, bool)
    lost = Signal(str)
    _event = Signal(object, object)

    def __init__(self, session: Session, backend: RenderBackend) -> None:
        super().__init__()
        self.session = session
        self.backend = backend
        self.asking = Asking(session, backend)
        self.gains = self.asking.gains
        self.lens = Lens(session)
        self.light = LightAtHand(session, self.gains, self.lens)
        self.shown = OnScreen(session, self.light, self.asking.size)
        self.shown.screen.said.connect(self.said)
        self.asking.progress.connect(self.progress)
        self.asking.began.connect(self._began)
        self.asking.balanced.connect(self._balanced)
        self.light.complete.connect(self.asking.answered)
        self._event.connect(self._on_event)
        session.opened.connect(self._forget)
        session.proposal_changed.connect(self._follow_proposal)
        backend.start(lambda event: self._pass_on(event))

    def _pass_on(self, event: Event) -> None:
        handed(self._event.emit, event, self.backend.board)

    def _forget(self) -> None:
        self.asking.forget()
        self.light.forget()
        self.shown.forget()

    def _began(self, request: FrameRequest, is_same_view: bool) -> None:
        self.lens.view = request.view
        self.light.begin(request, is_same_view)
        self.shown.hold_for(*self._name())

    def _balanced(self) -> None:
        self.shown.is_of(*self._name())
        self.shown.refresh()

    def _name(self) -> tuple[str, str]:
        return self.session.shown_look.name, self.session.document.current_shot

    def _follow_proposal(self) -> None:
        self.shown.refresh()
        self.asking.follow_proposal()

    # -- answers --------------------------------------------------------------------------------

    def _on_event(self, event: Event, board: Board | None) -> None:
        if isinstance(event, BoardReady):
            self.lens.board = board
        elif isinstance(event, Preparing):
            self.progress.emit(event.what, event.share)
        elif isinstance(event, Restarted):
            short = "memory was used up: layers take half of it now, and the picture goes on; nothing is lost"
            ended = "the render process ended and was started again; nothing is lost"
            self.said.emit(short if event.for_memory else ended, event.for_memory)
        elif isinstance(event, Lost):
            self.asking.answered()
            self.lost.emit(event.reason)
        elif self.asking.is_asked(getattr(event, "request_id", -1)):
            self._take(event, board)

    def _take(self, event: Event, board: Board | None) -> None:
        """An answer to the last request."""
        if isinstance(event, Published):
            if board is not None and self.lens.is_on(board):
                self.lens.board = board
                self._tell_passes(event)
                self.light.take_layers(event, board)
        elif isinstance(event, Cleaned):
            if board is not None:
                self.light.take_clean(event, board)
        elif isinstance(event, Smoothed):
            if board is not None and self.lens.is_on(board):
                self.light.take_small(event, board)
        elif isinstance(event, MotesLit):
            self.light.take_motes(event.lit)
        elif isinstance(event, Finished):
            self.asking.finished = True
            self.asking.answered()
            self.progress.emit("", 1.0)
        elif isinstance(event, Incomplete):
            self._tell_problems(event)
        elif isinstance(event, Failed):
            self.asking.answered()
            self.said.emit(event.reason, True)

    def _tell_passes(self, event: Published) -> None:
        if event.passes and event.part_passes < event.part_target:
            self.progress.emit("refining the render region", event.part_passes / event.part_target)
        else:
            self.progress.emit("refining" if event.passes < event.target else "", event.passes / max(event.target, 1))

    def _tell_problems(self, event: Incomplete) -> None:
        view, spec = self.lens.view, self.session.place_spec
        if view is not None and spec is not None:
            for sentence in problem_sentences(self.session.document.look, view, spec.key, dict(event.problems)):
                self.said.emit(sentence, True)

    # -- the render process -----------------------------------------------------------------------

    @property
    def process_id(self) -> int | None:
        """Number of the render process."""
        return self.backend.process_id

    def keep_within(self, limit_bytes: int) -> None:
        """Let layers take so many bytes of memory."""
        self.backend.keep_within(limit_bytes)

    def hold(self, on: bool) -> None:
        """Let the light wait to be refined, or go on."""
        self.backend.hold(on)

    def try_again(self) -> None:
        """Start the render process once more after it was given up."""
        self.backend.try_again()
        self.asking.again()

    def close(self) -> None:
        """End the render process."""
        self.asking.close()
        self.backend.close()
        self.lens.board = None
        self.light.mix.forget()
