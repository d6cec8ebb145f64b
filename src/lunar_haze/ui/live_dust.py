"""Floating dust over the live picture: motes and how each layer lights them, as the renderer told last."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.dust import dusted
from lunar_haze.core.layers.model import LayerGain, View
from lunar_haze.core.layers.motes import LitMotes
from lunar_haze.ui.session import Session


class LiveDust:
    """``seen`` tells the view of the present picture, object numbers and distances, None before there is one; ``gains``
    those that the look on screen is mixed with.
    """

    def __init__(
        self,
        session: Session,
        seen: Callable[[], tuple[View, NDArray[np.int32], NDArray[np.float32]] | None],
        gains: Callable[[], tuple[LayerGain, ...]],
    ) -> None:
        self._session, self._seen, self._gains = session, seen, gains
        self._lit: LitMotes | None = None

    def take(self, lit: LitMotes | None) -> None:
        """The motes of the present picture, lit; None when it has none, or is another."""
        self._lit = lit

    def over(self, picture: NDArray[np.float32]) -> NDArray[np.float32]:
        """A picture (h, w, 3) [cd/m2] with the dust of the look on screen."""
        lit, finish = self._lit, self._session.shown_look.finish
        seen = self._seen() if lit is not None else None
        if lit is None or seen is None or seen[2].shape != picture.shape[:2]:
            return picture
        view, _owner, distance = seen
        return dusted(picture, finish, view.camera, lit, self._gains(), distance)
