"""Between the session and the render service: what to ask for, and the picture on screen.

Every change of the document is turned into a request by the pure planner. Where the layers asked
for are the same, only gains have moved: the picture is mixed again here and now (`live_mix`), and
the service is told, so that it denoises when the hand rests.
"""

import logging
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage, Part, View
from lunar_haze.core.plan.frames import airs_of, fitted_size, frame_request, gains, problem_sentences, view_of
from lunar_haze.core.plan.shares import subject_in
from lunar_haze.core.sky.tables import is_ready
from lunar_haze.core.sources.model import Source
from lunar_haze.service.board import Board
from lunar_haze.service.client import RenderBackend, images_on
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
from lunar_haze.ui.picture.held_pictures import HeldPictures
from lunar_haze.ui.picture.live_dust import LiveDust
from lunar_haze.ui.picture.live_masks import LiveMasks
from lunar_haze.ui.picture.live_mix import LiveMix
from lunar_haze.ui.picture.over_light import OverLight
from lunar_haze.ui.picture.screen import Screen
from lunar_haze.ui.picture.seen import Seen, seen_at
from lunar_haze.ui.picture.sky_tables import SkyTables
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

SETTLE_MS = 220
#: A request without an answer for so long is given up for the next one.
PATIENCE_MS = 3000
PASSES = 32
#: From so many passes on a picture is measured.
TRUE_FROM = 1
#: Largest live picture [px]; the still may be any size.
MAX_WIDTH, MAX_HEIGHT = 960, 540


