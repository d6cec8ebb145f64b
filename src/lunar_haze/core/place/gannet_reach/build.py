"""Lays out Gannet Reach: a ferry landing on a salt marsh, looking west over the reach.

Metres, x east, y north, z up, high water at 0. The jetty runs west from the shore along y = 0;
the ticket hut with its net loft stands north of it, the far bank lies at x = -115.
"""

import math
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.gannet_reach import textures as draw
from lunar_haze.core.place.gannet_reach.people import figure, lantern
from lunar_haze.core.place.gannet_reach.solids import Solid, box, card, ellipsoid, join, sheet, tube
from lunar_haze.core.place.gannet_reach.write import Look, Picture, SetPiece, write_glb

DECK_M = 1.15
JETTY_END_M = -26.0
LOFT_FLOOR_M = 3.1
EAVES_M = 4.3
RIDGE_M = 6.2
HUT_X = (-1.0, 5.0)
HUT_Y = (4.6, 9.8)
LAMP_POSTS_X = (-4.0, -14.0, -24.6)

CAMERAS = {
    "Landing": Camera((13.5, -6.6, 1.95), (-7.0, 1.6, 2.35), 26.0),
    "Waiting": Camera((-20.9, -2.35, 2.55), (-24.35, 0.1, 2.52), 42.0),
    "Loft": Camera((4.45, 8.9, 4.55), (-1.0, 6.75, 4.25), 24.0),
}


def ground_height(x: NDArray, y: NDArray, rng: np.random.Generator) -> NDArray:
    """Height of marsh, channel bed and far bank [m] on the grid of x and y."""
    gx, gy = np.meshgrid(x, y)
    noise = np.zeros_like(gx)
    for wavelength, height in ((34.0, 0.42), (13.0, 0.30), (5.3, 0.20), (2.3, 0.09), (1.0, 0.035)):
        for _ in range(4):
            angle, phase = rng.uniform(0, 2 * math.pi, 2)
            along = (gx * math.cos(angle) + gy * math.sin(angle)) * 2 * math.pi / wavelength
            noise += 0.5 * height * np.sin(along + phase + 0.8 * np.sin(gy * 0.13 + phase))
    marsh = 0.22 + noise * 0.50
    # Pools: hollows that the tide leaves full, most of them in the open lane before the landing.
    hollow = np.sin(gx * 0.55 + 1.3 * np.sin(gy * 0.42)) * np.sin(gy * 0.63 + 1.1 * np.sin(gx * 0.37 + 0.8))
    lane = np.exp(-(((gx - 5.5) / 7.5) ** 2 + ((gy + 3.8) / 4.2) ** 2))
    marsh = marsh * (1 - 0.55 * lane) - (0.10 + 0.36 * lane) * np.clip((hollow + 0.12 * lane - 0.14) * 2.6, 0.0, 1.0)
    # Firm ground under hut and landing, a shore that leaves the jetty standing in water.
    firm = np.exp(-(((gx - 3.5) / 6.5) ** 2 + ((gy - 6.0) / 5.0) ** 2))
    marsh = marsh * (1 - firm) + (0.75 + 0.1 * noise) * firm
    wander = 3.0 * np.sin(gy * 0.07) + 1.6 * np.sin(gy * 0.21 + 1.0)
    reach = 1 / (1 + np.exp((gx + 11 + wander) / 1.7)) * (1 / (1 + np.exp(-(gx + 111 - 2 * wander) / 3.0)))
    far = 1 / (1 + np.exp((gx + 121) / 5.0))
    rise = far * (1.2 + 5.5 * np.clip((-gx - 118) / 60, 0, 1) ** 0.8 * (0.7 + 0.3 * np.sin(gy * 0.02 + 0.6)))
    return marsh * (1 - reach) - 1.5 * reach + rise


def _spread(low: float, high: float, centre: float, count: int, power: float = 2.4) -> NDArray:
    """Grid lines from low to high, dense round ``centre``."""
    t = np.linspace(-1, 1, count)
    bent = np.sign(t) * (0.12 * np.abs(t) + 0.88 * np.abs(t) ** power)
    return np.where(bent < 0, centre + bent * (centre - low), centre + bent * (high - centre))


