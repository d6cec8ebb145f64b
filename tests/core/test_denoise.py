"""The seam to the denoiser: what it leaves, and that it can be given up."""

import time

import numpy as np
import pytest

from lunar_haze.core.transport.denoise import StoppedError, denoise


def _noisy(height: int, width: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(3)
    radiance = rng.gamma(2.0, 0.5e-3, (height, width, 3)).astype(np.float32)
    return radiance, np.full_like(radiance, 0.5), np.zeros_like(radiance) + np.float32([0, 0, 1])


def test_grain_goes_and_the_level_stays_at_night_too():
    radiance, albedo, normal = _noisy(96, 160)
    clean = denoise(radiance, albedo, normal)
    assert clean.std() < 0.25 * radiance.std()
    assert clean.mean() == pytest.approx(radiance.mean(), rel=0.03)
    assert not denoise(np.zeros_like(radiance), albedo, normal).any()


def test_it_is_given_up_at_once_and_works_again_afterwards():
    images = _noisy(540, 960)
    started = time.perf_counter()
    whole = denoise(*images, "balanced")
    took = time.perf_counter() - started
    started = time.perf_counter()
    with pytest.raises(StoppedError):
        denoise(*images, "balanced", lambda: True)
    assert time.perf_counter() - started < 0.5 * took
    assert np.allclose(denoise(*images, "balanced"), whole, rtol=1e-3)
