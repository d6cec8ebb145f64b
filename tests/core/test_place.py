import json
import struct

import numpy as np
import pytest
import trimesh
from PIL import Image

from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.gannet_reach.solids import box, ellipsoid, tube
from lunar_haze.core.place.gannet_reach.write import Look, Picture, SetPiece, write_glb
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import scale_remark
from tests.conftest import DEMO

GLB = DEMO.with_suffix(".glb")


@pytest.fixture
def small_glb(tmp_path):
    path = tmp_path / "set.glb"
    red = np.zeros((8, 8, 4), np.uint8) + np.array([200, 30, 30, 255], np.uint8)
    looks = [
        Look("paint", base="red", roughness=0.3), Look("lamp", emissive=(1.0, 0.5, 0.25), strength=3.0),
        Look("pane", (0.8, 0.9, 1.0), transmission=1.0), Look("leaf", base="red", cutout=True, double_sided=True),
    ]  # fmt: skip
    pieces = [
        SetPiece("crate", [("paint", box((0, 0, 0.5), (1, 2, 1)))], [(3, 4, 0.5, 90, 2.0)]),
        SetPiece("bulb", [("lamp", ellipsoid((0, 0, 3), (0.1, 0.1, 0.1)))]),
        SetPiece("window", [("pane", box((5, 0, 1), (0.01, 1, 1)))]),
        SetPiece("bush", [("leaf", box((-5, 0, 1), (1, 1, 1)))]),
    ]
    write_glb(path, pieces, looks, [Picture("red", red, exact=True)], {"main": Camera((1, -9, 2), (1, 0, 2), 50.0)})
    return path


def test_a_glb_comes_in_as_it_was_made(small_glb):
    place = load_place(small_glb)
    assert place.objects == ("crate", "bulb", "window", "bush")
    crate = place.positions[place.triangles[place.object_of == 0]].reshape(-1, 3)
    # Turned by 90 degrees, doubled, put at (3, 4, 0.5): the long side lies along x now.
    np.testing.assert_allclose(crate.min(0), (1, 3, 0.5), atol=1e-4)
    np.testing.assert_allclose(crate.max(0), (5, 5, 2.5), atol=1e-4)
    paint, lamp, pane, leaf = place.materials[:4]
    assert paint.roughness == pytest.approx(0.3)
    assert place.textures[paint.base_texture].is_colour
    assert lamp.glows
    assert lamp.emissive[0] > lamp.emissive[1] > lamp.emissive[2]
    assert pane.clear == 1.0
    assert leaf.alpha_cutoff == 0.5
    assert leaf.double_sided
    (camera,) = place.cameras
    np.testing.assert_allclose(camera.camera.position, (1, -9, 2), atol=1e-5)
    np.testing.assert_allclose(camera.camera.axes()[2], (0, 1, 0), atol=1e-5)
    assert camera.camera.focal_mm == pytest.approx(50.0, rel=1e-4)
    assert place.notes == ()


def test_another_reader_sees_the_same_demo_place():
    place, other = load_place(GLB), trimesh.load_scene(GLB)
    assert 100_000 <= len(place.triangles) <= 300_000
    assert sum(len(other.geometry[n].faces) for _t, n in (other.graph[g] for g in other.graph.nodes_geometry)) == len(
        place.triangles
    )
    low, high = place.bounds
    theirs = other.bounds  # Y up
    np.testing.assert_allclose((low[0], low[2]), (theirs[0][0], theirs[0][1]), atol=1e-3)
    np.testing.assert_allclose((high[0], high[2]), (theirs[1][0], theirs[1][1]), atol=1e-3)


def test_the_demo_place_has_what_the_job_needs():
    place = load_place(GLB)
    assert {c.name for c in place.cameras} == {"Landing", "Waiting", "Loft"}
    assert {"waiting figure", "skiff", "signal mast", "notice board", "ticket hut"} <= set(place.objects)
    materials = {m.name: m for m in place.materials}
    assert materials["reeds"].alpha_cutoff > 0
    assert materials["water"].roughness < 0.1
    assert materials["iron"].metallic == 1.0
    assert materials["window glass"].clear > 0
    assert len(place.glowing_materials()) == 4
    figure = place.positions[place.triangles[place.object_of == place.objects.index("waiting figure")]].reshape(-1, 3)
    assert np.ptp(figure[:, 2]) == pytest.approx(1.75, abs=0.04)
    eyes = place.positions[
        place.triangles[place.material_of == [m.name for m in place.materials].index("eye")]
    ].reshape(-1, 3)
    assert np.ptp(eyes[:, 2]) == pytest.approx(0.025, abs=0.001)
    assert place.notes == ()


@pytest.mark.parametrize(
    "solid",
    [
        box((1, 2, 3), (1, 2, 3)),
        tube([(0, 0, 0), (0, 1, 2), (1, 1, 4)], [0.3, 0.2, 0.1]),
        ellipsoid((0, 0, 0), (1, 2, 3)),
    ],
)
def test_solids_face_outward(solid):
    corners = solid.positions[solid.triangles]
    faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    agreement = (faces * solid.normals[solid.triangles].mean(1)).sum(1)
    assert (agreement > -1e-9).mean() > 0.99
    # A closed surface that faces outward holds a positive volume.
    assert (np.cross(corners[:, 0], corners[:, 1]) * corners[:, 2]).sum() / 6 > 0