def _ground(rng: np.random.Generator) -> tuple[SetPiece, NDArray, NDArray, NDArray]:
    x = _spread(-230.0, 70.0, 2.0, 250)
    y = _spread(-150.0, 150.0, 0.0, 210)
    z = ground_height(x, y, rng)
    return SetPiece("ground", [("marsh", sheet(x, y, z, 1.7))]), x, y, z


def _jetty() -> SetPiece:
    planks = []
    rng = np.random.default_rng(5)
    x = 1.5
    while x > JETTY_END_M:
        planks.append(
            box(
                (x, rng.normal(0, 0.015), DECK_M - 0.025 + rng.normal(0, 0.004)),
                (0.17, 2.3 + rng.normal(0, 0.03), 0.05),
            )
        )
        x -= 0.19
    beams = [box(((1.5 + JETTY_END_M) / 2, s * 0.85, DECK_M - 0.14), (1.5 - JETTY_END_M, 0.14, 0.18)) for s in (-1, 1)]
    posts = []
    for px in np.arange(0.0, JETTY_END_M - 0.1, -3.2):
        for side in (-1, 1):
            top = DECK_M + 0.75 if side == 1 or abs(px + 9.6) > 4 else DECK_M - 0.05
            lean = rng.normal(0, 0.03, 2)
            posts.append(tube([(px + lean[0], side * 1.1 + lean[1], -1.8), (px, side * 1.12, top)], [0.125, 0.11], 12))
        posts.append(box((px, 0, DECK_M - 0.3), (0.12, 2.3, 0.14)))
    rails = []
    for low, high in ((-26.0, -14.5), (-5.5, 0.4)):
        rails.append(tube([(low, -1.12, DECK_M + 0.62), (high, -1.12, DECK_M + 0.62)], 0.022, 8))
    rails.append(tube([(-26.0, 1.12, DECK_M + 0.62), (0.4, 1.12, DECK_M + 0.62)], 0.022, 8))
    for side in (-1, 1):
        posts.append(tube([(JETTY_END_M + 0.2, side * 1.12, -1.8), (JETTY_END_M + 0.2, side * 1.12, DECK_M + 1.1)],
                          [0.16, 0.14], 14))  # fmt: skip
    return SetPiece(
        "jetty",
        [
            ("planks", join(planks).scaled_uv(0.8)),
            ("posts", join([*beams, *posts]).scaled_uv(0.6)),
            ("rope", join(rails)),
        ],
    )


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


def _hut() -> list[SetPiece]:
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


def _loft_goods() -> list[SetPiece]:
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


def _lamp_post(x: float, y: float, foot: float, arm: float) -> list[tuple[str, Solid]]:
    iron = [
        tube([(x, y, foot), (x, y, foot + 2.6), (x, y, foot + 3.0), (x, y + 0.2 * arm, foot + 3.25), (x, y + 0.5 * arm, foot + 3.28)],
             [0.05, 0.04, 0.035, 0.03, 0.03], 10),
        tube([(x, y, foot), (x, y, foot + 0.3)], [0.09, 0.07], 12),
        tube([(x, y + 0.55 * arm, foot + 3.30), (x, y + 0.55 * arm, foot + 3.24), (x, y + 0.55 * arm, foot + 3.16)],
             [0.03, 0.10, 0.19], 18),
    ]  # fmt: skip
    globe = ellipsoid((x, y + 0.55 * arm, foot + 3.10), (0.085, 0.085, 0.10), 18)
    return [("iron", join(iron)), ("post lamp", globe)]


