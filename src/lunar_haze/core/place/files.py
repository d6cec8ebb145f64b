"""Which files a modelled place is read from: its own, and all that it refers to."""

import json
import re
import struct
from pathlib import Path
from urllib.parse import unquote

#: More of a text than this is not searched for names of other files.
_LONGEST = 64 << 20
_MATERIAL_PICTURES = re.compile(rb"^\s*(?:map_\w+|bump|disp|decal|refl|norm)\s+(.+?)\s*$", re.MULTILINE | re.IGNORECASE)
_LIBRARIES = re.compile(rb"^\s*mtllib\s+(.+?)\s*$", re.MULTILINE | re.IGNORECASE)


def beside(path: Path, uri: str) -> Path:
    """The file that a glTF document at ``path`` means by a relative URI (RFC 3986), percent signs decoded."""
    return path.parent / unquote(uri)


def files_of(path: Path) -> list[Path]:
    """All files that a place is read from, its own first; those that are not there are listed too."""
    path = Path(path)
    found = [path]
    try:
        if path.suffix.lower() in (".gltf", ".glb"):
            found += [beside(path, uri) for uri in _uris(path)]
        elif path.suffix.lower() == ".obj":
            for name in _names(_LIBRARIES, path):
                library = path.parent / name
                found.append(library)
                # Options such as "-s 1 1 1" stand before the file's name.
                found += [library.parent / picture.split(" ")[-1] for picture in _names(_MATERIAL_PICTURES, library)]
    except (OSError, ValueError, struct.error, RecursionError):
        pass  # whoever reads the place says what is wrong with it
    return list(dict.fromkeys(found))


def _names(pattern: re.Pattern[bytes], path: Path) -> list[str]:
    if not path.is_file():
        return []
    with path.open("rb") as stream:
        return [name.decode("utf-8", "replace") for name in pattern.findall(stream.read(_LONGEST))]


def _uris(path: Path) -> list[str]:
    with path.open("rb") as stream:
        if path.suffix.lower() == ".glb":
            head = stream.read(20)
            text = stream.read(min(struct.unpack("<I", head[12:16])[0], _LONGEST))
        else:
            text = stream.read(_LONGEST)
    # A document that refers to nothing need not be taken apart.
    data = json.loads(text) if b'"uri"' in text else {}
    if not isinstance(data, dict):
        return []
    parts = [*(data.get("buffers") or []), *(data.get("images") or [])]
    uris = [part.get("uri") for part in parts if isinstance(part, dict)]
    return [uri for uri in uris if isinstance(uri, str) and not uri.startswith("data:")]
