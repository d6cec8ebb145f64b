"""The mix of many frames in turn: the same light as that of one, whatever was mixed before."""

import numpy as np
import pytest

from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Glow
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
        np.testing.assert_allclose(frames.picture(told).light, mixed(images, told), rtol=2e-5, atol=1e-6)


def test_frames_stand_on_the_clean_picture():
    images, before = layers(), gains()
    clean = mixed(images, before) + rng.normal(0.0, 0.01, (24, 40, 3)).astype(np.float32)
    frames = FrameMix(images, clean, before, True)
    np.testing.assert_allclose(frames.picture(before).light, clean, rtol=1e-4, atol=1e-5)
    after = gains()
    wanted = clean + mixed(images, after) - mixed(images, before)
    np.testing.assert_allclose(frames.picture(after).light, wanted, rtol=1e-4, atol=1e-5)


def test_a_frame_stays_until_the_call_after_the_next():
    frames = FrameMix(layers(), None, (), True)
    first, told = gains(), gains()
    shown = frames.picture(first).light
    kept = shown.copy()
    frames.picture(told)
    np.testing.assert_array_equal(shown, kept)


def test_glow_is_mixed_as_light_is():
    images, before = layers(3, 420, 96), gains(3)
    scatter = layer_scatter(Finish(Glow(0.2, 0.8)), 420)
    clean = mixed(images, before) + rng.normal(0.0, 0.01, (420, 96, 3)).astype(np.float32)
    frames = FrameMix(images, clean, before, True, scatter)
    for _ in range(3):
        told = gains(3)
        light, scattered = frames.picture(told)
        np.testing.assert_allclose(scattered, scatter(light), atol=1e-4 * light.max())


def test_layers_are_together_when_surface_and_air_have_one_gain():
    assert are_together(gains())
    assert not are_together(gains(together=False))
