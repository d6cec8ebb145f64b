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
from lunar_haze.core.sky.dome import LEVEL_HEIGHT, LEVEL_WIDTH, MAP_HEIGHT, dome_map, map_behind
from lunar_haze.core.sky.lat_long import row_solid_angles
from lunar_haze.core.sky.model import Lightning, Panorama
from lunar_haze.core.sources.array import Crowd, LampArray, lamps_of
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.cutouts import SIZE, pattern
from lunar_haze.core.sources.distribution import H_STEPS, V_STEPS, Distribution, lumens, table
from lunar_haze.core.sources.facing import facing_frame
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import LightLinking, Sky, Sun, Surface
from lunar_haze.core.transport.sampling import search_starts
from lunar_haze.core.transport.source_row import (
    ARRAY,
    AXIS,
    COLUMNS,
    INTENSITY,
    NO_REACH,
    PARTS,
    POSITION,
    RADIANCE,
    SAMPLED_AS,
    SEEN,
    SIDE,
    SKY,
    SOURCE,
    SUN,
    SURFACE,
    UP,
)
from lunar_haze.core.transport.starfield import is_drawn

#: Maps of photographs have this many times the rows of other skies.
PHOTOGRAPH_FINER = 4
#: Skies are drawn from a table of about so many rows, or of cells of so many by so many texels.
TABLE_ROWS, MOST_COARSER = 64, 4


class LightArrays(NamedTuple):
    """What kernels read of the sources. N sources, S skies, E emitting triangles, T all triangles."""

    rows: NDArray  # (N + lamps of arrays, COLUMNS) float32, see `source_row`
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


def _lamp_row(lamp: Lamp, tables: _Tables) -> NDArray:
    side, up, axis = lamp.frame()
    radiance, area = lamp.radiance_per_lumen(), lamp.area_m2()
    row = SOURCE.row(
        kind=SAMPLED_AS[lamp.sampled_as],
        position=lamp.position,
        axis=axis,
        side=side,
        up=up,
        radiance=radiance,
        area=area,
        intensity=radiance * area,
        reach=min(lamp.reach_m, NO_REACH),
        seen=lamp.seen,
        cutout=-1,
    )
    own = lamp.columns()
    cutout, distribution = own.pop("cutout", None), own.pop("distribution", None)
    SOURCE.put(row, **own)
    if cutout is not None:
        SOURCE.put(row, cutout=tables.number(tables.patterns, pattern(cutout)))
    if distribution is not None:
        profile = _profile_of(distribution)
        SOURCE.put(row, intensity=profile.max(), table=tables.number(tables.profiles, profile))
    return row


@functools.lru_cache(maxsize=16)
def _profile_of(distribution: Distribution) -> NDArray[np.float32]:
    return (table(distribution) / lumens(distribution)).astype(np.float32)


def _sun_row(shape: Sun) -> NDArray:
    towards = shape.towards()
    side, up, _axis = facing_frame((0.0, 0.0, 0.0), towards)
    half = math.radians(shape.diameter_deg) / 2
    row = SOURCE.row(
        kind=SUN,
        axis=towards,
        side=side,
        up=up,
        one_minus_cos=2 * math.sin(half / 2) ** 2,
        # An even disc facing the surface: E = pi L sin^2(half angle).
        radiance=1.0 / (math.pi * math.sin(half) ** 2),
        phase_cos=1.0,
        shade=-1.0,
        map=-1.0,
    )
    if shape.body == "moon":
        phase, limb = math.radians(shape.phase_deg), math.radians(shape.limb_deg)
        bright = math.cos(limb) * -row[SIDE : SIDE + 3] + math.sin(limb) * row[UP : UP + 3]
        # The whole gives 1 lx whatever its phase; a new moon is lit by the earth alone.
        lit = max(moonlight.lit_share(shape.phase_deg), moonlight.EARTHSHINE)
        SOURCE.put(
            row,
            side=bright,
            up=np.cross(row[AXIS : AXIS + 3], bright),
            phase_sin=math.sin(phase),
            phase_cos=math.cos(phase),
            radiance=row[RADIANCE] / (lit + (1 - lit) * moonlight.EARTHSHINE),
        )
    return row


def _shade(shape: Sun, row: NDArray, number: int) -> NDArray[np.float32]:
    """Put a sun's clouds into its row as tile ``number``; the tile (TILE, TILE): shares of sunlight over one period.

    The lowest layer throws the patches, higher ones count by their mean.
    """
    lowest, *others = sorted(shape.clouds, key=lambda c: c.height_m)
    side = TILE_SIZES * lowest.size_m
    SOURCE.put(row, shade=number, shade_side=side, shade_height=lowest.height_m)
    at = (np.arange(TILE) + 0.5) * side / TILE
    sine = max(shape.towards()[2], 0.0)
    share = sun_share((lowest,), sine, *np.meshgrid(at, at)) * mean_sun_share(tuple(others), sine)
    return share.astype(np.float32)


