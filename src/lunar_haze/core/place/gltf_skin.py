"""Skins of glTF: a mesh that stands as its joints do (linear blend skinning, glTF 2.0, 3.7.3).

Each vertex goes with some joints by weights: its place is the weighted sum of where each joint's matrix, times the
inverse of that joint's matrix when the mesh was bound to it, takes it. The transform of the mesh's own node does not
count. Joints stand as their nodes do; animations are not read.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.gltf_file import GltfFile, Json, item


@attrs.frozen(eq=False)
class Skin:
    """What each joint does to a vertex that goes with it alone: matrices (n, 4, 4) to metres, Z up."""

    matrices: NDArray

    def posed(
        self, positions: NDArray, normals: NDArray | None, joints: list[NDArray], weights: list[NDArray]
    ) -> tuple[NDArray, NDArray | None]:
        """Positions and normals (v, 3) in the place; ``joints`` and ``weights`` are sets of four a vertex.

        Raises ValueError for a joint that is none.
        """
        which, share = np.concatenate(joints, 1).astype(np.int64), np.concatenate(weights, 1).astype(np.float64)
        if len(which) != len(positions) or which.shape != share.shape or which.max(initial=0) >= len(self.matrices):
            raise ValueError("a skin's joints do not fit its mesh")
        share /= np.maximum(share.sum(1, keepdims=True), 1e-12)
        placed, turned = np.zeros((len(positions), 3)), np.zeros((len(positions), 3))
        for k in range(which.shape[1]):
            matrices = self.matrices[which[:, k]]
            at = np.einsum("vij,vj->vi", matrices[:, :3, :3], positions) + matrices[:, :3, 3]
            placed += share[:, k : k + 1] * at
            if normals is not None:
                # Joints turn, and scale evenly at most: what else they do to normals is little.
                turned += share[:, k : k + 1] * np.einsum("vij,vj->vi", matrices[:, :3, :3], normals)
        return placed, None if normals is None else turned


def skin_of(file: GltfFile, index: int, worlds: dict[int, NDArray]) -> Skin:
    """A skin by number; ``worlds`` (4, 4) are the matrices of the scene's nodes by number.

    A joint that is in no shown scene stands where it was bound. Raises ValueError for a skin that fits nowhere.
    """
    skin = item(file.gltf.skins, index, "skin")
    joints: list[int] = skin.joints or []
    bound = np.tile(np.eye(4), (len(joints), 1, 1))
    if skin.inverseBindMatrices is not None:
        given = file.accessor(skin.inverseBindMatrices).astype(float)
        if len(given) < len(joints) or given.shape[1] != 16:
            raise ValueError("a skin has more joints than matrices")
        bound = given[: len(joints)].reshape(-1, 4, 4).swapaxes(1, 2)
    matrices = []
    for joint, inverse in zip(joints, bound):
        item(file.gltf.nodes, joint, "joint")
        world = worlds.get(joint)
        matrices.append(_AS_BOUND if world is None else world @ inverse)
    return Skin(np.array(matrices).reshape(-1, 4, 4))


#: Where a vertex lies whose joint is not there: as the mesh has it, Z up.
_AS_BOUND = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])


def sets_of(attributes: dict[str, NDArray], kind: str) -> list[NDArray]:
    """All sets of ``JOINTS`` or ``WEIGHTS`` of a mesh, in order. Each is (vertices, 4), without a unit."""
    return [attributes[name] for name in sorted(attributes) if name.startswith(f"{kind}_")]


def has_skin(node: Json, attributes: dict[str, NDArray]) -> bool:
    """Whether a node's mesh goes with joints. ``attributes`` are arrays (vertices, ...) by their names."""
    return node.skin is not None and "JOINTS_0" in attributes and "WEIGHTS_0" in attributes
