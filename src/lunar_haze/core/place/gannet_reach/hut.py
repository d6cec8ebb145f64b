"""The ticket hut of Gannet Reach, its slatted net loft, and what lies in it. Metres, as the landing."""

import math

import numpy as np

from lunar_haze.core.place.gannet_reach.people import lantern
from lunar_haze.core.place.gannet_reach.solids import Solid, box, ellipsoid, join, sheet, tube
from lunar_haze.core.place.gannet_reach.write import SetPiece

LOFT_FLOOR_M = 3.1
EAVES_M = 4.3
RIDGE_M = 6.2
HUT_X = (-1.0, 5.0)
HUT_Y = (4.6, 9.8)


def _boards(
    x0: float, x1: float, y: float, low: float, high: float, holes: list[tuple[float, float, float, float]]
) -> list[Solid]:
    """Upright cladding along x at depth y, leaving rectangular holes (x0, x1, z0, z1)."""
    made, width = [], 0.15
    for i in range(int((x1 - x0) / width)):
        left, right = x0 + i * width, x0 + (i + 1) * width
        spans = [(low, high)]
        for hx0, hx1, hz0, hz1 in holes:
            if right > hx0 and left < hx1:
                spans = [s for a, b in spans for s in ((a, min(b, hz0)), (max(a, hz1), b)) if s[1] - s[0] > 0.02]
        made += [
            box(((left + right) / 2, y, (a + b) / 2), (width * 0.97, 0.035, b - a)).moved((0, (i % 2) * 0.012, 0))
            for a, b in spans
        ]
    return made


def _turned_to_side(solids: list[Solid], x: float) -> list[Solid]:
    """Cladding made along x, stood along y at depth x instead."""
    return [s.turned("z", 90).moved((x, 0, 0)) for s in solids]


def hut() -> list[SetPiece]:
    """The hut itself: walls, roof, floors, windows and doors."""
    (x0, x1), (y0, y1) = HUT_X, HUT_Y
    mid_y = (y0 + y1) / 2
    window = (0.6, 1.7, 1.75, 2.6)
    door = (3.0, 4.0, 0.75, 2.75)
    walls = [
        *_boards(x0, x1, y0, 0.6, EAVES_M, [window, door]),
        *_boards(x0, x1, y1, 0.6, EAVES_M, []),
        *_turned_to_side(_boards(y0, y1, 0.0, 0.6, LOFT_FLOOR_M, [(6.6, 7.8, 1.75, 2.6)]), x0),
        *_turned_to_side(_boards(y0, y1, 0.0, 0.6, LOFT_FLOOR_M, []), x1),
    ]
    # Tight inner lining, so that light enters the loft by its slats alone.
    lining = [
        box(((x0 + x1) / 2, y0 + 0.06, (LOFT_FLOOR_M + EAVES_M) / 2), (x1 - x0, 0.03, EAVES_M - LOFT_FLOOR_M + 0.3)),
        box(((x0 + x1) / 2, y1 - 0.06, (LOFT_FLOOR_M + EAVES_M) / 2), (x1 - x0, 0.03, EAVES_M - LOFT_FLOOR_M + 0.3)),
    ]
    slats, gable = [], []
    pitch, wide = 0.152, 0.088
    for i in range(int((y1 - y0) / pitch)):
        y = y0 + 0.06 + i * pitch
        top = EAVES_M + (RIDGE_M - EAVES_M) * (1 - abs(y - mid_y) / (mid_y - y0))
        width = wide + 0.012 * math.sin(i * 2.7)
        if i in (9, 20):
            continue  # two slats are missing: broader shafts among the narrow ones
        slats.append(box((x0, y, (LOFT_FLOOR_M + top) / 2), (0.03, width, top - LOFT_FLOOR_M)))
    for i in range(int((y1 - y0) / 0.15)):
        y = y0 + 0.075 + i * 0.15
        top = EAVES_M + (RIDGE_M - EAVES_M) * (1 - abs(y - mid_y) / (mid_y - y0))
        gable.append(box((x1, y, (LOFT_FLOOR_M + top) / 2), (0.035, 0.152, top - LOFT_FLOOR_M)))
    frame = [
        *[box((x, y, 2.4), (0.14, 0.14, 4.0)) for x in (x0, x1) for y in (y0, y1)],
        *[box(((x0 + x1) / 2, y, EAVES_M - 0.05), (x1 - x0, 0.12, 0.14)) for y in (y0 + 0.1, y1 - 0.1)],
        *[box((x0 + 0.02, mid_y, LOFT_FLOOR_M + dz), (0.06, y1 - y0, 0.09)) for dz in (0.35, 1.15)],
        *[box((x, mid_y, EAVES_M), (0.1, y1 - y0 - 0.1, 0.14)) for x in (0.9, 2.9)],
        box(((x0 + x1) / 2, mid_y, RIDGE_M - 0.12), (x1 - x0, 0.08, 0.16)),
        *[box((1.15, y0 - 0.03, 1.7 + dz), (1.3, 0.06, 0.07)) for dz in (0.0, 0.93)],
        *[box((x, y0 - 0.03, 2.17), (0.06, 0.06, 0.9)) for x in (0.6, 1.15, 1.7)],
        box((3.5, y0 + 0.02, 1.75), (0.98, 0.05, 2.0)),
        box((3.5, y0 - 0.35, 0.72), (1.5, 0.8, 0.12)),
    ]
    floor = [box((x0 + 0.1 + i * 0.2, mid_y, LOFT_FLOOR_M - 0.02), (0.19, y1 - y0 - 0.1, 0.04)) for i in range(30)]
    floor.append(box(((x0 + x1) / 2, mid_y, LOFT_FLOOR_M - 0.08), (x1 - x0 - 0.05, y1 - y0 - 0.05, 0.06)))
    roof = []
    slope = math.degrees(math.atan2(RIDGE_M - EAVES_M, mid_y - y0))
    length = math.hypot(RIDGE_M - EAVES_M, mid_y - y0) + 0.45
    for side in (-1, 1):
        panel = box((0, 0, 0), (x1 - x0 + 0.7, length, 0.04)).turned("x", -side * slope)
        drop = 0.45 / 2 * math.sin(math.radians(slope))
        out = (mid_y - y0) / 2 + 0.45 / 2 * math.cos(math.radians(slope))
        roof.append(panel.moved(((x0 + x1) / 2, mid_y + side * out, (EAVES_M + RIDGE_M) / 2 - drop + 0.05)))
    glass = [box((1.15, y0 - 0.01, 2.17), (1.08, 0.012, 0.84)), box((x0 - 0.01, 7.2, 2.17), (0.012, 1.18, 0.84))]
    return [
        SetPiece(
            "ticket hut",
            [
                ("tarred boards", join([*walls, *gable]).scaled_uv(0.7)),
                ("weathered", join([*slats, *frame]).scaled_uv(0.7)),
                ("planks", join(floor).scaled_uv(0.8)),
                ("lining", join(lining).scaled_uv(0.7)),
                ("tin roof", join(roof).scaled_uv(0.5)),
                ("window glass", join(glass)),
            ],
        )
    ]


