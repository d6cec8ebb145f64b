"""Files that would make the program wait or take memory without end: each ends in a sentence.

What is no ordinary file is not opened; sizes are judged before they are taken. A limit on memory and on time stands
over every case.
"""

import json
import os
import resource
import signal
import struct
import zlib
from pathlib import Path

import pytest

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import read
from lunar_haze.core.errors import HazeError, PlaceError
from lunar_haze.core.place.load import load_place
from lunar_haze.core.sky.panorama import read_panorama
from lunar_haze.core.sources.cutouts import CutOut, pattern
from lunar_haze.core.sources.distribution import read_ies
from lunar_haze.core.units.content import digest_or_none

SPARE = 2 << 30


class _WaitedError(Exception):
    pass


@pytest.fixture(autouse=True)
def _limits():
    """Five seconds and 2 GiB more than there is: whoever waits or takes without end is found out."""

    def waited(_number, _frame):
        raise _WaitedError

    before = signal.signal(signal.SIGALRM, waited)
    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    taken = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (taken + SPARE, hard))
    signal.alarm(5)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)
    resource.setrlimit(resource.RLIMIT_AS, (soft, hard))


def _gltf(folder: Path, **parts) -> Path:
    document = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "materials": [{}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"uri": "a.bin", "byteLength": 36}],
    } | parts  # fmt: skip
    (folder / "a.gltf").write_text(json.dumps(document))
    if not os.path.lexists(folder / "a.bin"):
        (folder / "a.bin").write_bytes(struct.pack("<9f", 0, 0, 0, 1, 0, 0, 0, 1, 0))
    return folder / "a.gltf"


