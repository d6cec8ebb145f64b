"""Dust in real stills: lit by the renderer with the layers, laid on the picture and never on the bare light."""

import attrs
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Dust
from lunar_haze.core.layers.motes import Motes, floating
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.model import Sun
from lunar_haze.service.still import compute, hand_over

pytestmark = pytest.mark.workers
SIZE = (160, 90)


@pytest.fixture(scope="module")
def dusty():
    """The loft with much dust, rendered small: the still, its request, its shot and its look."""
    from tests.conftest import DEMO

    document = load(DEMO)[0]
    shot, look = document.shot_named("Loft"), document.look_named("loft shafts")
    look = attrs.evolve(look, finish=Finish(dust=Dust(60.0, 10_000.0)))
    request = frame_request(1, place_spec(document.place), shot, look, SIZE, 2, live=False)
    return compute(request), request, shot, look


def test_every_layer_lights_the_motes_that_the_lens_may_see(dusty):
    still, request, shot, _look = dusty
    assert request.motes == Motes(60.0, shot.seconds)
    assert np.array_equal(still.motes.motes.at, floating(request.motes, shot.seen_from, SIZE[0] / SIZE[1]).at)
    assert still.motes.light.keys() == {spec.key() for spec in request.layers}
    lit = sum(light.max(1) > 0 for light in still.motes.light.values())
    assert (lit > 0).mean() > 0.3
    sun = still.motes.light[next(spec.key() for spec in request.layers if isinstance(spec.shape, Sun))]
    assert 0.02 < (sun.max(1) > 0.1 * sun.max()).mean() < 0.9, "shafts light some of it"


def test_a_picture_has_the_dust_and_an_exr_bare_light(dusty, tmp_path):
    still, request, shot, look = dusty
    without = attrs.evolve(look, finish=Finish())
    for name, each in (("with", look), ("without", without)):
        for suffix in ("png", "exr"):
            hand_over(still, request, tmp_path / f"{name}.{suffix}", shot, each, False)
    with_dust, bare = (np.asarray(Image.open(tmp_path / f"{n}.png")).astype(int)[..., :3] for n in ("with", "without"))
    brighter = (with_dust - bare).max(-1)
    assert 0.005 < (brighter > 8).mean() < 0.5
    assert (with_dust - bare).min() >= -1, "dust adds light"
    light = [oiio.ImageBuf(str(tmp_path / f"{n}.exr")).get_pixels(oiio.FLOAT) for n in ("with", "without")]
    assert np.array_equal(*light)


def test_a_look_without_dust_asks_for_none(dusty):
    _still, request, shot, look = dusty
    for finish in (Finish(), Finish(dust=Dust(60.0), off=("floating dust",)), Finish(dust=Dust(60.0), muted=True)):
        plain = attrs.evolve(look, finish=finish)
        assert frame_request(1, request.place, shot, plain, SIZE, 2).motes is None
