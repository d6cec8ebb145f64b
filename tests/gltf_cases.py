"""Edge cases of glTF 2.0, written out by hand: each a file of a square or two, and what the standard says of it."""

import base64
import io
import json
import struct
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

SQUARE = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
FACES = np.array([0, 1, 2, 0, 2, 3], np.uint16)
UV = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)


class File:
    """A glTF document under construction, with one buffer."""

    def __init__(self) -> None:
        self.data = b""
        self.json: dict = {
            "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"name": "square", "mesh": 0}],
            "meshes": [], "accessors": [], "bufferViews": [], "buffers": [{}], "materials": [],
        }  # fmt: skip
        self.uri = ""
        self.extra: dict[str, bytes] = {}

    def view(self, data: bytes) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        self.json["bufferViews"].append({"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data)})
        self.data += data
        return len(self.json["bufferViews"]) - 1

    def accessor(self, array: np.ndarray, **more) -> int:
        kinds = {"f4": 5126, "u2": 5123, "u4": 5125, "u1": 5121, "i1": 5120, "i2": 5122}
        width = 1 if array.ndim == 1 else array.shape[1]
        found = {
            "bufferView": self.view(np.ascontiguousarray(array).tobytes()), "componentType": kinds[array.dtype.str[1:]],
            "count": len(array), "type": {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[width], **more,
        }  # fmt: skip
        self.json["accessors"].append({k: v for k, v in found.items() if v is not None})
        return len(self.json["accessors"]) - 1

    def square(self, material: int | None = None, indices: bool = True, **attributes) -> dict:
        found = {"POSITION": self.accessor(SQUARE), "TEXCOORD_0": self.accessor(UV), **attributes}
        primitive: dict = {"attributes": found}
        if indices:
            primitive["indices"] = self.accessor(FACES)
        if material is not None:
            primitive["material"] = material
        self.json["meshes"].append({"primitives": [primitive]})
        return primitive

    def image(self, pixels: np.ndarray, kind: str = "PNG") -> int:
        stream = io.BytesIO()
        Image.fromarray(pixels).save(stream, kind, **({"lossless": True} if kind == "WEBP" else {}))
        self.json.setdefault("images", []).append(
            {"bufferView": self.view(stream.getvalue()), "mimeType": f"image/{kind.lower()}"}
        )
        return len(self.json["images"]) - 1

    def texture(self, pixels: np.ndarray, kind: str = "PNG") -> int:
        image = self.image(pixels, kind)
        found: dict = {"source": image} if kind != "WEBP" else {"extensions": {"EXT_texture_webp": {"source": image}}}
        self.json.setdefault("textures", []).append(found)
        return len(self.json["textures"]) - 1

    def uses(self, *names: str) -> None:
        self.json.setdefault("extensionsUsed", []).extend(names)

    def write(self, path: Path) -> Path:
        self.json["buffers"][0]["byteLength"] = len(self.data)
        if path.suffix == ".gltf":
            name = self.uri or "data:application/octet-stream;base64," + base64.b64encode(self.data).decode()
            self.json["buffers"][0]["uri"] = name
            path.write_text(json.dumps(self.json))
        else:
            text = json.dumps(self.json).encode()
            text += b" " * (-len(text) % 4)
            body = self.data + b"\0" * (-len(self.data) % 4)
            head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(body))
            path.write_bytes(
                head
                + struct.pack("<II", len(text), 0x4E4F534A)
                + text
                + struct.pack("<II", len(body), 0x004E4942)
                + body
            )
        for name, data in self.extra.items():
            (path.parent / name).write_bytes(data)
        return path


Case = Callable[[], File]
CASES: dict[str, tuple[str, Case]] = {}


def case(name: str, suffix: str = ".glb") -> Callable[[Case], Case]:
    def keep(make: Case) -> Case:
        CASES[name] = (suffix, make)
        return make

    return keep


@case("plain")
def plain() -> File:
    file = File()
    file.square()
    return file


@case("no indices")
def no_indices() -> File:
    file = File()
    corners = SQUARE[FACES]
    file.json["meshes"].append({"primitives": [{"attributes": {"POSITION": file.accessor(corners)}}]})
    return file


@case("strip")
def strip() -> File:
    file = File()
    primitive = file.square()
    primitive["mode"], primitive["indices"] = 5, file.accessor(np.array([0, 1, 3, 2], np.uint16))
    return file


@case("fan")
def fan() -> File:
    file = File()
    primitive = file.square()
    primitive["mode"], primitive["indices"] = 6, file.accessor(np.array([0, 1, 2, 3], np.uint16))
    return file


@case("sparse positions")
def sparse() -> File:
    file = File()
    primitive = file.square()
    flat = SQUARE.copy()
    flat[2] = 0
    file.json["accessors"][primitive["attributes"]["POSITION"]] |= {"sparse": {
        "count": 1, "indices": {"bufferView": file.view(np.array([2], np.uint16).tobytes()), "componentType": 5123},
        "values": {"bufferView": file.view(np.array([[1, 1, 5]], np.float32).tobytes())},
    }}  # fmt: skip
    return file


@case("sparse on nothing")
def sparse_on_nothing() -> File:
    file = File()
    primitive = file.square()
    accessor = file.json["accessors"][primitive["attributes"]["POSITION"]]
    del accessor["bufferView"]
    accessor["sparse"] = {
        "count": 4, "indices": {"bufferView": file.view(np.arange(4, dtype=np.uint8).tobytes()), "componentType": 5121},
        "values": {"bufferView": file.view((SQUARE * 2).tobytes())},
    }  # fmt: skip
    return file


@case("interleaved")
def interleaved() -> File:
    file = File()
    primitive = file.square()
    rows = np.concatenate([SQUARE, np.tile(np.float32([0, 0, 1]), (4, 1))], 1).astype(np.float32)
    view = file.view(rows.tobytes())
    file.json["bufferViews"][view]["byteStride"] = 24
    for name, offset in (("POSITION", 0), ("NORMAL", 12)):
        file.json["accessors"].append(
            {"bufferView": view, "byteOffset": offset, "componentType": 5126, "count": 4, "type": "VEC3"}
        )
        primitive["attributes"][name] = len(file.json["accessors"]) - 1
    return file


@case("quantized")
def quantized() -> File:
    file = File()
    file.uses("KHR_mesh_quantization")
    primitive = file.square()
    stored = np.zeros((4, 4), np.int16)
    stored[:, :3] = SQUARE * 32767
    view = file.view(stored.tobytes())
    file.json["bufferViews"][view]["byteStride"] = 8
    file.json["accessors"].append(
        {"bufferView": view, "componentType": 5122, "normalized": True, "count": 4, "type": "VEC3"}
    )
    primitive["attributes"]["POSITION"] = len(file.json["accessors"]) - 1
    return file


@case("name with percent signs", ".gltf")
def percent() -> File:
    file = File()
    file.square()
    file.uri = "my%20buffer%20%C3%A9.bin"
    file.extra["my buffer é.bin"] = file.data
    return file


@case("negative scale")
def mirrored() -> File:
    file = File()
    file.square()
    file.json["nodes"][0]["scale"] = [-2, 1, 1]
    return file


@case("nodes in nodes")
def nested() -> File:
    file = File()
    file.square()
    half = float(np.sqrt(0.5))
    file.json["nodes"] = [
        {"children": [1], "translation": [10, 0, 0]}, {"mesh": 0, "rotation": [0, half, 0, half], "scale": [2, 2, 2]},
    ]  # fmt: skip
    return file


@case("matrix")
def matrix() -> File:
    file = File()
    file.square()
    file.json["nodes"][0]["matrix"] = [2, 0, 0, 0, 0, 3, 0, 0, 0, 0, 1, 0, 5, 6, 7, 1]
    return file


@case("instances")
def instances() -> File:
    file = File()
    file.uses("EXT_mesh_gpu_instancing")
    file.square()
    where = np.array([[0, 0, 0], [3, 0, 0], [0, 0, -4]], np.float32)
    file.json["nodes"][0]["extensions"] = {"EXT_mesh_gpu_instancing": {"attributes": {
        "TRANSLATION": file.accessor(where), "SCALE": file.accessor(np.array([[1] * 3, [2] * 3, [1] * 3], np.float32)),
    }}}  # fmt: skip
    return file


@case("moved by weights")
def weights() -> File:
    file = File()
    primitive = file.square()
    primitive["targets"] = [{"POSITION": file.accessor(np.tile(np.float32([0, 0, 2]), (4, 1)))}]
    file.json["meshes"][0]["weights"] = [0.5]
    return file


@case("vertex colours")
def colours() -> File:
    file = File()
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.5, 0.5, 1], "metallicFactor": 0}}]
    linear = np.array([[1, 0, 0, 1], [1, 0, 0, 1], [0, 0, 1, 1], [0, 0, 1, 1]], np.float32)
    file.square(0, COLOR_0=file.accessor(linear))
    return file


