"""What lies over the light of a picture before it is finished, as it is at one moment: any thread may lay it on."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.ui.picture.live_dust import DustNow
from lunar_haze.ui.picture.live_masks import MasksNow


@attrs.frozen(eq=False)
class OverLight:
    """Masks and dust, ready to be laid on light (h, w, 3) [cd/m2]."""

    masks: MasksNow | None
    dust: DustNow | None

    def __call__(self, light: NDArray[np.float32]) -> NDArray[np.float32]:
        if self.masks is not None:
            light = self.masks.over(light)
        return light if self.dust is None else self.dust.over(light)
