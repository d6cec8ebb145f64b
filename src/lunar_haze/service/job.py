"""One request on its way: which layers it has, how far they are, and how much each matters."""

import attrs
import numpy as np

from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage, LayerSpec
from lunar_haze.core.transport.frame import Emphasis, Frame
from lunar_haze.service.urgency import Standing, passes_due, standings


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
    cleaned_at: int = 0
    told_level: int = 0
    live: set[str] = attrs.Factory(set)
    answer_due: list[str] = attrs.Factory(list)
    finished: bool = False
    told_problems: dict[str, str] = attrs.Factory(dict)

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
        return {k: s for k, s in zip(self.keys, self.request.layers) if self.frame.sums[k].passes == 0}

    def weight(self, key: str) -> float:
        """How much a layer matters, in [0, 1]."""
        return self.standings[key].weight if key in self.standings else 1.0

    def level(self) -> int:
        """How many passes the picture as a whole has: the most that no layer lags behind."""
        level = self.request.passes
        for key in self.keys:
            passes = self.frame.sums[key].passes
            while level and passes < passes_due(level, self.weight(key)):
                level -= 1
        return level