@pytest.mark.parametrize("suffix", [".obj", ".ply"])
def test_plain_meshes_come_in(tmp_path, suffix):
    path = tmp_path / f"hut{suffix}"
    trimesh.creation.box((2, 3, 4)).export(path)
    place = load_place(path)
    assert len(place.triangles) == 12
    low, high = place.bounds
    np.testing.assert_allclose(high - low, (2, 3, 4))
    assert place.notes


def test_a_wrong_scale_is_noticed_and_can_be_corrected(small_glb, tmp_path):
    place = load_place(small_glb)
    assert scale_remark(place) is None
    in_centimetres = load_place(small_glb, 1000.0)
    factor, sentence = scale_remark(in_centimetres)
    assert factor == 0.01
    assert " m across" in sentence
    corrected = load_place(small_glb, 1000.0 * factor)
    assert scale_remark(corrected) is None
    np.testing.assert_allclose(corrected.cameras[0].camera.position, np.array((1, -9, 2)) * 10, rtol=1e-6)


def _edited(path, target, change):
    """A copy of a GLB with its JSON changed."""
    data = path.read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    document = json.loads(data[20 : 20 + length])
    binary = bytearray(data[28 + length :])
    change(document, binary)
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    target.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body)
    return target


def _nan_vertex(document, binary):
    view = document["bufferViews"][
        document["accessors"][document["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]["bufferView"]
    ]
    binary[view["byteOffset"] : view["byteOffset"] + 4] = struct.pack("<f", float("nan"))


BAD = {
    "truncated": (lambda p, t: t.write_bytes(p.read_bytes()[: p.stat().st_size // 2]), "cut short"),
    "empty": (lambda p, t: t.write_bytes(b""), "not a binary glTF"),
    "text": (lambda p, t: t.write_text("not a model at all, just words"), "not a binary glTF"),
    "no triangles": (lambda p, t: _edited(p, t, lambda d, b: d.update(meshes=[{"primitives": []} for _ in d["meshes"]])), "no triangles"),
    "nan": (lambda p, t: _edited(p, t, _nan_vertex), "not numbers"),
    "version 1": (lambda p, t: _edited(p, t, lambda d, b: d["asset"].update(version="1.0")), "glTF 2.0"),
    "wild index": (lambda p, t: _edited(p, t, lambda d, b: d["meshes"][0]["primitives"][0].update(material=99)), "damaged"),
    "compressed": (lambda p, t: _edited(p, t, lambda d, b: d.update(extensionsRequired=["EXT_meshopt_compression"])), "compress"),
    "garbled json": (lambda p, t: t.write_bytes(p.read_bytes()[:20] + b"{{{{" + p.read_bytes()[24:]), "damaged"),
}  # fmt: skip


@pytest.mark.parametrize("kind", BAD)
def test_bad_places_are_refused_with_a_sentence(small_glb, tmp_path, kind):
    make, words = BAD[kind]
    target = tmp_path / "bad.glb"
    make(small_glb, target)
    with pytest.raises(PlaceError, match=words):
        load_place(target)


def test_folders_absent_files_and_unknown_kinds_are_refused(tmp_path):
    for path, words in ((tmp_path, "folder"), (tmp_path / "no.glb", "not there"), (tmp_path / "a.xyz", "not read")):
        with pytest.raises(PlaceError, match=words):
            load_place(path)


def test_a_missing_texture_is_named_and_its_flat_colour_used(tmp_path):
    buffer = np.array([[0, 0, 0], [5, 0, 0], [0, 5, 0]], np.float32).tobytes()
    (tmp_path / "set.bin").write_bytes(buffer)
    document = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, "name": "floor"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "materials": [{"name": "m", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "extensions": {"KHR_materials_sheen": {}}}],
        "textures": [{"source": 0}], "images": [{"uri": "gone.png"}], "buffers": [{"uri": "set.bin", "byteLength": 36}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}], "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "animations": [{}],
    }  # fmt: skip
    path = tmp_path / "set.gltf"
    path.write_text(json.dumps(document))
    place = load_place(path)
    assert len(place.triangles) == 1
    told = " ".join(place.notes)
    assert "gone.png" in told
    assert "KHR_materials_sheen" in told
    assert "animation" in told
    Image.new("RGB", (4, 4), (255, 0, 0)).save(tmp_path / "gone.png")
    assert len(load_place(path).textures) == 1


def test_projection_and_rays_are_inverse():
    camera = Camera((1, -9, 2), (3, 4, 1), 28.0)
    rng = np.random.default_rng(0)
    for _ in range(20):
        x, y = rng.random(2) * (640, 360)
        origin, direction = camera.ray(x, y, 640, 360)
        px, py, depth = camera.project(origin + direction * 7.0, 640, 360)
        assert (px, py) == pytest.approx((x, y), abs=1e-6)
        assert depth > 0


def test_orbit_keeps_the_distance_and_dolly_changes_it():
    camera = Camera((1, -9, 2), (3, 4, 1), 28.0)
    distance = np.linalg.norm(np.subtract(camera.position, camera.aim))
    turned = camera.orbited(40.0, 10.0)
    assert np.linalg.norm(np.subtract(turned.position, turned.aim)) == pytest.approx(distance)
    assert np.linalg.norm(np.subtract(camera.dollied(0.5).position, camera.aim)) == pytest.approx(distance / 2)
    np.testing.assert_allclose(camera.aimed_at(3.0).axes(), camera.axes(), atol=1e-12)
