"""Files of every format that is read, and damaged copies of them."""

import functools
import io
import json
import struct
from collections.abc import Callable
from pathlib import Path

import attrs
import numpy as np
from PIL import Image

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import read
from lunar_haze.core.errors import HazeError
from lunar_haze.core.handoff.stills import write_exr, write_hdr
from lunar_haze.core.layers.model import LayerImage, PlaceSpec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sky.panorama import find_lobe, read_panorama
from lunar_haze.core.sky.tables import AtmosphereTables
from lunar_haze.core.sources.cutouts import CutOut, pattern
from lunar_haze.core.sources.distribution import read_ies
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units.kept_arrays import read_arrays, write_arrays
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.ui.shell.keys import Keys
from tests.fuzz.forms import FILMS, PLAIN, TABLES, forms, misformed, take_form
from tests.gltf_cases import CASES, write_case
from tests.places import WHITE, floor, place_of

#: Formats that are damaged in their own terms as often as byte by byte.
FORMED = (*TABLES, *FILMS, "exr")
DEMO = Path(__file__).resolve().parents[2] / "demo" / "gannet-reach.haze"
OBJ = "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl m\nf 1/1 2/2 3/3\n"
IES = "IESNA:LM-63-2002\n[TEST] ours\nTILT=NONE\n1 1000 1 5 1 1 2 0.1 0.1 0\n1 1 20\n0 22.5 45 67.5 90\n0\n300 280 200 90 10\n"


def _picture(kind: str) -> bytes:
    stream = io.BytesIO()
    ramp = np.indices((32, 64)).sum(0).astype(np.uint8) * 2
    Image.fromarray(np.dstack([ramp, ramp, 255 - ramp])).save(stream, kind)
    return stream.getvalue()


def _written(write: Callable, folder: Path, name: str) -> bytes:
    path = folder / name
    write(path, np.random.default_rng(0).random((32, 64, 3)).astype(np.float32) * 2)
    return path.read_bytes()


def _document(folder: Path) -> bytes:
    path = folder / "doc.haze"
    document = load(DEMO)[0]
    save(attrs.evolve(document, looks=document.looks[6:8], current_look=document.looks[6].name), path)
    return path.read_bytes()


def _tables(folder: Path) -> bytes:
    """A file of a sky's tables, as small as it may be; those of the view are kept in the same way."""
    rng = np.random.default_rng(2)
    path = folder / "air.npz"
    write_arrays(path, {field.name: rng.random(12).astype(np.float32) for field in attrs.fields(AtmosphereTables)})
    return path.read_bytes()


def seeds(folder: Path) -> dict[str, list[bytes]]:
    """Good files by format."""
    found: dict[str, list[bytes]] = {"glb": [], "gltf": []}
    for name, (suffix, _make) in CASES.items():
        if suffix == ".glb":
            found["glb"].append(write_case(name, folder).read_bytes())
    for name in ("plain", "sparse positions", "vertex colours", "lights", "texture transform"):
        found["gltf"].append(CASES[name][1]().write(folder / "a.gltf").read_bytes())
    ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
    binary = ply.replace("ascii", "binary_little_endian").split("end_header\n")[0].encode() + b"end_header\n"
    binary += struct.pack("<9f", 0, 0, 0, 1, 0, 0, 0, 1, 0) + struct.pack("<B3i", 3, 0, 1, 2)
    document = _document(folder)
    cache = LayerCache(folder / "layers")
    image = np.random.default_rng(1).random((6, 8, 3)).astype(np.float32)
    cache.put(LayerImage("k", 3, image, image))
    journal = json.dumps({"lunar_haze_journal": 1, "written": 1.7e9, "of": "", "document": document.decode()}).encode()
    others = forms(folder)
    return found | others | {
        "obj": [OBJ.encode()], "mtl": [b"newmtl m\nKd 0.5 0.5 0.5\nNs 20\nmap_Kd a.png\n"], "ply": [ply.encode(), binary],
        "exr": [_written(lambda p, a: write_exr(p, a, {}, {}), folder, "a.exr"), *others["exr"]],
        "hdr": [_written(write_hdr, folder, "a.hdr")], "png": [_picture("PNG")], "jpg": [_picture("JPEG")],
        "ies": [IES.encode()], "haze": [document], "journal": [journal],
        "settings": [b'{"mute": "M", "pin": "Shift+P"}', b'["/a/b.haze", "/c.haze"]'],
        "cache": [(folder / "layers" / "k.npz").read_bytes()], "tables": [_tables(folder)],
    }  # fmt: skip


_TOKENS = [
    b"-1", b"0", b"1e309", b"-1e309", b"NaN", b"null", b"true", b'""', b"[]", b"{}", b"99999999999999999999999", b"4294967295",
    b"\x00", b"\xff\xff\xff\xff", b"[" * 3000, b'"' + b"a" * 5000 + b'"', b"../../../../etc/passwd", b"-2147483648",
]  # fmt: skip


