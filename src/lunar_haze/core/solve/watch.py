"""The watch: what would give a source away, in every shot and over its frames.

A lamp that stands in the frame with nothing before it; a lamp whose bright shape shows in the mist; a lamp in a closed
room whose light leaks through a gap too narrow to be an opening. Frames are looked at with all that is keyed as it is
there. Each finding says who, where and from which frame on.
"""

import functools
import math
from collections.abc import Callable, Iterator

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, label

from lunar_haze.core.document.cues import CueSheet, cues_of
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.solve.subject import inside_frame
from lunar_haze.core.sources.amounts import convert
from lunar_haze.core.sources.array import Placed, lamp_of, lamps_of
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.photometry import exposure_scale

#: Frames that are looked at in a move; between two that differ the first is found by halving.
FRAMES_LOOKED_AT = 33
#: A room is closed when this share of all directions is shut, and an opening is wider than this [m].
CLOSED_SHARE, NARROWEST_OPENING_M = 0.9, 0.035
LEAK_ROWS, LEAK_COLUMNS = 192, 384
#: A halo brighter than this, exposed (mid grey is 0.18), shows as a shape of its own.
HALO_SHOWS = 0.18


@attrs.frozen
class Finding:
    """Something that gives a source away: which, in which shot from which frame on, where [m], said in words."""

    kind: str
    what: str
    shot: str
    frame: int
    where: Vec3
    text: str


def _spots(shape: Placed) -> NDArray[np.float64]:
    """Points of a lamp (n, 3) that a lens may see: middle and rim of each of its lamps."""
    return np.concatenate([lamp.points() for lamp in lamps_of(shape)])


def seen_by(camera: Camera, shot: Shot, points: NDArray, index: RayIndex) -> NDArray[np.bool_]:
    """Which points (n, 3) lie in the frame with nothing solid before them."""
    inside = inside_frame(camera, shot, points)
    visible = np.zeros(len(points), bool)
    if inside.any():
        visible[inside] = index.sees(np.asarray(camera.position, float), points[inside])
    return visible


def first_frame(shot: Shot, moves: bool, holds: Callable[[int], object]) -> int | None:
    """The first frame of a shot at which something holds, or None; where nothing ``moves`` only one is looked at."""
    first, last = shot.first_frame, max(shot.last_frame, shot.first_frame)
    if not moves or first == last:
        return first if holds(first) else None
    looked_at = sorted({round(f) for f in np.linspace(first, last, min(FRAMES_LOOKED_AT, last - first + 1))})
    before = None
    for frame in looked_at:
        if holds(frame):
            low = before
            while low is not None and frame - low > 1:
                middle = (low + frame) // 2
                low, frame = (low, middle) if holds(middle) else (middle, frame)
            return frame
        before = frame
    return None


def _halo(source: Source, look: Look, camera: Camera) -> float:
    """How bright the mist close to a lamp shows, exposed; phase aside, a tenth of a metre from it."""
    medium = look.medium
    shape = source.shape
    if medium.is_clear or source.air_factor <= 0 or not isinstance(shape, Placed):
        return 0.0
    lumens = convert(source, kind_of(shape).canonical_unit) * 2.0**source.dimmer_stops
    count = len(lamps_of(shape))
    height = max(shape.position[2] - medium.base_m, 0.0)
    sigma = medium.extinction_per_m * math.exp(-height / medium.fall_off_m)
    distance = math.dist(camera.position, shape.position)
    radiance = lumens / count / (4 * math.pi) * sigma * 0.25 / 0.1 * math.exp(-sigma * distance)
    return radiance * source.air_factor * max(medium.albedo) * exposure_scale(look.ev100, look.stops)


def _shows(source: Source, shape: Placed, look: Look, camera: Camera) -> str:
    """How a lamp in plain sight gives itself away, or "" when it does not."""
    lamp = lamp_of(shape)
    if lamp.seen and lamp.radiance_per_lumen() > 0:
        return "the camera sees it"
    return "its halo in the mist shows" if _halo(source, look, camera) > HALO_SHOWS else ""


