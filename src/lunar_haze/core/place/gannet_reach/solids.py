"""Small solids that the demo place is made of: boxes, tubes, ellipsoids, sheets.

Every maker returns a `Solid`: vertices (V, 3) [m], normals (V, 3), uvs (V, 2) in metres of surface
unless said otherwise, triangles (T, 3), counter-clockwise seen from outside.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray


@attrs.frozen(eq=False)
class Solid:
    """Arrays of one piece of surface."""

    positions: NDArray
    normals: NDArray
    uvs: NDArray
    triangles: NDArray

    def moved(self, offset: tuple[float, float, float]) -> "Solid":
        return attrs.evolve(self, positions=self.positions + np.asarray(offset))

    def turned(self, axis: str, angle_deg: float) -> "Solid":
        """Rotated about a coordinate axis through the origin."""
        c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
        matrix = {
            "x": np.array([[1, 0, 0], [0, c, -s], [0, s, c]]),
            "y": np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]),
            "z": np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]),
        }[axis]
        return attrs.evolve(self, positions=self.positions @ matrix.T, normals=self.normals @ matrix.T)

    def scaled_uv(self, factor: float) -> "Solid":
        return attrs.evolve(self, uvs=self.uvs * factor)


def join(solids: list[Solid]) -> Solid:
    """One solid of many."""
    offsets = np.cumsum([0] + [len(s.positions) for s in solids[:-1]])
    return Solid(
        np.concatenate([s.positions for s in solids]),
        np.concatenate([s.normals for s in solids]),
        np.concatenate([s.uvs for s in solids]),
        np.concatenate([s.triangles + o for s, o in zip(solids, offsets)]),
    )


def box(centre: tuple[float, float, float], size: tuple[float, float, float]) -> Solid:
    """An axis-aligned box; u runs along each face's longer side."""
    positions: list[NDArray] = []
    normals: list[NDArray] = []
    uvs: list[tuple[float, float]] = []
    triangles: list[list[int]] = []
    half = np.asarray(size) / 2
    for axis in range(3):
        for sign in (-1.0, 1.0):
            a, b = [i for i in range(3) if i != axis]
            if half[a] < half[b]:
                a, b = b, a
            normal = np.zeros(3)
            normal[axis] = sign
            corners = []
            for u, v in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
                p = np.zeros(3)
                p[axis], p[a], p[b] = sign * half[axis], u * half[a], v * half[b]
                corners.append(p)
                uvs.append(((u + 1) * half[a], (v + 1) * half[b]))
            face = np.cross(corners[1] - corners[0], corners[2] - corners[0])
            order = (0, 1, 2, 3) if face @ normal > 0 else (0, 3, 2, 1)
            start = len(positions)
            positions.extend(corners)
            normals.extend([normal] * 4)
            triangles.append([start + order[0], start + order[1], start + order[2]])
            triangles.append([start + order[0], start + order[2], start + order[3]])
    offset = np.asarray(centre, float)
    jitter = (offset[0] * 0.37 + offset[1] * 0.61 + offset[2] * 0.23) % 1.0
    return Solid(np.array(positions) + offset, np.array(normals), np.array(uvs) + jitter, np.array(triangles))


def _frame(direction: NDArray) -> tuple[NDArray, NDArray]:
    helper = np.array([0.0, 0, 1]) if abs(direction[2]) < 0.9 else np.array([1.0, 0, 0])
    side = np.cross(direction, helper)
    side /= np.linalg.norm(side)
    return side, np.cross(side, direction)


