"""What the picture measures, what is asked of it, and the balance that is proposed before it is taken."""

import logging

import attrs
import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.document.balance import BalanceChange, Change
from lunar_haze.core.document.cues import at_frame
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Grain
from lunar_haze.core.readings.look_reading import Readings, read
from lunar_haze.core.readings.remedies import Remedy
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.sky.ephemeris import heavens
from lunar_haze.core.solve.asks import Ask, AskError, Freedom
from lunar_haze.core.solve.settle import settle
from lunar_haze.core.solve.tints import Tint
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import still_codes
from lunar_haze.ui.readings.shares_feed import SharesFeed
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

#: Readings are renewed so often at the most [ms].
RENEWED_MS = 90
#: Under this height of the sun [deg] a look is a night.
NIGHT_DEG = -6.0
#: A dimmer that moves less is not worth a line [stops].
LEAST_MOVE = 0.02
#: How far the exposure moves where it may [stops].
EXPOSURE_SPAN = (-6.0, 6.0)


class Balance(QObject):
    """``renewed`` when there are new readings, ``proposed`` when another balance is shown, or none."""

    renewed = Signal()
    proposed = Signal()
    _done = Signal(object, object)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self._session, self._bridge = session, bridge
        self._feed = SharesFeed(session, bridge)
        #: The shares of the picture on screen, with what is proposed.
        self.shown: Shares | None = None
        self.readings: Readings | None = None
        self.asks: tuple[Ask, ...] = ()
        self.locked: frozenset[str] = frozenset()
        #: How far sources may move that are not simply free, by id; and whether the exposure may.
        self.freedoms: dict[str, Freedom] = {}
        self.moves_exposure = False
        #: What cannot be met of what is asked, in sentences.
        self.unmet: tuple[str, ...] = ()
        #: Whether anybody looks at the readings.
        self.is_watched = False
        self._busy, self._again = False, False
        self._timer = QTimer(self, singleShot=True, interval=RENEWED_MS)
        self._timer.timeout.connect(self._renew)
        bridge.shown.picture_changed.connect(self._soon)
        session.opened.connect(self._forget)
        self._done.connect(self._take)

    def measured(self) -> Shares | None:
        """What each source gives the picture on screen now; None until every active source has a layer."""
        return self._feed.shares(self._session.shown_look) if self._session.is_open else None

    # -- reading ----------------------------------------------------------------------------------

    def watch(self, on: bool) -> None:
        """Renew the readings from now on, or no longer."""
        self.is_watched = on
        if on:
            self._soon()

    def _soon(self) -> None:
        if self.is_watched and not self._timer.isActive():
            self._timer.start()

    def _forget(self) -> None:
        self.shown = self.readings = None
        self.asks, self.locked, self.unmet = (), frozenset(), ()
        self.freedoms, self.moves_exposure = {}, False
        self.propose(None)

    def _renew(self) -> None:
        if self._busy:
            self._again = True
            return
        shown = self.measured()
        if shown is None:
            return
        latitude, table = self._session.document.shot.latitude, self._bridge.shown.screen.table
        night = self._is_night()
        finish = attrs.evolve(self._session.shown_look.finish.in_force, grain=Grain(), masks=(), table=None)
        bare = Finish(view=finish.view)
        lens = self._session.shown_shot.seen_from.tan_half_width
        self._busy = True

        def work() -> Readings:
            screen = table.show(shown.picture, shown.scale, dither=False)[..., 2::-1]
            done = None if finish == bare else still_codes(shown.picture, finish, shown.scale, lens)[..., 2::-1]
            return read(shown, np.ascontiguousarray(screen), latitude, night, done)

        self._session.aside.then(work, lambda found: self._done.emit(shown, found))

    def _is_night(self) -> bool:
        look, site = self._session.shown_look, self._session.document.place.site
        return heavens(look.date, look.hour_h, site).sun.altitude_deg < NIGHT_DEG

    def _take(self, shown: Shares, found: Readings | None) -> None:
        self._busy = False
        self.shown = shown
        if found is not None:
            self.readings = found
            self.renewed.emit()
        if self._again:
            self._again = False
            self._soon()

    def present_shares(self) -> Shares | None:
        """The shares of the look as it is, without what is proposed; None until all its light is here."""
        return self._feed.shares(self._session.document.look) if self._session.is_open else None

    # -- asking -----------------------------------------------------------------------------------

    def ask(self, ask: Ask) -> None:
        """Ask for a reading, in place of what was asked for of the same kind; the answer is proposed."""
        rest = tuple(a for a in self.asks if (a.kind, a.source_id) != (ask.kind, ask.source_id))
        self.asks = (*rest, ask)
        self.settle()

    def drop(self, kind: str, source_id: str = "") -> None:
        """Ask for it no longer."""
        self.asks = tuple(a for a in self.asks if (a.kind, a.source_id) != (kind, source_id))
        self.settle()

    def lock(self, source_id: str, on: bool) -> None:
        """Let a source's dimmer stay where it is whatever is asked for."""
        self.locked = self.locked | {source_id} if on else self.locked - {source_id}
        if self.asks:
            self.settle()

    def set_free(self, source_id: str, freedom: Freedom) -> None:
        """Let a source move so far when asks are met."""
        self.freedoms = {**self.freedoms, source_id: freedom}
        if self.asks:
            self.settle()

    def free_exposure(self, on: bool) -> None:
        """Let the exposure move as well when asks are met, or not."""
        self.moves_exposure = on
        if self.asks:
            self.settle()

    def settle(self) -> None:
        """Solve for all that is asked, and propose the answer."""
        self.unmet = ()
        if not self.asks:
            self.propose(None)
            return
        shares = self.present_shares()
        if shares is None:
            self._session.said.emit("waiting for the picture: a part of its light is not here yet", False)
            return
        try:
            found = settle(shares, self.asks, self.locked, *self._spans())
        except AskError as error:
            self.asks = self.asks[:-1]
            self._session.said.emit(str(error), False)
            self.renewed.emit()
            return
        self.unmet = found.unmet
        moves = tuple(
            (share.id, float(move)) for share, move in zip(shares.sources, found.moves) if abs(move) >= LEAST_MOVE
        )
        mireds = tuple((share.id, float(mired)) for share, mired in zip(shares.sources, found.mireds) if mired)
        exposure = found.exposure if abs(found.exposure) >= LEAST_MOVE else 0.0
        self.propose(BalanceChange("settle", moves, (), exposure, mireds))
        if self.unmet:
            self._session.said.emit(self.unmet[0], False)

    def _spans(self) -> tuple[dict[str, tuple[float, float]], dict[str, Tint], tuple[float, float]]:
        """How far dimmers, colour temperatures and the exposure may move."""
        kelvins = {s.id: s.kelvin for s in self._session.document.look.sources if s.kelvin is not None}
        stops = {i: free.stops for i, free in self.freedoms.items() if free.stops is not None}
        colours = {
            i: Tint(kelvins[i], -free.mired[0], free.mired[1])
            for i, free in self.freedoms.items()
            if free.mired is not None and i in kelvins
        }
        return stops, colours, EXPOSURE_SPAN if self.moves_exposure else (0.0, 0.0)

    def try_remedy(self, remedy: Remedy) -> None:
        """Propose what would help."""
        self.asks, self.unmet = (), ()
        self.propose(BalanceChange(remedy.words, remedy.dimmers, remedy.mute, remedy.exposure))

    # -- proposing --------------------------------------------------------------------------------

    def propose(self, change: Change | None) -> None:
        """Show another balance, or none."""
        if change is not None and change.is_nothing:
            change = None
        self._session.propose(change)
        self.proposed.emit()
        self._soon()

    def take(self, source_ids: tuple[str, ...] | None = None) -> bool:
        """Take the balance that is proposed, of some sources alone if need be; False when there is none."""
        change = self._session.proposal
        if change is None:
            return False
        if source_ids is not None and isinstance(change, BalanceChange):
            change = change.only(source_ids)
        document = self._session.document
        look = change.on(document.look)
        looks = tuple(look if k.name == document.current_look else k for k in document.looks)
        self.asks, self.unmet = (), ()
        self.propose(None)
        taken = attrs.evolve(document, looks=looks)
        # Another look may have been kept at another frame; a balance is a hand on its dimmers.
        self._session.act(change.label, taken if isinstance(change, BalanceChange) else at_frame(taken))
        return True

    def leave(self) -> bool:
        """Leave the balance as it was; False when none is proposed."""
        if self._session.proposal is None:
            return False
        self.asks, self.unmet = (), ()
        self.propose(None)
        return True
