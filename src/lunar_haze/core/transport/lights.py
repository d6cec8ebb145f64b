"""Packs the shapes of a frame's layers for the kernels: one row a source, skies and emitters beside.

All emit one canonical unit of white light (see `lunar_haze.core.sources.amounts`); a sky and a
glowing surface keep their own spread of colour.
"""

import functools
import math
from typing import NamedTuple

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.errors import EngineError, HazeError
from lunar_haze.core.place.model import Place
from lunar_haze.core.sky import moonlight
from lunar_haze.core.sky.clouds import TILE, TILE_SIZES, mean_sun_share, sun_share
from lunar_haze.core.sky.dome import LEVEL_HEIGHT, LEVEL_WIDTH, MAP_HEIGHT, dome_map
from lunar_haze.core.sky.lat_long import row_solid_angles
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.amounts import lamp_area_m2, radiance_per_lumen
from lunar_haze.core.sources.cutouts import SIZE, pattern
from lunar_haze.core.sources.distribution import H_STEPS, V_STEPS, Distribution, lumens, table
from lunar_haze.core.sources.model import (
    Ball,
    Beam,
    Crowd,
    Disc,
    Lamp,
    Photometric,
    Rectangle,
    Rig,
    Shape,
    Sky,
    Sun,
    Surface,
    Touches,
    Tube,
    facing_frame,
)
from lunar_haze.core.transport.sampling import search_starts

SUN, SKY, BALL, DISC, RECTANGLE, BEAM, SURFACE, TUBE, PHOTOMETRIC, RIG = range(10)
#: Parts of a layer: all of it, what matte reflection gives, what highlights give.
PARTS = ("all", "matte", "highlights")
# Columns of a packed source. AXIS is the direction to the sun, or the way a lamp faces.
KIND, POSITION, AXIS, SIDE, UP = 0, 1, 4, 7, 10
RADIUS, HALF_W, HALF_H, RADIANCE, AREA = 13, 14, 15, 16, 17
COS_INNER, COS_OUTER, ONE_MINUS_COS, TABLE, FIRST, COUNT = 18, 19, 20, 21, 22, 23
# Of a sky: whether it lights, is seen by the lens, is met by bounced light. Of a moon: sine and cosine of its
# phase, with SIDE towards its bright limb. Of a sun under clouds: its tile of shade (-1 for none), the tile's side
# and height [m].
LIGHTS, SEEN, BOUNCES, PHASE_SIN, PHASE_COS, SHADE, SHADE_SIDE, SHADE_HEIGHT = 24, 25, 26, 27, 28, 29, 30, 31
# Of a lamp: where its light ends [m], a beam's cut-out (-1 for none), how far before it its gate stands [m] and how
# wide the cone is there (half, over its distance), its shutters, which part of reflection is gathered, whether any
# object is spared. A tube has its half length in HALF_W; a photometric lamp its table in TABLE; a rig its lamps in
# FIRST and COUNT, as rows after those of the sources.
# INTENSITY is the most that it sends in any direction [cd].
REACH, CUTOUT, GATE, GATE_TAN, SHUTTERS, PART, SPARES, INTENSITY = 32, 33, 34, 35, 36, 40, 41, 42
# Of a sun: the map of what it sees (-1 for none), the map's middle, and its texels to a metre.
MAP, MAP_AT, MAP_SCALE = 43, 44, 47
# Of a sky: whether it is drawn through openings (`sky_guide`).
GUIDED = 48
COLUMNS = 49
#: Stands for a lamp without reach.
NO_REACH = 1e9


#: Maps of photographs have this many times the rows of other skies.
PHOTOGRAPH_FINER = 4
#: Skies are drawn from a table of about so many rows, or of cells of so many by so many texels.
TABLE_ROWS, MOST_COARSER = 64, 4