def emitter_tables(areas: list[NDArray]) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """How triangles are drawn by their areas, a list for each source: cumulative chances, and where searches begin.

    Areas are (n,) [m2].
    """
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
        rows.astype(np.float32),
        columns.astype(np.float32),
        search_starts(rows[1:]),
        search_starts(columns[:, 1:]),
        (weight / cell).astype(np.float32),
    )


@attrs.frozen
class Lit:
    """A source as the kernels gather it: its shape, which part of its reflection, what it lights."""

    shape: Shape
    part: str = "all"
    linking: LightLinking = LightLinking()


def _readable(shape: Shape, worn: set[str]) -> None:
    """Raise HazeError where a shape cannot be made light of: a file that is gone, a material that is not ``worn``."""
    if isinstance(shape, Sky):
        dome_map(shape.dome, LEVEL_HEIGHT, LEVEL_WIDTH)
    elif isinstance(shape, Surface):
        if shape.material not in worn:
            raise EngineError(f"nothing in the place wears the glowing material “{shape.material}”")
    elif isinstance(shape, (Lamp, LampArray, Crowd)):
        for lamp in lamps_of(shape):
            cutout = lamp.columns().get("cutout")
            if cutout is not None:
                pattern(cutout)


def _spared(linking: LightLinking, objects: tuple[str, ...]) -> NDArray[np.float32]:
    """Which objects (n,) a source does not light; usually none, and there may be thousands."""
    if linking.mode == "all":
        return np.zeros(max(len(objects), 1), np.float32)
    return np.array([linking.excludes(name) for name in objects] or [False], np.float32)


