"""From light to pixels on this screen: the finish of the look on screen, and views for small pictures."""

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished, plain_view
from lunar_haze.core.picture.display import DisplayTable
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.service.folders import cache_folder
from lunar_haze.ui.session.session import Session


def as_image(pixels: NDArray[np.uint8]) -> QImage:
    """A QImage of its own of screen pixels (H, W, 4) as the display table makes them."""
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32).copy()


class Screen(QObject):
    """``said`` (text, is_problem) when a finish cannot be shown as it is. Each belongs to one thread, since it keeps
    what it needs from one picture to the next.
    """

    said = Signal(str, bool)

    def __init__(self, session: Session, aside: bool = False) -> None:
        """``aside`` is for the window's thread: large tables are read elsewhere, the picture does without meanwhile."""
        super().__init__()
        self._session, self._aside = session, aside
        self._finisher: Finisher | None = None
        self._told = ""

    @property
    def _look(self) -> Look:
        return self._session.shown_look

    @property
    def finisher(self) -> Finisher:
        """What finishes; views are made or read on first use."""
        if self._finisher is None:
            self._finisher = Finisher(cache_folder())
        return self._finisher

    @property
    def table(self) -> DisplayTable:
        """The look's view alone, for pictures of shares."""
        return self.finisher.view(plain_view(self._look.finish))

    def exposure(self) -> float:
        """Factor from cd/m2 to exposed scene-linear of the look on screen."""
        return exposure_scale(self._look.ev100, self._look.stops)

    def image(self, light: NDArray[np.float32], scattered: NDArray[np.float32] | None = None) -> QImage:
        """The shot's light (h, w, 3) [cd/m2] as an image under the look's finish; ``scattered`` as `Finisher.show`."""
        return self.image_under(light, self._look, self._session.shown_shot, scattered)

    def image_under(
        self, light: NDArray[np.float32], look: Look, shot: Shot, scattered: NDArray[np.float32] | None = None
    ) -> QImage:
        """The same of any look and shot."""
        finish, scale, lens = look.finish, exposure_scale(look.ev100, look.stops), shot.seen_from.tan_half_width
        if self._aside and not self._session.tables.is_here(finish.in_force.table):
            finish = attrs.evolve(finish, table=None)
        try:
            return as_image(self.finisher.show(light, finish, scale, lens, scattered=scattered))
        except PictureError as error:
            if str(error) != self._told:
                self._told = str(error)
                self.said.emit(f"{error}; the picture is shown without it", True)
            without = attrs.evolve(finish, table=None)
            return as_image(self.finisher.show(light, without, scale, lens, scattered=scattered))

    def image_of(self, light: NDArray[np.float32], look: Look, shot: Shot) -> QImage:
        """A small picture (h, w, 3) [cd/m2] of a shot under a look, other than those on screen, as an image."""
        scale = exposure_scale(look.ev100, look.stops)
        finish = attrs.evolve(look.finish, table=None, masks=())
        return as_image(_codes(finished(light, finish, scale, shot.seen_from.tan_half_width)))


def still_codes(light: NDArray[np.float32], finish: Finish, scale: float, lens: float) -> NDArray[np.uint8]:
    """Screen pixels (h, w, 4), blue first, of light (h, w, 3) [cd/m2] as a still has it, on any thread.

    ``scale`` is the exposure, ``lens`` the tangent of half the lens's angle.
    """
    return _codes(finished(light, finish, scale, lens))


def _codes(shown: NDArray[np.floating]) -> NDArray[np.uint8]:
    """Screen pixels (h, w, 4), blue first, of display-encoded values (h, w, 3) in [0, 1]."""
    codes = np.rint(shown[..., ::-1] * 255.0).astype(np.uint8)
    return np.ascontiguousarray(np.concatenate([codes, np.full((*codes.shape[:2], 1), 255, np.uint8)], -1))
