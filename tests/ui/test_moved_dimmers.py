"""What a hand moves is laid on the denoised picture, and its glow with it."""

import numpy as np
import pytest

from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Glow, Halation
from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.ui.picture.live_mix import LiveMix

HEIGHT, WIDTH, TAN = 420, 96, 0.5
FINISHES = (Finish(Glow(0.3)), Finish(Glow(0.1), halation=Halation(0.3)))


def gains(*stops, air=0.0):
    return tuple(LayerGain(f"k{n}", (2.0**s,) * 3, (2.0 ** (s + air),) * 3) for n, s in enumerate(stops))


@pytest.fixture
def live():
    rng = np.random.default_rng(5)
    pictures = rng.random((3, 2, HEIGHT, WIDTH, 3), dtype=np.float32)
    pictures[:, 0, 200:204, 40:44] = 900.0
    images = [LayerImage(f"k{n}", 8, surface, air) for n, (surface, air) in enumerate(pictures)]
    made = LiveMix()
    made.set_layers(images, {i.key for i in images})
    made.set_clean(sum(i.surface + i.air for i in images), gains(0.0, 0.0, 0.0), 8)
    return made


def summed(live, told):
    return sum(live.images[g.key].surface * g.surface[0] + live.images[g.key].air * g.air[0] for g in told)


@pytest.mark.parametrize("finish", FINISHES)
def test_a_moved_dimmer_has_the_glow_of_its_picture(live, finish):
    scatter = layer_scatter(finish, HEIGHT)
    for told in (gains(0.0, 0.0, 0.0), gains(0.0, -3.0, 0.0), gains(0.0, -5.0, 0.0), gains(1.0, -5.0, 0.0, air=-1.0)):
        mixed, passes = live.picture(told, scatter)
        assert passes == 8
        np.testing.assert_allclose(mixed.light, summed(live, told), rtol=1e-4, atol=1e-3)
        np.testing.assert_allclose(mixed.scattered, scatter(mixed.light), atol=1e-4 * mixed.light.max())


def test_a_picture_stays_until_the_call_after_the_next(live):
    scatter = layer_scatter(FINISHES[0], HEIGHT)
    first, _ = live.picture(gains(0.0, -3.0, 0.0), scatter)
    kept = first.light.copy(), first.scattered.copy()
    live.picture(gains(0.0, -4.0, 0.0), scatter)
    np.testing.assert_array_equal(first.light, kept[0])
    np.testing.assert_array_equal(first.scattered, kept[1])


@pytest.mark.parametrize("change", ["layers", "clean", "size of the glow"])
def test_what_is_scattered_is_that_of_the_present_light(live, change):
    scatter = layer_scatter(FINISHES[0], HEIGHT)
    live.picture(gains(0.0, -3.0, 0.0), scatter)
    if change == "layers":
        images = [LayerImage(i.key, 16, 2.0 * i.surface, i.air) for i in live.images.values()]
        live.set_layers(images, {i.key for i in images})
    elif change == "clean":
        live.set_clean(3.0 * sum(i.surface + i.air for i in live.images.values()), gains(0.0, 0.0, 0.0), 16)
    else:
        scatter = layer_scatter(Finish(Glow(0.3, 4.0)), HEIGHT)
    mixed, _ = live.picture(gains(0.0, -3.0, 0.0), scatter)
    np.testing.assert_allclose(mixed.scattered, scatter(mixed.light), atol=1e-4 * mixed.light.max())


def test_the_screen_shows_it_as_if_it_had_been_scattered_whole(live):
    finish = FINISHES[0]
    mixed, _ = live.picture(gains(0.0, -3.0, 0.0), layer_scatter(finish, HEIGHT))
    shown = Finisher()
    parts = shown.show(mixed.light, finish, 0.3, TAN, dither=False, scattered=mixed.scattered)
    whole = shown.show(mixed.light, finish, 0.3, TAN, dither=False)
    assert np.abs(parts.astype(int) - whole).max() <= 1
    assert np.abs(parts.astype(int) - shown.show(mixed.light, Finish(), 0.3, TAN, dither=False)).max() > 10


def test_layers_that_are_missing_are_no_picture_of_the_clean_one(live):
    told = (*gains(0.0, 0.0, 0.0), LayerGain("new", (1.0,) * 3, (1.0,) * 3))
    mixed, passes = live.picture(told, layer_scatter(FINISHES[0], HEIGHT))
    assert (passes, mixed.scattered) == (0, None)


def test_light_whose_layer_is_not_at_hand_yet_stays_as_it_is(live):
    """A new hour's small picture comes before its layers: who moved the sun's dimmer then saw all but lamps go dark."""
    whole = live.picture(gains(0.0, 0.0, 0.0))[0].light.copy()
    moved = live.picture(gains(0.0, -1.0, 0.0))[0].light.copy()
    live.set_layers([image for key, image in live.images.items() if key != "k2"], {"k0", "k1", "k2"})
    for told, wanted in ((gains(0.0, 0.0, -2.0), whole), (gains(0.0, -1.0, -2.0), moved)):
        mixed, passes = live.picture(told)
        np.testing.assert_allclose(mixed.light, wanted, rtol=1e-5)
        assert passes == 0, "it is told to be a stand-in"


def test_light_that_is_taken_away_goes_though_its_layer_is_gone(live):
    live.set_layers([image for key, image in live.images.items() if key != "k2"], {"k0", "k1"})
    mixed, passes = live.picture(gains(0.0, 0.0))
    np.testing.assert_allclose(mixed.light, summed(live, gains(0.0, 0.0)), rtol=1e-5)
    assert passes == 8
