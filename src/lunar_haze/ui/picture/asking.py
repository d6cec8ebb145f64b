"""What the render service is asked for: requests of layers, told gains, one request at a time."""

from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.layers.model import FrameRequest, Part
from lunar_haze.core.plan.frames import fitted_size, frame_request
from lunar_haze.service.client import RenderBackend
from lunar_haze.ui.picture.gains_now import GainsNow
from lunar_haze.ui.picture.sky_tables import SkyTables
from lunar_haze.ui.session.session import Session

SETTLE_MS = 220
#: A request without an answer for so long is given up for the next one.
PATIENCE_MS = 3000
PASSES = 32
#: Largest live picture [px]; the still may be any size.
MAX_WIDTH, MAX_HEIGHT = 960, 540


class Asking(QObject):
    """Signals: ``began`` (request, whether the view is as before), ``balanced`` when the layers asked for serve the
    document as it is now, ``progress`` (what, share), ``part_changed``.
    """

    began = Signal(object, bool)
    balanced = Signal()
    progress = Signal(str, float)
    part_changed = Signal()

    def __init__(self, session: Session, backend: RenderBackend) -> None:
        super().__init__()
        self._session, self._backend = session, backend
        self.gains = GainsNow(session, self.size)
        self.request: FrameRequest | None = None
        self._number = 0
        self._area = (MAX_WIDTH, MAX_HEIGHT)
        #: The part of the frame that goes ahead of the rest, None for none.
        self.part: Part | None = None
        #: Whether all passes of the request are made.
        self.finished = False
        self._settle = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._settle.timeout.connect(self._settled)
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._ask)
        # One request at a time: under a moving hand each is answered before the next is asked.
        self._unanswered = QTimer(self, singleShot=True, interval=PATIENCE_MS)
        self._unanswered.timeout.connect(self._soon.start)
        self._again = False
        self._tables = SkyTables(session.aside)
        self._tables.began.connect(self._sky_begins)
        self._tables.made.connect(self._sky_is_made)
        session.changed.connect(self._soon.start)

    # -- for whom -----------------------------------------------------------------------------------

    def set_area(self, width: int, height: int) -> None:
        """The picture's room on screen [px]."""
        area = (min(width, MAX_WIDTH), min(height, MAX_HEIGHT))
        if area != self._area:
            self._area = area
            self._soon.start()

    def size(self) -> tuple[int, int]:
        """Size of the live picture [px]."""
        return fitted_size(self._session.document.shot, *self._area)

    def set_part(self, part: Part | None) -> None:
        """Let a part of the frame go ahead of the rest, and farther; None for none."""
        if part != self.part:
            self.part = part
            self._soon.start()
            self.part_changed.emit()

    # -- asking -------------------------------------------------------------------------------------

    def _ask(self) -> None:
        session = self._session
        if not session.is_open or session.place_spec is None:
            return
        if self._unanswered.isActive():
            self._again = True
            return
        if not self._tables.are_there(session.shown_look):
            return
        shot, look, before = session.document.shot, session.shown_look, self.request
        request = frame_request(
            self._number + 1, session.place_spec, shot, look, self.size(), PASSES, part=self.part
        )  # fmt: skip
        known = {s.key() for s in before.layers} if before is not None else set()
        is_same_view = before is not None and (before.view, before.part) == (request.view, request.part)
        has_same_motes = before is not None and before.motes == request.motes
        if is_same_view and has_same_motes and {s.key() for s in request.layers} <= known:
            # Another look of the same layers is a balance of what is at hand.
            number = self.gains.tell(request.gains)
            if number is not None:
                self._backend.balance(number, request.gains, False)
                self._settle.start()
            self.balanced.emit()
            return
        self._number += 1
        self.request = request
        self.gains.begin(request)
        self.finished = self._again = False
        self._settle.stop()
        self._unanswered.start()
        self.began.emit(request, is_same_view)
        self._backend.want(request)
        self.progress.emit("waiting for the picture", 0.0)

    def follow_proposal(self) -> None:
        """A balance is shown at once; another look, such as a blend of two, may need light of its own."""
        if self.request is None:
            return
        if not self.gains.are_asked_for(self.gains.present()):
            self._soon.start()
        elif self._session.played is None:
            # What dims one source and lifts another lays its grain bare: it is denoised as it is shown.
            self._settle.start()

    def _settled(self) -> None:
        self._backend.balance(*self.gains.settle(), True)

    def _sky_begins(self) -> None:
        self.progress.emit("making the sky", 0.0)

    def _sky_is_made(self) -> None:
        self.progress.emit("", 1.0)
        # Widgets that tell a sky's colour can do so now.
        self._session.changed.emit()

    # -- answers ------------------------------------------------------------------------------------

    def is_asked(self, request_id: int) -> bool:
        """Whether an answer is one to the last request, or to any (-1)."""
        return self.request is not None and request_id in (self.request.id, -1)

    def answered(self) -> None:
        """The request has its first picture, or none will come."""
        self._unanswered.stop()
        if self._again:
            self._soon.start()

    def forget(self) -> None:
        """Another document is at hand."""
        self._drop_request()
        self.set_part(None)
        self._unanswered.stop()

    def again(self) -> None:
        """Ask anew, whatever was asked before."""
        self._drop_request()
        self._soon.start()

    def _drop_request(self) -> None:
        self.request = None
        self.gains.begin(None)

    def close(self) -> None:
        """Ask for nothing more."""
        for timer in (self._settle, self._soon, self._unanswered):
            timer.stop()