class LightArrays(NamedTuple):
    """What kernels read of the sources. N sources, S skies, E emitting triangles, T all triangles."""

    rows: NDArray  # (N + lamps of rigs, 49) float32
    sky: NDArray  # (S, H, W, 3) float32 radiance
    sky_rows: NDArray  # (S, h + 1) float32 cumulative over the rows of a coarser table
    sky_columns: NDArray  # (S, h, w + 1) float32 cumulative along each row
    sky_row_starts: NDArray  # (S, h) int32, of `search_starts`
    sky_column_starts: NDArray  # (S, h, w) int32, the same along each row
    sky_density: NDArray  # (S, h, w) float32 [1/sr at the horizon], even in both angles within a cell
    emitters: NDArray  # (E,) int32 triangle numbers, grouped by source
    emitter_sum: NDArray  # (E,) float32 cumulative probability within each source
    emitter_starts: NDArray  # (E,) int32, of `search_starts` within each source
    light_of: NDArray  # (T,) int32 source of a triangle, -1 for none
    area_density: NDArray  # (T,) float32 [1/m2] probability density of a point on it
    shades: NDArray  # (K, TILE, TILE) float32 share of sunlight that clouds let through, over one period
    patterns: NDArray  # (P, SIZE, SIZE) float32 share of light that cut-outs let through
    profiles: NDArray  # (D, V_STEPS, H_STEPS) float32 intensity of a measured lamp of one lumen [cd/lm]
    spared: NDArray  # (N, objects) float32, one where a source does not light an object
    sun_maps: NDArray  # (M, side, side) float32, see `sun_map`
    guide_view: NDArray  # (15,) float32: the lens, the tangents of half the picture, how far cells reach [m]
    guide_sum: NDArray  # (cells, bins + 1) float32 cumulative over directions, see `sky_guide`
    guide_starts: NDArray  # (cells, bins) int32, of `search_starts` within each cell


class _Tables:
    """Images that rows refer to by number."""

    def __init__(self) -> None:
        self.patterns: list[NDArray] = []
        self.profiles: list[NDArray] = []

    def number(self, images: list[NDArray], image: NDArray) -> int:
        """Where an image lies in its list; one that is there already is not laid twice."""
        for i, known in enumerate(images):
            if known is image:
                return i
        images.append(image)
        return len(images) - 1


def _lamp_row(shape: Lamp, tables: _Tables) -> NDArray:
    row = np.zeros(COLUMNS, np.float64)
    row[POSITION : POSITION + 3] = shape.position
    turn = shape.turn_deg if isinstance(shape, Photometric) else 0.0
    side, up, axis = facing_frame(shape.position, shape.aim, turn)
    if isinstance(shape, (Ball, Tube)):
        side, up, axis = facing_frame((0.0, 0.0, 0.0), shape.along() if isinstance(shape, Tube) else (0.0, 0.0, -1.0))
    row[AXIS : AXIS + 3], row[SIDE : SIDE + 3], row[UP : UP + 3] = axis, side, up
    row[RADIANCE] = radiance_per_lumen(shape)
    row[AREA] = lamp_area_m2(shape)
    row[INTENSITY] = row[RADIANCE] * row[AREA]
    row[REACH] = min(shape.reach_m, NO_REACH)
    row[SEEN] = shape.seen
    row[CUTOUT] = -1
    row[KIND] = {
        Ball: BALL, Tube: TUBE, Disc: DISC, Rectangle: RECTANGLE, Beam: BEAM, Photometric: PHOTOMETRIC
    }[type(shape)]  # fmt: skip
    if isinstance(shape, Rectangle):
        row[HALF_W], row[HALF_H] = shape.width_m / 2, shape.height_m / 2
    else:
        row[RADIUS] = shape.radius_m
    if isinstance(shape, Tube):
        row[HALF_W] = shape.length_m / 2
        row[AREA] = 2 * math.pi * shape.radius_m * shape.length_m
    if isinstance(shape, Photometric):
        row[RADIANCE] = 1.0 / row[AREA]
        row[INTENSITY] = _profile_of(shape.distribution).max()
        row[TABLE] = tables.number(tables.profiles, _profile_of(shape.distribution))
    if isinstance(shape, Beam):
        inner, outer = shape.half_angles_rad()
        row[COS_INNER], row[COS_OUTER] = math.cos(inner), math.cos(outer)
        row[GATE], row[GATE_TAN] = shape.gate_m, math.tan(outer)
        row[SHUTTERS : SHUTTERS + 4] = shape.shutters
        if shape.cutout is not None:
            row[CUTOUT] = tables.number(tables.patterns, pattern(shape.cutout))
    return row


