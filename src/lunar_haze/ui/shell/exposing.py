"""Exposing: the exposure that a meter asks for, set by one act, and said in a sentence."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.exposure import placed_at
from lunar_haze.core.picture.metering import LEAST_SEEN_CD_M2, Metered, Meters, meter
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session

#: A reading that asks for less than this changes nothing: pressed again the exposure stays [stops].
STAYS_WITHIN_STOPS = 0.15


class Exposing:
    """By the picture that the bridge shows; the session says what was done."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        self._session, self._bridge = session, bridge

    def meter(self, meters: Meters = Meters.LIT) -> None:
        """Set the exposure by metering the picture once, as soon as it is no stand-in."""
        if self._session.is_open and not self._bridge.shown.when_true(lambda: self._set(meters)):
            self._session.said.emit("waiting for the picture: a preview is not metered", False)

    def _set(self, meters: Meters) -> None:
        picture = self._bridge.shown.picture
        found = None if picture is None else meter(picture, self._subject(picture.shape[:2]), meters)
        if found is None:
            self._session.said.emit(self._why_not(meters), True)
            return
        document = self._session.document
        look = document.look
        brighter = look.ev100 - look.stops - found.ev100
        if abs(brighter) < STAYS_WITHIN_STOPS:
            self._session.said.emit(f"{_told(found)}: the exposure stays as it is", False)
            return
        self._session.act(f"exposure for the {meters.value}", placed_at(document, found.luminance_cd_m2, 0.0))
        way = "brighter" if brighter > 0 else "darker"
        self._session.said.emit(f"{_told(found)}; {abs(brighter):.1f} stops {way}", False)

    def _subject(self, size: tuple[int, int]) -> NDArray[np.bool_] | None:
        mask = self._bridge.lens.subject_mask(1)
        return mask if mask is not None and mask.shape == size else None

    def _why_not(self, meters: Meters) -> str:
        look = self._session.document.look
        if not look.sources:
            return "there is no light to meter: add a source first (A)"
        if not look.active():
            return "there is no light to meter: every source is muted; choose a card and press N to bring it up"
        if meters is Meters.SUBJECT:
            return "the subject is not seen or not lit in this shot: meter the lit parts, or choose a subject"
        return (
            f"the picture is black: nothing in it is brighter than {LEAST_SEEN_CD_M2:g} cd/m², the least that an eye "
            "sees; bring a source up, or point one at what the camera sees"
        )


def _told(found: Metered) -> str:
    return f"{found.what} on mid grey at EV {found.ev100:.1f}"
