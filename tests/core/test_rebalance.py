"""A denoised picture under other gains: exact where nothing changes, in proportion where all does, without grain."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.rebalance import Rebalance, small_mix

HEIGHT, WIDTH = 60, 96


def gain(key, level, air=None):
    return LayerGain(key, (level,) * 3, (level if air is None else air,) * 3)


@pytest.fixture(scope="module")
def layers():
    """A pool of light on a striped floor, an even dusk, and mist by itself: as clean as can be."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    stripes = np.where((x // 7) % 2 > 0, 0.8, 0.3)[..., None]
    pool = np.exp(-((x - 60) ** 2 + (y - 40) ** 2) / 300.0)[..., None] * stripes * np.array([1.0, 0.7, 0.4])
    dusk = 0.2 * stripes * np.array([0.6, 0.8, 1.2]) + 0.0 * y[..., None]
    mist = (0.1 + 0.2 * y / HEIGHT)[..., None] * np.ones(3)
    return {k: v.astype(np.float32) for k, v in (("pool", pool), ("dusk", dusk), ("mist", mist))}


def small_of(layers):
    small = {k: (block_mean(v, 2), np.zeros_like(block_mean(v, 2))) for k, v in layers.items()}
    return {**small, "mist": (small["mist"][1], small["mist"][0])}


def whole(layers, told):
    return sum(layers[g.key] * np.float32((g.air if g.key == "mist" else g.surface)[0]) for g in told)


def made(layers, before, after):
    small, out = small_of(layers), np.empty((HEIGHT, WIDTH, 3), np.float32)
    Rebalance(whole(layers, before), small_mix(small, before)).to(small_mix(small, after), out)
    return out


START = (gain("pool", 1.0), gain("dusk", 1.0), gain("mist", 1.0))


def test_under_unchanged_gains_it_is_the_clean_picture(layers):
    np.testing.assert_allclose(made(layers, START, START), whole(layers, START), rtol=1e-5)


@given(st.floats(-6.0, 3.0))
def test_all_lights_dimmed_alike_dim_the_picture(layers, stops):
    after = tuple(gain(g.key, 2.0**stops) for g in START)
    np.testing.assert_allclose(made(layers, START, after), whole(layers, START) * 2.0**stops, rtol=2e-3)


@pytest.mark.parametrize("after", [
    (gain("pool", 0.1), *START[1:]), (gain("pool", 8.0), *START[1:]), (*START[:2], gain("mist", 1.0, 0.2)),
    (START[0], gain("dusk", 0.0), gain("mist", 0.0)),
])  # fmt: skip
def test_what_changes_is_as_the_layers_have_it(layers, after):
    found, true = made(layers, START, after), whole(layers, after)
    assert np.abs(found - true).mean() < 0.04 * true.mean()
    assert found.min() >= 0.0


def test_from_black_it_is_the_small_picture(layers):
    dark = tuple(gain(g.key, 0.0) for g in START)
    found, true = made(layers, dark, START), whole(layers, START)
    assert np.isfinite(found).all()
    # Half the size: edges are soft, levels are right.
    assert np.abs(block_mean(found, 6) - block_mean(true, 6)).max() < 0.1 * true.max()


def test_without_the_layer_of_a_light_there_is_no_mix(layers):
    small = small_of(layers)
    del small["dusk"]
    assert small_mix(small, START) is None
    assert small_mix(small, (START[0], gain("dusk", 0.0))) is not None
    assert small_mix({}, ()) is None


def test_no_grain_of_a_layer_comes_up(layers):
    """The clean picture hides a lamp that is lifted thirty times: its noisy layer is never looked at."""
    before, after = (gain("pool", 0.02), *START[1:]), (gain("pool", 0.6), *START[1:])
    found = made(layers, before, after)
    rough = found[1:-1, 1:-1] - 0.25 * (found[:-2, 1:-1] + found[2:, 1:-1] + found[1:-1, :-2] + found[1:-1, 2:])
    true = whole(layers, after)
    real = true[1:-1, 1:-1] - 0.25 * (true[:-2, 1:-1] + true[2:, 1:-1] + true[1:-1, :-2] + true[1:-1, 2:])
    assert rough.std() < 1.15 * real.std()
