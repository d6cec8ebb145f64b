"""Small places and ways to light them, shared by the tests."""

import numpy as np

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerImage, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material, Place
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace

CLEAR = Medium()
#: Pure white Lambert-like surface: rough, so that its coat is broad.
WHITE = Material("white", (1.0, 1.0, 1.0), 0.0, 1.0)
BLACK = Material("black", (0.0, 0.0, 0.0), 1.0, 1.0)


def quad(corners: list[tuple[float, float, float]]) -> tuple[np.ndarray, np.ndarray]:
    """Positions and triangles of one four-cornered face, counter-clockwise from its front."""
    return np.array(corners, np.float32), np.array([[0, 1, 2], [0, 2, 3]], np.uint32)


def floor(size: float = 50.0, z: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """A level square that faces up."""
    return quad([(-size, -size, z), (size, -size, z), (size, size, z), (-size, size, z)])


def place_of(*parts: tuple[tuple[np.ndarray, np.ndarray], Material], textures: tuple = ()) -> Place:
    """A place of faces, each with a material; uv runs once over each face."""
    positions, triangles, materials, objects, uvs = [], [], [], [], []
    base = 0
    for number, ((points, faces), _material) in enumerate(parts):
        positions.append(points)
        uvs.append(np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)[: len(points)])
        triangles.append(faces + base)
        materials.append(np.full(len(faces), number, np.int32))
        objects.append(np.full(len(faces), number, np.int32))
        base += len(points)
    points, faces = np.concatenate(positions), np.concatenate(triangles).astype(np.uint32)
    corners = points[faces]
    face_normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = np.zeros_like(points)
    for k in range(3):
        normals[faces[:, k]] = face_normals / np.linalg.norm(face_normals, axis=1, keepdims=True)
    return Place(
        points, normals, np.concatenate(uvs), faces, np.concatenate(materials), np.concatenate(objects),
        tuple(m for _p, m in parts), textures, tuple(f"part {i}" for i in range(len(parts))),
    )  # fmt: skip


def down_at(x: float, y: float, height: float = 3.0, focal_mm: float = 4000.0) -> Camera:
    """A camera that looks straight at a spot of the floor, so narrowly that the picture is that spot."""
    return Camera((x, y - 1e-3, height), (x, y, 0.0), focal_mm)


def lit(
    place: Place, camera: Camera, shape: Shape, passes: int = 64, bounces: int = 0, medium: Medium = CLEAR,
    size: tuple[int, int] = (16, 16),
) -> LayerImage:  # fmt: skip
    """The layer of one unit source."""
    view = View(camera, *size)
    frame = Frame(PackedPlace(place), view)
    keys = frame.want([LayerSpec("test", view, shape, medium, bounces)])
    for _ in range(passes):
        frame.trace(keys)
    image = frame.image(keys[0])
    frame.place.close()
    return image


def lambert_illuminance(image: LayerImage) -> float:
    """Illuminance [lx] on a white floor seen from above, from its mean radiance: E = pi L for albedo one."""
    return float(image.surface.mean()) * np.pi
