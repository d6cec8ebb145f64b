"""Reads glTF 2.0 (.glb, .gltf) into a `Place`.

Geometry, node transforms, metallic-roughness materials, base-colour / metallic-roughness / normal
/ emissive textures, alpha mask and blend, KHR_materials_emissive_strength,
KHR_materials_transmission, KHR_texture_transform (noted), cameras. Y-up becomes Z-up:
(x, y, z) -> (x, -z, y). What is not understood is named in the place's notes.
"""

import base64
import io
import json
import math
import struct
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG
from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.place.camera import SENSOR_WIDTH_MM, Camera
from lunar_haze.core.place.model import Material, Place, PlaceCamera, Texture, smooth_normals

Y_UP_TO_Z_UP = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
_COMPONENT = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_UNDERSTOOD = {"KHR_materials_emissive_strength", "KHR_materials_transmission", "KHR_materials_ior",
               "KHR_materials_unlit"}  # fmt: skip
#: Emission of glTF materials is unitless in practice; 1.0 is read as this luminance.
NITS_PER_UNIT = 1000.0


class _Json(dict):
    """A JSON object whose members read as attributes, None where absent.

    The document is read as plain JSON: general glTF classes take two seconds for the thousand
    nodes of the demo place, on every start.
    """

    __getattr__ = dict.get


