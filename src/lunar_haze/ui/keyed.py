"""Numbers that change over the frames, as wells show them: keys set, deleted, and the cue done without."""

from PySide6.QtWidgets import QMenu

from lunar_haze.core.document.cues import can_be_keyed, cue_of, part_of, with_key, without_cue, without_key
from lunar_haze.core.document.model import Cue
from lunar_haze.core.document.rows import Facet
from lunar_haze.ui.key_mark import AT_KEY, KEYED, STEADY
from lunar_haze.ui.session import Session
from lunar_haze.ui.well import Well


class KeyedNumber:
    """One number of what is chosen, and its cue where it has one."""

    def __init__(self, session: Session, target: str, facet: Facet) -> None:
        self._session, self._target, self._facet = session, target, facet
        self._part = part_of(target, facet, session.chosen_bank, session.chosen_mask)
        self.can_be = can_be_keyed(target, facet)

    @property
    def cue(self) -> Cue | None:
        """Its cue as it is now."""
        return cue_of(self._session.document, self._target, self._facet.name, self._part)

    @property
    def state(self) -> str:
        """Whether it is steady, changes over the frames, or has a key at the frame on screen."""
        cue = self.cue
        if cue is None:
            return STEADY
        frame = self._session.document.shot.frame
        return AT_KEY if any(key.frame == frame for key in cue.keys) else KEYED

    def set_key(self) -> None:
        """Set a key of the present number at the frame on screen."""
        document = self._session.document
        value = self._facet.read(document)
        self._session.act(
            f"key of {self._facet.name}", with_key(document, self._target, self._facet.name, value, self._part)
        )

    def toggle(self) -> None:
        """Set a key at the frame on screen, or delete the one that is there."""
        cue = self.cue
        if self.state == AT_KEY and cue is not None:
            document = self._session.document
            self._session.act(f"no key of {self._facet.name}", without_key(document, cue, document.shot.frame))
        else:
            self.set_key()

    def offer(self, menu: QMenu) -> None:
        """Add what can be done with its keys to a menu."""
        frame = self._session.document.shot.frame
        state, cue = self.state, self.cue
        menu.addAction(
            f"delete the key at frame {frame}" if state == AT_KEY else f"set a key at frame {frame}", self.toggle
        )
        if cue is not None:
            menu.addAction(
                "steady from now on",
                lambda: self._session.act(f"steady {self._facet.name}", without_cue(self._session.document, cue)),
            )

    def bind(self, well: Well) -> None:
        """Let a well show and change it."""
        if self.can_be:
            well.cue_state = lambda: self.state
            well.offer_keys = self.offer
            well.toggle_key = self.toggle
