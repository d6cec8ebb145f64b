"""The live mix: layers as they are so far, the last denoised picture, and the picture that they make under gains.

While a hand moves, what has changed since the denoised picture was made is laid on it: grain does not come back.
"""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.picture.frame_mix import FrameMix
from lunar_haze.core.picture.mix import Mixer, add_layer, block_mean, share_of

_DARK = (0.0, 0.0, 0.0)


class LiveMix:
    """``images`` are the layers that are known, by key; ``clean_gains`` what the denoised picture was made with."""

    def __init__(self) -> None:
        self._mixer = Mixer()
        self.images: dict[str, LayerImage] = {}
        self._clean: NDArray[np.float32] | None = None
        self._clean_passes = 0
        self.clean_gains: tuple[LayerGain, ...] = ()
        #: Layers, surface and air as one, that were freed of grain by themselves.
        self.clean_layers: dict[str, NDArray[np.float32]] = {}

    def forget(self) -> None:
        """Nothing is known any longer."""
        self.clean_layers.clear()
        self.set_layers([], set())
        self.drop_clean()

    def drop_clean(self) -> None:
        """Do without the denoised picture."""
        self._clean, self.clean_gains = None, ()

    def set_layers(self, images: list[LayerImage], active: set[str]) -> None:
        """The layers there are now; ``active`` are the keys of those that give light."""
        fresh = ({i.key for i in images} ^ set(self.images)) & active
        known = {i.key: i.passes for i in self.images.values()}
        # One that has gone on since it was cleaned is cleaned again when it is needed.
        self.clean_layers = {
            i.key: self.clean_layers[i.key]
            for i in images
            if i.key in self.clean_layers and known.get(i.key) == i.passes
        }
        self.images = {i.key: i for i in images}
        self._mixer.set_layers(images)
        # A clean picture may come before the layers that it was made of.
        if fresh - {g.key for g in self.clean_gains}:
            self.drop_clean()

    def set_clean(self, picture: NDArray[np.float32], gains: tuple[LayerGain, ...], passes: int) -> None:
        """A denoised picture, and the gains and passes that it was made with."""
        self._clean, self.clean_gains, self._clean_passes = picture, gains, passes

    def picture(self, gains: tuple[LayerGain, ...]) -> tuple[NDArray[np.float32] | None, int]:
        """The picture under gains, None while there is none, and its passes: 0 with stand-ins among its layers."""
        clean = self._on_clean(gains)
        if clean is not None:
            return clean, self._clean_passes
        active = {g.key for g in gains if not g.is_silent}
        passes = min((self.images[k].passes if k in self.images else 0 for k in active), default=1)
        return self._mixer.picture(gains), passes

    def _on_clean(self, gains: tuple[LayerGain, ...]) -> NDArray[np.float32] | None:
        """The denoised picture plus what has changed since it was made; None when layers are missing."""
        picture = self._clean
        if picture is None:
            return None
        before, now = ({g.key: g for g in each} for each in (self.clean_gains, gains))
        for key in before.keys() | now.keys():
            old, new = before.get(key, LayerGain(key, _DARK, _DARK)), now.get(key, LayerGain(key, _DARK, _DARK))
            if old == new:
                continue
            if key not in self.images:
                return None
            change = LayerGain(
                key,
                tuple(np.subtract(new.surface, old.surface).tolist()),
                tuple(np.subtract(new.air, old.air).tolist()),
            )
            out = np.empty_like(picture)
            add_layer(picture, self.images[key], change, out)
            picture = out
        return picture

    def frames(
        self, together: bool, scatter: Callable[[NDArray[np.float32]], NDArray[np.float32]] | None = None
    ) -> FrameMix:
        """The layers as they are so far, made ready to be mixed frame by frame (see `FrameMix`)."""
        images = self.images
        if together:
            none = np.zeros((1, 1, 3), np.float32)
            images = {
                k: attrs.evolve(i, surface=self.clean_layers[k], air=none) if k in self.clean_layers else i
                for k, i in images.items()
            }
        return FrameMix(images, self._clean, self.clean_gains, together, scatter)

    def part(
        self, alone: tuple[LayerGain, ...], gains: tuple[LayerGain, ...], step: int = 1
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
        """What some gains alone give, and the sum under all, as they are summed, ``step`` times smaller; None while
        that is not known.
        """
        parts = [share_of(self.images[g.key], g, step) for g in alone if g.key in self.images]
        total = self._mixer.picture(gains)
        return (np.sum(parts, 0), block_mean(total, step)) if parts and total is not None else None
