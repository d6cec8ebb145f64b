"""The light of a screen whose film is known: the mean of its picture, frame by frame, round and round."""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sources.flicker_kinds import Flicker, flicker_kind
from lunar_haze.core.units.row import row

#: No more of a film is kept [frames].
MOST_SERIES = 14_400
#: The quickest film that is taken [frames a second].
MOST_RATE = 10_000.0


@functools.lru_cache(maxsize=8)
def _table(series: tuple[tuple[float, float, float], ...]) -> NDArray[np.float64]:
    return np.array(series, float)


@flicker_kind(
    "screen from a video", "a television or a projector whose film is at hand: its picture's mean, frame by frame",
    rows=(
        row("film start", "begins at", "start_s", "s", 0.0, 60.0, 0.0, floor=-36_000.0, ceiling=36_000.0,
            tip="where in its film the screen is when the shot begins"),
        row("film rate", "its frame rate", "rate", "fps", 8.0, 60.0, 24.0, ratio=True, floor=0.1, ceiling=MOST_RATE,
            tip="slower or faster than it was made"),
        row("film depth", "depth", "depth", "", 0.0, 1.0, 1.0, floor=0.0, ceiling=1.0,
            tip="how much of its changes is seen; its mean stays"),
    ),
)  # fmt: skip
@attrs.frozen
class FilmedScreen(Flicker):
    """``series`` (n, 3) is the film's light by frame, ACEScg, of mean luminance 1; ``name`` that of its file."""

    series: tuple[tuple[float, float, float], ...] = ()
    rate: float = 24.0
    start_s: float = 0.0
    depth: float = 1.0
    name: str = ""

    @property
    def length_s(self) -> float:
        """How long it takes to go round once [s]."""
        return len(self.series) / self.rate

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        if not self.series:
            return np.ones((len(seconds), 3))
        # A moment that is meant as a frame's own may lie a rounding before it.
        number = np.floor((np.asarray(seconds, float) + self.start_s) * self.rate + 1e-6).astype(np.int64)
        found = _table(self.series)[number % len(self.series)]
        return 1.0 + self.depth * (found - 1.0)
