"""Sets, documents and tables of a stranger: each names a file in one of the ways that lead out of a folder."""

import json
import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

from lunar_haze.core.document.files import to_json
from lunar_haze.core.document.model import Document, Look, PlaceRef, ReferenceFile, Shot
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import TableFile
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.model import ClearSky, Panorama
from lunar_haze.core.sources.beam import Beam
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.model import Sky, Source
from tests.gltf_cases import FACES, File

#: What lies outside: a picture, light, a table, geometry and what is none of these, each of its own name.
SECRETS = ("secret.png", "secret.bin", "secret.cube", "secret.mtl", "secret.txt", "secret.hdr")
CUBE = "LUT_3D_SIZE 2\n" + "\n".join(f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1)) + "\n"


def guarded(folder: Path) -> dict[Path, bytes]:
    """A folder of files that are nobody's business, and what they hold."""
    folder.mkdir(parents=True)
    Image.fromarray(np.full((8, 16, 3), 200, np.uint8)).save(folder / "secret.png")
    Image.fromarray(np.full((8, 16, 3), 200, np.uint8)).save(folder / "secret.hdr", "PNG")
    (folder / "secret.bin").write_bytes(np.zeros(64, np.float32).tobytes())
    (folder / "secret.cube").write_text(CUBE)
    (folder / "secret.mtl").write_text("newmtl m\nKd 1 0 0\n")
    (folder / "secret.txt").write_text("a password\n")
    return {folder / name: (folder / name).read_bytes() for name in SECRETS}


def names_of(outside: Path, folder: Path, secret: str) -> dict[str, str]:
    """Names by which a file in ``folder`` might reach ``outside / secret``, by the trick that they are."""
    there = outside / secret
    relative = os.path.relpath(there, folder)
    (folder / "link").symlink_to(there)
    (folder / "way").symlink_to(outside)
    return {
        "climbing": relative,
        "climbing from below": f"a/../{relative}",
        "climbing in a URI": relative.replace("..", "%2e%2e"),
        "climbing with backslashes": relative.replace("/", "\\"),
        "climbing with dots between": f"./././{relative}",
        "absolute": str(there),
        "absolute twice": f"/{there}",
        "an address": f"file://{there}",
        "an address of this machine": f"file://localhost{there}",
        "a link": "link",
        "a folder that is a link": f"way/{secret}",
        "a share": f"\\\\localhost\\{there}",
        "a drive": f"C:{there}",
        "with an end in it": f"{relative}\0.png",
        "with a line end in it": f"{relative}\n",
        "long": f"{'x/../' * 900}{relative}",
        "with spaces about it": f" {relative} ",
        "in capitals": f"WAY/{secret}".lower(),
        "from home": f"~/{relative}",
        "of this process": f"/proc/self/cwd/{there}",
    }


def _square() -> File:
    file = File()
    points = np.array([[-3, 0, 3], [3, 0, 3], [3, 0, -3], [-3, 0, -3]], np.float32)
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    attributes = {"POSITION": file.accessor(points), "TEXCOORD_0": file.accessor(uv)}
    file.json["meshes"] = [{"primitives": [{"attributes": attributes, "indices": file.accessor(FACES), "material": 0}]}]
    file.json["nodes"], file.json["scenes"] = [{"mesh": 0, "name": "floor"}], [{"nodes": [0]}]
    file.json["materials"] = [{"name": "m"}]
    return file


