"""What sources deliver at a point, from amounts and geometry alone: for proposals, not for pictures.

Direct light in the clear or through the look's mist; shade is asked of the place. Levels in lux,
on a surface that faces each source.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import optical_depth
from lunar_haze.core.document.model import Look
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.sources.amounts import canonical, illuminance_towards
from lunar_haze.core.sources.array import Placed, lamps_of
from lunar_haze.core.sources.model import Sky, Source, Sun


def direction_to(source: Source, point: NDArray) -> NDArray[np.float64] | None:
    """Unit vector (3,) from a point to where a source's light comes from; None for skies and glowing surfaces."""
    if isinstance(source.shape, Sun):
        return np.asarray(source.shape.towards())
    if isinstance(source.shape, Placed):
        offset = np.subtract(source.shape.position, point)
        return offset / max(float(np.linalg.norm(offset)), 1e-9)
    return None


def delivered_at(
    source: Source, look: Look, point: NDArray, index: RayIndex | None = None, clear_m: float = 1e-3
) -> float:
    """Illuminance [lx] of one source at a point (3,), dimmer included; glowing surfaces count as nothing.

    With an ``index`` what lies in shade gets nothing; what is nearer than ``clear_m`` throws none
    (the subject itself, when its middle is asked for).
    """
    shape = source.shape
    level = 2.0**source.dimmer_stops
    if isinstance(shape, (Sun, Sky)):
        if isinstance(shape, Sun) and index is not None:
            towards = np.asarray(shape.towards())
            if _shaded(index, point, towards, 1e6, clear_m):
                return 0.0
        return level * canonical(shape, source.amount, source.unit, look.weather.atmosphere)
    if not isinstance(shape, Placed):
        return 0.0
    offset = np.subtract(shape.position, point)
    distance = max(float(np.linalg.norm(offset)), 1e-6)
    if index is not None and _shaded(index, point, offset / distance, distance - 1e-3, clear_m):
        return 0.0
    towards = -offset / distance
    lamps = lamps_of(shape)
    per_lumen = sum(illuminance_towards(lamp, tuple(point), towards) for lamp in lamps) / len(lamps)
    through = math.exp(-float(optical_depth(look.medium, np.asarray(shape.position), np.asarray(point))))
    return level * canonical(shape, source.amount, source.unit) * per_lumen * through


def _shaded(index: RayIndex, point: NDArray, towards: NDArray, far: float, clear_m: float) -> bool:
    towards = np.asarray(towards, float)
    distance, _hit = index.nearest(point + clear_m * towards, towards, 1e7)
    return bool(distance[0] + clear_m < far)


def strongest_at(
    look: Look, point: NDArray, index: RayIndex | None = None, clear_m: float = 1e-3, with_skies: bool = False
) -> tuple[Source | None, float]:
    """The active source that delivers most at a point, and how much [lx]: the key.

    ``point`` is (3,) [m]. A key comes from one side; ``with_skies`` those that come from everywhere count as well.
    """
    active = look.active()
    best: tuple[Source | None, float] = (None, 0.0)
    for source in look.balanced():
        if source.id in active and (with_skies or direction_to(source, point) is not None):
            level = delivered_at(source, look, point, index, clear_m)
            if level > best[1]:
                best = (source, level)
    return best


def contribution_order(look: Look, point: NDArray) -> list[str]:
    """Ids of the look's sources, the one that gives most at a point first; glowing surfaces last, as they stand.

    ``point`` is (3,) [m].
    """
    levels = {s.id: delivered_at(s, look, point) for s in look.balanced()}
    return sorted(levels, key=lambda k: -levels[k])
