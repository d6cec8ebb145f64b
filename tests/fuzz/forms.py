"""Good files of formats that hold others' structure (tables, films, layered pictures, parcels, lists), and copies of them
that are damaged in their own terms: counts, references, entities, sizes, rates, cuts.
"""

import json
import struct
from pathlib import Path
from typing import Any

import attrs
import av
import numpy as np
import OpenEXR
import OpenImageIO as oiio

from lunar_haze.core.errors import HazeError
from lunar_haze.core.finish.tables import applied, read_table
from lunar_haze.core.place.travel import travelling
from lunar_haze.core.units.inside import plain_name
from lunar_haze.service.parcel import Parcel, parcel_of, unpacked
from lunar_haze.service.sequence import FrameList, SequenceSpec
from lunar_haze.service.video import read_screen
from tests.gltf_cases import CASES
from tests.hostile.stranger import document

TABLES, FILMS, PLAIN = ("cube", "clf", "spi1d", "spi3d"), ("mp4", "mkv", "avi"), ("parcel", "list")
_NODES = [f"{r} {g} {b}" for b in (0, 0.5, 1) for g in (0, 0.5, 1) for r in (0, 0.5, 1)]
_CUBES = (
    'TITLE "a"\nLUT_3D_SIZE 3\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n' + "\n".join(_NODES) + "\n",
    "# a curve\nLUT_1D_SIZE 4\n" + "\n".join(f"{v} {v} {v}" for v in (0, 0.2, 0.7, 1)) + "\n",
)
_STEPS = (
    '<Range inBitDepth="32f" outBitDepth="32f"><minInValue>0</minInValue><minOutValue>0</minOutValue></Range>',
    '<Matrix inBitDepth="32f" outBitDepth="32f"><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix>',
    '<LUT1D inBitDepth="32f" outBitDepth="32f"><Array dim="3 1">0 0.4 1</Array></LUT1D>',
    '<LUT3D inBitDepth="32f" outBitDepth="32f"><Array dim="2 2 2 3">'
    + "\n".join(f"{r} {g} {b}" for r in (0, 1) for g in (0, 1) for b in (0, 1)) + "</Array></LUT3D>",
    '<ASC_CDL inBitDepth="32f" outBitDepth="32f" style="Fwd"><SOPNode><Slope>1 1 1</Slope><Offset>0 0 0</Offset>'
    "<Power>1 1 1</Power></SOPNode><SatNode><Saturation>1</Saturation></SatNode></ASC_CDL>",
)  # fmt: skip
_CLF = '<?xml version="1.0" encoding="UTF-8"?>\n<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="a" compCLFversion="3">\n{}\n</ProcessList>\n'


def forms(folder: Path) -> dict[str, list[bytes]]:
    """Good files by format."""
    found = {
        "cube": [text.encode() for text in _CUBES],
        "clf": [_CLF.format("\n".join(steps)).encode() for steps in (_STEPS, _STEPS[:1], _STEPS[3:])],
        "spi1d": [b"Version 1\nFrom 0.0 1.0\nLength 4\nComponents 1\n{\n0\n0.3\n0.6\n1\n}\n"],
        "spi3d": [("SPILUT 1.0\n3 3\n2 2 2\n" + "".join(
            f"{r} {g} {b} {r} {g} {b}\n" for r in (0, 1) for g in (0, 1) for b in (0, 1))).encode()],
        "exr": _pictures(folder), "parcel": [_parcel(folder)], "list": [_frame_list()],
    }  # fmt: skip
    for suffix in FILMS:
        found[suffix] = [_film(folder / f"film.{suffix}")]
    return found


