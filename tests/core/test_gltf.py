"""glTF as the standard has it, each edge case beside what a second reader says."""

import math

import numpy as np
import pytest
import trimesh

from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.document.start import new_document
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.gltf import read_gltf
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Material
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.model import Ball, Beam, Sun
from tests.gltf_cases import CASES, FACES, SQUARE, File, plain, write_case
from tests.places import WHITE, down_at, floor, lit, place_of, quad

#: Read by us after the standard, and otherwise or not at all by the second reader.
BEYOND_THE_SECOND_READER = {
    "fan", "sparse positions", "sparse on nothing", "quantized", "name with percent signs", "instances",
    "moved by weights",
}  # fmt: skip


@pytest.fixture
def read(tmp_path):
    return lambda name, **more: load_place(write_case(name, tmp_path), **more)


@pytest.mark.parametrize("name", [n for n in CASES if n not in BEYOND_THE_SECOND_READER])
def test_triangles_and_extent_are_what_a_second_reader_says(tmp_path, name):
    path = write_case(name, tmp_path)
    ours = load_place(path)
    theirs = trimesh.load_scene(str(path), process=False).to_geometry()
    # Y up to Z up.
    corners = np.asarray(theirs.bounds)[:, [0, 2, 1]] * [1, -1, 1]
    assert len(ours.triangles) == len(theirs.faces)
    np.testing.assert_allclose(ours.bounds, [corners.min(0), corners.max(0)], atol=1e-4)


@pytest.mark.parametrize(("name", "low", "high", "count"), [
    ("fan", (0, 0, 0), (1, 0, 1), 2), ("sparse positions", (0, -5, 0), (1, 0, 1), 2),
    ("sparse on nothing", (0, 0, 0), (2, 0, 2), 2), ("quantized", (0, 0, 0), (1, 0, 1), 2),
    ("name with percent signs", (0, 0, 0), (1, 0, 1), 2), ("instances", (0, 0, 0), (5, 4, 2), 6),
    ("moved by weights", (0, -1, 0), (1, -1, 1), 2),
])  # fmt: skip
def test_what_the_second_reader_leaves_out_is_read_as_the_standard_has_it(read, name, low, high, count):
    place = read(name)
    np.testing.assert_allclose(place.bounds, [low, high], atol=1e-4)
    assert len(place.triangles) == count
    assert not place.notes, "nothing is said where all is read"


@pytest.mark.parametrize(("parent", "own"), [
    ({}, {"rotation": (0.1, 0.5, -0.3, 0.8), "scale": (1.0, 4.0, 0.2), "translation": (3.0, 0.0, 1.0)}),
    ({"scale": (2.0, 0.1, 1.0)}, {"rotation": (0.4, 0.0, 0.2, 0.9)}),
    ({"rotation": (0.0, 0.7, 0.0, 0.7)}, {"scale": (-1.0, 2.0, 1.0)}),
    ({}, {"matrix": (1, 0.5, 0, 0, 0, 1, 0.3, 0, 0.2, 0, 1, 0, 5, 6, 7, 1)}),
    ({"scale": (1e-7,) * 3}, {"rotation": (0.1, 0.5, -0.3, 0.8)}),
    ({}, {"scale": (1.0, 2.0, 0.0)}),
])  # fmt: skip
def test_normals_stay_upright_however_a_node_stands(tmp_path, parent, own):
    """Across the surface they are made for, to the side its triangles face: turned, sheared, mirrored, pressed flat."""
    file = File()
    normal = np.tile(np.array([0, 0, 1], np.float32), (4, 1))
    file.square(NORMAL=file.accessor(normal))
    file.json["nodes"] = [{"children": [1], **parent}, {"name": "square", "mesh": 0, **own}]
    place = load_place(file.write(tmp_path / "square.glb"))
    a, b, c = place.positions[place.triangles[0]].astype(float)
    across = np.cross(b - a, c - a)
    across /= np.linalg.norm(across)
    mirrored = np.prod(own.get("scale", (1.0,))) < 0
    np.testing.assert_allclose(place.normals, np.tile(across, (4, 1)), atol=1e-5)
    assert mirrored == (place.triangles[0].tolist() != FACES[:3].tolist())


