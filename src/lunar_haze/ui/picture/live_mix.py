"""The live mix: layers as they are so far, the last denoised picture, and the picture that they make under gains.

While a hand moves, what has changed since the denoised picture was made is told by denoised layers (see
`rebalance`), as long as those are there; else the layers' own changes are laid on it.
"""

from collections.abc import Callable, Iterable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish.glow import Scatter
from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.picture.frame_mix import FrameMix, Mixed
from lunar_haze.core.picture.mix import Mixer, Rooms, add_layer, block_mean, gain_changes, share_of
from lunar_haze.core.picture.rebalance import CleanLayers, Rebalance


def _sum(base: NDArray[np.float32], parts: list[tuple[LayerImage, LayerGain]], rooms: Rooms) -> NDArray[np.float32]:
    """``base`` (h, w, 3) + layers under their gains, in a room where there are any."""
    out = rooms.next(base.shape) if parts else base
    for image, gain in parts:
        add_layer(base, image, gain, out)
        base = out
    return out


class LiveMix:
    """``images`` are the layers that are known, by key; ``clean_gains`` what the denoised picture was made with."""

    def __init__(self) -> None:
        self._mixer = Mixer()
        self.images: dict[str, LayerImage] = {}
        self._clean: NDArray[np.float32] | None = None
        self._clean_passes = 0
        self.clean_gains: tuple[LayerGain, ...] = ()
        #: Small layers, each denoised by itself, whole ones, and what brings the denoised picture to other gains.
        self._small: CleanLayers = {}
        self._whole: CleanLayers = {}
        self._rebalance: Rebalance | None = None
        self._rooms, self._small_rooms = Rooms(), Rooms()
        #: What the denoised picture and the layers scatter, of half their size, and what scatters it.
        self._scatter: Scatter | None = None
        self._clean_scattered: NDArray[np.float32] | None = None
        self._scattered: dict[str, LayerImage] = {}

    def forget(self) -> None:
        """Nothing is known any longer."""
        self.set_layers([], set())
        self.drop_clean()

    def drop_clean(self) -> None:
        """Do without the denoised picture."""
        self._clean, self.clean_gains, self._clean_scattered, self._rebalance = None, (), None, None

    def set_layers(self, images: list[LayerImage], active: set[str]) -> None:
        """The layers there are now; ``active`` are the keys of those that give light."""
        fresh = ({i.key for i in images} ^ set(self.images)) & active
        self.images = {i.key: i for i in images}
        if not self._small.keys() <= self.images.keys():
            small, whole = (
                {key: parts for key, parts in each.items() if key in self.images} for each in (self._small, self._whole)
            )
            self.set_denoised(small, whole)
        self._scattered = {}
        self._mixer.set_layers(images)
        # A clean picture may come before the layers that it was made of.
        if fresh - {g.key for g in self.clean_gains}:
            self.drop_clean()

    def set_denoised(self, small: CleanLayers, whole: CleanLayers) -> None:
        """Layers that are there now, each denoised by itself: small ones, and those that are hardly seen whole."""
        self._small, self._whole, self._rebalance = small, whole, None

    def is_denoised(self, keys: Iterable[str]) -> bool:
        """Whether each of these layers is there small and denoised."""
        return self._small.keys() >= set(keys)

    def set_clean(self, picture: NDArray[np.float32], gains: tuple[LayerGain, ...], passes: int) -> None:
        """A denoised picture, and the gains and passes that it was made with."""
        self._clean, self.clean_gains, self._clean_passes = picture, gains, passes
        self._clean_scattered = self._rebalance = None

    def picture(self, gains: tuple[LayerGain, ...], scatter: Scatter | None = None) -> tuple[Mixed | None, int]:
        """The picture under gains, None while there is none, and its passes: 0 with stand-ins among its layers.

        ``scatter`` is what scatters its layers' light, None where nobody asks. While one gain is moved a picture stays
        as it is until the call after the next one.
        """
        active = {g.key for g in gains if not g.is_silent}
        if self._clean is not None:
            changes = gain_changes(self.clean_gains, gains)
            waiting = changes.keys() - self.images.keys()
            # Light that the denoised picture holds stays as it is until its layer is at hand: the rest alone is dark.
            holds = not active <= self.images.keys() and waiting <= {g.key for g in self.clean_gains}
            if holds or not waiting:
                known = {key: change for key, change in changes.items() if key not in waiting}
                light = self._rebalanced(gains) if known and not waiting else None
                return self._on_clean(self._clean, known, scatter, light), 0 if waiting else self._clean_passes
        passes = min((self.images[k].passes if k in self.images else 0 for k in active), default=1)
        mixed = self._mixer.picture(gains)
        return None if mixed is None else Mixed(mixed), passes

    def _rebalanced(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32] | None:
        """The denoised picture under other gains, told by denoised layers; None where those do not know all of it."""
        balance = self._balance_of({gain.key for gain in gains if not gain.is_silent})
        if balance is None or self._clean is None:
            return None
        out = self._rooms.next(self._clean.shape)
        balance.to(gains, out)
        return out

    def _balance_of(self, keys: set[str]) -> Rebalance | None:
        """What brings the denoised picture to gains of these layers; None where it cannot."""
        lit = keys | {gain.key for gain in self.clean_gains if not gain.is_silent}
        if self._clean is None or not self._small.keys() & lit or not lit <= self.images.keys():
            return None
        if self._rebalance is None or not self._rebalance.knows(lit):
            small = dict(self._small)
            for key in lit - small.keys():
                # Not denoised yet: half its size has half its grain, and no light below zero.
                image = self.images[key]
                small[key] = block_mean(image.surface, 2), block_mean(image.air, 2)
            self._rebalance = Rebalance(self._clean, self.clean_gains, small, self._whole)
        return self._rebalance

    def _on_clean(
        self,
        clean: NDArray[np.float32],
        changes: dict[str, LayerGain],
        scatter: Scatter | None,
        light: NDArray[np.float32] | None,
    ) -> Mixed:
        """The denoised picture as it has changed since it was made: ``light``, or else the layers' changes on it."""
        if light is None:
            light = _sum(clean, [(self.images[key], change) for key, change in changes.items()], self._rooms)
        if scatter is None:
            return Mixed(light)
        if scatter != self._scatter:
            self._scatter, self._scattered, self._clean_scattered = scatter, {}, None
        if self._clean_scattered is None:
            self._clean_scattered = scatter(clean)
        for key in changes.keys() - self._scattered.keys():
            image = self.images[key]
            self._scattered[key] = attrs.evolve(image, surface=scatter(image.surface), air=scatter(image.air))
        parts = [(self._scattered[key], change) for key, change in changes.items()]
        return Mixed(light, _sum(self._clean_scattered, parts, self._small_rooms))

    def frames(self, together: bool, scatter: Scatter | None = None) -> Callable[[], FrameMix]:
        """What makes the layers as they are so far ready to be mixed frame by frame (see `FrameMix`), on any thread."""
        balance = self._balance_of(set(self.images))
        images, clean, clean_gains = self.images, self._clean, self.clean_gains
        return lambda: FrameMix(images, clean, clean_gains, together, scatter, balance)

    def beauty(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32] | None:
        """The sum (h, w, 3) of the layers under gains, nothing of it denoised; None while there are none."""
        total = self._mixer.picture(gains)
        return None if total is None else total.copy()

    def part(
        self, alone: tuple[LayerGain, ...], gains: tuple[LayerGain, ...], step: int = 1
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
        """What some gains alone give, and the sum under all, as they are summed, ``step`` times smaller; None while
        that is not known.
        """
        parts = [share_of(self.images[g.key], g, step) for g in alone if g.key in self.images]
        total = self._mixer.picture(gains)
        return (np.sum(parts, 0), block_mean(total, step)) if parts and total is not None else None
