"""Whether the subject stands out: along its outline, how far the two sides lie apart in value and in hue."""

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from lunar_haze.core.readings.edges import Edge

#: Pixels on either side of the outline between which light is compared.
NEAR, FAR, SAMPLES = 1.5, 4.0, 4
#: Sides that lie less apart than this in Oklab merge; hue counts twice.
MERGED = 0.10
#: From so much of the outline on a subject reads, and below that it is lost.
READS, LOST = 0.80, 0.45


@attrs.frozen(eq=False)
class Outline:
    """Points (n, 2) of the outline, row and column, and at each how far the sides lie apart.

    ``apart`` (n,) is the distance in display Oklab with hue counted twice; ``stands_out`` the share of the outline
    where it is more than `MERGED`.
    """

    points: NDArray[np.float64]
    apart: NDArray[np.float64]

    @property
    def stands_out(self) -> float:
        """Share of the outline that can be told from what is behind it, in [0, 1]."""
        return float((self.apart > MERGED).mean())

    @property
    def words(self) -> str:
        """What that means."""
        share = self.stands_out
        return "reads" if share >= READS else "reads in part" if share >= LOST else "is lost"


def outline(edge: Edge | None, lab: NDArray) -> Outline | None:
    """How a subject's edge stands out in a picture as the screen shows it (h, w, 3), in Oklab; None without one."""
    if edge is None:
        return None
    rows, columns, normal = edge
    inside, outside = _beside(lab, rows, columns, normal), _beside(lab, rows, columns, -normal)
    change = inside - outside
    apart = np.sqrt(change[0] ** 2 + 4 * (change[1] ** 2 + change[2] ** 2))
    return Outline(np.stack([rows, columns], 1), apart)


def _beside(lab: NDArray, rows: NDArray, columns: NDArray, towards: NDArray) -> NDArray[np.float64]:
    """Mean Oklab (3, n) of a few points to one side of the outline."""
    total = np.zeros((3, len(rows)))
    for away in np.linspace(NEAR, FAR, SAMPLES):
        at = [rows + away * towards[0], columns + away * towards[1]]
        total += [map_coordinates(lab[..., k], at, order=1, mode="nearest") for k in range(3)]
    return total / SAMPLES