def loft_goods() -> list[SetPiece]:
    """Barrels, nets, corks and a lantern in the loft."""
    z = LOFT_FLOOR_M
    crates = []
    for cx, cy, cz, s, turn in ((0.6, 5.5, 0.0, 0.62, 12), (1.35, 5.35, 0.0, 0.55, -9), (0.75, 5.5, 0.62, 0.5, 31),
                                (2.5, 9.1, 0.0, 0.7, 4), (-0.35, 9.2, 0.0, 0.5, 20)):  # fmt: skip
        for k in range(4):
            for side in (-1, 1):
                crates.append(
                    box((0, side * s / 2, s * (k + 0.5) / 4), (s, 0.02, s / 4 * 0.86))
                    .turned("z", turn)
                    .moved((cx, cy, z + cz))
                )
                crates.append(
                    box((side * s / 2, 0, s * (k + 0.5) / 4), (0.02, s, s / 4 * 0.86))
                    .turned("z", turn)
                    .moved((cx, cy, z + cz))
                )
        crates.append(box((0, 0, s * 0.97), (s, s, 0.02)).turned("z", turn).moved((cx, cy, z + cz)))
    barrel = []
    for bx, by in ((2.2, 5.35), (0.2, 8.2)):
        barrel.append(tube([(bx, by, z), (bx, by, z + 0.22), (bx, by, z + 0.42), (bx, by, z + 0.62), (bx, by, z + 0.84)],
                           [0.25, 0.295, 0.31, 0.295, 0.25], 20))  # fmt: skip
    coil = []
    for turn in range(5):
        angle = np.linspace(0, 2 * math.pi, 28)
        r = 0.28 - 0.012 * turn
        coil.append(
            tube([(1.55 + r * math.cos(a), 6.9 + r * math.sin(a), z + 0.03 + turn * 0.045) for a in angle], 0.024, 8)
        )
    drape = []
    rng = np.random.default_rng(8)
    for nx, ny0, ny1, low in ((2.9, 5.2, 6.6, 0.55), (0.9, 7.7, 9.4, 0.35)):
        u = np.linspace(0, 1, 16)
        v = np.linspace(0, 1, 12)
        gu, gv = np.meshgrid(u, v)
        sag = 0.22 * np.sin(gu * math.pi) * (1 - gv)
        px = nx + 0.1 * np.sin(gu * 9 + gv * 2) * gv + rng.normal(0, 0.005, gu.shape)
        py = ny0 + (ny1 - ny0) * (gu * (1 - 0.25 * gv) + 0.12 * gv)
        pz = EAVES_M - sag - gv * (EAVES_M - z - low)
        flat = sheet(u, v, np.zeros_like(gu), 1.0)
        positions = np.stack([px, py, pz], -1).reshape(-1, 3)
        normals = np.tile([1.0, 0.0, 0.0], (len(positions), 1))
        uvs = np.stack([gu * 1.4, gv * 1.6], -1).reshape(-1, 2) * 1.6
        drape.append(Solid(positions, normals, uvs, flat.triangles))
    floats = [ellipsoid((2.9 + 0.04 * math.sin(k), 5.3 + k * 0.17, z + 0.5 + 0.05 * math.sin(k * 2.0)), (0.06, 0.06, 0.045), 12)
              for k in range(8)]  # fmt: skip
    glass, metal, flame = lantern((2.9, 7.5, EAVES_M - 0.55))
    hook = tube([(2.9, 7.5, EAVES_M - 0.23), (2.9, 7.5, EAVES_M)], 0.006, 6)
    return [
        SetPiece("crates", [("weathered", join(crates))]),
        SetPiece("barrels", [("tarred boards", join(barrel))]),
        SetPiece("coiled rope", [("rope", join(coil))]),
        SetPiece("hung nets", [("net", join(drape)), ("cork", join(floats))]),
        SetPiece("loft lantern", [("clear glass", glass), ("brass", join([metal, hook])), ("loft flame", flame)]),
    ]
