"""Packs the shapes of a frame's layers for the kernels: one row a source, skies and emitters beside.

All emit one canonical unit of white light (see `lunar_haze.core.sources.amounts`); a sky and a
glowing surface keep their own spread of colour.
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.errors import EngineError
from lunar_haze.core.place.model import Place
from lunar_haze.core.sky.gradient import map_directions, sky_map
from lunar_haze.core.sources.amounts import lamp_area_m2, radiance_per_lumen
from lunar_haze.core.sources.model import Ball, Beam, Disc, Rectangle, Shape, Sky, Sun, Surface

SUN, SKY, BALL, DISC, RECTANGLE, BEAM, SURFACE = range(7)
# Columns of a packed source. AXIS is the direction to the sun, or the way a lamp faces.
KIND, POSITION, AXIS, SIDE, UP = 0, 1, 4, 7, 10
RADIUS, HALF_W, HALF_H, RADIANCE, AREA = 13, 14, 15, 16, 17
COS_INNER, COS_OUTER, ONE_MINUS_COS, TABLE, FIRST, COUNT = 18, 19, 20, 21, 22, 23
COLUMNS = 24


class LightArrays(NamedTuple):
    """What kernels read of the sources. N sources, S skies, E emitting triangles, T all triangles."""

    rows: NDArray  # (N, 24) float32
    sky: NDArray  # (S, H, W, 3) float32 radiance
    sky_rows: NDArray  # (S, H + 1) float32 cumulative over rows
    sky_columns: NDArray  # (S, H, W + 1) float32 cumulative along each row
    sky_density: NDArray  # (S, H, W) float32 [1/sr]
    emitters: NDArray  # (E,) int32 triangle numbers, grouped by source
    emitter_sum: NDArray  # (E,) float32 cumulative probability within each source
    light_of: NDArray  # (T,) int32 source of a triangle, -1 for none
    area_density: NDArray  # (T,) float32 [1/m2] probability density of a point on it


def _frame(axis: NDArray) -> tuple[NDArray, NDArray]:
    side = np.cross((0.0, 0.0, 1.0), axis)
    if np.linalg.norm(side) < 1e-6:
        side = np.array([1.0, 0.0, 0.0])
    side = side / np.linalg.norm(side)
    return side, np.cross(axis, side)


def _lamp_row(shape: Ball | Disc | Rectangle | Beam) -> NDArray:
    row = np.zeros(COLUMNS, np.float64)
    row[POSITION : POSITION + 3] = shape.position
    axis = np.array([0.0, 0.0, -1.0])
    if not isinstance(shape, Ball):
        towards = np.subtract(shape.aim, shape.position)
        if np.linalg.norm(towards) > 1e-9:
            axis = towards / np.linalg.norm(towards)
    side, up = _frame(axis)
    row[AXIS : AXIS + 3], row[SIDE : SIDE + 3], row[UP : UP + 3] = axis, side, up
    row[RADIANCE] = radiance_per_lumen(shape)
    row[AREA] = lamp_area_m2(shape)
    if isinstance(shape, Rectangle):
        row[KIND], row[HALF_W], row[HALF_H] = RECTANGLE, shape.width_m / 2, shape.height_m / 2
    else:
        row[KIND] = {Ball: BALL, Disc: DISC, Beam: BEAM}[type(shape)]
        row[RADIUS] = shape.radius_m
    if isinstance(shape, Beam):
        inner, outer = shape.half_angles_rad()
        row[COS_INNER], row[COS_OUTER] = math.cos(inner), math.cos(outer)
    return row


def _sun_row(shape: Sun) -> NDArray:
    row = np.zeros(COLUMNS, np.float64)
    row[KIND] = SUN
    row[AXIS : AXIS + 3] = shape.towards()
    row[SIDE : SIDE + 3], row[UP : UP + 3] = _frame(row[AXIS : AXIS + 3])
    half = math.radians(shape.diameter_deg) / 2
    row[ONE_MINUS_COS] = 2 * math.sin(half / 2) ** 2
    # An even disc facing the surface: E = pi L sin^2(half angle).
    row[RADIANCE] = 1.0 / (math.pi * math.sin(half) ** 2)
    return row


def _sky_tables(radiance: NDArray) -> tuple[NDArray, NDArray, NDArray]:

    height, width, _ = radiance.shape
    _, solid_angle = map_directions(height, width)
    weight = np.maximum(radiance @ LUMINANCE_WEIGHTS, 0) * solid_angle
    # A tenth of the samples is spread evenly, so that bilinear lookups never meet a zero density.
    weight = 0.9 * weight / weight.sum() + 0.1 * solid_angle / solid_angle.sum()
    columns = np.concatenate([np.zeros((height, 1)), np.cumsum(weight, 1)], 1)
    totals = columns[:, -1].copy()
    columns /= totals[:, None]
    rows = np.concatenate([[0], np.cumsum(totals)])
    return (rows / rows[-1]).astype(np.float32), columns.astype(np.float32), (weight / solid_angle).astype(np.float32)


def pack_lights(shapes: list[Shape], place: Place, order: NDArray) -> LightArrays:
    """Arrays for ``shapes``; ``order`` is the triangle order of the packed place."""
    rows, skies, tables = [], [], []
    emitters: list[NDArray] = []
    sums: list[NDArray] = []
    light_of = np.full(len(place.triangles), -1, np.int32)
    area_density = np.zeros(len(place.triangles), np.float32)
    first = 0
    material_names = {m.name: i for i, m in enumerate(place.materials)}
    for number, shape in enumerate(shapes):
        if isinstance(shape, Sun):
            row = _sun_row(shape)
        elif isinstance(shape, Sky):
            row = np.zeros(COLUMNS)
            row[KIND], row[TABLE] = SKY, len(skies)
            skies.append(sky_map(shape.sun_altitude_deg, shape.sun_azimuth_deg))
            tables.append(_sky_tables(skies[-1]))
        elif isinstance(shape, Surface):
            row = np.zeros(COLUMNS)
            row[KIND], row[RADIANCE], row[FIRST] = SURFACE, 1.0, first
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
            sums.append(np.cumsum(area / area.sum()).astype(np.float32))
            light_of[wearing] = number
            area_density[wearing] = 1.0 / area.sum()
            first += len(wearing)
        else:
            row = _lamp_row(shape)
        rows.append(row)
    if not skies:
        skies, tables = (
            [np.zeros((2, 2, 3), np.float32)],
            [(np.zeros(3, np.float32), np.zeros((2, 3), np.float32), np.zeros((2, 2), np.float32))],
        )
    return LightArrays(
        rows=np.array(rows, np.float32).reshape(-1, COLUMNS),
        sky=np.stack(skies),
        sky_rows=np.stack([t[0] for t in tables]),
        sky_columns=np.stack([t[1] for t in tables]),
        sky_density=np.stack([t[2] for t in tables]),
        emitters=np.concatenate(emitters) if emitters else np.zeros(1, np.int32),
        emitter_sum=np.concatenate(sums) if sums else np.zeros(1, np.float32),
        light_of=light_of,
        area_density=area_density,
    )