@functools.lru_cache(maxsize=16)
def _profile_of(distribution: Distribution) -> NDArray[np.float32]:
    return (table(distribution) / lumens(distribution)).astype(np.float32)


def _sun_row(shape: Sun) -> NDArray:
    row = np.zeros(COLUMNS, np.float64)
    row[KIND] = SUN
    row[AXIS : AXIS + 3] = shape.towards()
    row[SIDE : SIDE + 3], row[UP : UP + 3], _axis = facing_frame((0.0, 0.0, 0.0), shape.towards())
    half = math.radians(shape.diameter_deg) / 2
    row[ONE_MINUS_COS] = 2 * math.sin(half / 2) ** 2
    # An even disc facing the surface: E = pi L sin^2(half angle).
    row[RADIANCE] = 1.0 / (math.pi * math.sin(half) ** 2)
    row[PHASE_COS], row[SHADE], row[MAP] = 1.0, -1.0, -1.0
    if shape.body == "moon":
        phase, limb = math.radians(shape.phase_deg), math.radians(shape.limb_deg)
        right, up = -row[SIDE : SIDE + 3], row[UP : UP + 3].copy()
        bright = math.cos(limb) * right + math.sin(limb) * up
        row[SIDE : SIDE + 3], row[UP : UP + 3] = bright, np.cross(row[AXIS : AXIS + 3], bright)
        row[PHASE_SIN], row[PHASE_COS] = math.sin(phase), math.cos(phase)
        # The whole gives 1 lx whatever its phase; a new moon is lit by the earth alone.
        lit = max(moonlight.lit_share(shape.phase_deg), moonlight.EARTHSHINE)
        row[RADIANCE] /= lit + (1 - lit) * moonlight.EARTHSHINE
    return row


def _shade(shape: Sun, row: NDArray, number: int) -> NDArray[np.float32]:
    """Put a sun's clouds into its row as tile ``number``; the tile (TILE, TILE): shares of sunlight over one period.

    The lowest layer throws the patches, higher ones count by their mean.
    """
    lowest, *others = sorted(shape.clouds, key=lambda c: c.height_m)
    side = TILE_SIZES * lowest.size_m
    row[SHADE], row[SHADE_SIDE], row[SHADE_HEIGHT] = number, side, lowest.height_m
    at = (np.arange(TILE) + 0.5) * side / TILE
    sine = max(shape.towards()[2], 0.0)
    share = sun_share((lowest,), sine, *np.meshgrid(at, at)) * mean_sun_share(tuple(others), sine)
    return share.astype(np.float32)


def emitter_tables(areas: list[NDArray]) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """How triangles are drawn by their areas, a list for each source: cumulative chances, and where searches begin."""
    sums = [np.cumsum(area) / area.sum() for area in areas]
    return np.concatenate(sums).astype(np.float32), np.concatenate([search_starts(s) for s in sums])