def _in_frame(document: Document, index: RayIndex) -> Iterator[Finding]:
    """Lamps that are seen, with everything that is keyed as it is at each frame. Cards are seen by no lens."""
    for shot in document.shots:
        here = attrs.evolve(document, current_shot=shot.name)
        moves, sheet = shot.ends is not None or bool(cues_of(here)), CueSheet(here)
        at = functools.cache(sheet.at)
        for source in document.look.sources:
            if not isinstance(source.shape, Placed) or source.role == "practical":
                continue

            def how(frame: int, source_id: str = source.id, at: Callable[[int], Document] = at) -> str:
                """How it gives itself away at a frame, "" where it does not."""
                look, there = at(frame).look, at(frame).shot
                found = next(s for s in look.balanced() if s.id == source_id)
                camera, shape = there.seen_from, found.shape
                if found.id not in look.active() or not isinstance(shape, Placed):
                    return ""
                told = _shows(found, shape, look, camera)
                return told if told and seen_by(camera, there, _spots(shape), index).any() else ""

            frame = first_frame(shot, moves, how)
            if frame is not None:
                where = at(frame).look.expect(source.id).shape
                assert isinstance(where, Placed)
                yield Finding(
                    "in frame",
                    source.id,
                    shot.name,
                    frame,
                    where.position,
                    f"{source.name} stands in the frame of {shot.name}{_from(shot, frame)}: {how(frame)}",
                )


def _from(shot: Shot, frame: int) -> str:
    return f" from frame {frame} on" if frame > shot.first_frame else ""


@attrs.frozen
class Leak:
    """A narrow gap that lets a lamp's light out: where it is [m] and about how wide [m]."""

    where: Vec3
    width_m: float


def leaks_of(position: Vec3, index: RayIndex) -> list[Leak]:
    """Narrow gaps in the room that a lamp stands in; none for a lamp in the open.

    Rays on an even grid of directions; escaping ones are gathered in patches, and a patch is as
    wide as its solid angle over its length.
    """
    sines = 1 - 2 * (np.arange(LEAK_ROWS) + 0.5) / LEAK_ROWS
    turns = 2 * math.pi * (np.arange(LEAK_COLUMNS) + 0.5) / LEAK_COLUMNS
    flat = np.sqrt(1 - sines**2)
    directions = np.stack(
        [flat[:, None] * np.cos(turns), flat[:, None] * np.sin(turns), np.repeat(sines[:, None], LEAK_COLUMNS, 1)], -1
    )
    reach, _found = index.nearest(np.asarray(position, float), directions.reshape(-1, 3))
    reach = reach.reshape(LEAK_ROWS, LEAK_COLUMNS)
    room = 3.0 * float(np.median(reach))
    out = reach > max(room, 1.0)
    if room > 1e4 or out.mean() > 1 - CLOSED_SHARE:
        return []
    # A gap seen at a slant falls between the rays here and there: patches that almost touch are one.
    joined = binary_dilation(out, np.ones((3, 7)))
    patches, count = label(np.concatenate([joined, joined], 1), np.ones((3, 3)))
    patches *= np.concatenate([out, out], 1)
    found, taken = [], np.zeros_like(out)
    cell = 4 * math.pi / out.size
    # The circle is laid out twice, so that a patch across its seam is whole once: the largest come first.
    for number in np.argsort(-np.bincount(patches.ravel(), minlength=count + 1)[1:]) + 1:
        rows, columns = np.nonzero(patches == number)
        columns = columns % LEAK_COLUMNS
        if not len(rows) or taken[rows, columns].any():
            continue
        taken[rows, columns] = True
        ring = np.zeros_like(out)
        for dy in (-1, 0, 1):
            for dx in (-1, 0, 1):
                ring[np.clip(rows + dy, 0, LEAK_ROWS - 1), (columns + dx) % LEAK_COLUMNS] = True
        edge = reach[ring & ~out]
        if not len(edge):
            continue
        wall = float(np.median(edge))
        ways = directions[rows, columns]
        middle = ways.mean(0) / np.linalg.norm(ways.mean(0))
        spread = float(np.arccos(np.clip(ways @ middle, -1, 1)).max())
        length = max(2 * spread, math.sqrt(cell)) * wall
        width = len(np.unique(rows * LEAK_COLUMNS + columns)) * cell * wall**2 / length
        if width < NARROWEST_OPENING_M:
            at = np.asarray(position) + middle * wall
            found.append(Leak((float(at[0]), float(at[1]), float(at[2])), width))
    return found


def _leaks(document: Document, look: Look, index: RayIndex) -> Iterator[Finding]:
    active = look.active()
    for source in look.balanced():
        if source.id not in active or not isinstance(source.shape, Placed):
            continue
        for leak in leaks_of(source.shape.position, index):
            yield Finding(
                "leak",
                source.id,
                document.current_shot,
                document.shot.frame,
                leak.where,
                f"{source.name} leaks through a gap about {leak.width_m * 100:.0f} cm wide at "
                f"{leak.where[0]:.1f}, {leak.where[1]:.1f}, {leak.where[2]:.1f} m",
            )


def watch(document: Document, index: RayIndex) -> list[Finding]:
    """Everything that gives a source of the current look away, in every shot."""
    return [*_in_frame(document, index), *_leaks(document, document.look, index)]
