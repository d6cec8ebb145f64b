"""Painted asks: planted dimmers come back from strokes made of their picture, and what cannot be is said."""

import numpy as np
import pytest

from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.solve.painted import SPAN, Stroke, solve_painted

HEIGHT, WIDTH = 90, 160


def pools(count, seed):
    """Sources that light a pool each and overlap little, and where the pools lie."""
    rng = np.random.default_rng(seed)
    rows, columns = np.mgrid[:HEIGHT, :WIDTH]
    lines = (count + 3) // 4
    radius = min(WIDTH / 4, HEIGHT / lines) / 3.2
    shares, middles = [], []
    for n in range(count):
        x, y = (n % 4 + 0.5) / 4 * WIDTH, (n // 4 + 0.5) / lines * HEIGHT
        level = np.exp(-((columns - x) ** 2 + (rows - y) ** 2) / (2 * radius**2)) + 1e-3
        light = level[..., None] * rng.uniform(0.4, 1.0, 3)
        shares.append(Share(f"s{n}", f"source {n}", "", light.astype(np.float32)))
        middles.append(((columns - x) ** 2 + (rows - y) ** 2 < (0.6 * radius) ** 2).astype(np.float32))
    return Shares(tuple(shares), 0.18), middles


def painted_towards(shares, middles, wanted):
    """Strokes on each pool that say how much brighter or darker it is under other dimmers."""
    change = np.log2(wanted.luminance / shares.luminance)
    strokes = []
    for where in middles:
        by = float(change[where > 0].mean())
        strokes.append(Stroke("brighter" if by > 0 else "darker", where, abs(by)))
    return tuple(strokes)


@pytest.mark.parametrize("count", range(3, 13))
def test_planted_dimmers_come_back(count):
    shares, middles = pools(count, count)
    hidden = np.random.default_rng(100 + count).uniform(-2, 2, count)
    wanted = shares.mixed({f"s{n}": stops for n, stops in enumerate(hidden)})
    found = solve_painted(shares, painted_towards(shares, middles, wanted))
    assert np.abs(found.moves - hidden).max() < 0.2
    assert not found.sentences


def test_a_locked_source_stays_and_the_rest_do_what_they_can():
    shares, middles = pools(4, 1)
    found = solve_painted(shares, (Stroke("brighter", middles[2], 2.0),), frozenset({"s2"}))
    assert found.moves[2] == 0.0
    free = solve_painted(shares, (Stroke("brighter", middles[2], 2.0),))
    assert found.unmet.any(), "no other shines in its middle"
    assert not free.unmet.any()


def test_a_stroke_where_nothing_shines_is_said_so():
    shares, _middles = pools(4, 2)
    corner = np.zeros((HEIGHT, WIDTH), np.float32)
    corner[:30, :50] = 1.0
    dark = Shares(
        tuple(Share(s.id, s.name, "", s.light * (1 - corner[..., None])) for s in shares.sources), shares.scale
    )
    found = solve_painted(dark, (Stroke("brighter", corner),))
    assert "nothing shines" in found.sentences[0]
    assert found.unmet[5:25, 5:45].all()
    assert not found.unmet[60:, 100:].any()


def test_warmer_brings_the_warm_sources_up_and_the_cool_ones_down():
    level = np.ones((HEIGHT, WIDTH, 1), np.float32)
    warm = Share("warm", "warm", "", level * np.array([1.0, 0.7, 0.3], np.float32))
    cool = Share("cool", "cool", "", level * np.array([0.4, 0.7, 1.0], np.float32))
    shares = Shares((warm, cool), 0.18)
    everywhere = np.ones((HEIGHT, WIDTH), np.float32)
    found = solve_painted(shares, (Stroke("warmer", everywhere, 0.5),))
    assert found.moves[0] > 0.1 > -0.1 > found.moves[1]
    light = shares.mixed({"warm": found.moves[0], "cool": found.moves[1]}).picture[0, 0]
    asked = np.log2(1.4 / 1.3) + 0.5
    assert np.log2(light[0] / light[2]) == pytest.approx(asked, abs=0.15)
    back = solve_painted(shares, (Stroke("cooler", everywhere, 0.5),))
    assert back.moves[0] < 0 < back.moves[1]


def test_a_colour_is_painted():
    level = np.ones((HEIGHT, WIDTH, 1), np.float32)
    lights = [Share(c, c, "", level * np.eye(3, dtype=np.float32)[n] * 0.4) for n, c in enumerate("rgb")]
    shares = Shares(tuple(lights), 0.18)
    wanted = np.array([0.8, 0.4, 0.2])
    found = solve_painted(shares, (Stroke("colour", np.ones((HEIGHT, WIDTH), np.float32), 0.0, wanted),))
    light = shares.mixed(dict(zip("rgb", found.moves))).picture[0, 0]
    assert light / light.max() == pytest.approx(wanted / wanted.max(), abs=0.05)


def test_contradictory_strokes_stay_within_reach_and_no_stroke_moves_nothing():
    shares, middles = pools(6, 3)
    assert np.all(solve_painted(shares, ()).moves == 0)
    both = (Stroke("brighter", middles[0], 3.0), Stroke("darker", middles[0] * 0.9, 3.0))
    found = solve_painted(shares, both)
    assert np.abs(found.moves).max() <= SPAN
    assert np.isfinite(found.moves).all()


def test_passes_add_up():
    shares, middles = pools(4, 4)
    once = solve_painted(shares, (Stroke("brighter", middles[1]),)).moves[1]
    twice = solve_painted(shares, (Stroke("brighter", middles[1]), Stroke("brighter", middles[1]))).moves[1]
    assert once == pytest.approx(1.0, abs=0.15)
    assert twice == pytest.approx(2.0, abs=0.2)