def _sky_tables(radiance: NDArray) -> tuple[NDArray, ...]:
    """Cumulative rows and columns, where searches in them begin, and densities, for `heaven_light.draw_sky`."""
    height, width, _ = radiance.shape
    solid_angle = row_solid_angles(height, width)[:, None] * np.ones((1, width))
    weight = np.maximum(radiance @ LUMINANCE_WEIGHTS, 0) * solid_angle
    # A tenth of the samples is spread evenly, so that bilinear lookups never meet a zero density.
    weight = 0.9 * weight / weight.sum() + 0.1 * solid_angle / solid_angle.sum()
    # What is drawn from stays near the processor when its cells are some degrees wide.
    coarser = min(max(height // TABLE_ROWS, 1), MOST_COARSER)
    coarser = coarser if height % coarser == 0 and width % coarser == 0 else 1
    height, width = height // coarser, width // coarser
    weight = weight.reshape(height, coarser, width, coarser).sum((1, 3))
    columns = np.concatenate([np.zeros((height, 1)), np.cumsum(weight, 1)], 1)
    totals = columns[:, -1].copy()
    columns /= totals[:, None]
    rows = np.concatenate([[0], np.cumsum(totals)])
    rows /= rows[-1]
    cell = (math.pi / height) * (2 * math.pi / width)
    return (
        rows.astype(np.float32), columns.astype(np.float32), search_starts(rows[1:]), search_starts(columns[:, 1:]),
        (weight / cell).astype(np.float32),
    )  # fmt: skip


@attrs.frozen
class Lit:
    """A source as the kernels gather it: its shape, which part of its reflection, what it lights."""

    shape: Shape | Crowd
    part: str = "all"
    touches: Touches = Touches()


def _readable(shape: Shape | Crowd, place: Place) -> None:
    """Raise HazeError where a shape cannot be made light of: a file that is gone, a material that is not worn."""
    if isinstance(shape, Sky):
        dome_map(shape.dome, LEVEL_HEIGHT, LEVEL_WIDTH)
    elif isinstance(shape, Surface):
        worn = {place.materials[i].name for i in np.unique(place.material_of)}
        if shape.material not in worn:
            raise EngineError(f"nothing in the place wears the glowing material “{shape.material}”")
    else:
        lamps = shape.lamps if isinstance(shape, Crowd) else (shape.lamp if isinstance(shape, Rig) else shape,)
        for lamp in lamps:
            if isinstance(lamp, Beam) and lamp.cutout is not None:
                pattern(lamp.cutout)


def pack_lights(
    sources: list[Lit], place: Place, order: NDArray, sky_rows: int = MAP_HEIGHT,
    problems: dict[int, str] | None = None,
) -> LightArrays:  # fmt: skip
    """Arrays for ``sources``; ``order`` is the triangle order of the packed place, skies have ``sky_rows`` rows.

    A source that cannot be made light of stays dark and has its reason in ``problems``, by its number;
    without those HazeError is raised.
    """
    shapes = [s.shape for s in sources]
    rows, skies, tables, shades = [], [], [], []
    members: list[NDArray] = []
    images = _Tables()
    emitters: list[NDArray] = []
    areas: list[NDArray] = []
    light_of = np.full(len(place.triangles), -1, np.int32)
    area_density = np.zeros(len(place.triangles), np.float32)
    if any(isinstance(s, Sky) and isinstance(s.dome, Panorama) for s in shapes):
        # What a lens may see of a photograph is finer than any sky of ours.
        sky_rows *= PHOTOGRAPH_FINER
    first = 0
    material_names = {m.name: i for i, m in enumerate(place.materials)}
    for number, shape in enumerate(shapes):
        try:
            _readable(shape, place)
        except HazeError as error:
            if problems is None:
                raise
            problems[number] = str(error)
            row = _lamp_row(Ball(), images)
            row[RADIANCE], row[INTENSITY], row[SEEN] = 0.0, 0.0, 0.0
            rows.append(row)
            continue
        if isinstance(shape, Sun):
            row = _sun_row(shape)
            if shape.clouds and shape.towards()[2] > 0.0:
                shades.append(_shade(shape, row, len(shades)))
        elif isinstance(shape, Sky):
            row = np.zeros(COLUMNS)
            row[KIND], row[TABLE] = SKY, len(skies)
            row[LIGHTS], row[SEEN], row[BOUNCES] = shape.lights, shape.seen, shape.bounces
            skies.append(dome_map(shape.dome, sky_rows, 2 * sky_rows))
            tables.append(_sky_tables(skies[-1]))
        elif isinstance(shape, Surface):
            row = np.zeros(COLUMNS)
            row[KIND], row[RADIANCE], row[FIRST], row[SEEN] = SURFACE, 1.0, first, shape.seen
            wearing = np.flatnonzero(place.material_of[order] == material_names.get(shape.material, -2))
            if len(wearing):
                corners = place.positions[place.triangles[order[wearing]].astype(np.int64)].astype(np.float64)
                normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                area = np.linalg.norm(normal, axis=1) / 2
                wearing, area, corners = wearing[area > 0], area[area > 0], corners[area > 0]
            if len(wearing) == 0:
                raise EngineError(f"nothing in the place wears the glowing material “{shape.material}”")
            row[COUNT], row[AREA] = len(wearing), area.sum()
            row[POSITION : POSITION + 3] = (corners.mean(1) * area[:, None]).sum(0) / area.sum()
            row[RADIUS] = math.sqrt(area.sum() / (4 * math.pi))
            emitters.append(wearing.astype(np.int32))
            areas.append(area)
            light_of[wearing] = number
            area_density[wearing] = 1.0 / area.sum()
            first += len(wearing)
        elif isinstance(shape, (Rig, Crowd)):
            lamps = [_lamp_row(lamp, images) for lamp in (shape.lamps if isinstance(shape, Crowd) else shape.members())]
            shares = shape.shares if isinstance(shape, Crowd) else (1 / len(lamps),) * len(lamps)
            row = np.zeros(COLUMNS)
            row[KIND], row[FIRST], row[COUNT] = RIG, len(sources) + len(members), len(lamps)
            row[POSITION : POSITION + 3] = np.mean([lamp[POSITION : POSITION + 3] for lamp in lamps], 0)
            row[SEEN] = max(lamp[SEEN] for lamp in lamps)
            for lamp, share in zip(lamps, shares):
                lamp[RADIANCE] *= share
                row[INTENSITY] += lamp[INTENSITY] * share
            members += lamps
        else:
            row = _lamp_row(shape, images)
        row[PART] = PARTS.index(sources[number].part)
        row[SPARES] = sources[number].touches.mode != "all"
        rows.append(row)
    emitter_sum, emitter_starts = emitter_tables(areas or [np.ones(1)])
    if not skies:
        skies, tables = (
            [np.zeros((2, 2, 3), np.float32)],
            [_sky_tables(np.ones((2, 2, 3)))],
        )
    return LightArrays(
        rows=np.array([*rows, *members], np.float32).reshape(-1, COLUMNS),
        sky=np.stack(skies),
        sky_rows=np.stack([t[0] for t in tables]),
        sky_columns=np.stack([t[1] for t in tables]),
        sky_row_starts=np.stack([t[2] for t in tables]),
        sky_column_starts=np.stack([t[3] for t in tables]),
        sky_density=np.stack([t[4] for t in tables]),
        emitters=np.concatenate(emitters) if emitters else np.zeros(1, np.int32),
        emitter_sum=emitter_sum,
        emitter_starts=emitter_starts,
        light_of=light_of,
        area_density=area_density,
        shades=np.stack(shades) if shades else np.ones((1, 1, 1), np.float32),
        patterns=np.stack(images.patterns) if images.patterns else np.ones((1, SIZE, SIZE), np.float32),
        profiles=np.stack(images.profiles) if images.profiles else np.ones((1, V_STEPS, H_STEPS), np.float32),
        spared=np.array([[s.touches.spares(name) for name in place.objects] or [False] for s in sources], np.float32),
        sun_maps=np.zeros((1, 1, 1), np.float32),
        guide_view=np.zeros(15, np.float32),
        guide_sum=np.zeros((1, 2), np.float32),
        guide_starts=np.zeros((1, 1), np.int32),
    )
