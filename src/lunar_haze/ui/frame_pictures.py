"""Pictures of frames that are played: mixed from the layers at hand, each of them freed of grain by itself."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.document.model import Document
from lunar_haze.core.finish.glow import Scatter, layer_scatter
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.picture.frame_mix import Mixed
from lunar_haze.ui.bridge import RenderBridge
from lunar_haze.ui.over_light import OverLight
from lunar_haze.ui.screen import Screen

_ONE = (1.0, 1.0, 1.0)


class FramePictures(QObject):
    """``cleaned`` is emitted when every layer at hand has been freed of grain by itself."""

    cleaned = Signal()

    def __init__(self, bridge: RenderBridge) -> None:
        super().__init__()
        self._bridge = bridge
        #: What makes pixels of frames on the player's thread, apart from that of the window.
        self._screen = Screen(bridge.session)
        self._screen.said.connect(bridge.said)
        #: The layers that are to be cleaned yet, and the one that is: its key by the number of its mix.
        self._due: list[str] = []
        self._under_way: dict[int, str] = {}
        bridge.take_aside = self._take
        bridge.asked.connect(self._forget)

    # -- layers -----------------------------------------------------------------------------------

    def passes_of(self, keys: Iterable[str]) -> int | None:
        """The least passes of these layers, 0 with a stand-in among them; None where one is not at hand."""
        images = self._bridge.mix.images
        if not images or not images.keys() >= set(keys):
            return None
        return min((images[key].passes for key in keys), default=1)

    def size(self) -> tuple[int, int]:
        """Size of the layers at hand [px]; of those asked for while there are none."""
        image = next(iter(self._bridge.mix.images.values()), None)
        return self._bridge.size() if image is None else (image.surface.shape[1], image.surface.shape[0])

    def scatter(self, finish: Finish) -> Scatter | None:
        """What scatters the light of these layers as a finish has it, None where it is not scattered layer by layer."""
        return layer_scatter(finish, self.size()[1])

    def over_light(self, there: Document) -> OverLight:
        """What lays masks and dust of a document at a frame on its light; to be asked for by the window's thread."""
        width, height = self.size()
        return self._bridge.over_light(there.look, there.shot, (height, width))

    def image(self, frame: Mixed, there: Document, over: OverLight) -> QImage:
        """A frame under look and shot of a document at it, as an image; for the player's thread alone."""
        # What scatters by itself has neither masks nor dust before it.
        light = over(frame.light) if frame.scattered is None else frame.light
        return self._screen.image_under(light, there.look, there.shot, frame.scattered)

    # -- cleaning ---------------------------------------------------------------------------------

    # A layer that is dimmed in the picture may be the brightest of a frame: its grain is not that of the picture.

    def clean(self) -> None:
        """Have each layer at hand freed of grain by itself."""
        mix = self._bridge.mix
        self._due = [key for key in mix.images if key not in mix.clean_layers]
        self._under_way = {}
        self._next()

    def _forget(self) -> None:
        """No more layers are cleaned."""
        self._due, self._under_way = [], {}

    def leave(self) -> None:
        """No more layers are cleaned; the picture is balanced as it stands again."""
        self._forget()
        self._bridge.balance_again()

    def _take(self, mix_id: int, picture: NDArray[np.float32]) -> bool:
        """A cleaned picture of some mix; says whether it is that of a layer by itself."""
        key = self._under_way.pop(mix_id, None)
        if key is None:
            return False
        self._bridge.mix.clean_layers[key] = picture.copy()
        self._next()
        return True

    def _next(self) -> None:
        if not self._due:
            self.cleaned.emit()
            return
        key = self._due.pop(0)
        self._under_way = {self._bridge.balance_alone((LayerGain(key, _ONE, _ONE),)): key}
