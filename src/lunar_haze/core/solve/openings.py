"""Openings: a pane or gap that was picked, and a helper light through it.

A helper is either a beam from outside, nearly parallel to the sun, shuttered to the opening, or a
panel that fills the opening and faces inward: little of its light is lost on walls.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.subject import connected_parts
from lunar_haze.core.sources.facing import facing_frame
from lunar_haze.core.sources.model import Beam, Rectangle, Source

#: A gap is felt for on so many sides and at so many angles; where what is seen comes nearer at once, to less
#: than this share, is its rim. The sky counts as this far [m].
_SIDES, _STEPS, _NEARER, _OPEN_M = 32, 80, 0.75, 500.0
#: How far outside a helper beam stands, in widths of its opening.
AWAY = 14.0


@attrs.frozen(eq=False)
class Opening:
    """A flat opening: middle (3,), unit normal (3,), and its corners (n, 3) [m]."""

    centre: NDArray[np.float64]
    normal: NDArray[np.float64]
    corners: NDArray[np.float64]

    @property
    def size_m(self) -> float:
        """Its largest extent [m]."""
        return float(2 * np.linalg.norm(self.corners - self.centre, axis=1).max())


def opening_at(place: Place, object_number: int, material_number: int, point: NDArray) -> Opening | None:
    """The pane or sheet that was picked at a point (3,): the connected part of its object and material there."""
    own = np.flatnonzero((place.object_of == object_number) & (place.material_of == material_number))
    parts = connected_parts(place, own)
    if not parts:
        return None

    def apart(part: NDArray) -> float:
        return float(np.linalg.norm(_points(place, part) - point, axis=1).min())

    points = _points(place, min(parts, key=apart))
    if len(points) < 3:
        return None
    low, high = points.min(0), points.max(0)
    centre = (low + high) / 2
    _u, _s, axes = np.linalg.svd(points - points.mean(0))
    return Opening(centre, axes[2], points)


def gap_along(index: RayIndex, origin: NDArray, direction: NDArray) -> Opening | None:
    """The gap that a look (3,) along a unit direction goes through, by the rim of what stands nearer about it.

    None when nothing stands about it within thirty degrees, on nearly every side.
    """
    direction = np.asarray(direction, float)
    beyond = min(float(index.nearest(origin, direction)[0][0]), _OPEN_M)
    side = np.cross(direction, (0.0, 0.0, 1.0) if abs(direction[2]) < 0.9 else (1.0, 0.0, 0.0))
    side /= np.linalg.norm(side)
    up = np.cross(side, direction)
    turns = np.linspace(0, 2 * math.pi, _SIDES, endpoint=False)
    angles = np.radians(np.geomspace(0.05, 30.0, _STEPS))
    outward = np.cos(turns)[:, None] * side + np.sin(turns)[:, None] * up
    rays = np.cos(angles)[None, :, None] * direction + np.sin(angles)[None, :, None] * outward[:, None]
    distances, hit = index.nearest(origin, rays.reshape(-1, 3), _OPEN_M)
    distances, hit = distances.reshape(_SIDES, _STEPS), hit.reshape(_SIDES, _STEPS)
    # A floor beyond comes nearer little by little; a rim at once.
    before = np.concatenate([np.full((_SIDES, 1), beyond), distances[:, :-1]], 1)
    nearer = (hit >= 0) & (distances < _NEARER * before)
    bounded = nearer.any(1)
    if bounded.sum() < 0.8 * _SIDES:
        return None
    first = nearer.argmax(1)[bounded]
    rim = np.asarray(origin, float) + rays[bounded, first] * distances[bounded, first][:, None]
    # A post far before or behind the wall is not its rim.
    along = (rim - origin) @ direction
    rim = rim[np.abs(along - np.median(along)) < 0.35 * np.median(along)]
    if len(rim) < 0.6 * _SIDES:
        return None
    _u, _s, axes = np.linalg.svd(rim - rim.mean(0))
    low, high = rim.min(0), rim.max(0)
    return Opening((low + high) / 2, axes[2], rim)


def _points(place: Place, part: NDArray) -> NDArray[np.float64]:
    return np.unique(place.positions[place.triangles[part].astype(np.int64)].reshape(-1, 3).astype(float), axis=0)


def helper_beam(opening: Opening, towards_sun: NDArray, level_lx: float, kelvin: float | None) -> Source:
    """A beam along the sun's direction (3,) whose shutters close on the opening; ``level_lx`` facing it there."""
    distance = AWAY * opening.size_m
    position = opening.centre + towards_sun * distance
    side, up, _axis = facing_frame(as_vec(position), as_vec(opening.centre))
    half = 0.55 * opening.size_m
    cone = 2 * math.degrees(math.atan(half / distance))
    beam = Beam(as_vec(position), as_vec(opening.centre), 0.004 * distance, cone, 0.05, gate_m=0.8 * distance)
    tan = math.tan(beam.half_angles_rad()[1])
    across = -(opening.corners - opening.centre) @ side / (distance * tan)
    along = (opening.corners - opening.centre) @ up / (distance * tan)
    left, right, low, high = (
        float(np.clip(1.0 - edge, 0.0, 1.9)) for edge in (-across.min(), across.max(), -along.min(), along.max())
    )
    return Source(
        "proposed",
        "through the opening",
        attrs.evolve(beam, shutters=(left, right, low, high)),
        level_lx,
        "lx",
        kelvin=kelvin,
        role="key",
    )


def filling_panel(opening: Opening, inward: NDArray, level_lx: float) -> Source:
    """A panel in the opening that shines to the side of the direction ``inward`` (3,), as a soft window."""
    normal = opening.normal if float(opening.normal @ inward) >= 0 else -opening.normal
    position = opening.centre + 0.03 * normal
    aim = position + 2.0 * normal
    side, up, _axis = facing_frame(as_vec(position), as_vec(aim))
    width, height = (float(np.ptp(opening.corners @ axis)) for axis in (side, up))
    shape = Rectangle(as_vec(position), as_vec(aim), max(width, 0.05), max(height, 0.05))
    return Source("proposed", "window fill", shape, level_lx, "lx", kelvin=6500.0, role="fill")
