"""The shares of a picture: what each source alone adds to it, small, as mixed now."""

import functools

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.readings.adding import Added, add
from lunar_haze.core.readings.edges import Edge, edge_of

#: Pixels of a reading's pictures across, about.
WIDTH = 240


@attrs.frozen(eq=False)
class Share:
    """What one source adds: its id, name and role, and its light (h, w, 3) float32 [cd/m2, ACEScg]."""

    id: str
    name: str
    role: str
    light: NDArray[np.float32]


@attrs.frozen(eq=False)
class Sums:
    """What every source gives (n,), mean cd/m2: on the subject, in the rest, in all the frame, and of that the warm."""

    subject: NDArray[np.float64]
    rest: NDArray[np.float64]
    frame: NDArray[np.float64]
    warm: NDArray[np.float64]


@attrs.define(eq=False, slots=False)
class Shares:
    """The shares that make up one picture, the exposure it is seen under, and where its subject is.

    ``scale`` is the factor from cd/m2 to exposed scene-linear; ``subject`` (h, w) marks the subject, None where it is
    not known or not in the picture.
    """

    sources: tuple[Share, ...]
    scale: float
    subject: NDArray[np.bool_] | None = None

    @functools.cached_property
    def _added(self) -> Added:
        return add([share.light for share in self.sources])

    @property
    def picture(self) -> NDArray[np.float32]:
        """The sum (h, w, 3) [cd/m2]."""
        return self._added.picture

    @property
    def luminances(self) -> NDArray[np.float32]:
        """Luminance of every share (n, h, w) [cd/m2], never below zero."""
        return self._added.luminances

    @functools.cached_property
    def edge(self) -> Edge | None:
        """The subject's outline; None without a subject, and where there is none."""
        return None if self.subject is None else edge_of(self.subject)

    @functools.cached_property
    def luminance(self) -> NDArray[np.float32]:
        """Luminance of the picture (h, w) [cd/m2]."""
        return self.luminances.sum(0)

    @functools.cached_property
    def sums(self) -> "Sums":
        """The region sums that all ratios are made of."""
        light = self.luminances
        flat = light.reshape(len(light), -1)
        one = np.full(flat.shape[1], 1 / flat.shape[1], np.float32)
        frame = (flat @ one).astype(np.float64)
        warm = self._added.warm
        if self.subject is None:
            return Sums(np.zeros(len(light)), frame, frame, warm)
        inside = self.subject.ravel().astype(np.float32)
        share = float(inside.mean())
        on = (flat @ (inside / inside.sum())).astype(np.float64)
        return Sums(on, (frame - share * on) / (1 - share) if share < 1 else np.zeros(len(light)), frame, warm)

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width of the pictures."""
        height, width = self.sources[0].light.shape[:2]
        return height, width

    def index(self, source_id: str) -> int:
        """Number of a source among the shares. Raises KeyError."""
        for number, share in enumerate(self.sources):
            if share.id == source_id:
                return number
        raise KeyError(source_id)

    def mixed(self, stops: dict[str, float]) -> "Shares":
        """These shares with some sources' dimmers moved by so many stops; -inf takes one away."""
        sources = tuple(
            attrs.evolve(share, light=share.light * np.float32(2.0 ** stops[share.id])) if share.id in stops else share
            for share in self.sources
        )
        return Shares(sources, self.scale, self.subject)

    def thinned(self, each: int) -> "Shares":
        """These shares in every n-th pixel each way."""
        sources = tuple(attrs.evolve(s, light=np.ascontiguousarray(s.light[::each, ::each])) for s in self.sources)
        return Shares(sources, self.scale, None if self.subject is None else self.subject[::each, ::each])

    def exposed(self, stops: float) -> "Shares":
        """These shares under an exposure that is so many stops brighter."""
        return Shares(self.sources, self.scale * 2.0**stops, self.subject)
