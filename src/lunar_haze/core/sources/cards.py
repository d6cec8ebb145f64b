"""Cards: flags and cut-outs that stand in space. Light meets them; the lens does not see them."""

import attrs
import numpy as np

from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.model import Vec3, facing_frame


@attrs.frozen
class Card:
    """A flat rectangle that faces ``aim``, both sides alike.

    ``reflectance`` (ACEScg) is near 0 for a dark flag and near 1 for a pale one, which gives light
    back; a ``cutout`` lets light through by its pattern. Lengths in metres, ``turn_deg`` about the
    axis to the aim.
    """

    id: str
    name: str
    position: Vec3 = (0.0, 0.0, 2.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    width_m: float = 1.0
    height_m: float = 1.0
    turn_deg: float = 0.0
    reflectance: Vec3 = (0.02, 0.02, 0.02)
    cutout: CutOut | None = None
    muted: bool = False

    def corners(self) -> tuple[Vec3, ...]:
        """Its four corners, round."""
        side, up, _axis = facing_frame(self.position, self.aim, self.turn_deg)
        middle = np.asarray(self.position, float)
        a, b = self.width_m / 2 * side, self.height_m / 2 * up
        return tuple(tuple((middle + x * a + y * b).tolist()) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