def _landing_goods() -> list[SetPiece]:
    mast = [
        tube([(3.4, 1.6, 0.4), (3.4, 1.6, 9.2)], [0.11, 0.06], 14),
        tube([(3.4, 0.2, 7.0), (3.4, 3.0, 7.0)], [0.04, 0.04], 10),
        *[
            tube([(3.4, 1.6, 8.6), (3.4 + dx, 1.6 + dy, 0.5)], 0.008, 6)
            for dx, dy in ((-2.2, -2.0), (2.6, -1.6), (0.2, 2.9))
        ],
    ]
    cage = [tube([(3.4, 0.35, 6.98), (3.4, 0.35, 6.86)], [0.02, 0.09], 14)]
    posts: dict[str, list[Solid]] = {}
    for x in LAMP_POSTS_X:
        for material, solid in _lamp_post(x, 1.22, DECK_M - 0.2, -1.0):
            posts.setdefault(material, []).append(solid)
    for material, solid in _lamp_post(6.4, 3.6, 0.6, -1.0):
        posts.setdefault(material, []).append(solid)
    board = [
        *[box((6.0, y, 1.45), (0.09, 0.09, 1.9)) for y in (-2.1, -0.9)],
        box((6.0, -1.5, 2.45), (0.34, 1.7, 0.05)),
    ]
    face = Solid(
        np.array([[6.06, -2.05, 1.35], [6.06, -0.95, 1.35], [6.06, -0.95, 2.3], [6.06, -2.05, 2.3]]),
        np.tile([1.0, 0, 0], (4, 1)),
        np.array([[0, 1], [1, 1], [1, 0], [0, 0]], float),
        np.array([[0, 1, 2], [0, 2, 3]]),
    )
    back = box((6.03, -1.5, 1.83), (0.03, 1.14, 0.99))
    return [
        SetPiece("signal mast", [("posts", join(mast)), ("iron", join(cage)),
                                 ("mast lamp", ellipsoid((3.4, 0.35, 6.80), (0.075, 0.075, 0.09), 16))]),
        SetPiece("lamp posts", [(m, join(s)) for m, s in posts.items()]),
        SetPiece("notice board", [("weathered", join([*board, back])), ("notices", face)]),
        SetPiece("mooring goods", [
            ("tarred boards", join([
                tube([(-22.6, 0.75, DECK_M), (-22.6, 0.75, DECK_M + 0.2), (-22.6, 0.75, DECK_M + 0.45), (-22.6, 0.75, DECK_M + 0.66)],
                     [0.2, 0.24, 0.24, 0.2], 18)])),
            ("iron", join([
                tube([(x, s * 0.9, DECK_M), (x, s * 0.9, DECK_M + 0.25), (x, s * 0.9, DECK_M + 0.3)], [0.07, 0.07, 0.11], 12)
                for x in (-7.0, -12.0, -19.5) for s in (-1, 1)])),
            ("weathered", join([box((-1.2, 0.8, DECK_M + 0.22), (0.7, 0.45, 0.44)),
                                box((-1.15, 0.8, DECK_M + 0.56), (0.45, 0.35, 0.24))])),
        ]),
    ]  # fmt: skip


