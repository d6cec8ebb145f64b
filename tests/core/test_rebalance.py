"""A denoised picture under other gains: exact where nothing changes, in proportion where all does, without grain."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.rebalance import Rebalance

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


def parts_of(layers, step):
    """Surface and air of layers, so many times smaller."""
    found = {k: (block_mean(v, step), np.zeros_like(block_mean(v, step))) for k, v in layers.items()}
    return {**found, "mist": found["mist"][::-1]}


def mixed(layers, told):
    return sum(layers[g.key] * np.float32((g.air if g.key == "mist" else g.surface)[0]) for g in told)


def made(layers, before, after, at_full_size=()):
    out = np.empty((HEIGHT, WIDTH, 3), np.float32)
    whole = {k: v for k, v in parts_of(layers, 1).items() if k in at_full_size}
    Rebalance(mixed(layers, before), before, parts_of(layers, 2), whole).to(after, out)
    return out


START = (gain("pool", 1.0), gain("dusk", 1.0), gain("mist", 1.0))


def test_under_unchanged_gains_it_is_the_clean_picture(layers):
    np.testing.assert_allclose(made(layers, START, START), mixed(layers, START), rtol=1e-5)


@given(st.floats(-6.0, 3.0))
def test_all_lights_dimmed_alike_dim_the_picture(layers, stops):
    after = tuple(gain(g.key, 2.0**stops) for g in START)
    np.testing.assert_allclose(made(layers, START, after), mixed(layers, START) * 2.0**stops, rtol=2e-3)


@pytest.mark.parametrize("after", [
    (gain("pool", 0.1), *START[1:]), (gain("pool", 8.0), *START[1:]), (*START[:2], gain("mist", 1.0, 0.2)),
    (START[0], gain("dusk", 0.0), gain("mist", 0.0)),
])  # fmt: skip
def test_what_changes_is_as_the_layers_have_it(layers, after):
    found, true = made(layers, START, after), mixed(layers, after)
    assert np.abs(found - true).mean() < 0.04 * true.mean()
    assert found.min() >= 0.0


def test_from_black_it_is_the_small_picture(layers):
    dark = tuple(gain(g.key, 0.0) for g in START)
    found, true = made(layers, dark, START), mixed(layers, START)
    assert np.isfinite(found).all()
    # Half the size: edges are soft, levels are right.
    assert np.abs(block_mean(found, 6) - block_mean(true, 6)).max() < 0.1 * true.max()


def test_what_was_dark_comes_up_with_its_edges(layers):
    """A layer that is denoised at full size as well is added as it is, from black or beside others that fall."""
    dark = tuple(gain(g.key, 0.0) for g in START)
    np.testing.assert_allclose(made(layers, dark, START, tuple(layers)), mixed(layers, START), rtol=1e-5)
    before, after = (gain("pool", 0.0), *START[1:]), (*START[:1], gain("dusk", 0.5), gain("mist", 0.5))
    # What falls does so in proportion, and dusk and mist fall alike.
    np.testing.assert_allclose(made(layers, before, after, ("pool",)), mixed(layers, after), rtol=2e-3)


def test_it_says_which_layers_it_can_tell_of(layers):
    small = parts_of(layers, 2)
    del small["dusk"]
    balance = Rebalance(mixed(layers, START[:1]), START[:1], small, {})
    assert balance.knows(("pool", "mist"))
    assert not balance.knows(("pool", "dusk"))
    with pytest.raises(KeyError):
        Rebalance(mixed(layers, START), START, small, {})


def test_no_grain_of_a_layer_comes_up(layers):
    """The clean picture hides a lamp that is lifted thirty times: its noisy layer is never looked at."""
    before, after = (gain("pool", 0.02), *START[1:]), (gain("pool", 0.6), *START[1:])
    found = made(layers, before, after)
    rough = found[1:-1, 1:-1] - 0.25 * (found[:-2, 1:-1] + found[2:, 1:-1] + found[1:-1, :-2] + found[1:-1, 2:])
    true = mixed(layers, after)
    real = true[1:-1, 1:-1] - 0.25 * (true[:-2, 1:-1] + true[2:, 1:-1] + true[1:-1, :-2] + true[1:-1, 2:])
    assert rough.std() < 1.15 * real.std()
