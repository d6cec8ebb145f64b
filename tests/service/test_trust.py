"""Keys that hold what they depend on, and caches that cost speed only."""

import os
import shutil
from pathlib import Path

import attrs
import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.document.edits import add_card, add_source
from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.layers import model as layer_model
from lunar_haze.core.layers.model import LayerImage
from lunar_haze.core.picture.display import bake
from lunar_haze.core.plan.frames import frame_request, gains, view_of
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.model import Ball, Beam, LampArray, Sky, Source
from lunar_haze.service.layer_cache import LayerCache

OBJ = "mtllib yard.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl wall\nf 1/1 2/2 3/3\n"


@pytest.fixture
def document(demo):
    return load(demo)[0]


def keys_of(document, size=(96, 54)):
    spec = place_spec(document.place)
    request = frame_request(1, spec, document.shot, document.look, size)
    return {s.key() for s in request.layers}


def picture(path: Path, grey: int) -> Path:
    Image.fromarray(np.full((16, 16), grey, np.uint8)).save(path)
    return path


@pytest.mark.parametrize("where", ["beam", "array", "card"])
def test_a_cut_out_s_picture_is_part_of_the_key(document, tmp_path, where):
    """Pictures of cut-outs had no digest."""
    path = picture(tmp_path / "leaf.png", 10)
    cut = CutOut("picture", path=str(path))
    if where == "card":
        edited = add_card(document, Card("c", "flag", cutout=cut))
    else:
        shape = Beam((-20.0, 0.0, 3.0), (-21.0, 0.0, 0.0), cutout=cut)
        shape = shape if where == "beam" else LampArray(shape.position, shape.aim, shape)
        edited = add_source(document, Source("b", "beam", shape, 100.0, "lm"))
    before = keys_of(edited)
    assert keys_of(edited) == before
    picture(path, 200)
    assert keys_of(edited) != before


def test_a_panorama_is_looked_at_again(document, tmp_path):
    """A panorama's digest was taken when it was chosen, and never looked at again."""
    path = tmp_path / "sky.png"
    Image.fromarray(np.full((32, 64, 3), 90, np.uint8)).save(path)
    dome = Panorama(str(path), "as it was", "display")
    edited = add_source(document, Source("p", "photo", Sky(dome, follows_hour=False), 100.0, "lx"))
    before = keys_of(edited)
    # Of the same length and the same date: only what it holds is another.
    status = path.stat()
    Image.fromarray(np.full((32, 64, 3), 91, np.uint8)).save(path)
    os.utime(path, ns=(status.st_atime_ns, status.st_mtime_ns))
    assert keys_of(edited) != before


def test_only_files_that_a_place_is_read_from_count(tmp_path):
    """Any file saved beside an .obj made all layers anew, its textures in other folders did not."""
    (tmp_path / "maps").mkdir()
    (tmp_path / "yard.obj").write_text(OBJ)
    (tmp_path / "yard.mtl").write_text("newmtl wall\nKd 1 1 1\nmap_Kd maps/wall.png\n")
    picture(tmp_path / "maps" / "wall.png", 100)
    reference = PlaceRef(str(tmp_path / "yard.obj"))
    before = place_spec(reference)
    (tmp_path / "yard.haze").write_text("a document beside it")
    assert place_spec(reference) == before
    picture(tmp_path / "maps" / "wall.png", 101)
    with_other_texture = place_spec(reference)
    assert with_other_texture != before
    (tmp_path / "yard.mtl").write_text("newmtl wall\nKd 0.5 1 1\nmap_Kd maps/wall.png\n")
    assert place_spec(reference) not in (before, with_other_texture)


def test_layers_of_another_engine_are_not_used(document, monkeypatch):
    """Keys held no engine version."""
    before = keys_of(document)
    monkeypatch.setattr(layer_model, "engine_version", lambda: "another")
    layer_model._key_of.cache_clear()
    assert not keys_of(document) & before
    layer_model._key_of.cache_clear()


def test_an_endless_pixel_spoils_no_other(tmp_path):
    """One infinite pixel made a cached layer NaN all over."""
    surface = np.random.default_rng(1).random((8, 8, 3)).astype(np.float32)
    air = surface * np.float32(0.1)
    surface[3, 4, 1] = np.inf
    cache = LayerCache(tmp_path)
    cache.put(LayerImage("k", 5, surface, air))
    back = cache.get("k")
    good = np.isfinite(surface)
    np.testing.assert_allclose(back.surface[good], surface[good], rtol=2e-5)
    np.testing.assert_allclose(back.air, air, rtol=2e-5)
    assert not np.isnan(back.surface).any()


def test_large_ranges_keep_their_small_values(tmp_path):
    """Beside the sun's disc the night side of a layer was lost in half floats."""
    values = np.geomspace(1e-12, 1e9, 3 * 64).astype(np.float32).reshape(8, 8, 3)
    cache = LayerCache(tmp_path)
    cache.put(LayerImage("k", 1, values, -values))
    back = cache.get("k")
    np.testing.assert_allclose(back.surface, values, rtol=2e-5)
    np.testing.assert_allclose(back.air, -values, rtol=2e-5)


