"""Proposals for a missing role: where a rim, a fill or a shape behind the mist would stand, and how strong.

Geometry in the trade's own rules of thumb: a rim comes from behind the subject, opposite the key; a
fill from the other side of the lens than the key, large, at a third of what key and fill give
together; a glow lies behind the subject, low, out of the lens's sight. Lit through the look's mist.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.arriving import RATIOS, grey_lx, key_there, reflectance_of, round_amount
from lunar_haze.core.solve.delivered import direction_to
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.subject import Subject, around, inside_frame, subject_of, toward_lens
from lunar_haze.core.sources.model import Ball, Beam, Rectangle, Source

FILL_RATIO = 3.0
#: What a pale surface reflects, such as skin.
PALE = 0.8


def _key(
    place: Place, shot: Shot, look: Look, subject: Subject, index: RayIndex, measured: Shares | None
) -> tuple[NDArray, float]:
    """Direction and level [lx] of the key at the subject; one from beside the lens is assumed where there is none."""
    there = key_there(look, subject, index, reflectance_of(place, shot.subject), measured)
    direction = None if there.source is None else direction_to(there.source, subject.centre)
    return around(toward_lens(subject, shot), 40.0, 35.0) if direction is None else direction, there.level_lx


def _turn(a: NDArray, b: NDArray) -> float:
    """Above zero where ``b`` lies to the left of ``a``, both seen from above."""
    return float(a[0] * b[1] - a[1] * b[0])


def in_frame(shot: Shot, point: NDArray, margin: float = 0.04) -> bool:
    """Whether a point lies in the frame, or within a margin of it (a share of its width). ``point`` is (3,) [m]."""
    return bool(inside_frame(shot.seen_from, shot, np.atleast_2d(point), margin)[0])


def _out_of_sight(shot: Shot, index: RayIndex, subject: Subject, spots: list[NDArray]) -> NDArray:
    """The first spot that lights the subject and that the lens does not see; the first of all if there is none."""
    lens = np.asarray(shot.seen_from.position)
    for spot in spots:
        reaches = index.sees(spot, subject.centre + np.array([0, 0, subject.half[2] * 0.6]))[0]
        if reaches and not (in_frame(shot, spot) and index.sees(lens, spot)[0]):
            return spot
    return spots[0]


def propose_rim(place: Place, shot: Shot, look: Look, index: RayIndex, measured: Shares | None = None) -> Source:
    """A rim for the subject: a beam from behind, opposite the key, a stop over the key's level."""
    subject = subject_of(place, shot)
    lens = toward_lens(subject, shot)
    key, level = _key(place, shot, look, subject, index, measured)
    side = 1.0 if _turn(lens, key) >= 0 else -1.0
    distance = max(4.0 * subject.radius_m, 2.5)
    spots = [
        subject.centre + distance * reach * around(lens, side * bearing, height)
        for reach in (1.0, 1.6, 0.7)
        for height in (38.0, 50.0, 25.0, 62.0)
        for bearing in (150.0, 135.0, 165.0, -150.0, 120.0)
    ]
    at = _out_of_sight(shot, index, subject, spots)
    cone = 2.4 * math.degrees(math.atan(subject.radius_m / float(np.linalg.norm(at - subject.centre))))
    aim = subject.centre + np.array([0, 0, subject.half[2] * 0.5])
    return Source(
        "proposed",
        "rim",
        Beam(as_vec(at), as_vec(aim), 0.06, min(max(cone, 8.0), 60.0), 0.5),
        round_amount(RATIOS["rim"] * level),
        "lx",
        kelvin=5200.0,
        role="rim",
        holds_level=True,
        air_factor=0.5,
    )


def propose_fill(
    place: Place, shot: Shot, look: Look, index: RayIndex, ratio: float = FILL_RATIO, measured: Shares | None = None
) -> Source:
    """A fill: a large soft panel on the other side of the lens than the key.

    At the subject key and fill together are ``ratio`` times the fill.
    """
    subject = subject_of(place, shot)
    lens = toward_lens(subject, shot)
    key, level = _key(place, shot, look, subject, index, measured)
    side = -1.0 if _turn(lens, key) >= 0 else 1.0
    distance = max(3.0 * subject.radius_m, 2.0)
    spots = [
        subject.centre + distance * around(lens, side * bearing, height)
        for height in (12.0, 25.0)
        for bearing in (-35.0, -50.0, -65.0, -20.0)
    ]
    at = _out_of_sight(shot, index, subject, spots)
    size = max(1.2 * subject.radius_m, 0.8)
    return Source(
        "proposed",
        "fill",
        Rectangle(as_vec(at), as_vec(subject.centre), size, size),
        round_amount(level / (ratio - 1.0)),
        "lx",
        kelvin=6500.0,
        role="fill",
        holds_level=True,
        air_factor=0.0,
        highlights=0.3,
    )


def propose_glow(place: Place, shot: Shot, look: Look) -> Source:
    """A lamp behind the subject, hidden by it, that lights the mist there: the figure stands dark against it."""
    subject = subject_of(place, shot)
    lens = np.asarray(shot.seen_from.position)
    away = subject.centre - lens
    away = away / max(float(np.linalg.norm(away)), 1e-9)
    at = subject.centre + away * max(2.2 * subject.radius_m, 1.5)
    shape = Ball(as_vec(at), 0.08, aim=as_vec(subject.centre))
    return Source(
        "proposed",
        "glow behind",
        shape,
        round_amount(6.0 * grey_lx(look, PALE)),
        "lx",
        kelvin=4300.0,
        role="background",
        matte=0.0,
        highlights=0.0,
        air_factor=1.0,
    )
