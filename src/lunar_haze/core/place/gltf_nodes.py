"""The nodes of a glTF scene: which there are, and where each stands with all copies of its mesh."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.gltf_file import GltfFile, Json, item, numbers, rows_of_numbers

Y_UP_TO_Z_UP = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
#: Instances of one mesh, at the most.
_MOST_INSTANCES = 200_000


@attrs.frozen(eq=False)
class Placement:
    """Where a copy of a mesh stands: its world matrix (4, 4), what places normals (3, 3), whether it is mirrored."""

    world: NDArray
    spin: NDArray
    is_mirrored: bool


def scene_names(gltf: Json) -> tuple[str, ...]:
    """Names of the scenes of a file."""
    return tuple(str(s.name or f"scene {i}") for i, s in enumerate(gltf.scenes or []))


def _roots(file: GltfFile, scene: str) -> list[int]:
    gltf = file.gltf
    names = scene_names(gltf)
    if not names:
        children = {c for node in gltf.nodes or [] for c in node.children or []}
        return [i for i in range(len(gltf.nodes or [])) if i not in children]
    number_ = 0 if gltf.scene is None else gltf.scene
    if scene:
        if scene not in names:
            raise PlaceError(f"{file.path.name} holds no scene “{scene}”; it holds {', '.join(names)}")
        number_ = names.index(scene)
    shown = item(gltf.scenes, number_, "scene")
    others = [n for i, n in enumerate(names) if i != number_]
    if others:
        file.note(f"scene “{names[number_]}” is shown; the file also holds {', '.join(others)}")
    return shown.nodes or []


def scene_nodes(file: GltfFile, scene: str) -> list[tuple[int, Json, NDArray]]:
    """The nodes of a scene, the one the file shows by default: their numbers, themselves, their world matrices (4, 4).

    The matrices lead to metres, Z up. Raises PlaceError for a scene that is not there.
    """
    found: list[tuple[int, Json]] = []
    parents: list[int] = []
    stack = [(root, -1) for root in _roots(file, scene)]
    seen: set[int] = set()
    while stack:
        index, parent = stack.pop()
        node = item(file.gltf.nodes, index, "node")
        if index in seen:
            continue
        seen.add(index)
        stack.extend((child, len(found)) for child in node.children or [])
        found.append((index, node))
        parents.append(parent)
    worlds = _local_matrices([node for _index, node in found])
    for k, parent in enumerate(parents):
        worlds[k] = (worlds[parent] if parent >= 0 else Y_UP_TO_Z_UP) @ worlds[k]
    return sorted(((index, node, world) for (index, node), world in zip(found, worlds)), key=lambda each: each[0])


def instances(file: GltfFile, node: Json, world: NDArray, name: str) -> NDArray:
    """World matrices (n, 4, 4) of all copies of a node's mesh; ``world`` (4, 4) is that of the node."""
    instancing = (node.extensions or {}).get("EXT_mesh_gpu_instancing")
    if instancing is None:
        return world[None]
    given = {k: file.accessor(v).astype(float) for k, v in (instancing.attributes or {}).items()}
    count = min((len(v) for v in given.values()), default=0)
    if count > _MOST_INSTANCES:
        file.note(f"“{name}” stands {count:,} times; {_MOST_INSTANCES:,} of them are shown")
        count = _MOST_INSTANCES
    local = np.tile(np.eye(4), (count, 1, 1))
    if "ROTATION" in given:
        local[:, :3, :3] = _turned(given["ROTATION"][:count])
    if "SCALE" in given:
        local[:, :3, :3] *= given["SCALE"][:count, None, :]
    if "TRANSLATION" in given:
        local[:, :3, 3] = given["TRANSLATION"][:count]
    return world @ local


def placed_by(worlds: NDArray) -> list[Placement]:
    """How each of some world matrices (n, 4, 4) places a mesh."""
    with np.errstate(invalid="ignore", over="ignore"):
        spins = _cofactors(worlds[:, :3, :3])
        mirrored = (worlds[:, :3, 0] * spins[:, :, 0]).sum(1) < 0
    # A mirrored mesh has its triangles turned round, not its normals.
    spins[mirrored] *= -1.0
    return [Placement(*parts) for parts in zip(worlds, spins, mirrored.tolist())]


def _turned(quaternion: NDArray) -> NDArray:
    """Rotations (..., 3, 3) of quaternions (..., 4), made unit first."""
    x, y, z, w = np.moveaxis(quaternion / np.maximum(np.linalg.norm(quaternion, axis=-1, keepdims=True), 1e-30), -1, 0)
    rows = (
        (1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)),
        (2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)),
        (2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)),
    )
    return np.stack([np.stack(row, -1) for row in rows], -2)


def _local_matrices(nodes: list[Json]) -> NDArray:
    """Matrices (n, 4, 4) of nodes in their parents: all at once, a large set has thousands."""
    matrices = np.tile(np.eye(4), (len(nodes), 1, 1))
    # What has a matrix of its own has no other placement.
    parts = [Json() if node.matrix is not None else node for node in nodes]
    scales = rows_of_numbers([part.scale for part in parts], (1.0, 1.0, 1.0))
    rotations = rows_of_numbers([part.rotation for part in parts], (0.0, 0.0, 0.0, 1.0))
    matrices[:, :3, :3] = _turned(rotations) * scales[:, None, :]
    matrices[:, :3, 3] = rows_of_numbers([part.translation for part in parts], (0.0, 0.0, 0.0))
    for k, node in enumerate(nodes):
        if node.matrix is not None:
            matrices[k] = numbers(node.matrix, (0.0,) * 16).reshape(4, 4).T
    return matrices


def _cofactors(matrices: NDArray) -> NDArray:
    """Cofactors (n, 3, 3) of matrices (n, 3, 3): what places a normal, also that of what is pressed flat."""
    x, y, z = (matrices[:, :, k] for k in range(3))
    return np.stack([np.cross(y, z), np.cross(z, x), np.cross(x, y)], -1)
