"""Eye light: where a small lamp must stand to show as a highlight in both eyes of the subject.

An eye is a small mirror ball. The highlight of a lamp in it lies where the normal halves the angle
between lens and lamp (Alhazen's problem), found by iterating that condition; a place is good when
from both highlights nothing hides the lamp or the lens, and when it does not flatten the face.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.solve.arriving import grey_lx, round_amount
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.roles import PALE, in_frame
from lunar_haze.core.solve.subject import around, connected_parts, subject_of, toward_lens, triangles_of
from lunar_haze.core.sources.model import Ball, Source

#: A ball of an eye is this large at most [m], and as round as this.
MOST_RADIUS_M, ROUNDNESS = 0.03, 0.12


@attrs.frozen(eq=False)
class Eye:
    """A ball: its middle (3,), radius [m] and the triangles that it is made of."""

    centre: NDArray[np.float64]
    radius_m: float
    triangles: NDArray[np.int64]


@attrs.frozen(eq=False)
class EyeLight:
    """A place for the lamp (3,) and the highlights it makes, (eyes, 3)."""

    position: NDArray[np.float64]
    highlights: NDArray[np.float64]
    score: float


def find_eyes(place: Place, shot: Shot) -> list[Eye]:
    """Small balls in materials named as eyes: of the subject, or of the whole place where none is named."""
    named = [i for i, m in enumerate(place.materials) if "eye" in m.name.lower()]
    of_eyes = np.flatnonzero(np.isin(place.material_of, named))
    own = np.intersect1d(of_eyes, triangles_of(place, shot.subject))
    found = []
    for part in connected_parts(place, own if len(own) else of_eyes):
        points = np.unique(place.positions[place.triangles[part].astype(np.int64)].reshape(-1, 3).astype(float), axis=0)
        if len(points) < 8:
            continue
        # The ball through the points, by least squares: |p|^2 = 2 p . c + (r^2 - |c|^2).
        shift = points.mean(0)
        system = np.column_stack([2 * (points - shift), np.ones(len(points))])
        solution = np.linalg.lstsq(system, ((points - shift) ** 2).sum(1), rcond=None)[0]
        centre, radius = solution[:3] + shift, math.sqrt(max(solution[3] + float(solution[:3] @ solution[:3]), 0.0))
        off = np.abs(np.linalg.norm(points - centre, axis=1) - radius).max()
        if 0 < radius <= MOST_RADIUS_M and off <= ROUNDNESS * radius:
            found.append(Eye(centre, radius, part))
    return found


def mirrored_in(eye: Eye, lens: NDArray, lamp: NDArray) -> NDArray[np.float64]:
    """Where on an eye (3,) the lens sees a lamp mirrored."""
    normal = np.add(lens, lamp) / 2 - eye.centre
    normal = normal / np.linalg.norm(normal)
    for _ in range(24):
        point = eye.centre + eye.radius_m * normal
        a, b = lens - point, lamp - point
        half = a / np.linalg.norm(a) + b / np.linalg.norm(b)
        normal = half / np.linalg.norm(half)
    return eye.centre + eye.radius_m * normal


def highlights_of(eyes: list[Eye], lens: NDArray, lamp: NDArray, index: RayIndex) -> NDArray[np.float64] | None:
    """Highlights (eyes, 3) of a lamp in all eyes, or None unless each is seen, on the ball itself."""
    points = np.array([mirrored_in(eye, lens, lamp) for eye in eyes])
    normals = np.array([(p - e.centre) / e.radius_m for p, e in zip(points, eyes)])
    if ((lens - points) * normals).sum(1).min() <= 0 or ((lamp - points) * normals).sum(1).min() <= 0:
        return None
    start = points + normals * 5e-4
    if not index.sees(start, np.broadcast_to(lamp, start.shape), 2e-4).all():
        return None
    # Lids, lashes or an iris that stands out may lie a hair's breadth before the ball.
    ways = points - lens
    _distance, met = index.nearest(lens, ways / np.linalg.norm(ways, axis=1)[:, None])
    return points if all(hit in eye.triangles for hit, eye in zip(met, eyes)) else None


def eye_light_places(place: Place, shot: Shot, index: RayIndex, distance_m: float = 1.6) -> list[EyeLight]:
    """Places for an eye light, the best first: high and to one side, not in the frame."""
    eyes = find_eyes(place, shot)
    if not eyes:
        return []
    middle = np.mean([e.centre for e in eyes], 0)
    lens = np.asarray(shot.seen_from.position, float)
    forward = toward_lens(attrs.evolve(subject_of(place, shot), centre=middle), shot)
    found = []
    for bearing in range(-75, 76, 5):
        for altitude in range(-5, 66, 5):
            lamp = middle + distance_m * around(forward, bearing, altitude)
            highlights = highlights_of(eyes, lens, lamp, index)
            if highlights is None:
                continue
            # Painters' light: about 35 degrees to one side, 30 above.
            score = -(((abs(bearing) - 35) / 40) ** 2) - ((altitude - 30) / 35) ** 2
            if in_frame(shot, lamp) and index.sees(lens, lamp)[0]:
                score -= 4.0
            found.append(EyeLight(lamp, highlights, score))
    return sorted(found, key=lambda f: -f.score)


def propose_eye_light(place: Place, shot: Shot, look: Look, index: RayIndex) -> Source | None:
    """A small lamp that lives in the eyes and hardly lights the face; None where no place shows it in all eyes."""
    places = eye_light_places(place, shot, index)
    if not places:
        return None
    middle = places[0].highlights.mean(0)
    shape = Ball(as_vec(places[0].position), 0.07, aim=as_vec(middle))
    return Source(
        "proposed",
        "eye light",
        shape,
        round_amount(0.5 * grey_lx(look, PALE)),
        "lx",
        kelvin=5000.0,
        role="kicker",
        matte=0.1,
        air_factor=0.0,
        holds_level=True,
    )
