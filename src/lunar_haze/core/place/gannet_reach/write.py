"""Writes a set of solids, materials and cameras as a binary glTF 2.0 file (Y up)."""

import io
import math
from pathlib import Path

import attrs
import numpy as np
import pygltflib as gl
from numpy.typing import NDArray
from PIL import Image

from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.gannet_reach.solids import Solid


@attrs.frozen(eq=False)
class Picture:
    """A texture (H, W, 4) uint8; opaque ones are stored as JPEG unless ``exact``."""

    name: str
    pixels: NDArray[np.uint8]
    exact: bool = False


@attrs.frozen
class Look:
    """A glTF material by its own terms; textures by picture name."""

    name: str
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    metallic: float = 0.0
    roughness: float = 0.9
    emissive: tuple[float, float, float] | None = None
    strength: float = 1.0
    cutout: bool = False
    transmission: float = 0.0
    double_sided: bool = False
    base: str | None = None
    rough: str | None = None
    normal: str | None = None
    glow: str | None = None


@attrs.define
class SetPiece:
    """One named object: solids by material, and where its copies stand (x, y, z, turn in degrees, size)."""

    name: str
    parts: list[tuple[str, Solid]]
    copies: list[tuple[float, float, float, float, float]] = attrs.field(factory=lambda: [(0, 0, 0, 0, 1)])


def write_glb(
    path: Path, pieces: list[SetPiece], looks: list[Look], pictures: list[Picture], cameras: dict[str, Camera]
) -> None:
    """Write the set to ``path``."""
    model = gl.GLTF2(asset=gl.Asset(version="2.0", generator="Lunar Haze"))
    blob = bytearray()

    def view(data: bytes, target: int | None = None) -> int:
        while len(blob) % 4:
            blob.append(0)
        model.bufferViews.append(gl.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data), target=target))
        blob.extend(data)
        return len(model.bufferViews) - 1

    def accessor(array: NDArray, kind: str, target: int) -> int:
        component = {"float32": gl.FLOAT, "uint32": gl.UNSIGNED_INT, "uint16": gl.UNSIGNED_SHORT}[array.dtype.name]
        item = gl.Accessor(
            bufferView=view(array.tobytes(), target), componentType=component, count=len(array), type=kind
        )
        if kind == "VEC3":
            item.min, item.max = array.min(0).tolist(), array.max(0).tolist()
        model.accessors.append(item)
        return len(model.accessors) - 1

    picture_number = {}
    for picture in pictures:
        stream = io.BytesIO()
        opaque = bool((picture.pixels[..., 3] == 255).all())
        image = Image.fromarray(picture.pixels)
        if opaque and not picture.exact:
            image.convert("RGB").save(stream, "JPEG", quality=88)
            mime = "image/jpeg"
        else:
            image.quantize(128).save(stream, "PNG", optimize=True) if not picture.exact else image.save(stream, "PNG")
            mime = "image/png"
        model.images.append(gl.Image(name=picture.name, bufferView=view(stream.getvalue()), mimeType=mime))
        model.textures.append(gl.Texture(source=len(model.images) - 1, sampler=0))
        picture_number[picture.name] = len(model.textures) - 1
    model.samplers.append(gl.Sampler(wrapS=10497, wrapT=10497))

    def texture(name: str | None) -> gl.TextureInfo | None:
        return None if name is None else gl.TextureInfo(index=picture_number[name])

    material_number = {}
    extensions = set()
    for look in looks:
        material = gl.Material(
            name=look.name,
            doubleSided=look.double_sided,
            alphaMode="MASK" if look.cutout else "OPAQUE",
            alphaCutoff=0.5 if look.cutout else None,
            pbrMetallicRoughness=gl.PbrMetallicRoughness(
                baseColorFactor=[*look.colour, 1.0],
                metallicFactor=look.metallic,
                roughnessFactor=look.roughness,
                baseColorTexture=texture(look.base),
                metallicRoughnessTexture=texture(look.rough),
            ),
            normalTexture=None if look.normal is None else gl.NormalMaterialTexture(index=picture_number[look.normal]),
            emissiveTexture=texture(look.glow),
        )
        if look.emissive is not None:
            material.emissiveFactor = list(look.emissive)
            material.extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": look.strength}
        if look.transmission:
            material.extensions["KHR_materials_transmission"] = {"transmissionFactor": look.transmission}
        extensions |= set(material.extensions)
        model.materials.append(material)
        material_number[look.name] = len(model.materials) - 1
    model.extensionsUsed = sorted(extensions)

    z_up = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    for piece in pieces:
        primitives = []
        for material_name, solid in piece.parts:
            count = len(solid.positions)
            indices = solid.triangles.reshape(-1).astype(np.uint16 if count < 65536 else np.uint32)
            primitives.append(
                gl.Primitive(
                    attributes=gl.Attributes(
                        POSITION=accessor((solid.positions @ z_up.T).astype(np.float32), "VEC3", gl.ARRAY_BUFFER),
                        NORMAL=accessor((solid.normals @ z_up.T).astype(np.float32), "VEC3", gl.ARRAY_BUFFER),
                        TEXCOORD_0=accessor(solid.uvs.astype(np.float32), "VEC2", gl.ARRAY_BUFFER),
                    ),
                    indices=accessor(indices, "SCALAR", gl.ELEMENT_ARRAY_BUFFER),
                    material=material_number[material_name],
                )
            )
        model.meshes.append(gl.Mesh(name=piece.name, primitives=primitives))
        for number, (x, y, z, turn, size) in enumerate(piece.copies):
            name = piece.name if len(piece.copies) == 1 else f"{piece.name} {number + 1}"
            node = gl.Node(name=name, mesh=len(model.meshes) - 1)
            if (x, y, z, turn, size) != (0, 0, 0, 0, 1):
                half = math.radians(turn) / 2
                node.translation = [round(float(v), 3) for v in (x, z, -y)]
                node.rotation = [0.0, round(math.sin(half), 5), 0.0, round(math.cos(half), 5)]
                node.scale = [round(float(size), 3)] * 3
            model.nodes.append(node)
    for name, camera in cameras.items():
        right, up, forward = camera.axes()
        matrix = np.eye(4)
        matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = z_up @ right, z_up @ up, z_up @ -forward
        matrix[:3, 3] = z_up @ np.asarray(camera.position)
        perspective = gl.Perspective(
            aspectRatio=16 / 9, yfov=2 * math.atan(camera.tan_half_width * 9 / 16), znear=0.05, zfar=2000.0
        )
        model.cameras.append(gl.Camera(name=name, type="perspective", perspective=perspective))
        model.nodes.append(gl.Node(name=name, camera=len(model.cameras) - 1, matrix=matrix.T.reshape(-1).tolist()))
    model.scenes.append(gl.Scene(name="Gannet Reach", nodes=list(range(len(model.nodes)))))
    model.scene = 0
    model.buffers.append(gl.Buffer(byteLength=len(blob)))
    model.set_binary_blob(bytes(blob))
    model.save_binary(str(path))