@case("vertex colours of bytes")
def byte_colours() -> File:
    file = File()
    stored = np.full((4, 4), 255, np.uint8)
    stored[:, 1] = 128
    file.square(None, COLOR_0=file.accessor(stored, normalized=True))
    return file


@case("blend")
def blend() -> File:
    file = File()
    file.json["materials"] = [{
        "name": "gauze", "alphaMode": "BLEND",
        "pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 0.25], "metallicFactor": 0, "roughnessFactor": 1},
    }]  # fmt: skip
    file.square(0)
    return file


@case("mask")
def mask() -> File:
    file = File()
    texture = file.texture(np.full((4, 4, 4), (255, 255, 255, 100), np.uint8))
    file.json["materials"] = [{
        "name": "leaf", "alphaMode": "MASK", "alphaCutoff": 0.5,
        "pbrMetallicRoughness": {"baseColorTexture": {"index": texture}, "baseColorFactor": [1, 1, 1, 1]},
    }]  # fmt: skip
    file.square(0)
    return file


@case("transmission")
def transmission() -> File:
    file = File()
    file.uses("KHR_materials_transmission", "KHR_materials_ior", "KHR_materials_volume")
    file.json["materials"] = [{
        "name": "pane", "pbrMetallicRoughness": {"metallicFactor": 0, "roughnessFactor": 1},
        "extensions": {
            "KHR_materials_transmission": {"transmissionFactor": 0.5}, "KHR_materials_ior": {"ior": 1.33},
            "KHR_materials_volume": {"thicknessFactor": 1.0},
        },
    }]  # fmt: skip
    file.square(0)
    return file


