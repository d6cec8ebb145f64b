"""The air of frames that are played: layers at hand have that of one moment, small pictures tell how it moves."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Document
from lunar_haze.core.picture.drift import Drift
from lunar_haze.core.picture.frame_mix import Mixed
from lunar_haze.service.small_frames import SmallFrame
from lunar_haze.ui.frames_ahead import FramesAhead

#: Makes the light of a frame (h, w, 3) [cd/m2], and says whether it has its glow already.
Frame = Callable[[], Mixed]


class MovingAir:
    """Lays the air of each frame over light in the air of one moment, where small pictures about it are made.

    Air moves slowly: between two frames whose small pictures are there it is what lies between.
    """

    def __init__(self, ahead: FramesAhead) -> None:
        self._ahead = ahead
        #: What the drift is told by, and from what: the mix and the small picture of the moment.
        self._drift: Drift | None = None
        self._drift_of: tuple[object, str] | None = None
        #: What the drift does to light at frames, by the names of their small pictures.
        self._factors: dict[str, NDArray[np.float32]] = {}

    def over(
        self,
        frame: int,
        held: Frame,
        then: Document,
        at: Callable[[int], Document],
        light_of: Callable[[Document], Frame | None],
        mix: object,
    ) -> Frame | None:
        """What makes the light of a frame with its own air; None where no small pictures about it are made.

        ``held`` makes it in the air of the document ``then``, as ``light_of`` tells of other documents, those ``at``
        frames, with the same ``mix``.
        """
        small_then, around = self._ahead.made_of(then), self._ahead.made_around(frame, at)
        if small_then is None or around is None:
            return None
        name = (mix, small_then.name)
        if self._drift_of != name:
            self._drift, self._drift_of, self._factors = None, name, {}
        first = light_of(then) if self._drift is None else None
        new = {small.name: (small, light_of(at(small.frame))) for small in around if small.name not in self._factors}
        if any(light is None for _small, light in new.values()):
            return None

        def make() -> Mixed:
            if self._drift is None and first is not None:
                self._drift = Drift(small_then.light, first().light)
            drift = self._drift
            assert drift is not None
            for made, (small, light) in new.items():
                if made not in self._factors and light is not None:
                    self._factors[made] = drift.factor(small.light, light().light)
            picture = held()
            others = () if picture.scattered is None else (picture.scattered,)
            laid, *scattered = drift.over(self._between(frame, *around), picture.light, *others)
            return Mixed(laid, scattered[0] if scattered else None)

        return make

    def _between(self, frame: int, before: SmallFrame, after: SmallFrame) -> NDArray[np.float32]:
        one, other = self._factors[before.name], self._factors[after.name]
        share = np.float32((frame - before.frame) / max(after.frame - before.frame, 1))
        return one + share * (other - one)