class _Reader:
    def __init__(self, path: Path, gltf: _Json, blob: bytes | None) -> None:
        self.path = path
        self.gltf = gltf
        self.blob = blob
        self.notes: list[str] = []
        self.textures: list[Texture] = []
        self.texture_numbers: dict[tuple[int, bool], int] = {}
        self.buffers: dict[int, bytes] = {}

    def note(self, text: str) -> None:
        if text not in self.notes:
            self.notes.append(text)

    def buffer(self, index: int) -> bytes:
        if index not in self.buffers:
            uri = self.gltf.buffers[index].uri
            if uri is None:
                data = self.blob
                if data is None:
                    raise PlaceError(f"{self.path.name} is cut short: its binary part is missing; copy it again")
            elif uri.startswith("data:"):
                data = base64.b64decode(uri.split(",", 1)[1])
            else:
                try:
                    data = (self.path.parent / uri).read_bytes()
                except OSError as error:
                    raise PlaceError(
                        f"{self.path.name} needs {uri} beside it, which cannot be read ({os_reason(error)})"
                    ) from error
            if len(data) < self.gltf.buffers[index].byteLength:
                raise PlaceError(f"{self.path.name} is cut short: part of its geometry is missing; copy it again")
            self.buffers[index] = data
        return self.buffers[index]

    def view(self, index: int) -> bytes:
        view = self.gltf.bufferViews[index]
        start = view.byteOffset or 0
        return self.buffer(view.buffer)[start : start + view.byteLength]

    def accessor(self, index: int) -> NDArray:
        accessor = self.gltf.accessors[index]
        dtype = np.dtype(_COMPONENT[accessor.componentType])
        width = _WIDTH[accessor.type]
        if accessor.bufferView is None:
            array = np.zeros((accessor.count, width), dtype)
        else:
            view = self.gltf.bufferViews[accessor.bufferView]
            stride = view.byteStride or dtype.itemsize * width
            start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
            data = self.buffer(view.buffer)
            if start + stride * (accessor.count - 1) + dtype.itemsize * width > len(data):
                raise PlaceError(f"{self.path.name} is cut short: part of its geometry is missing; copy it again")
            array = np.ndarray((accessor.count, width), dtype, data, start, (stride, dtype.itemsize)).copy()
        if accessor.sparse is not None:
            indices = np.frombuffer(
                self.view(accessor.sparse.indices.bufferView),
                _COMPONENT[accessor.sparse.indices.componentType],
                accessor.sparse.count,
                accessor.sparse.indices.byteOffset or 0,
            )
            values = np.frombuffer(
                self.view(accessor.sparse.values.bufferView), dtype, accessor.sparse.count * width,
                accessor.sparse.values.byteOffset or 0,
            )  # fmt: skip
            array[indices] = values.reshape(-1, width)
        if accessor.normalized:
            array = np.maximum(array.astype(np.float32) / np.iinfo(dtype).max, -1.0)
        return array

    def texture(self, info: _Json | None, is_colour: bool) -> int:
        """Number of a texture, decoded on first use; -1 when there is none or it cannot be read."""
        if info is None:
            return -1
        if info.texCoord:
            self.note("a texture uses a second set of coordinates; the first is used instead")
        if (info.extensions or {}).get("KHR_texture_transform"):
            self.note("texture offsets and scales (KHR_texture_transform) are not applied")
        image_index = self.gltf.textures[info.index].source
        if image_index is None:
            self.note(f"texture {info.index} has no picture in a format that can be read; its flat colour is used")
            return -1
        key = (image_index, is_colour)
        if key not in self.texture_numbers:
            self.texture_numbers[key] = self._decode(image_index, is_colour)
        return self.texture_numbers[key]

    def _decode(self, image_index: int, is_colour: bool) -> int:
        image = self.gltf.images[image_index]
        name = image.name or image.uri or f"image {image_index}"
        if name.startswith("data:"):
            name = f"image {image_index}"
        try:
            if image.bufferView is not None:
                data = self.view(image.bufferView)
            elif image.uri.startswith("data:"):
                data = base64.b64decode(image.uri.split(",", 1)[1])
            else:
                data = (self.path.parent / image.uri).read_bytes()
            with Image.open(io.BytesIO(data)) as picture:
                pixels = np.asarray(picture.convert("RGBA")).copy()
        except (OSError, UnidentifiedImageError, ValueError) as error:
            reason = os_reason(error) if isinstance(error, OSError) and error.strerror else "not a readable picture"
            self.note(f"texture “{name}” cannot be read ({reason}); the material's flat colour is used")
            return -1
        self.textures.append(Texture(name, pixels, is_colour))
        return len(self.textures) - 1

    def material(self, index: int) -> Material:
        m = self.gltf.materials[index]
        pbr = m.pbrMetallicRoughness
        extensions = m.extensions or {}
        for name in extensions:
            if name not in _UNDERSTOOD:
                self.note(f"material “{m.name or index}”: {name} is not understood and left out")
        factor = list(pbr.baseColorFactor or (1, 1, 1, 1)) if pbr else [1, 1, 1, 1]
        strength = extensions.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0)
        emissive = SRGB_TO_ACESCG @ np.array(m.emissiveFactor or (0, 0, 0), float) * strength * NITS_PER_UNIT
        clear = extensions.get("KHR_materials_transmission", {}).get("transmissionFactor", 0.0)
        alpha_cutoff = 0.0
        if m.alphaMode == "MASK":
            alpha_cutoff = m.alphaCutoff if m.alphaCutoff is not None else 0.5
        elif m.alphaMode == "BLEND" and not clear:
            if factor[3] < 1.0:
                clear = 1.0 - factor[3]
            else:
                alpha_cutoff = 0.5
                self.note(f"material “{m.name or index}”: blended edges are cut at half alpha")
        return Material(
            name=m.name or f"material {index}",
            base_colour=tuple((SRGB_TO_ACESCG @ np.array(factor[:3], float)).tolist()),
            metallic=1.0 if pbr is None or pbr.metallicFactor is None else float(pbr.metallicFactor),
            roughness=1.0 if pbr is None or pbr.roughnessFactor is None else float(pbr.roughnessFactor),
            emissive=tuple(emissive.tolist()),
            alpha_cutoff=float(alpha_cutoff),
            clear=float(clear),
            double_sided=bool(m.doubleSided),
            base_texture=self.texture(pbr.baseColorTexture if pbr else None, True),
            roughness_texture=self.texture(pbr.metallicRoughnessTexture if pbr else None, False),
            normal_texture=self.texture(m.normalTexture, False),
            emissive_texture=self.texture(m.emissiveTexture, True),
        )


def _local_matrix(node: _Json) -> NDArray:
    if node.matrix:
        return np.array(node.matrix, float).reshape(4, 4).T
    x, y, z, w = node.rotation or (0.0, 0.0, 0.0, 1.0)
    rotation = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix = np.eye(4)
    matrix[:3, :3] = rotation * np.array(node.scale or (1.0, 1.0, 1.0))
    matrix[:3, 3] = node.translation or (0.0, 0.0, 0.0)
    return matrix