def _pictures(folder: Path) -> list[bytes]:
    """OpenEXR files of each build: tiled, deep, of several parts, of luminance and chroma, of each compression."""
    pixels = np.random.default_rng(0).random((20, 40, 3)).astype(np.float32)
    made = []
    for name in ("ZIP", "RLE", "PIZ", "PXR24", "B44", "B44A", "DWAA", "DWAB", "NO", "ZIPS"):
        header = {"compression": getattr(OpenEXR, f"{name}_COMPRESSION"), "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, {"RGB": pixels.astype(np.float16)}).write(str(folder / "one.exr"))
        made.append((folder / "one.exr").read_bytes())
    tiles = OpenEXR.TileDescription()
    tiles.xSize = tiles.ySize = 16
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.tiledimage, "tiles": tiles}
    OpenEXR.File(header, {"RGB": pixels}).write(str(folder / "tiled.exr"))
    parts = [OpenEXR.Part({"type": OpenEXR.scanlineimage, "name": name}, {"RGB": pixels}, name) for name in ("a", "b")]
    OpenEXR.File(parts).write(str(folder / "parts.exr"))
    chroma = {"Y": pixels[..., 0], "RY": pixels[..., 1], "BY": pixels[..., 2]}
    OpenEXR.File({"type": OpenEXR.scanlineimage}, chroma).write(str(folder / "chroma.exr"))
    spec = oiio.ImageSpec(8, 4, 4, "float")
    spec.deep, spec.channelnames = True, ("R", "G", "B", "Z")
    data = oiio.DeepData()
    data.init(spec)
    for pixel in range(32):
        data.set_samples(pixel, pixel % 3)
        for sample in range(pixel % 3):
            for channel in range(4):
                data.set_deep_value(pixel, channel, sample, 0.5)
    out = oiio.ImageOutput.create(str(folder / "deep.exr"))
    assert out.open(str(folder / "deep.exr"), spec)
    assert out.write_deep_image(data)
    out.close()
    return [*made, *((folder / f"{name}.exr").read_bytes() for name in ("tiled", "parts", "chroma", "deep"))]


def _film(path: Path) -> bytes:
    codec = {"mp4": "libx264", "mkv": "libvpx-vp9", "avi": "ffv1"}[path.suffix[1:]]
    with av.open(str(path), "w") as film:
        stream: Any = film.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 32, 18, "bgra" if codec == "ffv1" else "yuv420p"
        for grey in (30, 200, 90):
            frame = av.VideoFrame.from_ndarray(np.full((18, 32, 3), grey, np.uint8), "rgb24")
            film.mux(stream.encode(frame.reformat(format=stream.pix_fmt)))
        film.mux(stream.encode(None))
    return path.read_bytes()


def _parcel(folder: Path) -> bytes:
    place = folder / "place.glb"
    place.write_bytes(CASES["plain"][1]().write(folder / "plain.glb").read_bytes())
    parcel, here = parcel_of(
        SequenceSpec(document(place), "shot", "look", 1, 2, folder / "####.png", (32, 18), passes=1)
    )
    assert travelling(place)[0] == "set.glb"
    return json.dumps({**attrs.asdict(parcel), "here": {name: data.hex() for name, data in here.items()}}).encode()


def _frame_list() -> bytes:
    lines = [{"lunar_haze_sequence": "0.1"}, *([f"{frame:04d}.png", "a" * 32, 1000 + frame] for frame in range(1, 9))]
    return ("\n".join(map(json.dumps, lines)) + "\n").encode()


_REFERENCES = (
    '<Reference path="/dev/zero"/>', '<Reference path="../../x.clf" inBitDepth="32f" outBitDepth="32f"/>', "<!ENTITY a SYSTEM 'file:///etc/passwd'>",
    '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;">]>', "&a;&b;", "<x:Reference path='a'/>",
)  # fmt: skip
_COUNTS = (b"0", b"1", b"2", b"-1", b"3", b"129", b"130", b"65536", b"99999999", b"4294967297", b"1e9", b"", b"nan")


#: More than that is only more of the same, and takes its time and memory to make [bytes].
_MOST = 4 << 20


def misformed(kind: str, data: bytes, rng: np.random.Generator) -> bytes:
    """A copy that is wrong in the terms of its own format, in one to four places."""
    for _ in range(int(rng.choice([1, 1, 2, 4]))):
        data = _ONCE[kind](data, rng) if kind in _ONCE else data
    return data[:_MOST]


def _pick(rng: np.random.Generator, among: Any) -> Any:
    return among[int(rng.integers(len(among)))]