def _gltf_picture(folder: Path, name: str) -> Path:
    file = _square()
    file.json["images"], file.json["textures"] = [{"uri": name}], [{"source": 0}]
    file.json["materials"] = [{"name": "m", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
    return file.write(folder / "set.glb")


def _gltf_buffer(folder: Path, name: str) -> Path:
    file = _square()
    file.json["buffers"].append({"uri": name, "byteLength": 36})
    file.json["bufferViews"].append({"buffer": 1, "byteLength": 36})
    file.json["accessors"].append({
        "bufferView": len(file.json["bufferViews"]) - 1, "componentType": 5126, "count": 3, "type": "VEC3",
    })  # fmt: skip
    last = len(file.json["accessors"]) - 1
    file.json["meshes"].append({"primitives": [{"attributes": {"POSITION": last}}]})
    file.json["nodes"].append({"mesh": 1})
    file.json["scenes"] = [{"nodes": [0, 1]}]
    path = folder / "set.gltf"
    file.write(folder / "whole.glb")
    return file.write(path)


def _obj(folder: Path, library: str, picture: str = "") -> Path:
    path = folder / "set.obj"
    path.write_text(f"mtllib {library}\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl m\nf 1/1 2/2 3/3\n")
    if picture:
        (folder / library).write_text(f"newmtl m\nKd 1 1 1\nmap_Kd {picture}\n")
    return path


def _ply(folder: Path, name: str) -> Path:
    path = folder / "set.ply"
    path.write_text(
        f"ply\nformat ascii 1.0\ncomment TextureFile {name}\nelement vertex 3\nproperty float x\nproperty float y\n"
        "property float z\nproperty float s\nproperty float t\nelement face 1\nproperty list uchar int vertex_indices\n"
        "end_header\n0 0 0 0 0\n1 0 0 1 0\n0 1 0 0 1\n3 0 1 2\n"
    )
    return path


def document(place: Path, *sources: Source, **look: object) -> Document:
    """A document of one small frame."""
    lamp = Source("sky", "sky", Sky(ClearSky()), 1.0, "true")
    made = Look("look", sources=(lamp, *sources), **look)  # type: ignore[arg-type]
    shot = Shot("shot", Camera((0.0, -4.0, 1.6), (0.0, 0.0, 0.5)), frame_width=32, frame_height=18)
    return Document(PlaceRef(str(place)), (shot,), (made,), (), "shot", "look")


def _with_path(made: Document, folder: Path, marked: str, name: str) -> Path:
    path = folder / "work.haze"
    data = json.loads(to_json(made, None))

    def put(part: object) -> None:
        for key, value in (
            list(part.items()) if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
        ):
            if value == marked and key == "path":
                part[key] = name
            else:
                put(value)

    put(data)
    path.write_text(json.dumps(data))
    return path


def _looks(folder: Path, name: str, *sources: Source, **look: object) -> Path:
    place = _square().write(folder / "set.glb")
    return _with_path(document(place, *sources, **look), folder, "/marked", name)


def _of_set(make: Callable[[Path, str], Path]) -> Callable[[Path, str], Path]:
    def made(folder: Path, name: str) -> Path:
        place = make(folder, name)
        path = folder / "work.haze"
        path.write_text(to_json(document(place), folder))
        return path

    return made


#: What may name a file: how a document is made whose set, or which itself, does so; and which secret it is after.
PARTS: dict[str, tuple[Callable[[Path, str], Path], str]] = {
    "a picture of a glTF set": (_of_set(_gltf_picture), "secret.png"),
    "a buffer of a glTF set": (_of_set(_gltf_buffer), "secret.bin"),
    "the materials of an OBJ": (_of_set(_obj), "secret.mtl"),
    "a picture of an OBJ": (_of_set(lambda folder, name: _obj(folder, "set.mtl", name)), "secret.png"),
    "a picture of a PLY": (_of_set(_ply), "secret.png"),
    "a panorama": (
        lambda folder, name: _looks(folder, name, Source("p", "photo", Sky(Panorama("/marked"), follows_hour=False), 1.0, "lx")),
        "secret.hdr",
    ),
    "a cut-out": (
        lambda folder, name: _looks(
            folder, name, Source("b", "beam", Beam((0.0, 0.0, 3.0), cutout=CutOut("picture", path="/marked")), 100.0, "lm")
        ),
        "secret.png",
    ),
    "a grading table": (
        lambda folder, name: _looks(folder, name, finish=Finish(table=TableFile("/marked"))),
        "secret.cube",
    ),
    "a picture of a card's cut-out": (
        lambda folder, name: _looks(folder, name, cards=(Card("c", "card", cutout=CutOut("picture", path="/marked")),)),
        "secret.png",
    ),
    "a reference": (
        lambda folder, name: _looks(folder, name, reference=ReferenceFile("/marked")), "secret.png",
    ),
}  # fmt: skip