def tube(
    path: list[tuple[float, float, float]],
    radii: list[float] | float,
    segments: int = 10,
    squash: float = 1.0,
    caps: bool = True,
) -> Solid:
    """A tube along ``path`` with a radius for each point; ``squash`` flattens it in one direction."""
    points = np.asarray(path, float)
    radius = np.broadcast_to(np.asarray(radii, float), (len(points),)).copy()
    tangents = np.gradient(points, axis=0)
    tangents /= np.maximum(np.linalg.norm(tangents, axis=1, keepdims=True), 1e-9)
    side, up = _frame(tangents[0])
    rings, normals, uvs = [], [], []
    angle = np.linspace(0, 2 * math.pi, segments + 1)
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    for point, tangent, r, length in zip(points, tangents, radius, along):
        side = side - tangent * (side @ tangent)
        side /= np.linalg.norm(side)
        up = np.cross(side, tangent)
        ring = np.cos(angle)[:, None] * side * r + np.sin(angle)[:, None] * up * r * squash
        out = np.cos(angle)[:, None] * side * squash + np.sin(angle)[:, None] * up
        rings.append(point + ring)
        normals.append(out / np.linalg.norm(out, axis=1, keepdims=True))
        uvs.append(np.column_stack([np.full(segments + 1, length), angle * max(r, 0.02)]))
    n = segments + 1
    triangles = []
    for i in range(len(points) - 1):
        for j in range(segments):
            a, b, c, d = i * n + j, i * n + j + 1, (i + 1) * n + j, (i + 1) * n + j + 1
            triangles += [[a, c, b], [b, c, d]]
    body = Solid(np.concatenate(rings), np.concatenate(normals), np.concatenate(uvs), np.array(triangles))
    # The winding must agree with the normals whatever way the path runs.
    corner = body.positions[body.triangles[len(triangles) // 2]]
    face = np.cross(corner[1] - corner[0], corner[2] - corner[0])
    if face @ body.normals[body.triangles[len(triangles) // 2][0]] < 0:
        body = attrs.evolve(body, triangles=body.triangles[:, ::-1])
    if not caps:
        return body
    ends = [body]
    for index, sign in ((0, -1.0), (len(points) - 1, 1.0)):
        ring = rings[index][:-1]
        fan = np.array([[segments, j, (j + 1) % segments] for j in range(segments)])
        normal = tangents[index] * sign
        solid = Solid(
            np.vstack([ring, points[index]]),
            np.repeat(normal[None], segments + 1, 0),
            np.vstack([ring[:, :2] - points[index][:2], [[0, 0]]]),
            fan,
        )
        face = np.cross(ring[0] - points[index], ring[1] - points[index])
        if face @ normal < 0:
            solid = attrs.evolve(solid, triangles=fan[:, ::-1])
        ends.append(solid)
    return join(ends)


def ellipsoid(centre: tuple[float, float, float], radii: tuple[float, float, float], segments: int = 18) -> Solid:
    """An ellipsoid with its poles on z."""
    rows = max(segments // 2, 4)
    theta = np.linspace(0, math.pi, rows + 1)
    phi = np.linspace(0, 2 * math.pi, segments + 1)
    unit = np.stack(
        [
            np.sin(theta)[:, None] * np.cos(phi),
            np.sin(theta)[:, None] * np.sin(phi),
            np.repeat(np.cos(theta)[:, None], segments + 1, 1),
        ],
        -1,
    ).reshape(-1, 3)
    normals = unit / np.asarray(radii)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    uv = np.stack(np.meshgrid(phi / (2 * math.pi), theta / math.pi), -1).reshape(-1, 2)
    n = segments + 1
    triangles = []
    for i in range(rows):
        for j in range(segments):
            a, b, c, d = i * n + j, i * n + j + 1, (i + 1) * n + j, (i + 1) * n + j + 1
            if i > 0:
                triangles.append([a, c, b])
            if i < rows - 1:
                triangles.append([b, c, d])
    return Solid(unit * np.asarray(radii) + np.asarray(centre), normals, uv, np.array(triangles))


def sheet(x: NDArray, y: NDArray, z: NDArray, metres_per_uv: float) -> Solid:
    """A height field z (len(y), len(x)) over a grid, facing up; uv repeats every ``metres_per_uv``.

    ``x`` (n,), ``y`` (m,) and ``z`` (m, n) in metres.
    """
    gx, gy = np.meshgrid(x, y)
    positions = np.stack([gx, gy, z], -1)
    dx = np.gradient(positions, axis=1)
    dy = np.gradient(positions, axis=0)
    normals = np.cross(dx, dy)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    w = len(x)
    i, j = np.meshgrid(np.arange(len(y) - 1), np.arange(w - 1), indexing="ij")
    a = (i * w + j).ravel()
    triangles = np.concatenate([np.stack([a, a + 1, a + w + 1], 1), np.stack([a, a + w + 1, a + w], 1)])
    uvs = np.stack([gx, -gy], -1) / metres_per_uv
    return Solid(positions.reshape(-1, 3), normals.reshape(-1, 3), uvs.reshape(-1, 2), triangles)


def card(
    foot: tuple[float, float, float], width: float, height: float, azimuth_deg: float, lean_deg: float = 0.0
) -> Solid:
    """An upright picture card standing on ``foot``; uv covers the texture once."""
    positions = np.array([[-width / 2, 0, 0], [width / 2, 0, 0], [width / 2, 0, height], [-width / 2, 0, height]])
    solid = Solid(
        positions,
        np.tile([0.0, -1.0, 0.0], (4, 1)),
        np.array([[0, 1], [1, 1], [1, 0], [0, 0]], float),
        np.array([[0, 1, 2], [0, 2, 3]]),
    )
    return solid.turned("x", lean_deg).turned("z", azimuth_deg).moved(foot)