def _skiff() -> SetPiece:
    """A clinker skiff, 4.2 m, moored south of the jetty."""
    stations = np.linspace(0, 1, 15)
    outer, inner = [], []
    for s in stations:
        beam = 0.76 * math.sin(math.pi * min(1.0, 0.16 + 0.84 * s * 0.98)) ** 0.7 if s < 1 else 0.02
        beam = max(beam * (1.0 if s < 0.55 else math.cos((s - 0.55) / 0.45 * math.pi / 2) ** 0.65), 0.02)
        keel, gunwale = -0.16 + 0.28 * max(s - 0.6, 0) ** 2 * 3, 0.42 + 0.26 * max(s - 0.35, 0) ** 1.5
        angle = np.linspace(-1, 1, 15)
        row = np.stack(
            [np.full(15, s * 4.2 - 2.1), beam * np.sign(angle) * np.abs(angle) ** 0.62,
             keel + (gunwale - keel) * np.abs(angle) ** 2.6], -1,
        )  # fmt: skip
        outer.append(row)
        inner.append(row * (0.985, 0.93, 1.0) + (0, 0, 0.025))
    parts = []
    for rows, flip in ((outer, 1), (inner, -1)):
        grid = np.array(rows)
        du, dv = np.gradient(grid, axis=0), np.gradient(grid, axis=1)
        normal = np.cross(du, dv) * -flip
        normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-9)
        w = grid.shape[1]
        i, j = np.meshgrid(np.arange(len(grid) - 1), np.arange(w - 1), indexing="ij")
        a = (i * w + j).ravel()
        triangles = np.concatenate([np.stack([a, a + w, a + w + 1], 1), np.stack([a, a + w + 1, a + 1], 1)])
        corner = grid.reshape(-1, 3)[triangles[len(triangles) // 3]]
        if (
            np.cross(corner[1] - corner[0], corner[2] - corner[0])
            @ normal.reshape(-1, 3)[triangles[len(triangles) // 3][0]]
            < 0
        ):
            triangles = triangles[:, ::-1]
        uv = np.stack([grid[..., 0], np.cumsum(np.ones(grid.shape[:2]), 1) * 0.12], -1)
        parts.append(Solid(grid.reshape(-1, 3), normal.reshape(-1, 3), uv.reshape(-1, 2), triangles))
    gunwales = [tube([tuple(row[k] + (0, 0, 0.01)) for row in outer], 0.022, 8) for k in (0, 14)]
    thwarts = [box((x, 0, 0.2), (0.22, 1.3 * w, 0.03)) for x, w in ((-1.2, 0.95), (-0.1, 1.05), (0.9, 0.82))]
    transom = box((-2.1, 0, 0.16), (0.04, 0.75, 0.5))
    oars = [tube([(-1.4, s * 0.3, 0.27), (1.2, s * 0.24, 0.32)], 0.02, 8) for s in (-1, 1)]
    line = tube([(2.05, 0.0, 0.6), (2.3, 1.2, 0.35), (2.5, 2.2, 0.75)], 0.012, 8)
    turn = 7.0

    def put(s: Solid) -> Solid:
        return s.turned("z", turn).moved((-9.2, -2.95, 0.02))

    return SetPiece(
        "skiff",
        [("skiff paint", put(join([parts[0], transom]))), ("weathered", put(join([parts[1], *gunwales, *thwarts, *oars]))),
         ("rope", put(line))],
    )  # fmt: skip


def _growth(x: NDArray, y: NDArray, z: NDArray, rng: np.random.Generator) -> list[SetPiece]:
    """Reed clumps on wet margins and trees on the far bank."""

    def height_at(px: float, py: float) -> float:
        i, j = np.searchsorted(y, py), np.searchsorted(x, px)
        return float(z[min(max(i, 0), len(y) - 1), min(max(j, 0), len(x) - 1)])

    pieces = []
    for variant in range(5):
        cards = []
        for _ in range(13):
            r, a = 0.75 * math.sqrt(rng.random()), rng.uniform(0, 2 * math.pi)
            tall = rng.uniform(1.1, 1.95)
            cards.append(
                card(
                    (r * math.cos(a), r * math.sin(a), -0.05), tall * 0.52, tall, rng.uniform(0, 360), rng.normal(0, 6)
                )
            )
        pieces.append(SetPiece(f"reeds {'abcde'[variant]}", [("reeds", join(cards))], []))
    placed = 0
    while placed < 1150:
        near = rng.random() < 0.75
        px, py = (rng.normal(1, 13), rng.normal(0, 17)) if near else (rng.uniform(-112, 45), rng.uniform(-80, 80))
        h = height_at(px, py)
        jetty = abs(py) < 1.9 and px < 8
        hut = HUT_X[0] - 2.4 < px < HUT_X[1] + 3.5 and 1.0 < py < HUT_Y[1] + 1.5
        # The landing's own view stays open: reeds frame it from the left and the far right.
        lane = -15 < px < 16 and -8.6 + (13.5 - px) * -0.06 < py < 3.6
        bed = math.sin(px * 0.33 + 1.2) + math.sin(py * 0.27 + px * 0.1) + rng.normal(0, 0.5)
        if jetty or hut or lane or not -0.22 < h < 0.42 or bed < 0.15:
            continue
        pieces[rng.integers(5)].copies.append((px, py, h, rng.uniform(0, 360), rng.uniform(0.75, 1.2)))
        placed += 1
    trees = []
    for variant in range(3):
        tall = (8.5, 11.0, 7.0)[variant]
        cards = [card((0, 0, -0.3), tall * 0.95, tall, a) for a in (90, 40, 145)]
        trees.append(SetPiece(f"far tree {'abc'[variant]}", [(f"tree {variant % 2}", join(cards))], []))
    for _ in range(210):
        px, py = rng.uniform(-190, -122), rng.uniform(-140, 140)
        if math.sin(py * 0.045 + 0.7) + rng.normal(0, 0.45) < -0.1:
            continue
        trees[rng.integers(3)].copies.append((px, py, height_at(px, py), rng.uniform(-20, 20), rng.uniform(0.7, 1.25)))
    return pieces + trees


def _looks_and_pictures() -> tuple[list[Look], list[Picture]]:
    rng = np.random.default_rng(21)
    pictures = [
        Picture("grey boards", draw.wood(rng, (0.50, 0.47, 0.43))),
        Picture("tarred boards", draw.wood(rng, (0.27, 0.235, 0.21))),
        Picture("mud", draw.mud(rng)),
        Picture("reeds", draw.reeds(rng)),
        Picture("tree 0", draw.tree(rng)),
        Picture("tree 1", draw.tree(rng)),
        Picture("net", draw.net()),
        Picture("notices", draw.notice(rng)),
        Picture("ripples", draw.ripples(rng, strength=0.10), exact=True),
        Picture("rust", draw.rust(rng)),
        Picture("tin", draw.corrugated(rng)),
    ]
    cut = {"cutout": True, "double_sided": True, "roughness": 0.85}
    looks = [
        Look("planks", base="grey boards", roughness=0.8),
        Look("posts", (0.75, 0.70, 0.66), base="grey boards", roughness=0.85),
        Look("weathered", (0.95, 0.88, 0.80), base="grey boards", roughness=0.85),
        Look("tarred boards", base="tarred boards", roughness=0.6),
        Look("lining", (0.62, 0.58, 0.52), base="grey boards", roughness=0.9),
        Look("marsh", (0.85, 0.82, 0.78), base="mud", roughness=0.62),
        Look("water", (0.012, 0.018, 0.018), roughness=0.045, normal="ripples"),
        Look("reeds", base="reeds", **cut),
        Look("tree 0", base="tree 0", **cut),
        Look("tree 1", base="tree 1", **cut),
        Look("net", base="net", **cut),
        Look("cork", (0.36, 0.22, 0.12), roughness=0.85),
        Look("rope", (0.34, 0.29, 0.20), roughness=0.95),
        Look("notices", base="notices", roughness=0.7),
        Look("iron", (0.30, 0.28, 0.27), metallic=1.0, roughness=1.0, rough="rust"),
        Look("brass", (0.78, 0.57, 0.28), metallic=1.0, roughness=0.28),
        Look("tin roof", base="tin", metallic=0.6, roughness=0.5),
        Look("window glass", (0.80, 0.90, 0.84), roughness=0.05, transmission=1.0),
        Look("clear glass", (0.97, 0.96, 0.92), roughness=0.05, transmission=1.0),
        Look("coat", (0.055, 0.062, 0.075), roughness=0.88),
        Look("wool", (0.20, 0.055, 0.045), roughness=0.97),
        Look("trousers", (0.05, 0.048, 0.045), roughness=0.9),
        Look("leather", (0.045, 0.035, 0.028), roughness=0.45),
        Look("skin", (0.56, 0.37, 0.28), roughness=0.55),
        Look("eye", (0.78, 0.76, 0.73), roughness=0.06),
        Look("iris", (0.07, 0.06, 0.045), roughness=0.06),
        Look("skiff paint", (0.10, 0.19, 0.20), roughness=0.4),
        Look("post lamp", (0.9, 0.88, 0.82), roughness=0.4, emissive=(1.0, 0.72, 0.38), strength=8.0),
        Look("mast lamp", (0.5, 0.08, 0.05), roughness=0.4, emissive=(1.0, 0.10, 0.05), strength=6.0),
        Look("lantern flame", (0.9, 0.8, 0.6), roughness=0.5, emissive=(1.0, 0.58, 0.20), strength=12.0),
        Look("loft flame", (0.9, 0.8, 0.6), roughness=0.5, emissive=(1.0, 0.58, 0.20), strength=12.0),
    ]
    return looks, pictures


def build(path: Path) -> None:
    """Build the demo place and write it to ``path`` (.glb)."""
    rng = np.random.default_rng(3)
    ground, x, y, z = _ground(rng)
    water = sheet(np.array([-230.0, 70.0]), np.array([-150.0, 150.0]), np.zeros((2, 2)), 6.0)
    pieces = [
        ground,
        SetPiece("tidal water", [("water", water)]),
        _jetty(),
        *_hut(),
        *_loft_goods(),
        *_landing_goods(),
        _skiff(),
        SetPiece("waiting figure", figure(), [(-24.35, 0.15, DECK_M, -38.0, 1.0)]),
        *_growth(x, y, z, rng),
    ]
    looks, pictures = _looks_and_pictures()
    write_glb(path, pieces, looks, pictures, CAMERAS)


if __name__ == "__main__":
    build(Path(sys.argv[1]))