def mutant(data: bytes, rng: np.random.Generator) -> bytes:
    """A damaged copy: bits flipped, pieces cut out, doubled or exchanged, numbers made absurd."""
    out = bytearray(data)
    for _ in range(int(rng.choice([1, 1, 2, 4, 12]))):
        if not out:
            break
        at, how = int(rng.integers(len(out))), int(rng.integers(8))
        length = int(min(rng.choice([1, 2, 4, 16, 200]), len(out) - at))
        if how == 0:
            out[at] ^= 1 << int(rng.integers(8))
        elif how == 1:
            del out[at : at + length]
        elif how == 2:
            out[at:at] = out[at : at + length]
        elif how == 3:
            out[at : at + length] = rng.integers(0, 256, length, np.uint8).tobytes()
        elif how == 4:
            del out[at:]
        elif how == 5:
            # The next number in a text becomes another.
            end = at
            while end < len(out) and out[end : end + 1] not in b"0123456789.-":
                end += 1
            stop = end
            while stop < len(out) and out[stop : stop + 1] in b"0123456789.eE+-":
                stop += 1
            out[end:stop] = _TOKENS[int(rng.integers(len(_TOKENS)))]
        elif how == 6:
            out[at : at + 4] = struct.pack("<I", int(rng.choice([0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000])))[
                : len(out) - at
            ]
        else:
            other = int(rng.integers(len(out)))
            out[at : at + length] = out[other : other + length]
    return bytes(out)


_VALUES = (
    -1, 0, 1, 2, 0.5, -0.5, 1e-30, 1e18, -1e18, 1e30, 10**30, float("inf"), float("nan"), None, True, False, "", "x", "ball", "sky",
    "a\x00b", "/dev/zero", "9" * 400, [], {}, [1.0], [1.0, 2.0, 3.0], [[]], {"kind": "sun"}, [0.0, 0.0, 0.0],
)  # fmt: skip
#: Formats that are JSON: most of their mutants stay JSON and say something absurd.
_JSON_KINDS = ("gltf", "haze", "journal", "settings", "parcel")


def absurd(data: bytes, rng: np.random.Generator) -> bytes:
    """A copy of a JSON text that is whole and says something else in one to six places."""
    tree = json.loads(data)
    holders = []
    waiting = [tree]
    while waiting:
        part = waiting.pop()
        inside = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
        for key, value in inside:
            holders.append((part, key))
            waiting.append(value)
    for _ in range(int(rng.choice([1, 1, 1, 2, 6]))):
        holder, key = holders[int(rng.integers(len(holders)))]
        if (isinstance(holder, dict) and key not in holder) or (isinstance(holder, list) and key >= len(holder)):
            continue
        how, (other, other_key) = int(rng.integers(5)), holders[int(rng.integers(len(holders)))]
        if how == 0:
            del holder[key]
        elif how == 1 and (other_key in other if isinstance(other, dict) else other_key < len(other)):
            holder[key] = json.loads(json.dumps(other[other_key]))
        elif how == 2 and isinstance(holder[key], (int, float)) and not isinstance(holder[key], bool):
            holder[key] *= float(rng.choice([-1.0, 0.0, 1e-6, 1e6, 1e12]))
        else:
            holder[key] = _VALUES[int(rng.integers(len(_VALUES)))]
    return json.dumps(tree).encode()


def damaged(kind: str, good: list[bytes], number: int) -> bytes:
    """Mutant ``number`` of a format, always the same one."""
    rng = np.random.default_rng([number, sum(map(ord, kind))])
    data = good[number % len(good)]
    if kind in FORMED and rng.random() < 0.5:
        return misformed(kind, data, rng)
    return absurd(data, rng) if kind in _JSON_KINDS and rng.random() < 0.7 else mutant(data, rng)


def take(kind: str, data: bytes, folder: Path) -> None:
    """Read a file as the program does. HazeError is an answer; whatever else is raised is a defect."""
    names = {
        "mtl": "a.mtl",
        "haze": "doc.haze",
        "journal": ".doc.haze.autosave",
        "settings": "keys.json",
        "cache": "k.npz",
    }
    path = folder / names.get(kind, f"a.{kind}")
    path.write_bytes(data)
    try:
        if kind in ("glb", "gltf", "obj", "ply"):
            load_place(path)
        elif kind == "mtl":
            (folder / "a.obj").write_text(OBJ)
            load_place(folder / "a.obj")
        elif kind in ("exr", "hdr", "png", "jpg"):
            photograph = read_panorama(path)
            find_lobe(photograph.pixels)
            if kind in ("png", "jpg"):
                pattern(CutOut("picture", path=str(path), digest=str(hash(data))))
        elif kind == "ies":
            read_ies(path)
        elif kind in (*TABLES, *FILMS, *PLAIN):
            take_form(kind, path, folder)
        elif kind == "haze":
            _plan(path)
        elif kind == "journal":
            read(path)
        elif kind == "settings":
            Keys(path)
        elif kind == "tables":
            found = read_arrays(path)
            if found is not None and any(array.shape != (12,) for array in found.values()):
                raise ValueError("tables that nobody has written")
        else:
            LayerCache(folder).get("k")
    except HazeError as error:
        if len(str(error)) <= 10:
            raise ValueError(f"“{error}” tells nobody anything") from error


def _plan(path: Path) -> None:
    document, _notes = load(path)
    for look in document.looks:
        frame_request(1, PlaceSpec("p", 1.0, "k"), document.shot, look, (32, 18))


def traced(path: Path) -> None:
    """Trace every look of a document over a small place: a pass of a few pixels, in mist or without."""
    try:
        document, _notes = load(path)
    except HazeError:
        return
    for look in document.looks:
        try:
            request = frame_request(1, PlaceSpec("p", 1.0, "k"), document.shot, look, (16, 9), 1)
        except HazeError:
            continue
        frame = Frame(_small_place(), request.view, sky_rows=32)
        keys = frame.want(list(request.layers))
        if keys:
            frame.trace(keys)
            for key in keys:
                image = frame.image(key)
                if np.isnan(image.surface).any() or np.isnan(image.air).any():
                    raise ValueError(f"look “{look.name}” has light that is no number")


@functools.cache
def _small_place() -> PackedPlace:
    return PackedPlace(place_of((floor(), WHITE)))
