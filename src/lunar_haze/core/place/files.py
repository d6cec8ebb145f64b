"""Which files a modelled place is read from: its own, and all that it refers to inside its folder."""

import contextlib
import json
import re
import struct
from collections.abc import Callable
from pathlib import Path
from urllib.parse import unquote

from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import inside, read_inside

#: More of a text than this is not searched for names of other files.
LONGEST = 64 << 20
#: Lines that name other files: pictures of a material, whose last word they are after options such as "-s 1 1 1"; the
#: materials of an OBJ; the picture of a PLY.
MATERIAL_PICTURES = re.compile(rb"(?im)^([ \t]*(?:map_\w{1,20}|bump|disp|decal|refl|norm)[ \t]+)([^\n]+)$")
LIBRARIES = re.compile(rb"(?im)^([ \t]*mtllib[ \t]+)([^\n]+)$")
PLY_PICTURES = re.compile(rb"(?im)^([ \t]*comment[ \t]+TextureFile[ \t]+)([^\n]+)$")


def files_of(path: Path) -> list[Path]:
    """All files that a place is read from, its own first; those that are not there are listed too.

    Names that lead out of the place's folder are not among them: such files are not read.
    """
    path = Path(path)
    found = [path]
    reader = _READERS.get(path.suffix.lower())
    if reader is not None:
        with contextlib.suppress(OSError, ValueError, struct.error, RecursionError):
            # Whoever reads the place says what is wrong with it.
            for name in reader(path):
                with contextlib.suppress(OSError):
                    found.append(inside(path.parent, name))
    return list(dict.fromkeys(found))


def names_in(pattern: re.Pattern[bytes], data: bytes) -> list[str]:
    """The names that lines of a text give."""
    return [name for found in pattern.finditer(data) if (name := _name_in(pattern, found[2]))]


def renamed(pattern: re.Pattern[bytes], data: bytes, other: Callable[[str], str]) -> bytes:
    """A text with other names in its lines."""

    def line(found: re.Match[bytes]) -> bytes:
        name = _name_in(pattern, found[2])
        if not name:
            return found[0]
        # Options before a name stay.
        whole = found[2].rstrip()
        options = whole[: len(whole) - len(whole.split()[-1])] if pattern is MATERIAL_PICTURES else b""
        return found[1] + options + other(name).encode()

    return pattern.sub(line, data)


def _name_in(pattern: re.Pattern[bytes], rest: bytes) -> str:
    words = rest.strip()
    if pattern is MATERIAL_PICTURES and words:
        words = words.split()[-1]
    return words.decode("utf-8", "replace")


def ply_header(data: bytes) -> bytes:
    """The text at the head of a PLY file."""
    return data[: data.find(b"end_header") + 1][:LONGEST]


def beside_library(library: str, name: str) -> str:
    """The name of a picture as the OBJ tells it whose material library names it."""
    folder, slash, _file = library.replace("\\", "/").rpartition("/")
    return f"{folder}{slash}{name}"


def _obj_names(path: Path) -> list[str]:
    found = []
    for library in names_in(LIBRARIES, read_regular(path, LONGEST)):
        found.append(library)
        with contextlib.suppress(OSError):
            text = read_inside(path.parent, library, LONGEST)
            found += [beside_library(library, name) for name in names_in(MATERIAL_PICTURES, text)]
    return found


def _ply_names(path: Path) -> list[str]:
    with path.open("rb") as stream:
        return names_in(PLY_PICTURES, ply_header(stream.read(1 << 20)))


def _gltf_names(path: Path) -> list[str]:
    with path.open("rb") as stream:
        if path.suffix.lower() == ".glb":
            head = stream.read(20)
            text = stream.read(min(struct.unpack("<I", head[12:16])[0], LONGEST))
        else:
            text = stream.read(LONGEST)
    # A document that refers to nothing need not be taken apart.
    data = json.loads(text) if b'"uri"' in text else {}
    if not isinstance(data, dict):
        return []
    parts = [*(data.get("buffers") or []), *(data.get("images") or [])]
    uris = [part.get("uri") for part in parts if isinstance(part, dict)]
    return [unquote(uri) for uri in uris if isinstance(uri, str) and not uri.startswith("data:")]


_READERS: dict[str, Callable[[Path], list[str]]] = {
    ".gltf": _gltf_names, ".glb": _gltf_names, ".obj": _obj_names, ".ply": _ply_names,
}  # fmt: skip