@pytest.mark.parametrize(("name", "words"), [
    ("transmission", ("1.5", "thin pane")), ("Basis texture", ("KHR_texture_basisu", "flat colour")),
    ("unlit", ("sign", "lit like a matte surface")), ("two scenes", ("day set", "night set")),
    ("cameras", ("flat", "perspective")), ("points", ("points or lines",)),
    ("baked occlusion and clear coat", ("clear coat", "occlusion")),
])  # fmt: skip
def test_what_is_not_read_is_listed(read, name, words):
    told = " ".join(read(name).notes)
    for word in words:
        assert word in told


@pytest.mark.parametrize(
    "name", ["plain", "blend", "mask", "vertex colours", "texture transform", "WebP", "lights", "Draco"]
)
def test_nothing_false_is_said(read, name):
    assert read(name).notes == ()


def test_texture_transforms_are_laid_on_the_coordinates(read):
    place = read("texture transform")
    # Scaled by (2, 3), turned by 90 degrees against the clock, moved: u' = 3 v + 0.5, v' = -2 u + 0.25.
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], float)
    np.testing.assert_allclose(place.uvs, np.stack([3 * uv[:, 1] + 0.5, -2 * uv[:, 0] + 0.25], 1), atol=1e-6)


def test_the_second_set_of_coordinates_is_used_where_it_is_asked_for(read):
    assert read("second coordinates").uvs.max() == pytest.approx(0.5)


def test_webp_pictures_are_decoded(read):
    place = read("WebP")
    assert place.textures[0].pixels[0, 0].tolist() == [10, 200, 30, 255]


def test_lights_of_the_file_become_sources(read, tmp_path):
    path = write_case("lights", tmp_path)
    document = new_document(path, load_place(path))
    by_name = {s.name: s for s in document.look.sources}
    bulb, spot, sun = by_name["bulb"], by_name["spot"], [s for n, s in by_name.items() if n.startswith("sun")][-1]
    assert isinstance(bulb.shape, Ball)
    assert bulb.shape.position == pytest.approx((1, -3, 2))
    assert (bulb.amount, bulb.unit, bulb.shape.reach_m) == (60.0, "cd", 8.0)
    assert canonical(bulb.shape, bulb.amount, bulb.unit) == pytest.approx(60 * 4 * math.pi, rel=1e-3)
    colour = ACESCG_TO_SRGB @ np.array(by_name["bulb"].gel) / 1.0
    assert colour[1] / colour[0] == pytest.approx(0.5, abs=0.05)
    assert isinstance(spot.shape, Beam)
    inner, outer = spot.shape.half_angles_rad()
    assert (inner, outer) == pytest.approx((0.2, 0.4), abs=0.01)
    assert np.subtract(spot.shape.aim, spot.shape.position) / 4 == pytest.approx((0, 0, -1), abs=1e-6), "it points down"
    assert isinstance(sun.shape, Sun)
    assert sun.shape.towards()[2] == pytest.approx(1.0, abs=1e-3)
    assert (sun.amount, sun.unit) == (50_000.0, "lx")


def test_specular_glossiness_becomes_the_same_reflectance(read):
    m = read("specular and glossiness").materials[0]
    # A dielectric of 4 %: the diffuse colour as it is, roughness one minus glossiness.
    assert m.metallic == pytest.approx(0.0, abs=0.02)
    assert m.roughness == pytest.approx(0.7)
    np.testing.assert_allclose(ACESCG_TO_SRGB @ m.base_colour, (0.5, 0.25, 0.125), rtol=0.02)


def test_any_scene_can_be_asked_for(read):
    assert len(read("two scenes").triangles) == 2
    assert len(read("two scenes", scene="night set").triangles) == 4
    with pytest.raises(PlaceError, match="day set, night set"):
        read("two scenes", scene="noon")


