"""A set as it travels to another machine: the files that it uses, under plain names of our own making.

Names inside its files are told anew; what they hold otherwise stays as it is, to the byte.
"""

import json
import logging
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from lunar_haze.core.place.files import (
    LIBRARIES,
    LONGEST,
    MATERIAL_PICTURES,
    PLY_PICTURES,
    beside_library,
    names_in,
    ply_header,
    renamed,
)
from lunar_haze.core.place.gltf_file import BINARY_CHUNK, JSON_CHUNK, open_gltf
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import plain_suffix, read_inside

log = logging.getLogger(__name__)


class _Bundle:
    """Files by plain names; one that is named twice is there once."""

    def __init__(self, path: Path) -> None:
        self.name = f"set{plain_suffix(path)}"
        self.files: dict[str, bytes] = {}
        self._folder = path.parent
        self._names: dict[str, str] = {}

    def take(self, name: str) -> str:
        """The plain name of a file that the set names; what cannot be read is missing there as it is here."""
        if name not in self._names:
            plain = f"set-{len(self._names)}{plain_suffix(Path(name))}"
            self._names[name] = plain
            try:
                self.files[plain] = read_inside(self._folder, name)
            except OSError as error:
                log.warning("%s does not travel: %s", name, error)
        return self._names[name]


def travelling(path: Path) -> tuple[str, dict[str, bytes]]:
    """The plain name of a set's own file, and the bytes of all its files by plain name.

    Raises OSError for a set that cannot be read, and PlaceError for a glTF file that is none.
    """
    bundle = _Bundle(path)
    suffix = path.suffix.lower()
    if suffix in (".gltf", ".glb"):
        bundle.files[bundle.name] = _gltf(path, bundle)
    elif suffix == ".obj":
        bundle.files[bundle.name] = _obj(read_regular(path), bundle)
    else:
        bundle.files[bundle.name] = _ply(read_regular(path), bundle)
    return bundle.name, bundle.files


def _gltf(path: Path, bundle: _Bundle) -> bytes:
    gltf, blob = open_gltf(path)
    parts = [(part, f"{key} {at}") for key in ("buffers", "images") for at, part in enumerate(_list(gltf, key))]
    if not any(_is_outside(part) for part, _name in parts):
        return read_regular(path)
    used = _used_buffers(gltf) | _used_images(gltf)
    for part, name in parts:
        if _is_outside(part):
            uri = part.pop("uri")
            if name in used:
                part["uri"] = bundle.take(unquote(str(uri)))
    text = json.dumps(gltf).encode()
    if path.suffix.lower() == ".gltf":
        return text
    chunks = [(JSON_CHUNK, text + b" " * (-len(text) % 4))]
    if blob is not None:
        chunks.append((BINARY_CHUNK, blob + b"\0" * (-len(blob) % 4)))
    body = b"".join(struct.pack("<II", len(data), kind) + data for kind, data in chunks)
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def _list(gltf: dict, key: str) -> list[Any]:
    found = gltf.get(key)
    return [part for part in found if isinstance(part, dict)] if isinstance(found, list) else []


def _is_outside(part: dict) -> bool:
    uri = part.get("uri")
    return uri is not None and not str(uri).startswith("data:")


def _used_buffers(gltf: dict) -> set[str]:
    return {f"buffers {view.get('buffer')}" for view in _list(gltf, "bufferViews")}


def _used_images(gltf: dict) -> set[str]:
    """Pictures that a texture of a material shows."""
    textures = _list(gltf, "textures")
    found = set()
    for index in _textures_in(_list(gltf, "materials")):
        if isinstance(index, int) and 0 <= index < len(textures):
            found |= {f"images {part.get('source')}" for part in _dicts(textures[index])}
    return found


def _textures_in(part: Any) -> Iterator[Any]:
    for inner in _dicts(part):
        for key, value in inner.items():
            if key.endswith("Texture") and isinstance(value, dict):
                yield value.get("index")


def _dicts(part: Any) -> Iterator[dict]:
    """A part of JSON and all objects in it."""
    waiting = [part]
    while waiting:
        one = waiting.pop()
        if isinstance(one, dict):
            yield one
            waiting.extend(one.values())
        elif isinstance(one, list):
            waiting.extend(one)


def _obj(text: bytes, bundle: _Bundle) -> bytes:
    for library in dict.fromkeys(names_in(LIBRARIES, text)):
        name = bundle.take(library)
        materials = bundle.files.get(name, b"")[:LONGEST]
        if materials:

            def picture(told: str, library: str = library) -> str:
                return bundle.take(beside_library(library, told))

            bundle.files[name] = renamed(MATERIAL_PICTURES, materials, picture)
    return renamed(LIBRARIES, text, bundle.take)


def _ply(data: bytes, bundle: _Bundle) -> bytes:
    head = ply_header(data)

    return renamed(PLY_PICTURES, head, bundle.take) + data[len(head) :]