class RenderBridge(QObject):
    """Signals: ``picture_changed`` when the screen picture is new, ``progress`` (what, share), ``frame_shown`` when a
    frame is played, ``refined`` when layers are new, ``denoised`` when some of them are denoised by themselves,
    ``said`` (text, is_problem), ``lost`` (reason) when nothing renders any longer."""

    picture_changed = Signal()
    frame_shown = Signal()
    part_changed = Signal()
    refined = Signal()
    denoised = Signal()
    progress = Signal(str, float)
    said = Signal(str, bool)
    lost = Signal(str)
    _event = Signal(object, object)

    def __init__(self, session: Session, backend: RenderBackend) -> None:
        super().__init__()
        self.session = session
        self._backend = backend
        #: What makes pixels of light.
        self.screen = Screen(session, aside=True)
        self.screen.said.connect(self.said)
        self.masks = LiveMasks(session, self._seen_by_the_lens)
        self.masks.renewed.connect(self.refresh)
        session.tables.here.connect(self.refresh)
        self.dust = LiveDust(self._seen_by_the_lens)
        self._request: FrameRequest | None = None
        self._request_id = 0
        self._mix_id = 0
        self._gains_by_mix: dict[int, tuple[LayerGain, ...]] = {}
        #: The gains that were told last: what changes none of them, such as a finish, is no news to the service.
        self._told_gains: tuple[LayerGain, ...] = ()
        self._area = (MAX_WIDTH, MAX_HEIGHT)
        self.mix = LiveMix()
        self._board: Board | None = None
        self.picture: NDArray[np.float32] | None = None
        self.image = QImage()
        self._held = HeldPictures()
        #: The look and the shot that the layers at hand were asked for.
        self._of: tuple[str, str] | None = None
        #: Whether another look or shot was chosen, of which there is no light yet: its last picture is held meanwhile.
        self.waits = False
        self.finished = False
        #: Passes of the layers that the picture on screen is made of; 0 while stand-ins are among them.
        self.shown_passes = 0
        #: The part of the frame that goes ahead of the rest, None for none.
        self.part: Part | None = None
        self._waiting: list[Callable[[], None]] = []
        self._settle = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._settle.timeout.connect(self._settled)
        self._asking = QTimer(self, singleShot=True, interval=0)
        self._asking.timeout.connect(self._ask)
        # One request at a time: under a moving hand each is answered before the next is asked.
        self._unanswered = QTimer(self, singleShot=True, interval=PATIENCE_MS)
        self._unanswered.timeout.connect(self._asking.start)
        self._ask_again = False
        self._tables = SkyTables()
        self._tables.began.connect(lambda: self.progress.emit("making the sky", 0.0))
        self._tables.made.connect(self._sky_is_made)
        self._event.connect(self._on_event)
        session.changed.connect(self._asking.start)
        session.opened.connect(self._forget)
        session.proposal_changed.connect(self._follow_proposal)
        backend.start(lambda event: self._pass_on(event))

    def _pass_on(self, event: Event) -> None:
        try:
            self._event.emit(event, self._backend.board)
        except RuntimeError:
            pass  # the window is closing

    # -- asking ---------------------------------------------------------------------------------

    def set_area(self, width: int, height: int) -> None:
        """The picture's room on screen [px]."""
        area = (min(width, MAX_WIDTH), min(height, MAX_HEIGHT))
        if area != self._area:
            self._area = area
            self._asking.start()

    def set_part(self, part: Part | None) -> None:
        """Let a part of the frame go ahead of the rest, and farther; None for none."""
        if part != self.part:
            self.part = part
            self._asking.start()
            self.part_changed.emit()

    def when_true(self, act: Callable[[], None]) -> bool:
        """Do something as soon as the picture on screen is no stand-in; says whether that is now."""
        if self.shown_passes >= TRUE_FROM:
            act()
            return True
        self._waiting = [act]
        return False

    def _forget(self) -> None:
        self._request = None
        self.set_part(None)
        self.shown_passes, self._waiting = 0, []
        self._unanswered.stop()
        self.mix.forget()
        self._held.forget()
        self._of, self.waits, self.image = None, False, QImage()
        self.picture = None

    def size(self) -> tuple[int, int]:
        """Size of the live picture [px]."""
        return fitted_size(self.session.document.shot, *self._area)

    def present_gains(self) -> tuple[LayerGain, ...]:
        """Gains of the look as it is now."""
        return self._gains_of(self.session.shown_look)

    def _gains_of(self, look: Look, shot: Shot | None = None) -> tuple[LayerGain, ...]:
        """Gains of a look at the frame of a shot, that on screen if None, of layers in the air as it is on screen."""
        spec, on_screen = self.session.place_spec, self.session.document.shot
        if spec is None:
            return ()
        return gains(look, view_of(shot or on_screen, self.size()), spec.key, on_screen.seconds)

    def _shown_gains(self) -> tuple[LayerGain, ...]:
        """The present gains; those asked for last where the hand has moved on since then."""
        present = self.present_gains()
        return self._request.gains if self._request is not None and not self._is_asked_for(present) else present

    def _is_asked_for(self, present: tuple[LayerGain, ...]) -> bool:
        """Whether the last request holds all layers that gains need."""
        asked = {spec.key() for spec in self._request.layers} if self._request is not None else set()
        return all(g.key in asked or g.is_silent for g in present)

    def _follow_proposal(self) -> None:
        """A balance is shown at once; another look, such as a blend of two, may need light of its own."""
        self.refresh()
        if self._request is None:
            return
        if not self._is_asked_for(self.present_gains()):
            self._asking.start()
        elif self.session.played is None:
            # What dims one source and lifts another lays its grain bare: it is denoised as it is shown.
            self._settle.start()

    def lone_gains(self, sources: tuple[Source, ...]) -> tuple[LayerGain, ...]:
        """The gains of balanced sources as if they were alone."""
        return self._gains_of(attrs.evolve(self.session.document.look, sources=sources, groups=()))

    def _ask(self) -> None:
        session = self.session
        if not session.is_open or session.place_spec is None:
            return
        if self._unanswered.isActive():
            self._ask_again = True
            return
        document = session.document
        if not self._tables.are_there(session.shown_look):
            return
        request = frame_request(
            self._request_id + 1,
            session.place_spec,
            document.shot,
            session.shown_look,
            self.size(),
            PASSES,
            part=self.part,
        )
        known = {s.key() for s in self._request.layers} if self._request else set()
        same_view = self._request and (request.view, request.part) == (self._request.view, self._request.part)
        same_motes = self._request is not None and request.motes == self._request.motes
        if same_view and same_motes and {s.key() for s in request.layers} <= known:
            # Another look of the same layers is a balance of what is at hand.
            self._of = (session.shown_look.name, document.current_shot)
            if request.gains != self._told_gains:
                self._told_gains = request.gains
                self._mix_id += 1
                self._backend.balance(self._mix_id, request.gains, False)
                self._settle.start()
            self.refresh()
        else:
            self._request_id += 1
            self._mix_id = 0
            self._gains_by_mix = {0: request.gains}
            if not same_view:
                self.masks.forget()
            if not same_view or request.motes is None:
                self.dust.take(None)
            self._request, self._told_gains = request, request.gains
            self.finished = False
            self._settle.stop()
            self._unanswered.start()
            self._ask_again = False
            self.shown_passes = 0
            self._hold_for(document.current_shot)
            self._backend.want(request)
            self.progress.emit("waiting for the picture", 0.0)

    def _hold_for(self, shot: str) -> None:
        """Until there is light of another look or shot its own last picture is shown, or none: no other's light."""
        of = (self.session.shown_look.name, shot)
        if of == self._of:
            return
        self._of, self.waits, self.picture = of, True, None
        self.mix.drop_clean()
        self.image = self._held.of(of)
        self.picture_changed.emit()

    def _answered(self) -> None:
        self._unanswered.stop()
        if self._ask_again:
            self._asking.start()

    def _sky_is_made(self) -> None:
        self.progress.emit("", 1.0)
        # Widgets that tell a sky's colour can do so now.
        self.session.changed.emit()

    def _settled(self) -> None:
        self._mix_id += 1
        present = self.present_gains()
        self._gains_by_mix[self._mix_id] = present
        self._backend.balance(self._mix_id, present, True)

    # -- answers --------------------------------------------------------------------------------

    def _on_event(self, event: Event, board: Board | None) -> None:
        if isinstance(event, BoardReady):
            self._board = board
        elif isinstance(event, Preparing):
            self.progress.emit(event.what, event.share)
        elif isinstance(event, Restarted):
            short = "memory was used up: layers take half of it now, and the picture goes on; nothing is lost"
            ended = "the render process ended and was started again; nothing is lost"
            self.said.emit(short if event.for_memory else ended, event.for_memory)
        elif isinstance(event, Lost):
            self._answered()
            self.lost.emit(event.reason)
        elif self._request is None or getattr(event, "request_id", -1) not in (self._request.id, -1):
            return
        elif isinstance(event, Published):
            self._take_layers(event, board)
        elif isinstance(event, Cleaned):
            self._take_clean(event, board)
        elif isinstance(event, Smoothed):
            self._take_small(event, board)
        elif isinstance(event, MotesLit):
            self.dust.take(event.lit)
            self.refresh()
        elif isinstance(event, Finished):
            self.finished = True
            self._answered()
            self.progress.emit("", 1.0)
        elif isinstance(event, Incomplete):
            document, spec = self.session.document, self.session.place_spec
            if spec is not None:
                view = view_of(document.shot, self.size())
                for sentence in problem_sentences(document.look, view, spec.key, dict(event.problems)):
                    self.said.emit(sentence, True)
        elif isinstance(event, Failed):
            self._answered()
            self.said.emit(event.reason, True)

    def _take_layers(self, event: Published, board: Board | None) -> None:
        view = self._request.view if self._request is not None else None
        if board is None or view is None or (board.width, board.height) != (view.width, view.height):
            return
        self._board = board
        images = images_on(board, event)
        active = {g.key for g in self._shown_gains() if not g.is_silent}
        self.mix.set_layers(images, active)
        if event.passes and event.part_passes < event.part_target:
            self.progress.emit("refining the part of the frame", event.part_passes / event.part_target)
        else:
            self.progress.emit("refining" if event.passes < event.target else "", event.passes / max(event.target, 1))
        # Without some of its light the picture would be dark for a moment: the old one stays that long.
        if active <= self.mix.images.keys():
            self.waits = False
            self.refresh()
            self._answered()
        self.refined.emit()

    def _take_clean(self, event: Cleaned, board: Board | None) -> None:
        made_with = self._gains_by_mix.get(event.mix_id)
        if board is None or made_with is None or self._request is None:
            return
        if board.clean.shape[1] != self._request.view.width:
            return
        for old in [m for m in self._gains_by_mix if m < event.mix_id]:
            del self._gains_by_mix[old]
        self.mix.set_clean(board.clean.copy(), made_with, event.passes)
        self.waits = False
        self.refresh()
        self._answered()

    def _take_small(self, event: Smoothed, board: Board | None) -> None:
        request = self._request
        if board is None or request is None or (board.width, board.height) != (request.view.width, request.view.height):
            return
        small, whole = (
            {at.key: (room[at.slot, 0], room[at.slot, 1]) for at in layers}
            for room, layers in ((board.small, event.layers), (board.whole, event.whole))
        )
        self.mix.set_denoised(small, whole)
        self.denoised.emit()
        if self.mix.clean_gains and self.mix.clean_gains != self._shown_gains():
            self.refresh()

    # -- picture --------------------------------------------------------------------------------

    def exposure(self) -> float:
        """Factor from cd/m2 to exposed scene-linear of the present look."""
        return self.screen.exposure()

    def over_light(self, look: Look, shot: Shot, size: tuple[int, int]) -> OverLight:
        """What lays masks and dust of a look at the frame of a shot on light of a size (h, w), on any thread."""
        shown = look is self.session.shown_look and shot is self.session.document.shot
        now = self._shown_gains() if shown else self._gains_of(look, shot)
        masks = self.masks.now(look, size, lambda source_id: self._part_of(source_id, look, shot))
        return OverLight(masks, self.dust.now(look, shot.seconds, size, now))

    def refresh(self) -> None:
        """Mix and show the picture as it stands."""
        if not self.session.is_open or self.session.place_spec is None or self.session.played is not None:
            return
        if self.waits:
            return
        if any(not is_ready(air) for air in airs_of(self.session.shown_look)):
            return
        scatter = layer_scatter(self.session.shown_look.finish, self.size()[1])
        mixed, passes = self.mix.picture(self._shown_gains(), scatter)
        if mixed is None:
            return
        self.picture = mixed.light
        self.shown_passes = max(passes, 0)
        over = self.over_light(self.session.shown_look, self.session.document.shot, mixed.light.shape[:2])
        light = over(mixed.light)
        self.image = self.screen.image(light, mixed.scattered)
        if self.shown_passes >= TRUE_FROM and self._of is not None:
            self._held.keep(self._of, self.image)
        self.picture_changed.emit()
        if self.shown_passes >= TRUE_FROM:
            waiting, self._waiting = self._waiting, []
            for act in waiting:
                act()

    # -- frames that are played -------------------------------------------------------------------

    def show_frame(self, image: QImage) -> None:
        """Show a frame that is played."""
        self.image = image
        self.frame_shown.emit()

    def layer(self, key: str) -> LayerImage | None:
        """A layer of the present picture as it is so far; None when it is not known."""
        return self.mix.images.get(key)

    def subject_mask(self, step: int) -> NDArray[np.bool_] | None:
        """Where the shot's subject is seen, ``step`` times smaller; None when it is not known or not in the picture."""
        place, board, subject = self.session.place, self._board, self.session.document.shot.subject
        if place is None or board is None or not subject:
            return None
        return subject_in(board.owner[..., 0], place.objects, subject, step)

    def _on_board(self) -> tuple[View, Board] | None:
        """The view of the last request and the board, where that is of its size."""
        board, request = self._board, self._request
        if board is None or request is None:
            return None
        fits = (board.width, board.height) == (request.view.width, request.view.height)
        return (request.view, board) if fits else None

    def _seen_by_the_lens(self) -> tuple[View, NDArray[np.int32], NDArray[np.float32]] | None:
        found = self._on_board()
        return None if found is None or self.picture is None else (found[0], found[1].owner[..., 0], found[1].depth)

    def _part_of(self, source_id: str, look: Look, shot: Shot) -> list[tuple[LayerImage, LayerGain]]:
        """The layers, and their gains, of what an active source of a look gives at the frame of a shot."""
        source = next((s for s in look.balanced() if s.id == source_id and s.id in look.active()), None)
        if source is None:
            return []
        alone = self._gains_of(attrs.evolve(look, sources=(source,), groups=()), shot)
        return [(self.mix.images[gain.key], gain) for gain in alone if gain.key in self.mix.images]

    def seen_at(self, x: float, y: float) -> Seen | None:
        """What lies under picture position x, y in [0, 1]; None for the sky or before the first answer."""
        found = self._on_board()
        return None if found is None else seen_at(*found, x, y)

    @property
    def process_id(self) -> int | None:
        """Number of the render process."""
        return self._backend.process_id

    def keep_within(self, limit_bytes: int) -> None:
        """Let layers take so many bytes of memory."""
        self._backend.keep_within(limit_bytes)

    def hold(self, on: bool) -> None:
        """Let the light wait to be refined, or go on."""
        self._backend.hold(on)

    def try_again(self) -> None:
        """Start the render process once more after it was given up."""
        self._request = None
        self._backend.try_again()
        self._asking.start()

    def close(self) -> None:
        """End the render process."""
        for timer in (self._settle, self._asking, self._unanswered):
            timer.stop()
        self._backend.close()
        self._board = None
        self.mix.forget()
