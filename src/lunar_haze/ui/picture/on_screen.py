"""What is on screen: the light at hand made into pixels, a held picture while there is none, or a frame that plays."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.plan.frames import airs_of
from lunar_haze.core.sky.tables import is_ready
from lunar_haze.ui.picture.held_pictures import HeldPictures
from lunar_haze.ui.picture.light_at_hand import LightAtHand
from lunar_haze.ui.picture.screen import Screen
from lunar_haze.ui.session.session import Session

#: From so many passes on a picture is measured.
TRUE_FROM = 1


class OnScreen(QObject):
    """Signals: ``picture_changed`` when the picture is new, ``frame_shown`` when a frame is played."""

    picture_changed = Signal()
    frame_shown = Signal()

    def __init__(self, session: Session, light: LightAtHand, size: Callable[[], tuple[int, int]]) -> None:
        super().__init__()
        self._session, self._light, self._size = session, light, size
        #: What makes pixels of light.
        self.screen = Screen(session, aside=True)
        self.image = QImage()
        self._held = HeldPictures()
        #: The look and the shot that the layers at hand were asked for.
        self._of: tuple[str, str] | None = None
        #: Whether another look or shot was chosen, of which there is no light yet: its last picture is held meanwhile.
        self.waits = False
        #: Passes of the layers that the picture on screen is made of; 0 while stand-ins are among them.
        self.passes = 0
        self._waiting: list[Callable[[], None]] = []
        light.complete.connect(self._light_is_here)
        light.renewed.connect(self.refresh)
        session.tables.here.connect(self.refresh)

    @property
    def picture(self) -> NDArray[np.float32] | None:
        """The light (h, w, 3) [cd/m2] of the picture, without what lies over it; None before there is any."""
        return self._light.picture

    def exposure(self) -> float:
        """Factor from cd/m2 to exposed scene-linear of the present look."""
        return self.screen.exposure()

    def forget(self) -> None:
        """Another document is at hand."""
        self.passes, self._waiting = 0, []
        self._held.forget()
        self._of, self.waits, self.image = None, False, QImage()

    def hold_for(self, look: str, shot: str) -> None:
        """Until there is light of another look or shot its own last picture is shown, or none: no other's light."""
        self.passes = 0
        if (look, shot) == self._of:
            return
        self._of, self.waits = (look, shot), True
        self._light.drop_picture()
        self.image = self._held.of(self._of)
        self.picture_changed.emit()

    def is_of(self, look: str, shot: str) -> None:
        """The same layers serve another look or shot."""
        self._of = (look, shot)

    def _light_is_here(self) -> None:
        self.waits = False
        self.refresh()

    def when_true(self, act: Callable[[], None]) -> bool:
        """Do something as soon as the picture on screen is no stand-in; says whether that is now."""
        if self.passes >= TRUE_FROM:
            act()
            return True
        self._waiting = [act]
        return False

    def refresh(self) -> None:
        """Mix and show the picture as it stands."""
        session = self._session
        if not session.is_open or session.place_spec is None or session.played is not None or self.waits:
            return
        if any(not is_ready(air) for air in airs_of(session.shown_look)):
            return
        found = self._light.mixed(self._size())
        if found is None:
            return
        mixed, self.passes = found
        over = self._light.over_light(session.shown_look, session.document.shot, mixed.light.shape[:2])
        self.image = self.screen.image(over(mixed.light), mixed.scattered)
        is_true = self.passes >= TRUE_FROM
        if is_true and self._of is not None:
            self._held.keep(self._of, self.image)
        self.picture_changed.emit()
        if is_true:
            waiting, self._waiting = self._waiting, []
            for act in waiting:
                act()

    def show_frame(self, image: QImage) -> None:
        """Show a frame that is played."""
        self.image = image
        self.frame_shown.emit()
