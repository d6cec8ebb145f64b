"""Pictures of frames that are played, mixed from the layers at hand."""

from collections.abc import Iterable

from PySide6.QtGui import QImage

from lunar_haze.core.document.model import Document
from lunar_haze.core.finish.glow import Scatter, layer_scatter
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.picture.frame_mix import Mixed
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.over_light import OverLight
from lunar_haze.ui.picture.screen import Screen


class FramePictures:
    """Layers, masks and dust of frames as the picture on screen has them, and the images that they make."""

    def __init__(self, bridge: RenderBridge) -> None:
        self._bridge = bridge
        #: What makes pixels of frames on the player's thread, apart from that of the window.
        self._screen = Screen(bridge.session)
        self._screen.said.connect(bridge.said)

    def passes_of(self, keys: Iterable[str]) -> int | None:
        """The least passes of these layers, 0 with a stand-in among them; None where one is not at hand."""
        images = self._bridge.light.mix.images
        if not images or not images.keys() >= set(keys):
            return None
        return min((images[key].passes for key in keys), default=1)

    def size(self) -> tuple[int, int]:
        """Size of the layers at hand [px]; of those asked for while there are none."""
        image = next(iter(self._bridge.light.mix.images.values()), None)
        return self._bridge.asking.size() if image is None else (image.surface.shape[1], image.surface.shape[0])

    def scatter(self, finish: Finish) -> Scatter | None:
        """What scatters the light of these layers as a finish has it, None where it is not scattered layer by layer."""
        return layer_scatter(finish, self.size()[1])

    def over_light(self, there: Document) -> OverLight:
        """What lays masks and dust of a document at a frame on its light; to be asked for by the window's thread."""
        width, height = self.size()
        return self._bridge.light.over_light(there.look, there.shot, (height, width))

    def image(self, frame: Mixed, there: Document, over: OverLight) -> QImage:
        """A frame under look and shot of a document at it, as an image; for the player's thread alone."""
        # What scatters by itself has neither masks nor dust before it.
        light = over(frame.light) if frame.scattered is None else frame.light
        return self._screen.image_under(light, there.look, there.shot, frame.scattered)
