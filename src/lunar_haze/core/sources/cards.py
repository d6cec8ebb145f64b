"""Cards: flags and cut-outs that stand in space. Light meets them; the lens does not see them."""

import attrs
import numpy as np

from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.units.row import Row, row, under


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


CARD_ROWS = under(
    "shape",
    *(
        row(name, name, f"{name}_m", "m", 0.1, 6.0, 1.0, ratio=True, floor=0.01, ceiling=200.0, tip=f"its {name}")
        for name in ("width", "height")
    ),
    row("turned", "rotation", "turn_deg", "°", -90.0, 90.0, 0.0, tip="about the axis to what it faces"),
    Row(
        "reflectance",
        "reflectance",
        "",
        0.0,
        1.0,
        0.02,
        lambda card: float(np.mean(card.reflectance)),
        lambda card, v: attrs.evolve(card, reflectance=(v, v, v)),
        path=("reflectance",),
        floor=0.0,
        ceiling=1.0,
        tip="0 takes all light as a flag does, 1 gives it back as a bounce does",
    ),
)