def _table(data: bytes, rng: np.random.Generator) -> bytes:
    lines = data.split(b"\n")
    at, how = int(rng.integers(len(lines))), int(rng.integers(7))
    if how == 0:
        words = lines[at].split(b" ")
        words[int(rng.integers(len(words)))] = _pick(rng, _COUNTS)
        lines[at] = b" ".join(words)
    elif how == 1:
        lines.insert(at, _pick(rng, _REFERENCES).encode())
    elif how == 2:
        times = int(_pick(rng, (1, 1, 2, 10, 100, 1000, 1000, 20_000)))
        lines[at:at] = [lines[at]] * min(times, _MOST // (len(lines[at]) + 1))
    elif how == 3:
        lines[at:at] = [_pick(rng, (b"", b" ", b"#", b"\t"))] * int(_pick(rng, (1, 1, 10, 100, 1000, 1000, 50_000)))
    elif how == 4:
        del lines[at]
    elif how == 5:
        lines[at] = lines[at] + b" " * int(_pick(rng, (1, 10, 100, 1000, 50_000))) + _pick(rng, (b"", b"x", b"0"))
    else:
        step = _pick(rng, _STEPS).encode()
        lines.insert(at, step * int(_pick(rng, (1, 1, 30, 30, 3000))))
    return b"\n".join(lines)


def _exr(data: bytes, rng: np.random.Generator) -> bytes:
    """Attributes of the header: their sizes and values, by their names."""
    names = (b"channels", b"compression", b"dataWindow", b"displayWindow", b"lineOrder", b"tiles", b"type", b"chunkCount", b"pixelAspectRatio", b"version", b"maxSamplesPerPixel")  # fmt: skip
    out = bytearray(data)
    at = data.find(_pick(rng, names) + b"\0")
    if at < 0:
        return data
    begin = data.find(b"\0", data.find(b"\0", at) + 1) + 1
    place = begin + int(rng.integers(0, 24))
    value = int(_pick(rng, (0, 1, 2, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000, 100_000, 65_535)))
    out[place : place + 4] = struct.pack("<I", value)
    return bytes(out)


def _box(data: bytes, rng: np.random.Generator) -> bytes:
    """Sizes, rates and counts of a film: numbers of two or four bytes after names that its boxes have; cuts."""
    names = (b"tkhd", b"mdhd", b"mvhd", b"stts", b"stsc", b"stsz", b"stco", b"avc1", b"avcC", b"stsd", b"moov", b"mdat", b"avih", b"strh",
             b"strf", b"idx1", b"movi", b"LIST", b"\xe0", b"\xb0\x81", b"\xba\x81", b"\x23\xe3\x83", b"\x2a\xd7\xb1", b"V_VP9")  # fmt: skip
    if rng.random() < 0.1:
        return data[: int(rng.integers(max(len(data), 1)))]
    at = data.find(_pick(rng, names))
    if at < 0:
        return data
    out = bytearray(data)
    place = at + int(rng.integers(-4, 60))
    width = int(_pick(rng, (1, 2, 4, 8)))
    value = int(_pick(rng, (0, 1, 16_384, 65_535, 1_000_000, 0x7FFFFFFF, 0xFFFFFFFF)))
    out[max(place, 0) : max(place, 0) + width] = value.to_bytes(8, _pick(rng, ("big", "little")))[-width:]
    return bytes(out)


_ONCE = {**dict.fromkeys(TABLES, _table), "exr": _exr, **dict.fromkeys(FILMS, _box)}


def take_form(kind: str, path: Path, folder: Path) -> None:
    """Read a file of these formats as the program does."""
    if kind in TABLES:
        table = read_table(path)
        applied(np.linspace(0, 1, 30, dtype=np.float32).reshape(10, 3), table)
    elif kind in FILMS:
        read_screen(path)
    elif kind == "parcel":
        _take_parcel(path.read_bytes(), folder)
    else:
        _take_list(path, folder)


def _take_parcel(data: bytes, folder: Path) -> None:
    """Unpack what a parcel says in a folder of its own: nothing may lie beside it afterwards."""
    try:
        told = json.loads(data)
        files = tuple((pair[0], pair[1]) for pair in told["files"])
        blobs = {name: bytes.fromhex(text) for name, text in told["here"].items()}
        parcel = Parcel(told["values"], told["text"], files, told["engine"])
    except (ValueError, KeyError, TypeError, AttributeError, IndexError, RecursionError):
        return  # it is not even made
    outer = folder / "outer"
    root = outer / "root"
    root.mkdir(parents=True, exist_ok=True)
    for left in root.iterdir():
        left.rmdir() if left.is_dir() else left.unlink()
    try:
        spec, _place = unpacked(parcel, blobs, root)
        spec.path_of(spec.first).relative_to(root)
    finally:
        beside = [path.name for path in outer.iterdir() if path.name != "root"]
        odd = [path.name for path in root.iterdir() if path.name != "out" and plain_name(path.name) != path.name]
        if beside or odd:
            raise ValueError(f"a parcel wrote {beside or odd}")


def _take_list(path: Path, folder: Path) -> None:
    output = folder / "frames####.png"
    spec = SequenceSpec(document(folder / "none.glb"), "shot", "look", 1, 3, output, (32, 18))
    spec.list_path.write_bytes(path.read_bytes())
    known = FrameList(spec)
    for frame in spec.frames:
        if known.holds(spec.path_of(frame), "x"):
            raise ValueError("a frame that is not there is held")
    known.claim([spec.path_of(1)])
    if not FrameList(spec).knows(spec.path_of(1)):
        raise HazeError("a list that was written cannot be read")