def test_a_blended_surface_keeps_its_matte_part_and_lets_the_rest_by(read):
    """It was drawn as dark glass: what it stops was lost."""
    assert read("blend").materials[0].blend == pytest.approx(0.25)
    sheet = quad([(-1, -1, 1), (1, -1, 1), (1, 1, 1), (-1, 1, 1)])
    gauze = Material("gauze", (1.0, 1.0, 1.0), 0.0, 1.0, blend=0.25)
    black = Material("black", (0.0, 0.0, 0.0), 0.0, 1.0)
    sun, seen = Sun(89.9, 0.0), down_at(0.2, 0.2, 6.0)
    whole = lit(place_of((floor(), black), (sheet, Material("sheet", (1.0, 1.0, 1.0), 0.0, 1.0))), seen, sun, 64)
    partly = lit(place_of((floor(), black), (sheet, gauze)), seen, sun, 256)
    nothing = lit(place_of((floor(), black)), seen, sun, 16)
    expected = 0.25 * whole.surface.mean() + 0.75 * 0.75 * nothing.surface.mean()
    assert partly.surface.mean() == pytest.approx(expected, rel=0.03)
    # The floor under it is lit by what passes.
    below = down_at(0.2, 0.2, 0.9)
    shaded = lit(place_of((floor(), WHITE), (sheet, gauze)), below, sun, 64)
    bare = lit(place_of((floor(), WHITE)), below, sun, 64)
    assert shaded.surface.mean() / bare.surface.mean() == pytest.approx(0.75, rel=0.02)


def test_half_transmission_keeps_half_of_the_matte_surface():
    sheet = quad([(-1, -1, 1), (1, -1, 1), (1, 1, 1), (-1, 1, 1)])
    black = Material("black", (0.0, 0.0, 0.0), 0.0, 1.0)
    whole, half = (
        lit(place_of((floor(), black), (sheet, Material("pane", (1.0, 1.0, 1.0), 0.0, 1.0, clear=clear))),
            down_at(0.2, 0.2, 6.0), Sun(60.0, 0.0), 256).surface.mean()
        for clear in (0.0, 0.5)
    )  # fmt: skip
    # Less what the two faces of the pane mirror.
    assert half / whole == pytest.approx(0.5 * (1 - 0.077), rel=0.05)


def test_vertex_colours_are_laid_on_the_material(read):
    place = read("vertex colours")
    assert place.colours is not None
    np.testing.assert_allclose(srgb_decode(place.colours[:, :3] / 255), [[1, 0, 0]] * 2 + [[0, 0, 1]] * 2, atol=0.01)
    halves = place_of((floor(), WHITE))
    colours = np.full((4, 4), 255, np.uint8)
    colours[:, :3] = (255, 0, 0)
    import attrs

    red = lit(attrs.evolve(halves, colours=colours), down_at(0, 0), Sun(60.0, 0.0), 16).surface.mean((0, 1))
    white = lit(halves, down_at(0, 0), Sun(60.0, 0.0), 16).surface.mean((0, 1))
    wanted = (SRGB_TO_ACESCG @ (1.0, 0.0, 0.0)) / (SRGB_TO_ACESCG @ (1.0, 1.0, 1.0))
    # What the coat reflects has no colour.
    np.testing.assert_allclose(red / white, wanted, atol=0.06)