@case("texture transform")
def transform() -> File:
    file = File()
    file.uses("KHR_texture_transform")
    texture = file.texture(np.zeros((4, 4, 3), np.uint8))
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {
        "index": texture, "extensions": {"KHR_texture_transform": {
            "offset": [0.5, 0.25], "scale": [2, 3], "rotation": float(np.pi / 2),
        }},
    }}}]  # fmt: skip
    file.square(0)
    return file


@case("second coordinates")
def second_uv() -> File:
    file = File()
    texture = file.texture(np.zeros((4, 4, 3), np.uint8))
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": texture, "texCoord": 1}}}]
    file.square(0, TEXCOORD_1=file.accessor(UV * 0.5))
    return file


@case("WebP")
def webp() -> File:
    file = File()
    file.uses("EXT_texture_webp")
    texture = file.texture(np.full((4, 4, 3), (10, 200, 30), np.uint8), "WEBP")
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": texture}}}]
    file.square(0)
    return file


@case("Basis texture")
def basis() -> File:
    file = File()
    file.uses("KHR_texture_basisu")
    file.json["images"] = [{"bufferView": file.view(b"\xabKTX 20\xbb\r\n\x1a\n"), "mimeType": "image/ktx2"}]
    file.json["textures"] = [{"extensions": {"KHR_texture_basisu": {"source": 0}}}]
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
    file.square(0)
    return file


@case("unlit")
def unlit() -> File:
    file = File()
    file.uses("KHR_materials_unlit")
    file.json["materials"] = [{"name": "sign", "extensions": {"KHR_materials_unlit": {}}}]
    file.square(0)
    return file


@case("specular and glossiness")
def glossy() -> File:
    file = File()
    file.uses("KHR_materials_pbrSpecularGlossiness")
    file.json["materials"] = [{"name": "old paint", "extensions": {"KHR_materials_pbrSpecularGlossiness": {
        "diffuseFactor": [0.5, 0.25, 0.125, 1], "specularFactor": [0.04, 0.04, 0.04], "glossinessFactor": 0.3,
    }}}]  # fmt: skip
    file.square(0)
    return file


