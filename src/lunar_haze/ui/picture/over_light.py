"""What lies over the light of a picture before it is finished, as it is at one moment: any thread may lay it on."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.picture.mix import enlarge
from lunar_haze.ui.picture.live_dust import DustNow
from lunar_haze.ui.picture.live_masks import MasksNow


@attrs.frozen(eq=False)
class OverLight:
    """Masks and dust of a size (h, w), ready to be laid on light (h, w, 3) [cd/m2]; smaller light is enlarged to it."""

    size: tuple[int, int]
    masks: MasksNow | None
    dust: DustNow | None

    def __call__(self, light: NDArray[np.float32]) -> NDArray[np.float32]:
        if (self.masks is not None or self.dust is not None) and light.shape[:2] != self.size:
            # A frame that is shown small for now.
            small, light = light, np.empty((*self.size, 3), np.float32)
            enlarge(small, light)
        if self.masks is not None:
            light = self.masks.over(light)
        return light if self.dust is None else self.dust.over(light)
