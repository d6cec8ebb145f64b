"""Floating dust over the live picture: motes and how each layer lights them, as the renderer told last."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.dust import dusted, sum_of
from lunar_haze.core.layers.model import LayerGain, View
from lunar_haze.service.protocol import MotesLit
from lunar_haze.ui.session import Session


class LiveDust:
    """``seen`` tells the view of the present picture, object numbers and distances; None before there is one."""

    def __init__(
        self, session: Session, seen: Callable[[], tuple[View, NDArray[np.int32], NDArray[np.float32]] | None]
    ) -> None:
        self._session, self._seen = session, seen
        self._lit: MotesLit | None = None

    def take(self, lit: MotesLit | None) -> None:
        """The motes of the present picture and their light; None when it has no such, or is another."""
        self._lit = lit

    def over(self, picture: NDArray[np.float32], gains: tuple[LayerGain, ...]) -> NDArray[np.float32]:
        """A picture (h, w, 3) [cd/m2] of layers under gains, with the dust of the look on screen."""
        finish, lit = self._session.shown_look.finish.in_force, self._lit
        seen = self._seen() if lit is not None and finish.dust.per_m3 > 0.0 else None
        if lit is None or seen is None or seen[2].shape != picture.shape[:2]:
            return picture
        view, _owner, distance = seen
        light = sum_of(lit.light, gains)
        return dusted(picture, finish.dust, finish.aperture, view.camera, lit.motes, light, distance)
