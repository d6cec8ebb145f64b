"""Floating dust over the live picture: motes and how each layer lights them, as the renderer told last.

While frames are played motes drift on, each in the light that it had: they never go far.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.finish.dust import dusted
from lunar_haze.core.layers.model import LayerGain, View
from lunar_haze.core.layers.motes import LitMotes


class LiveDust:
    """``seen`` tells the view of the present picture, object numbers and distances, None before there is one; ``gains``
    those that a look is mixed with.
    """

    def __init__(
        self,
        seen: Callable[[], tuple[View, NDArray[np.int32], NDArray[np.float32]] | None],
        gains: Callable[[Look], tuple[LayerGain, ...]],
    ) -> None:
        self._seen, self._gains = seen, gains
        self._lit: LitMotes | None = None

    def take(self, lit: LitMotes | None) -> None:
        """The motes of the present picture, lit; None when it has none, or is another."""
        self._lit = lit

    def over(self, picture: NDArray[np.float32], look: Look, seconds: float) -> NDArray[np.float32]:
        """A picture (h, w, 3) [cd/m2] with the dust of a look at a moment [s] of its shot."""
        lit = self._lit
        seen = self._seen() if lit is not None else None
        if lit is None or seen is None or seen[2].shape != picture.shape[:2]:
            return picture
        view, _owner, distance = seen
        there = lit._replace(motes=lit.motes.after(seconds))
        return dusted(picture, look.finish, view.camera, there, self._gains(look), distance)
