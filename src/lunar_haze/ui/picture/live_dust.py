"""Floating dust over the live picture: motes and how each layer lights them, as the renderer told last.

While frames are played motes drift on, each in the light that it had: they never go far.
"""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.finish.dust import dusted
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.layers.model import LayerGain, View
from lunar_haze.core.layers.motes import LitMotes


@attrs.frozen(eq=False)
class DustNow:
    """Dust ready to be laid on a picture by any thread."""

    finish: Finish
    view: View
    lit: LitMotes
    seconds: float
    gains: tuple[LayerGain, ...]
    distance: NDArray[np.float32]

    def over(self, picture: NDArray[np.float32]) -> NDArray[np.float32]:
        """A picture (h, w, 3) [cd/m2] with the dust."""
        there = self.lit._replace(motes=self.lit.motes.after(self.seconds))
        return dusted(picture, self.finish, self.view.camera, there, self.gains, self.distance)


class LiveDust:
    """``seen`` tells the view of the present picture, object numbers and distances, None before there is one."""

    def __init__(self, seen: Callable[[], tuple[View, NDArray[np.int32], NDArray[np.float32]] | None]) -> None:
        self._seen = seen
        self._lit: LitMotes | None = None

    def take(self, lit: LitMotes | None) -> None:
        """The motes of the present picture, lit; None when it has none, or is another."""
        self._lit = lit

    def now(self, look: Look, seconds: float, size: tuple[int, int], gains: tuple[LayerGain, ...]) -> DustNow | None:
        """The dust of a look at a moment [s] of its shot, for a picture of a size (h, w) that is mixed with ``gains``;
        None where there is none.
        """
        lit = self._lit
        seen = self._seen() if lit is not None else None
        if lit is None or seen is None or seen[2].shape != size:
            return None
        view, _owner, distance = seen
        return DustNow(look.finish, view, lit, seconds, gains, distance)
