"""Variations: as unlike as they can be, of the same level, never past what is held."""

import numpy as np
import pytest

from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.variations import _apart, _seen, _smaller, _tried, variations
from tests.core.test_readings import many, share


def show(picture, scale):
    return np.clip(np.maximum(picture * scale, 0) ** (1 / 2.2) * 255, 0, 255).astype(np.uint8)


@pytest.fixture(scope="module")
def shares():
    return Shares(many(8, 11), 0.02)


def seen(shares, moves):
    small = _smaller(shares)
    lights = np.stack([s.light for s in small.sources])
    ids = [s.id for s in shares.sources]
    table = np.array([[dict(m).get(i, 0.0) for i in ids] for m in moves])
    return _seen(lights, table, shares.scale, show)


def least_distance(pictures):
    return min(_apart(pictures[k + 1 :], pictures[k]).min() for k in range(len(pictures) - 1))


def test_nine_lie_at_least_twice_as_far_apart_as_balances_by_chance(shares):
    found = variations(shares, show, 9)
    assert len(found) == 9
    ours = least_distance(seen(shares, [v.moves for v in found]))
    ids = [s.id for s in shares.sources]
    by_chance = []
    for seed in range(12):
        moves = _tried(_smaller(shares), np.ones(8, bool), 100 + seed)[:9]
        by_chance.append(least_distance(seen(shares, [tuple(zip(ids, m)) for m in moves])))
    assert ours >= 2.0 * np.median(by_chance)


def test_the_level_stays(shares):
    before = np.log2(shares.luminance.mean())
    for one in variations(shares, show, 9):
        after = shares.mixed(dict(one.moves))
        assert abs(np.log2(after.luminance).mean() - np.log2(shares.luminance).mean()) < 0.4
        assert abs(np.log2(after.luminance.mean()) - before) < 3.0


def test_held_sources_stay_and_with_all_held_there_is_nothing(shares):
    for one in variations(shares, show, 6, frozenset({"s0", "s3"})):
        assert not {"s0", "s3"} & set(dict(one.moves))
    assert variations(shares, show, 6, frozenset(s.id for s in shares.sources)) == ()


def test_every_one_is_told_in_words_and_another_seed_is_another_sheet(shares):
    found = variations(shares, show, 9)
    assert all(v.words for v in found)
    assert len({v.words for v in found}) > 3
    other = variations(shares, show, 9, seed=5)
    assert [v.moves for v in other] != [v.moves for v in found]
    assert [v.moves for v in variations(shares, show, 9)] == [v.moves for v in found]


def test_black_and_one_source_break_nothing():
    assert variations(Shares((share("a", 0.0),), 1.0), show) == ()
    one = variations(Shares((share("a", 1.0),), 1.0), show)
    assert len(one) <= 1


def test_oklab_of_the_screen_is_black_to_white():
    lab = screen_lab(np.array([[[0, 0, 0], [255, 255, 255]]], np.uint8))
    assert lab[0, 0] == pytest.approx([0, 0, 0], abs=1e-6)
    assert lab[0, 1, 0] == pytest.approx(1.0, abs=2e-3)