def _png_of(width: int, height: int) -> bytes:
    """The head of a PNG that says how large it is, and next to nothing else."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 1000)) + chunk(b"IEND", b"")


def _planted(path: Path, kind: str) -> Path:
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "/dev/zero":
        path.symlink_to("/dev/zero")
    else:
        path.mkdir()
    return path


ODD = ["fifo", "/dev/zero", "folder"]


@pytest.mark.parametrize("kind", ODD)
@pytest.mark.parametrize(
    ("name", "read_it"),
    [
        ("a.glb", load_place), ("a.gltf", load_place), ("a.obj", load_place), ("a.ply", load_place),
        ("a.exr", read_panorama), ("a.hdr", read_panorama), ("a.png", read_panorama), ("a.jpg", read_panorama),
        ("a.ies", read_ies), ("a.haze", load),
        ("cut.png", lambda path: pattern(CutOut("picture", path=str(path), digest="x"))),
    ],
)  # fmt: skip
def test_what_is_no_ordinary_file_is_told_and_not_waited_for(tmp_path, kind, name, read_it):
    path = _planted(tmp_path / name, kind)
    with pytest.raises(HazeError) as told:
        read_it(path)
    assert len(str(told.value)) > 10
    assert digest_or_none(path) == ""


@pytest.mark.parametrize("kind", ODD)
def test_a_journal_that_is_no_ordinary_file_is_set_aside(tmp_path, kind):
    found, note = read(_planted(tmp_path / ".a.haze.autosave", kind))
    assert found is None
    assert "damaged" in note


@pytest.mark.parametrize("kind", ODD)
def test_a_buffer_that_is_no_ordinary_file(tmp_path, kind):
    _planted(tmp_path / "a.bin", kind)
    with pytest.raises(HazeError, match=r"a\.bin"):
        load_place(_gltf(tmp_path))


@pytest.mark.parametrize(
    "uri", ["../../secret.bin", "%2e%2e/%2e%2e/secret.bin", "/etc/hostname", "file:///etc/hostname"]
)
def test_a_buffer_outside_the_folder_of_the_set_is_not_read(tmp_path, uri):
    """A document from elsewhere read ``../../etc/shadow`` as a buffer."""
    folder = tmp_path / "one" / "two"
    folder.mkdir(parents=True)
    (tmp_path / "secret.bin").write_bytes(b"\0" * 36)
    with pytest.raises(PlaceError, match="outside the folder"):
        load_place(_gltf(folder, buffers=[{"uri": uri, "byteLength": 36}]))


@pytest.mark.parametrize("kind", ODD)
def test_a_texture_that_is_no_ordinary_file_costs_itself_only(tmp_path, kind):
    _planted(tmp_path / "t.png", kind)
    place = load_place(_gltf(
        tmp_path, images=[{"uri": "t.png"}], textures=[{"source": 0}],
        materials=[{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    ))  # fmt: skip
    assert any("t.png" in note for note in place.notes)


@pytest.mark.parametrize("kind", ODD)
@pytest.mark.parametrize("which", ["a.mtl", "t.png"])
def test_a_material_file_and_its_picture(tmp_path, kind, which):
    (tmp_path / "a.obj").write_text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nusemtl m\nf 1 2 3\n")
    if which == "t.png":
        (tmp_path / "a.mtl").write_text("newmtl m\nmap_Kd t.png\n")
    _planted(tmp_path / which, kind)
    with pytest.raises(HazeError, match=which.replace(".", r"\.")):
        load_place(tmp_path / "a.obj")


@pytest.mark.parametrize("size", [(30_000, 30_000), (2**31 - 1, 2**31 - 1), (60_000, 60_000)])
def test_pictures_far_larger_than_their_files(tmp_path, size):
    picture = tmp_path / "t.png"
    picture.write_bytes(_png_of(*size))
    place = load_place(_gltf(
        tmp_path, images=[{"uri": "t.png"}], textures=[{"source": 0}],
        materials=[{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    ))  # fmt: skip
    assert any("t.png" in note for note in place.notes)
    for read_it in (read_panorama, lambda path: pattern(CutOut("picture", path=str(path), digest=str(size)))):
        with pytest.raises(HazeError):
            read_it(picture)
    (tmp_path / "a.obj").write_text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nusemtl m\nf 1/1 2/1 3/1\n")
    (tmp_path / "a.mtl").write_text("newmtl m\nmap_Kd t.png\n")
    assert any("t.png" in note for note in load_place(tmp_path / "a.obj").notes)


@pytest.mark.parametrize(
    "accessor",
    [
        {"componentType": 5126, "count": 10**8, "type": "VEC3"},
        {"componentType": 5126, "count": 10**15, "type": "VEC3"},
        {"bufferView": 0, "componentType": 5126, "count": 10**8, "type": "VEC3"},
    ],
)
def test_counts_that_no_file_holds(tmp_path, accessor):
    with pytest.raises(HazeError):
        load_place(_gltf(tmp_path, accessors=[accessor]))


@pytest.mark.parametrize(
    ("header", "body"),
    [("element vertex 2000000000", "0 0 0\n"), ("element vertex 99999999999999999999", "0 0 0\n")],
)
def test_a_ply_that_promises_too_much(tmp_path, header, body):
    text = f"ply\nformat ascii 1.0\n{header}\nproperty float x\nproperty float y\nproperty float z\nend_header\n{body}"
    (tmp_path / "a.ply").write_text(text)
    binary = text.replace("ascii", "binary_little_endian")
    (tmp_path / "b.ply").write_text(binary)
    for name in ("a.ply", "b.ply"):
        with pytest.raises(HazeError):
            load_place(tmp_path / name)


@pytest.mark.parametrize(
    ("where", "what"),
    [("banks", 100_000), ("sources", 20_000), ("cards", 100_000), ("looks", 1_200)],
)
def test_documents_of_too_many_things_say_so(demo, tmp_path, where, what):
    path = tmp_path / "a.haze"
    document = load(demo)[0]
    save(document, path)
    data = json.loads(path.read_text())
    look = next(k for k in data["looks"] if k["medium"]["banks"] or where != "banks")
    if where == "looks":
        # Small ones: a look of the demo is a hundred lines.
        data["looks"] = [data["looks"][0] | {"sources": [], "cards": []}] * what
    elif where == "banks":
        look["medium"]["banks"] = look["medium"]["banks"][:1] * what
    else:
        look = next(k for k in data["looks"] if k[where])
        look[where] = look[where][:1] * what
    path.write_text(json.dumps(data))
    signal.alarm(5)  # to write so much takes seconds of its own
    loaded, notes = load(path)
    # What is too much is kept aside and told; the rest is there.
    assert any("too many" in note for note in notes)
    assert len(loaded.looks) <= max(len(document.looks), 1000)


@pytest.mark.parametrize("frame", [(10**9, 10**9), (40_000, 40_000), (-5, 10), (0, 0)])
def test_a_shot_s_frame_is_judged_where_it_enters(demo, tmp_path, frame):
    path = tmp_path / "a.haze"
    save(load(demo)[0], path)
    data = json.loads(path.read_text())
    data["shots"][0]["frame_width"], data["shots"][0]["frame_height"] = frame
    path.write_text(json.dumps(data))
    loaded, notes = load(path)
    shot = loaded.shots[0]
    assert shot.name == data["shots"][0]["name"]
    assert all(16 <= size <= 16384 for size in (shot.frame_width, shot.frame_height))
    assert any("frame_width" in note for note in notes)