@pytest.mark.parametrize(("change", "why"), [
    (lambda g: g["meshes"][0]["primitives"][0].update(material=-1), "a material that counts from the end"),
    (lambda g: g["meshes"][0]["primitives"][0].update(material=7), "a material that is not there"),
    (lambda g: g["nodes"][0].update(mesh=-1), "a mesh that counts from the end"),
    (lambda g: g["accessors"][0].update(count=10**9), "a count past the data"),
    (lambda g: g["accessors"][0].update(count=-3), "a count below nothing"),
    (lambda g: g["bufferViews"][0].update(byteOffset=-8), "an offset below nothing"),
    (lambda g: g["nodes"][0].update(scale=[1, None, 1]), "a scale that is no number"),
    (lambda g: g["nodes"][0].update(rotation=["x"] * 4), "a rotation of letters"),
    (lambda g: g["nodes"][0].update(translation=[1, 2]), "a place of two numbers"),
    (lambda g: g.update(scene=5), "a scene that is not there"),
    (lambda g: g.update(nodes=[{"children": [0], "mesh": 0}]), "a node that holds itself is read once"),
])  # fmt: skip
def test_damaged_files_are_refused_in_words(tmp_path, change, why):
    """A material of -1 crashed the render process."""
    file = plain()
    change(file.json)
    path = file.write(tmp_path / "bad.glb")
    if why.endswith("once"):
        assert len(load_place(path).positions) == len(SQUARE)
    else:
        with pytest.raises(PlaceError, match=r"bad\.glb"):
            load_place(path)


# -- skins, and what a file cannot do without ---------------------------------------------------------


def bent(path, joints_shown=True):
    """A square bound to two joints: its upper edge goes with one that stands elsewhere and is turned."""
    file = File()
    joints = np.array([[0, 0, 0, 0], [0, 0, 0, 0], [1, 0, 0, 0], [1, 0, 0, 0]], np.uint8)
    weights = np.tile(np.array([[1.0, 0.0, 0.0, 0.0]], np.float32), (4, 1))
    primitive = file.square()
    primitive["attributes"] |= {"JOINTS_0": file.accessor(joints), "WEIGHTS_0": file.accessor(weights)}
    inverse = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
    # The second joint was one up when the mesh was bound to it.
    inverse[1, 3, 1] = -1.0
    bound = file.view(inverse.astype("<f4").tobytes())
    file.json["accessors"].append({"bufferView": bound, "componentType": 5126, "count": 2, "type": "MAT4"})
    file.json["skins"] = [{"joints": [1, 2], "inverseBindMatrices": len(file.json["accessors"]) - 1}]
    half = math.sqrt(0.5)
    file.json["nodes"] = [
        {"name": "square", "mesh": 0, "skin": 0, "translation": [50, 50, 50]}, {"name": "hip"},
        # A quarter turn about the x axis: what was up comes forward.
        {"name": "head", "translation": [0, 2, 0], "rotation": [half, 0, 0, half]},
    ]  # fmt: skip
    file.json["scenes"][0]["nodes"] = [0, 1, 2] if joints_shown else [0]
    return file.write(path)


def test_a_skinned_mesh_stands_as_its_joints_do(tmp_path):
    place = read_gltf(bent(tmp_path / "bent.glb"))
    # glTF's corners (0 0 0), (1 0 0), (1 1 0), (0 1 0): the upper ones lie on the second joint, two up.
    expected = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 2], [0, 0, 2]], float)
    np.testing.assert_allclose(place.positions, expected, atol=1e-6)
    assert not any("skin" in note for note in place.notes)


def test_joints_that_no_scene_shows_leave_a_mesh_as_it_was_bound(tmp_path):
    place = read_gltf(bent(tmp_path / "bent.glb", joints_shown=False))
    np.testing.assert_allclose(place.positions, [[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]], atol=1e-6)


def test_a_required_extension_that_is_not_known_is_refused_in_words(tmp_path):
    file = File()
    file.square()
    file.json["extensionsRequired"] = ["ACME_wobbly_space"]
    with pytest.raises(PlaceError, match="ACME_wobbly_space"):
        read_gltf(file.write(tmp_path / "a.glb"))
    file.json["extensionsRequired"] = ["KHR_texture_transform", "KHR_materials_unlit"]
    assert len(read_gltf(file.write(tmp_path / "b.glb")).triangles) == 2


def test_a_refractive_index_is_not_told_as_glass(tmp_path):
    file = File()
    file.square(0)
    file.json["materials"] = [{"name": "paint", "extensions": {"KHR_materials_ior": {"ior": 1.4}}}]
    (note,) = [n for n in read_gltf(file.write(tmp_path / "a.glb")).notes if "paint" in n]
    assert "glass" not in note
    assert "1.5" in note
