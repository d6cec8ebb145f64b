"""The air of frames that are played: layers at hand have that of one moment, small pictures tell how it moves."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Document
from lunar_haze.core.picture.drift import drift, quotient
from lunar_haze.core.picture.frame_mix import Mixed
from lunar_haze.core.picture.mix import Rooms
from lunar_haze.core.units.between import times_grid
from lunar_haze.ui.time.frames_ahead import FramesAhead

#: Makes the light of a frame (h, w, 3) [cd/m2], and says whether it has its glow already.
Frame = Callable[[], Mixed]


class MovingAir:
    """Lays the air of each frame over light in the air of one moment, where small pictures about it are made.

    Air moves slowly: between two frames whose small pictures are there it is what lies between.
    """

    def __init__(self, ahead: FramesAhead) -> None:
        self._ahead = ahead
        #: What mixed the light that the quotients are of, and those by the names of small pictures.
        self._mix: object = None
        self._quotients: dict[str, NDArray[np.float32]] = {}
        self._rooms = Rooms()

    def over(
        self,
        frame: int,
        light: Frame,
        then: int,
        at: Callable[[int], Document],
        held: Callable[[Document], Frame | None],
        mix: object,
    ) -> Frame | None:
        """What makes a frame with its own air of its ``light`` in that of the frame ``then``.

        None where no small pictures about it are made. ``held`` tells how to make the light of the document ``at``
        another frame, in the same air and by the same ``mix``.
        """
        around = self._ahead.made_around(frame, at)
        moment = self._ahead.made_of(at(then))
        if around is None or moment is None:
            return None
        if self._mix is not mix:
            self._mix, self._quotients = mix, {}
        known = self._quotients
        new = [(small, held(at(small.frame))) for small in (moment, *around) if small.name not in known]

        def make() -> Mixed:
            for small, its_light in new:
                if its_light is not None and small.name not in known:
                    known[small.name] = quotient(small.light, its_light().light)
            before, after = (known[small.name] for small in around)
            share = np.float32((frame - around[0].frame) / max(around[1].frame - around[0].frame, 1))
            factor = drift(before + share * (after - before), known[moment.name])
            mixed = light()
            out = self._rooms.next(mixed.light.shape)
            times_grid(mixed.light, factor, out)
            if mixed.scattered is None:
                return Mixed(out)
            scattered = np.empty_like(mixed.scattered)
            times_grid(mixed.scattered, factor, scattered)
            return Mixed(out, scattered)

        return None if any(its_light is None for _small, its_light in new) else make