def _world_matrices(gltf: _Json) -> list[tuple[int, NDArray]]:
    """Nodes of the default scene with their world matrices, in Z-up metres."""
    scene = gltf.scenes[gltf.scene or 0] if gltf.scenes else None
    children = {c for node in gltf.nodes for c in node.children or []}
    roots = scene.nodes if scene else [i for i in range(len(gltf.nodes)) if i not in children]
    found: list[tuple[int, NDArray]] = []
    stack = [(root, Y_UP_TO_Z_UP) for root in roots or []]
    seen: set[int] = set()
    while stack:
        index, parent = stack.pop()
        if index in seen:
            continue
        seen.add(index)
        world = parent @ _local_matrix(gltf.nodes[index])
        found.append((index, world))
        stack.extend((child, world) for child in gltf.nodes[index].children or [])
    return sorted(found, key=lambda item: item[0])


def _as_triangles(indices: NDArray, mode: int) -> NDArray | None:
    if mode == 4:
        return indices[: len(indices) // 3 * 3].reshape(-1, 3)
    if mode == 5:
        strips = np.stack([indices[:-2], indices[1:-1], indices[2:]], 1)
        strips[1::2] = strips[1::2, ::-1]
        return strips
    if mode == 6:
        return np.stack([np.full(len(indices) - 2, indices[0]), indices[1:-1], indices[2:]], 1)
    return None


def _open(path: Path) -> tuple[_Json, bytes | None]:
    """The glTF document and, for .glb, its binary chunk."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise PlaceError(f"{path} cannot be read: {os_reason(error)}") from error
    blob = None
    try:
        if path.suffix.lower() == ".glb":
            if len(data) < 20 or data[:4] != b"glTF":
                raise PlaceError(f"{path.name} is not a binary glTF file; export the set as .glb again")
            declared, json_length = struct.unpack("<I", data[8:12])[0], struct.unpack("<I", data[12:16])[0]
            if len(data) < declared:
                raise PlaceError(f"{path.name} is cut short ({len(data):,} of {declared:,} bytes); copy it again")
            text = data[20 : 20 + json_length]
            if declared > 28 + json_length:
                blob = data[28 + json_length : declared]
        else:
            text = data
        gltf = json.loads(text, object_hook=_Json)
    except (ValueError, struct.error) as error:
        raise PlaceError(f"{path.name} is damaged and cannot be read as glTF; export it again") from error
    if not isinstance(gltf, _Json) or gltf.asset is None:
        raise PlaceError(f"{path.name} is not a glTF file; export the set as glTF 2.0 (.glb)")
    if not str(gltf.asset.version).startswith("2"):
        raise PlaceError(f"{path.name} is glTF {gltf.asset.version}; export it as glTF 2.0")
    return gltf, blob


def _camera(gltf_camera: _Json, world: NDArray, name: str) -> PlaceCamera | None:
    perspective = gltf_camera.perspective
    if gltf_camera.type != "perspective" or perspective is None:
        return None
    position = world[:3, 3]
    forward = -world[:3, 2] / max(np.linalg.norm(world[:3, 2]), 1e-12)
    aspect = perspective.aspectRatio or 16 / 9
    tan_half_width = math.tan(perspective.yfov / 2) * aspect
    # A camera without a target gets one at a comfortable working distance.
    aim = position + forward * 8.0
    return PlaceCamera(
        name, Camera(tuple(position.tolist()), tuple(aim.tolist()), SENSOR_WIDTH_MM / 2 / tan_half_width)
    )


def read_gltf(path: Path) -> Place:
    """Place from a .glb or .gltf file. Raises PlaceError with a sentence to show."""
    gltf, blob = _open(path)
    reader = _Reader(path, gltf, blob)
    for extension in gltf.extensionsRequired or []:
        if "draco" in extension.lower() or "meshopt" in extension.lower():
            raise PlaceError(f"{path.name} is compressed ({extension}); export it without mesh compression")
    for extension in gltf.extensionsUsed or []:
        if extension not in _UNDERSTOOD and extension != "KHR_texture_transform":
            reader.note(f"the extension {extension} is not understood and left out")
    if gltf.animations:
        reader.note(f"{len(gltf.animations)} animations are left out; the place stands as in its rest pose")
    try:
        return _assemble(reader)
    except (IndexError, KeyError, AttributeError, TypeError, ValueError) as error:
        raise PlaceError(f"{path.name} is damaged: its parts do not fit together; export it again") from error


def _assemble(reader: _Reader) -> Place:
    gltf = reader.gltf
    materials = [reader.material(i) for i in range(len(gltf.materials or []))]
    plain = len(materials)
    parts: dict[str, list[NDArray]] = {k: [] for k in ("p", "n", "uv", "t", "m", "o")}
    objects: list[str] = []
    cameras: list[PlaceCamera] = []
    base = 0
    for node_index, world in _world_matrices(gltf):
        node = gltf.nodes[node_index]
        name = node.name or f"object {node_index}"
        if node.camera is not None:
            camera = _camera(gltf.cameras[node.camera], world, gltf.cameras[node.camera].name or name)
            if camera:
                cameras.append(camera)
            else:
                reader.note(f"camera “{name}” is not a perspective one and left out")
        if node.skin is not None:
            reader.note(f"“{name}” is skinned; it stands in its rest pose")
        if node.mesh is None:
            continue
        objects.append(name)
        for primitive in gltf.meshes[node.mesh].primitives:
            mode = 4 if primitive.mode is None else primitive.mode
            if primitive.attributes.POSITION is None:
                continue
            positions = reader.accessor(primitive.attributes.POSITION).astype(np.float64)
            indices = (
                np.arange(len(positions))
                if primitive.indices is None
                else reader.accessor(primitive.indices)[:, 0].astype(np.int64)
            )
            triangles = _as_triangles(indices, mode)
            if triangles is None:
                reader.note(f"“{name}” holds points or lines, which give no surface; they are left out")
                continue
            if len(triangles) and triangles.max() >= len(positions):
                raise ValueError("index out of range")
            with np.errstate(invalid="ignore", over="ignore"):
                placed = (positions @ world[:3, :3].T + world[:3, 3]).astype(np.float32)
            if np.linalg.det(world[:3, :3]) < 0:
                triangles = triangles[:, ::-1]
            if primitive.attributes.NORMAL is not None:
                raw = reader.accessor(primitive.attributes.NORMAL) @ np.linalg.pinv(world[:3, :3])
                length = np.linalg.norm(raw, axis=1, keepdims=True)
                normals = raw / np.maximum(length, 1e-12)
            else:
                normals = smooth_normals(placed, triangles)
            if primitive.attributes.TEXCOORD_0 is not None:
                uvs = reader.accessor(primitive.attributes.TEXCOORD_0)
            else:
                uvs = np.zeros((len(placed), 2))
            material = primitive.material if primitive.material is not None else plain
            parts["p"].append(placed)
            parts["n"].append(normals.astype(np.float32))
            parts["uv"].append(uvs.astype(np.float32))
            parts["t"].append((triangles + base).astype(np.uint32))
            parts["m"].append(np.full(len(triangles), material, np.int32))
            parts["o"].append(np.full(len(triangles), len(objects) - 1, np.int32))
            base += len(placed)
    materials.append(Material("plain"))
    empty = {"p": (0, 3), "n": (0, 3), "uv": (0, 2), "t": (0, 3), "m": (0,), "o": (0,)}
    dtypes = {"p": np.float32, "n": np.float32, "uv": np.float32, "t": np.uint32, "m": np.int32, "o": np.int32}
    arrays = {
        k: np.ascontiguousarray(np.concatenate(v) if v else np.zeros(empty[k]), dtypes[k]) for k, v in parts.items()
    }
    return Place(
        arrays["p"], arrays["n"], arrays["uv"], arrays["t"], arrays["m"], arrays["o"],
        tuple(materials), tuple(reader.textures), tuple(objects), tuple(cameras), tuple(reader.notes),
    )  # fmt: skip
