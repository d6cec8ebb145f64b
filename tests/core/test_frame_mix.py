"""The mix of many frames in turn: the same light as that of one, whatever was mixed before."""

import numpy as np
import pytest

from lunar_haze.core.finish.glow import glowing, live_scatter
from lunar_haze.core.finish.mask_model import Mask, Region
from lunar_haze.core.finish.model import Finish, Glow, Halation
from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.picture.frame_mix import FrameMix, are_together
from lunar_haze.core.picture.mix import Mixer

rng = np.random.default_rng(4)


def layers(count=5, height=24, width=40):
    pictures = rng.random((count, 2, height, width, 3), dtype=np.float32)
    return {f"k{n}": LayerImage(f"k{n}", 8, surface, air) for n, (surface, air) in enumerate(pictures)}


def gains(count=5, together=True):
    told = []
    for n in range(count):
        surface = tuple(rng.uniform(0.0, 2.0, 3).tolist()) if rng.random() > 0.2 else (0.0, 0.0, 0.0)
        told.append(LayerGain(f"k{n}", surface, surface if together else tuple(rng.uniform(0.0, 2.0, 3).tolist())))
    return tuple(told)


def mixed(images, told):
    mixer = Mixer()
    mixer.set_layers(list(images.values()))
    return mixer.picture(told)


@pytest.mark.parametrize("together", [True, False])
def test_every_frame_is_the_mix_of_its_gains(together):
    images = layers()
    frames = FrameMix(images, None, (), together)
    told = gains(together=together)
    for step in range(12):
        if step % 3 == 0:
            told = gains(together=together)
        else:
            # Of most frames few gains are new.
            told = (gains(together=together)[0], *told[1:])
        np.testing.assert_allclose(frames.picture(told), mixed(images, told), rtol=2e-5, atol=1e-6)


def test_frames_stand_on_the_clean_picture():
    images, before = layers(), gains()
    clean = mixed(images, before) + rng.normal(0.0, 0.01, (24, 40, 3)).astype(np.float32)
    frames = FrameMix(images, clean, before, True)
    np.testing.assert_allclose(frames.picture(before), clean, rtol=1e-4, atol=1e-5)
    after = gains()
    wanted = clean + mixed(images, after) - mixed(images, before)
    np.testing.assert_allclose(frames.picture(after), wanted, rtol=1e-4, atol=1e-5)


def test_a_frame_stays_until_the_call_after_the_next():
    frames = FrameMix(layers(), None, (), True)
    first, told = gains(), gains()
    shown = frames.picture(first)
    kept = shown.copy()
    frames.picture(told)
    np.testing.assert_array_equal(shown, kept)


def test_glow_is_mixed_as_light_is():
    images = layers(3, 420, 96)
    finish = Finish(Glow(0.2, 0.8))
    frames = FrameMix(images, None, (), True, live_scatter(finish, 420))
    for _ in range(3):
        told = gains(3)
        wanted = glowing(mixed(images, told), Glow(0.2, 0.8), Halation(), is_quick=True)
        found = frames.picture(told, 0.2)
        assert np.abs(found - wanted).max() < 2e-3 * wanted.max()
        np.testing.assert_allclose(frames.picture(told, 0.0), mixed(images, told), rtol=2e-5, atol=1e-6)


def test_glow_is_left_to_the_finish_where_masks_come_before_it_or_the_picture_is_small():
    assert live_scatter(Finish(), 540) is None
    assert live_scatter(Finish(Glow(0.1)), 240) is None
    mask = Mask("m", "corner", (Region(),), stops=-1.0)
    assert live_scatter(Finish(Glow(0.1), masks=(mask,)), 540) is None
    assert live_scatter(Finish(Glow(0.1), star=1.0), 540) is None
    assert live_scatter(Finish(Glow(0.1), halation=Halation(0.1)), 540) is None
    assert live_scatter(Finish(Glow(0.1), star=1.0, off=("starburst and ghosts",)), 540) is not None
    assert live_scatter(Finish(Glow(0.1)), 540) is not None


def test_layers_are_together_when_surface_and_air_have_one_gain():
    assert are_together(gains())
    assert not are_together(gains(together=False))