@case("emissive strength")
def emissive() -> File:
    file = File()
    file.uses("KHR_materials_emissive_strength")
    file.json["materials"] = [{
        "name": "tube", "emissiveFactor": [1, 1, 1],
        "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 5}},
    }]  # fmt: skip
    file.square(0)
    return file


@case("lights")
def lights() -> File:
    file = File()
    file.uses("KHR_lights_punctual")
    file.square()
    file.json["extensions"] = {"KHR_lights_punctual": {"lights": [
        {"name": "bulb", "type": "point", "intensity": 60, "color": [1, 0.5, 0.25], "range": 8},
        {"name": "spot", "type": "spot", "intensity": 500, "spot": {"innerConeAngle": 0.2, "outerConeAngle": 0.4}},
        {"name": "sun", "type": "directional", "intensity": 50000},
    ]}}  # fmt: skip
    half = float(np.sqrt(0.5))
    file.json["nodes"] += [
        {"translation": [1, 2, 3], "extensions": {"KHR_lights_punctual": {"light": 0}}},
        {"translation": [0, 5, 0], "rotation": [-half, 0, 0, half], "extensions": {"KHR_lights_punctual": {"light": 1}}},
        {"rotation": [-half, 0, 0, half], "extensions": {"KHR_lights_punctual": {"light": 2}}},
    ]  # fmt: skip
    file.json["scenes"][0]["nodes"] = [0, 1, 2, 3]
    return file


@case("two scenes")
def scenes() -> File:
    file = File()
    file.square()
    file.json["nodes"] += [{"mesh": 0, "translation": [50, 0, 0]}]
    file.json["scenes"] = [{"name": "day set", "nodes": [0]}, {"name": "night set", "nodes": [0, 1]}]
    return file


@case("cameras")
def cameras() -> File:
    file = File()
    file.square()
    file.json["cameras"] = [
        {"type": "perspective", "perspective": {"yfov": 0.6, "aspectRatio": 1.5, "znear": 0.1}},
        {"type": "orthographic", "orthographic": {"xmag": 1, "ymag": 1, "zfar": 10, "znear": 0.1}},
    ]  # fmt: skip
    file.json["nodes"] += [{"camera": 0, "name": "wide"}, {"camera": 1, "name": "flat"}]
    file.json["scenes"][0]["nodes"] = [0, 1, 2]
    return file


@case("Draco")
def draco() -> File:
    import DracoPy

    file = File()
    file.uses("KHR_draco_mesh_compression")
    file.json["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    primitive = file.square()
    packed = DracoPy.encode(SQUARE.astype(np.float32), FACES.reshape(-1, 3).astype(np.uint32), quantization_bits=14)
    for number in (primitive["attributes"]["POSITION"], primitive["indices"]):
        del file.json["accessors"][number]["bufferView"]
    primitive["attributes"] = {"POSITION": primitive["attributes"]["POSITION"]}
    primitive["extensions"] = {
        "KHR_draco_mesh_compression": {"bufferView": file.view(packed), "attributes": {"POSITION": 0}}
    }
    return file


@case("points")
def points() -> File:
    file = File()
    primitive = file.square()
    file.json["meshes"][0]["primitives"].append({**primitive, "mode": 0})
    return file


@case("chunk of another kind")
def plain_chunk() -> File:
    return plain()


@case("baked occlusion and clear coat")
def clearcoat() -> File:
    file = File()
    file.uses("KHR_materials_clearcoat")
    texture = file.texture(np.zeros((4, 4, 3), np.uint8))
    file.json["materials"] = [{
        "name": "hull", "occlusionTexture": {"index": texture},
        "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 1}},
    }]  # fmt: skip
    file.square(0)
    return file


def write_case(name: str, folder: Path) -> Path:
    """The file of a case."""
    suffix, make = CASES[name]
    path = make().write(folder / f"{name.replace(' ', '-')}{suffix}")
    if name == "chunk of another kind":
        data = path.read_bytes()
        data += struct.pack("<II", 4, 0x12345678) + b"more"
        path.write_bytes(data[:8] + struct.pack("<I", len(data)) + data[12:])
    return path
