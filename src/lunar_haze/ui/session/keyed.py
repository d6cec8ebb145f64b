"""What changes over the frames, as wells and patches of colour show it: keys set, deleted, and the cue done without."""

from PySide6.QtWidgets import QMenu

from lunar_haze.core.document.cues import can_be_keyed, cue_of, part_of, with_key, without_cue, without_key
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Cue
from lunar_haze.core.document.rows import facets_of
from lunar_haze.core.document.source_rows import GEL
from lunar_haze.ui.base.key_mark import AT_KEY, KEYED, STEADY
from lunar_haze.ui.session.session import Session


class Keyed:
    """A number of what is chosen, or several that are one thing, such as a colour: they get their keys together."""

    def __init__(self, session: Session, target: str, name: str, facets: tuple[Facet, ...]) -> None:
        self._session, self._target, self._name = session, target, name
        self._facets = [(f, part_of(target, f, session.chosen_bank, session.chosen_mask)) for f in facets]

    @property
    def cues(self) -> list[Cue]:
        """Their cues as they are now."""
        document = self._session.document
        found = (cue_of(document, self._target, facet.name, part) for facet, part in self._facets)
        return [cue for cue in found if cue is not None]

    @property
    def state(self) -> str:
        """Whether it is steady, changes over the frames, or has a key at the frame on screen."""
        cues, frame = self.cues, self._session.document.shot.frame
        if any(key.frame == frame for cue in cues for key in cue.keys):
            return AT_KEY
        return KEYED if cues else STEADY

    def set(self) -> None:
        """Set a key of what it is now at the frame on screen; one that is there stays, and that is told."""
        if self.state == AT_KEY:
            frame = self._session.document.shot.frame
            self._session.said.emit(f"{self._name} has its key at frame {frame}; Shift+K deletes it", False)
            return
        document = self._session.document
        for facet, part in self._facets:
            document = with_key(document, self._target, facet.name, facet.read(document), part)
        self._session.act(f"key of {self._name}", document)

    def remove(self) -> None:
        """Delete the key at the frame on screen, and tell it."""
        document = self._session.document
        frame = document.shot.frame
        if self.state != AT_KEY:
            self._session.said.emit(f"{self._name} has no key at frame {frame}", False)
            return
        for cue in self.cues:
            document = without_key(document, cue, frame)
        self._session.act(f"no key of {self._name}", document)
        self._session.said.emit(f"the key of {self._name} at frame {frame} is deleted; undo brings it back", False)

    def _steady(self) -> None:
        document = self._session.document
        for cue in self.cues:
            document = without_cue(document, cue)
        self._session.act(f"steady {self._name}", document)

    def offer(self, menu: QMenu) -> None:
        """Add what can be done with its keys to a menu."""
        frame = self._session.document.shot.frame
        is_set = self.state == AT_KEY
        if is_set:
            menu.addAction(f"delete the key at frame {frame}", self.remove)
        else:
            menu.addAction(f"set a key at frame {frame}", self.set)
        if self.cues:
            menu.addAction("remove keyframes", self._steady)


def keys_of(session: Session, target: str, facet: Facet) -> Keyed | None:
    """The keys of a number of a target, None where it cannot change over the frames."""
    return Keyed(session, target, facet.name, (facet,)) if can_be_keyed(target, facet) else None


def gel_keys(session: Session, target: str) -> Keyed | None:
    """The keys of a target's gel, its three numbers as one colour; None where it has none."""
    facets = tuple(f for f in facets_of(session.document, target).values() if f.section == GEL)
    return Keyed(session, target, GEL, facets) if facets else None
