"""Whatever interrupts a pass, a layer's light stays the light of an undisturbed run."""

from pathlib import Path

import numpy as np
import pytest

from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.load import load_place
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.protocol import Balance
from tests.places import WHITE, floor, place_of, quad
from tests.service import interrupted

SCRIPTS = 6


@pytest.fixture(scope="module")
def reference(yard):
    place = PackedPlace(load_place(Path(yard.path)))
    yield interrupted.undisturbed(place)
    place.close()


@pytest.mark.parametrize("seed", range(SCRIPTS))
def test_any_script_ends_in_the_light_of_an_undisturbed_run(yard, reference, tmp_path, seed):
    """Tiles of a pass that was broken off were counted twice (1.4 to 9.8 times too bright)."""
    bench = interrupted.Bench(yard, tmp_path / "layers")
    layers = interrupted.play(bench, seed)
    tile, whole = interrupted.worst(layers, reference, bench)
    assert tile < 5.5
    assert whole < 5.0


def test_a_layer_broken_off_at_every_tile_is_the_layer_of_whole_passes():
    """Forty edits of one lamp leave the light of the others as it was, and finish their passes all the same."""
    place = place_of((floor(), WHITE), (quad([(-3, 2, 0), (1, 2, 0), (1, 2, 2), (-3, 2, 2)]), WHITE))
    view = View(interrupted.CAMERA, *interrupted.SIZE)
    specs = [LayerSpec("t", view, shape, interrupted.MIST, 1) for shape in interrupted.lamps()]
    whole, broken = (Frame(PackedPlace(place), view) for _ in range(2))
    for frame in (whole, broken):
        frame.add_guides(1)
    keys = whole.want(specs)
    for _ in range(24):
        whole.trace(keys)
    rng = np.random.default_rng(3)
    for _ in range(40):
        moved = interrupted.Ball((float(rng.uniform(-2, 2)), 0.0, 1.0), 0.1)
        keys = broken.want([*specs[:2], LayerSpec("t", view, moved, interrupted.MIST, 1)])
        broken.trace([keys[2]], tiles=int(rng.integers(1, 6)))
        broken.trace(keys[:2], tiles=int(rng.integers(1, 6)))
        counts = broken.sums[keys[0]].counts
        assert counts.max() - counts.min() <= 1
    for key in keys[:2]:
        a, b = whole.image(key), broken.image(key)
        assert abs(b.surface.mean() / a.surface.mean() - 1) < 0.01
        tiles = [image.surface[:32, :96].reshape(32, 3, 32, 3).mean((0, 2, 3)) for image in (a, b)]
        np.testing.assert_allclose(tiles[1], tiles[0], rtol=0.12)
    whole.place.close()
    broken.place.close()


def test_levelling_out_keeps_the_mean_of_every_tile():
    place = place_of((floor(), WHITE))
    view = View(interrupted.CAMERA, *interrupted.SIZE)
    frame = Frame(PackedPlace(place), view)
    key = frame.want([LayerSpec("t", view, interrupted.lamps()[0], interrupted.MIST, 1)])[0]
    frame.trace([key])
    frame.trace([key], tiles=4)
    layer, before = frame.sums[key], frame.image(key)
    assert not layer.is_even
    frame.level_out(layer)
    assert layer.is_even
    np.testing.assert_allclose(frame.image(key).surface, before.surface, rtol=1e-6)
    np.testing.assert_allclose(frame.image(key).air, before.air, rtol=1e-6)
    frame.place.close()


def test_gains_of_layers_that_are_not_asked_for_are_no_failure(yard, tmp_path):
    """A look may be balanced before it is asked for: what its gains name beyond the request is left out."""
    bench = interrupted.Bench(yard, tmp_path / "layers")
    request = bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, 12)
    bench.want(request)
    bench.steps(2)
    foreign = LayerGain("of another look", (5.0,) * 3, (5.0,) * 3)
    bench.worker.turn(Balance(1, (*request.gains, foreign), False))
    # A failure that it tells fails the test as well (see `interrupted.Ear`).
    assert bench.finish().keys() == {gain.key for gain in request.gains}
