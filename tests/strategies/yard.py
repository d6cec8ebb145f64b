"""A small place that has something of everything light meets, and the files that looks may name."""

from pathlib import Path

import attrs
import numpy as np
from PIL import Image

from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.handoff.stills import write_hdr
from tests.gltf_cases import FACES, File

#: Objects of the yard, each a square of its own material: corners counter-clockwise from its front, glTF's axes (Y up).
_SQUARES = {
    "floor": [(-6, 0, 6), (6, 0, 6), (6, 0, -6), (-6, 0, -6)],
    "wall": [(-3, 0, -2), (3, 0, -2), (3, 2.5, -2), (-3, 2.5, -2)],
    "figure": [(-0.4, 0, 0), (0.4, 0, 0), (0.4, 1.7, 0), (-0.4, 1.7, 0)],
    "pane": [(1, 0, 1), (2.2, 0, 1), (2.2, 1.5, 1), (1, 1.5, 1)],
    "leaves": [(-2.2, 0, 1), (-1, 0, 1), (-1, 1.5, 1), (-2.2, 1.5, 1)],
    "lamp glass": [(-0.2, 2.6, -1), (0.2, 2.6, -1), (0.2, 2.9, -1), (-0.2, 2.9, -1)],
}
_GLOWING = "lamp glass"


@attrs.frozen
class Yard:
    """The place and what it holds by name, its glowing material, and files: panorama, cut-out picture, grading table."""

    place: PlaceRef
    objects: tuple[str, ...]
    materials: tuple[str, ...]
    glowing: str
    panorama: Path
    picture: Path
    table: Path


def write_yard(folder: Path) -> Yard:
    """Write the yard and its files into a folder."""
    file = File()
    file.uses("KHR_materials_emissive_strength", "KHR_materials_transmission")
    leaf = np.zeros((8, 8, 4), np.uint8)
    leaf[..., 1], leaf[2:6, ::2, 3] = 120, 255
    looks: dict[str, dict] = {
        "floor": {"pbrMetallicRoughness": {"baseColorFactor": [0.4, 0.35, 0.3, 1], "roughnessFactor": 0.9}},
        "wall": {"pbrMetallicRoughness": {"baseColorFactor": [0.7, 0.7, 0.72, 1], "roughnessFactor": 0.3}},
        "figure": {"pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.2, 0.2, 1], "metallicFactor": 0.0}},
        "pane": {"extensions": {"KHR_materials_transmission": {"transmissionFactor": 0.9}}},
        "leaves": {"alphaMode": "MASK", "pbrMetallicRoughness": {"baseColorTexture": {"index": file.texture(leaf)}}},
        _GLOWING: {
            "emissiveFactor": [1.0, 0.8, 0.5],
            "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 5.0}},
        },
    }
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    file.json["nodes"], file.json["scenes"] = [], [{"nodes": list(range(len(_SQUARES)))}]
    for number, (name, corners) in enumerate(_SQUARES.items()):
        points = np.array(corners, np.float32)
        attributes = {"POSITION": file.accessor(points), "TEXCOORD_0": file.accessor(uv)}
        primitive = {"attributes": attributes, "indices": file.accessor(FACES), "material": number}
        file.json["meshes"].append({"primitives": [primitive]})
        file.json["materials"].append({"name": name, "doubleSided": True, **looks[name]})
        file.json["nodes"].append({"name": name, "mesh": number})
    place = file.write(folder / "yard.glb")
    sky = np.full((16, 32, 3), 0.3, np.float32)
    sky[:8, :, 2], sky[4, 9] = 0.8, 90.0
    write_hdr(folder / "sky.hdr", sky)
    Image.fromarray((np.indices((16, 16)).sum(0) % 2 * 255).astype(np.uint8)).save(folder / "cut.png")
    rows = [f"{r / 1:.1f} {g * 0.9:.2f} {b:.1f}" for b in (0, 1) for g in (0, 1) for r in (0, 1)]
    (folder / "warm.cube").write_text("LUT_3D_SIZE 2\n" + "\n".join(rows) + "\n")
    names = tuple(_SQUARES)
    return Yard(
        PlaceRef(str(place)), names, names, _GLOWING, folder / "sky.hdr", folder / "cut.png", folder / "warm.cube"
    )
