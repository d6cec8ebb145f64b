"""Lays out Gannet Reach: a ferry landing on a salt marsh, looking west over the reach.

Metres, x east, y north, z up, high water at 0. The jetty runs west from the shore along y = 0;
the ticket hut with its net loft stands north of it, the far bank lies at x = -115.
"""

import math
import sys
from pathlib import Path
from typing import Any

import numpy as np

from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.gannet_reach import textures as draw
from lunar_haze.core.place.gannet_reach.hut import hut, loft_goods
from lunar_haze.core.place.gannet_reach.people import figure
from lunar_haze.core.place.gannet_reach.solids import Solid, box, ellipsoid, join, sheet, tube
from lunar_haze.core.place.gannet_reach.terrain import ground, growth
from lunar_haze.core.place.gannet_reach.write import Look, Picture, SetPiece, write_glb

DECK_M = 1.15
JETTY_END_M = -26.0
LAMP_POSTS_X = (-4.0, -14.0, -24.6)

CAMERAS = {
    "Landing": Camera((13.5, -6.6, 1.95), (-7.0, 1.6, 2.35), 26.0),
    "Waiting": Camera((-20.9, -2.35, 2.55), (-24.35, 0.1, 2.52), 42.0),
    "Loft": Camera((4.45, 8.9, 4.55), (-1.0, 6.75, 4.25), 24.0),
}


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
    cut: dict[str, Any] = {"cutout": True, "double_sided": True, "roughness": 0.85}
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
    marsh, x, y, z = ground(rng)
    water = sheet(np.array([-230.0, 70.0]), np.array([-150.0, 150.0]), np.zeros((2, 2)), 6.0)
    pieces = [
        marsh,
        SetPiece("tidal water", [("water", water)]),
        _jetty(),
        *hut(),
        *loft_goods(),
        *_landing_goods(),
        _skiff(),
        SetPiece("waiting figure", figure(), [(-24.35, 0.15, DECK_M, -38.0, 1.0)]),
        *growth(x, y, z, rng),
    ]
    looks, pictures = _looks_and_pictures()
    write_glb(path, pieces, looks, pictures, CAMERAS)


if __name__ == "__main__":
    build(Path(sys.argv[1]))