@pytest.mark.parametrize(
    "fault", ["a file in its place", "no such device", "flipped", "cut", "no passes", "not numbers"]
)
def test_a_cache_that_cannot_be_used_costs_speed_only(tmp_path, fault):
    """Never an error, never a wrong layer."""
    folder = tmp_path / "layers"
    image = LayerImage("k", 3, np.ones((4, 4, 3), np.float32), np.ones((4, 4, 3), np.float32))
    cache = LayerCache(folder)
    if fault == "a file in its place":
        folder.write_text("no folder")
    elif fault == "no such device":
        cache = LayerCache(Path("/proc/lunar-haze/none"))
    else:
        cache.put(image)
        path = folder / "k.npz"
        data = bytearray(path.read_bytes())
        if fault == "flipped":
            data[len(data) // 2] ^= 0x40
            path.write_bytes(bytes(data))
        elif fault == "cut":
            path.write_bytes(bytes(data[: len(data) // 2]))
        elif fault == "no passes":
            cache.put(attrs.evolve(image, key="k", passes=0))
            path.unlink()
        else:
            path.unlink()
            cache.put(attrs.evolve(image, surface=np.full((4, 4, 3), np.nan, np.float32)))
    found = cache.get("k")
    # A byte that tells nothing may be any.
    assert found is None or (fault == "flipped" and (found.surface == 1).all() and (found.air == 1).all())
    cache.put(image)
    assert cache.has("k") in (True, False)


@pytest.mark.parametrize("fault", ["a file", "damaged", "another shape"])
def test_a_view_is_baked_wherever_its_folder_is(tmp_path, fault):
    """A cache folder that could not be written ended in an error instead of a picture."""
    folder = tmp_path / "cache"
    if fault == "a file":
        folder.write_text("no folder")
    else:
        bake(folder)
        path = next(folder.iterdir())
        if fault == "damaged":
            path.write_bytes(path.read_bytes()[:-100])
        else:
            np.savez(path, table=np.zeros((2, 2, 2, 3), np.float32))
    table = bake(folder)
    assert table.shape[-1] == 3
    assert np.isfinite(table).all()


def test_a_temporary_name_does_not_follow_a_planted_link(tmp_path):
    """A link under the temporary name sent the data elsewhere."""
    victim = tmp_path / "victim"
    victim.write_text("mine")
    folder = tmp_path / "layers"
    folder.mkdir()
    (folder / f".k.npz.{os.getpid()}.new").symlink_to(victim)
    image = LayerImage("k", 3, np.ones((4, 4, 3), np.float32), np.ones((4, 4, 3), np.float32))
    LayerCache(folder).put(image)
    assert victim.read_text() == "mine"
    assert [p.name for p in folder.iterdir()] == ["k.npz"]


def test_a_photograph_that_is_gone_costs_its_own_source(document):
    """The mix goes on without it."""
    dome = Panorama("/nowhere/sky.exr", "", "linear")
    edited = add_source(document, Source("p", "photo", Sky(dome, follows_hour=False), 1.0, "true"))
    edited = add_source(edited, Source("b", "ball", Ball(), 10.0, "lm"))
    view = view_of(edited.shot, (96, 54))
    assert len(gains(edited.look, view, "k")) == len(edited.look.sources)


@pytest.mark.workers
def test_one_unreadable_cut_out_and_one_renamed_material_cost_those_sources_only(demo, tmp_path):
    """Each ended the whole picture."""
    from lunar_haze.core.plan.frames import problem_sentences
    from lunar_haze.core.sources.model import Surface
    from lunar_haze.service.still import compute

    for name in (demo.name, demo.with_suffix(".glb").name):
        shutil.copy(demo.parent / name, tmp_path / name)
    document = load(tmp_path / demo.name)[0]
    cut = CutOut("picture", path=str(tmp_path / "gone.png"))
    beam = Source("b", "window beam", Beam((-20.0, 0.0, 3.0), (-21.0, 0.0, 0.0), cutout=cut), 100.0, "lm")
    renamed = Source("s", "old neon", Surface("neon of the former export"), 100.0, "cd/m2")
    spoiled = add_card(add_source(add_source(document, beam), renamed), Card("c", "flag", cutout=cut))
    save(spoiled, tmp_path / demo.name)
    spec = place_spec(document.place)

    def still(d):
        request = frame_request(1, spec, d.shot, d.look, (48, 27), 2, denoise=False, live=False)
        return compute(request, cache=tmp_path / "cache"), request

    whole, _ = still(document)
    found, request = still(spoiled)
    said = problem_sentences(spoiled.look, request.view, spec.key, found.problems)
    assert any("window beam" in s and "gone.png" in s for s in said)
    assert any("old neon" in s and "neon of the former export" in s for s in said)
    assert any("a card is left out" in s for s in said)
    assert found.beauty.mean() == pytest.approx(whole.beauty.mean(), rel=0.1)
