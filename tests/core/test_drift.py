"""The drift of the air over light of one moment: what it must leave alone, and what it must bring."""

import numpy as np
import pytest
from scipy.ndimage import zoom

from lunar_haze.core.picture.drift import drift, quotient
from lunar_haze.core.units.between import times_grid

SMALL, LARGE = (54, 96), (216, 384)


def scene(seed=4):
    """A small picture with smooth mist, and a large one of the same with fine detail that small ones do not have."""
    random = np.random.default_rng(seed)
    y, x = np.mgrid[0:1:54j, 0:1:96j]
    small = (2.0 + np.sin(5 * x) * np.cos(4 * y))[..., None] * np.array([1.0, 0.8, 0.6])
    detail = random.uniform(0.6, 1.4, (*LARGE, 1))
    return small.astype(np.float32), (zoom(small, (4, 4, 1), order=1) * detail).astype(np.float32)


def laid(then, small, light, *others):
    """Light of a frame with a small picture, and others of it; ``then`` is the small picture and light of the moment."""
    made = [np.empty_like(picture) for picture in (light, *others)]
    for picture, out in zip((light, *others), made, strict=True):
        times_grid(picture, drift(quotient(small, light), quotient(*then)), out)
    return made


def test_air_that_stands_still_changes_nothing():
    small, light = scene()
    (same,) = laid((small, light), small, light)
    np.testing.assert_allclose(same, light, rtol=1e-5)


@pytest.mark.parametrize("times", [0.1, 0.7, 3.0])
def test_what_lamps_do_is_not_taken_for_the_air(times):
    small, light = scene()
    tint = np.array([times, 1.0, 1 / times], np.float32)
    (made,) = laid((small, light), small * tint, light * tint)
    np.testing.assert_allclose(made, light * tint, rtol=2e-3)


def test_the_light_of_a_small_picture_comes_over_the_detail_of_the_large_one():
    small, light = scene()
    x = np.linspace(0.0, 1.0, SMALL[1], dtype=np.float32)
    bank = (1.0 + np.exp(-(((x - 0.4) / 0.15) ** 2)))[None, :, None]
    (made,) = laid((small, light), small * bank, light)
    wanted = light * zoom(np.broadcast_to(bank, (54, 96, 3)), (4, 4, 1), order=1)
    # Smoothly: within a few per cent of the bank itself, and the detail is the large picture's own.
    np.testing.assert_allclose(made, wanted, rtol=0.04)
    fine = made / zoom(small * bank, (4, 4, 1), order=1)
    assert np.corrcoef(fine.ravel(), (light / zoom(small, (4, 4, 1), order=1)).ravel())[0, 1] > 0.99


def test_sizes_need_not_fit_and_dark_corners_stay_dark():
    small, light = scene()
    odd = np.ascontiguousarray(light[:201, :365])
    odd[:80] = 0.0
    dark = small.copy()
    dark[:18] = 0.0
    made, half = laid((dark, odd), dark * np.float32(1.5), odd, np.ascontiguousarray(odd[::2, ::2]))
    assert np.isfinite(made).all()
    assert (made[:80] == 0.0).all()
    assert half.shape == odd[::2, ::2].shape
    np.testing.assert_allclose(made[100:], odd[100:] * 1.5, rtol=0.03)
