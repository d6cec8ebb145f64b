"""What a shot is about, as geometry: where the subject stands, how large it is, where it looks lit from."""

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from lunar_haze.core.document.model import Shot
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Place


@attrs.frozen(eq=False)
class Subject:
    """A subject's middle (3,) and half its extent (3,) [m]."""

    centre: NDArray[np.float64]
    half: NDArray[np.float64]

    @property
    def radius_m(self) -> float:
        """Radius of the sphere about it [m]."""
        return float(np.linalg.norm(self.half))


def triangles_of(place: Place, objects: tuple[str, ...]) -> NDArray[np.int64]:
    """Numbers of the triangles of named objects."""
    wanted = [i for i, name in enumerate(place.objects) if name in objects]
    return np.flatnonzero(np.isin(place.object_of, wanted))


def connected_parts(place: Place, triangles: NDArray) -> list[NDArray[np.int64]]:
    """Triangles grouped by shared corners. ``triangles`` are numbers (n,)."""
    if not len(triangles):
        return []
    corners = place.triangles[triangles].astype(np.int64)
    # Corners at one spot are one, whatever normals they carry.
    _spots, of = np.unique(np.round(place.positions[corners.ravel()], 5), axis=0, return_inverse=True)
    of = of.reshape(-1, 3)
    rows = np.repeat(np.arange(len(of)), 3)
    count = len(of)
    graph = coo_matrix((np.ones(len(rows)), (rows, count + of.ravel())), (count + of.max() + 1,) * 2)
    _number, label = connected_components(graph, directed=False)
    label = label[:count]
    return [triangles[label == part] for part in np.unique(label)]


def subject_of(place: Place, shot: Shot) -> Subject:
    """The shot's subject; where none is named, a man's height about the camera's aim."""
    own = triangles_of(place, shot.subject)
    if len(own):
        corners = place.positions[place.triangles[own].astype(np.int64)].reshape(-1, 3).astype(float)
        low, high = corners.min(0), corners.max(0)
        return Subject((low + high) / 2, (high - low) / 2)
    return Subject(np.asarray(shot.seen_from.aim, float), np.array([0.3, 0.3, 0.9]))


def inside_frame(camera: Camera, shot: Shot, points: NDArray, margin: float = 0.0) -> NDArray[np.bool_]:
    """Which points (n, 3) lie in the frame, or within a margin of it (a share of its width)."""
    x, y, depth = camera.project(points, shot.frame_width, shot.frame_height).T
    edge = margin * shot.frame_width
    across = (x >= -edge) & (x < shot.frame_width + edge)
    return (depth > 0.01) & across & (y >= -edge) & (y < shot.frame_height + edge)


def toward_lens(subject: Subject, shot: Shot) -> NDArray[np.float64]:
    """Level unit vector (3,) from the subject towards the lens."""
    offset = np.subtract(shot.seen_from.position, subject.centre)
    offset[2] = 0.0
    length = float(np.linalg.norm(offset))
    return offset / length if length > 1e-6 else np.array([0.0, -1.0, 0.0])


def around(direction: NDArray, bearing_deg: float, altitude_deg: float) -> NDArray[np.float64]:
    """A level direction turned about the vertical (clockwise from above) and raised: unit (3,)."""
    b, a = np.radians(bearing_deg), np.radians(altitude_deg)
    x, y = direction[0], direction[1]
    turned = np.array([x * np.cos(b) + y * np.sin(b), y * np.cos(b) - x * np.sin(b)])
    return np.array([*(turned * np.cos(a)), np.sin(a)])