class _Packer:
    """Gathers rows, and beside them what they refer to by number."""

    def __init__(self, sources: list[Lit], place: Place, order: NDArray, sky_rows: int) -> None:
        self._sources, self._place, self._order, self._sky_rows = sources, place, order, sky_rows
        self._materials = {m.name: i for i, m in enumerate(place.materials)}
        self.worn = {material.name for material in place.worn}
        self.images = _Tables()
        self.rows: list[NDArray] = []
        self.members: list[NDArray] = []
        self.skies: list[NDArray] = []
        self.sky_tables: list[tuple[NDArray, ...]] = []
        self.shades: list[NDArray] = []
        self.emitters: list[NDArray] = []
        self.areas: list[NDArray] = []
        self.light_of = np.full(len(place.triangles), -1, np.int32)
        self.area_density = np.zeros(len(place.triangles), np.float32)

    def add(self, number: int, source: Lit) -> None:
        """The row of a source and all that belongs to it."""
        row = self._row_of(source.shape, number)
        SOURCE.put(row, part=PARTS.index(source.part), spares=source.linking.mode != "all")
        self.rows.append(row)

    def add_dark(self) -> None:
        """The row of a source that gives no light."""
        row = _lamp_row(Ball(), self.images)
        SOURCE.put(row, radiance=0.0, intensity=0.0, seen=0.0)
        self.rows.append(row)

    @functools.singledispatchmethod
    def _row_of(self, shape: Shape, number: int) -> NDArray:
        """The row of a shape, the source of that number; what it refers to is gathered."""
        raise TypeError(f"a {type(shape).__name__} is no source of light")

    @_row_of.register
    def _(self, shape: Lamp, number: int) -> NDArray:
        return _lamp_row(shape, self.images)

    @_row_of.register
    def _(self, shape: Sun, number: int) -> NDArray:
        row = _sun_row(shape)
        if shape.clouds and shape.towards()[2] > 0.0:
            self.shades.append(_shade(shape, row, len(self.shades)))
        return row

    @_row_of.register
    def _(self, shape: Sky, number: int) -> NDArray:
        number = len(self.skies)
        row = SOURCE.row(
            kind=SKY, table=number, seen_table=number, lights=shape.lights, seen=shape.seen, bounces=shape.bounces
        )
        size = self._sky_rows, 2 * self._sky_rows
        self.skies.append(dome_map(shape.dome, *size))
        self.sky_tables.append(_sky_tables(self.skies[-1]))
        if isinstance(shape.dome, Lightning) and is_drawn(shape):
            # The lens sees the channel as it is drawn, and the cloud behind it.
            SOURCE.put(row, seen_table=number + 1)
            self.skies.append(map_behind(shape.dome, *size))
            self.sky_tables.append(self.sky_tables[-1])
        return row

    @_row_of.register
    def _(self, shape: Surface, number: int) -> NDArray:
        place, order = self._place, self._order
        wearing = np.flatnonzero(place.material_of[order] == self._materials.get(shape.material, -2))
        if len(wearing):
            corners = place.positions[place.triangles[order[wearing]].astype(np.int64)].astype(np.float64)
            normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            area = np.linalg.norm(normal, axis=1) / 2
            wearing, area, corners = wearing[area > 0], area[area > 0], corners[area > 0]
        if len(wearing) == 0:
            raise EngineError(f"nothing in the place wears the glowing material “{shape.material}”")
        first = sum(len(emitters) for emitters in self.emitters)
        self.emitters.append(wearing.astype(np.int32))
        self.areas.append(area)
        self.light_of[wearing] = number
        self.area_density[wearing] = 1.0 / area.sum()
        return SOURCE.row(
            kind=SURFACE,
            radiance=1.0,
            first=first,
            seen=shape.seen,
            count=len(wearing),
            area=area.sum(),
            position=(corners.mean(1) * area[:, None]).sum(0) / area.sum(),
            radius=math.sqrt(area.sum() / (4 * math.pi)),
        )

    @_row_of.register
    def _(self, shape: LampArray | Crowd, number: int) -> NDArray:
        lamps = [_lamp_row(lamp, self.images) for lamp in lamps_of(shape)]
        shares = shape.shares if isinstance(shape, Crowd) else (1 / len(lamps),) * len(lamps)
        row = SOURCE.row(
            kind=ARRAY,
            first=len(self._sources) + len(self.members),
            count=len(lamps),
            position=np.mean([lamp[POSITION : POSITION + 3] for lamp in lamps], 0),
            seen=max(lamp[SEEN] for lamp in lamps),
        )
        for lamp, share in zip(lamps, shares):
            lamp[RADIANCE] *= share
            row[INTENSITY] += lamp[INTENSITY] * share
        self.members += lamps
        return row

    def arrays(self) -> LightArrays:
        """All that was added, for the kernels."""
        skies = self.skies or [np.zeros((2, 2, 3), np.float32)]
        tables = self.sky_tables or [_sky_tables(np.ones((2, 2, 3)))]
        emitter_sum, emitter_starts = emitter_tables(self.areas or [np.ones(1)])
        objects, images = self._place.objects, self.images
        return LightArrays(
            rows=np.array([*self.rows, *self.members], np.float32).reshape(-1, COLUMNS),
            sky=np.stack(skies),
            sky_rows=np.stack([t[0] for t in tables]),
            sky_columns=np.stack([t[1] for t in tables]),
            sky_row_starts=np.stack([t[2] for t in tables]),
            sky_column_starts=np.stack([t[3] for t in tables]),
            sky_density=np.stack([t[4] for t in tables]),
            emitters=np.concatenate(self.emitters) if self.emitters else np.zeros(1, np.int32),
            emitter_sum=emitter_sum,
            emitter_starts=emitter_starts,
            light_of=self.light_of,
            area_density=self.area_density,
            shades=np.stack(self.shades) if self.shades else np.ones((1, 1, 1), np.float32),
            patterns=np.stack(images.patterns) if images.patterns else np.ones((1, SIZE, SIZE), np.float32),
            profiles=np.stack(images.profiles) if images.profiles else np.ones((1, V_STEPS, H_STEPS), np.float32),
            spared=np.array([_spared(source.linking, objects) for source in self._sources], np.float32),
            sun_maps=np.zeros((1, 1, 1), np.float32),
            guide_view=np.zeros(15, np.float32),
            guide_sum=np.zeros((1, 2), np.float32),
            guide_starts=np.zeros((1, 1), np.int32),
        )


def pack_lights(
    sources: list[Lit],
    place: Place,
    order: NDArray,
    sky_rows: int = MAP_HEIGHT,
    problems: dict[int, str] | None = None,
) -> LightArrays:
    """Arrays for ``sources``; ``order`` is the triangle order of the packed place, skies have ``sky_rows`` rows.

    A source that cannot be made light of stays dark and has its reason in ``problems``, by its number; without those
    HazeError is raised. It is (triangles,).
    """
    if any(isinstance(s.shape, Sky) and isinstance(s.shape.dome, Panorama) for s in sources):
        # What a lens may see of a photograph is finer than any sky of ours.
        sky_rows *= PHOTOGRAPH_FINER
    packer = _Packer(sources, place, order, sky_rows)
    for number, source in enumerate(sources):
        try:
            _readable(source.shape, packer.worn)
        except HazeError as error:
            if problems is None:
                raise
            problems[number] = str(error)
            packer.add_dark()
            continue
        packer.add(number, source)
    return packer.arrays()
