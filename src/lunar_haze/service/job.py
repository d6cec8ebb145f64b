"""One request on its way: which layers it has, how far they are, and how much each matters."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage, LayerSpec
from lunar_haze.core.transport.frame import Emphasis, Frame
from lunar_haze.service.urgency import Standing, passes_due, standings

#: A part of the frame comes to so many times the passes of the rest; so many pixels about it are computed along.
PART_TIMES, PART_MARGIN = 4, 24


@attrs.define(eq=False)
class Job:
    """The request being worked on: its layers, the gains they are wanted for, and what is due next."""

    request: FrameRequest
    frame: Frame
    keys: list[str]
    mix_id: int = 0
    gains: tuple[LayerGain, ...] = ()
    pass_keys: tuple[str, ...] = ()
    standings: dict[str, Standing] = attrs.Factory(dict)
    lit: np.ndarray | None = None
    coarse_due: bool = True
    coarse_rested: bool = False
    small: list[LayerImage] = attrs.Factory(list)
    paused: bool = False
    clean_due: bool = False
    #: Layers to be denoised by themselves and how many times smaller, those that matter most first; whether one is due
    #: before a pass.
    smooth_due: list[tuple[str, int]] = attrs.Factory(list)
    smooth_turn: bool = True
    #: At which levels the mix was freed of grain, of the part of the frame that goes ahead and of all of it.
    cleaned: set[tuple[bool, int]] = attrs.Factory(set)
    told_level: int = 0
    live: set[str] = attrs.Factory(set)
    answer_due: list[str] = attrs.Factory(list)
    finished: bool = False
    #: Tiles of the part of the frame that goes ahead, None without one; those that the pass under way goes over.
    part: NDArray[np.bool_] | None = None
    within: NDArray[np.bool_] | None = None
    told_problems: dict[str, str] = attrs.Factory(dict)
    #: Whether motes of dust are to be lit yet.
    motes_due: bool = False

    def reweigh(self) -> None:
        """Look up how much each layer matters under the present gains."""
        # A still hands on every layer, each as clean as the next.
        self.standings = standings(self.frame, self.gains) if self.request.live else {}

    @property
    def emphasis(self) -> dict[str, Emphasis]:
        """What each layer adds to the picture now, by key."""
        return {key: standing.emphasis for key, standing in self.standings.items()}

    def balanced(self) -> tuple[list[LayerSpec], list[LayerGain]]:
        """The layers that have a gain now, and their gains."""
        gains = {gain.key: gain for gain in self.gains}
        found = [(spec, gains[key]) for key, spec in zip(self.keys, self.request.layers) if key in gains]
        return [s for s, _g in found], [g for _s, g in found]

    def missing(self) -> dict[str, LayerSpec]:
        """The layers that have no whole pass yet, by key."""
        return {k: s for k, s in zip(self.keys, self.request.layers) if self.passes(k) == 0}

    def weight(self, key: str) -> float:
        """How much a layer matters, in [0, 1]."""
        return self.standings[key].weight if key in self.standings else 1.0

    def passes(self, key: str) -> int:
        """Passes that a layer has of what the request is for: of all the picture, or of its part alone."""
        return self.frame.sums[key].passes_within(self.part if self.request.is_partial else None)

    def level(self) -> int:
        """How many passes the picture as a whole has: the most that no layer lags behind."""
        return self._level(self.request.passes, self.part if self.request.is_partial else None)

    def part_level(self) -> int:
        """How many passes the part of the frame that goes ahead has; 0 without one."""
        return self._level(self.part_target, self.part) if self.part is not None else 0

    def _level(self, most: int, within: NDArray[np.bool_] | None) -> int:
        level = most
        for key in self.keys:
            passes = self.frame.sums[key].passes_within(within)
            while level and passes < passes_due(level, self.weight(key)):
                level -= 1
        return level

    @property
    def part_target(self) -> int:
        """Passes that the part of the frame comes to."""
        return self.request.passes * (1 if self.request.is_partial else PART_TIMES)

    def next_level(self) -> tuple[int, NDArray[np.bool_] | None] | None:
        """The level to be reached next, and in which tiles: a part goes ahead once the whole picture is there at all.

        None when all is done.
        """
        level = self.level()
        if self.part is not None and (self.request.is_partial or level >= 1):
            reached = self.part_level()
            if reached < self.part_target:
                return reached + 1, self.part
        return (level + 1, None) if level < self.request.passes else None
