"""Settling: planted balances come back, locks and spans hold, what cannot be is named."""

import math

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.readings.ratios import ratios
from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.solve.asks import Ask, AskError, Freedom, parse_ask, parse_freedom
from lunar_haze.core.solve.settle import MET, ByColours, ByDimmers, Row, reach_of, rows_of, settle, solve
from lunar_haze.core.solve.tints import Tint, TintTables, tinted

H, W = 12, 20
ROLES = ("key", "fill", "rim", "", "background", "kicker", "practical", "fill")


def a_look(count, seed):
    rng = np.random.default_rng(seed)
    subject = np.zeros((H, W), bool)
    subject[3:9, 7:13] = True
    sources = []
    for n in range(count):
        light = rng.random((H, W, 1)) * 10.0 ** rng.uniform(-1.5, 1.0) * (rng.random(3) + 0.2)
        sources.append(Share(f"s{n}", f"source {n}", ROLES[n % len(ROLES)], light.astype(np.float32)))
    return Shares(tuple(sources), 0.5, subject)


def asks_met_by(shares):
    """Asks whose values are what a look reads now."""
    found = ratios(shares)
    asks = [Ask("subject", found.subject_stops)]
    if 1e-3 < found.warm < 1 - 1e-3:
        asks.append(Ask("warm", found.warm))
    if found.key_to_fill is not None:
        asks.append(Ask("key to fill", found.key_to_fill))
    if found.rim_to_key is not None:
        asks.append(Ask("rim to key", found.rim_to_key))
    on = float(shares.sums.subject.sum())
    asks.append(Ask("subject level", math.log2(on * shares.scale / 0.18)))
    return tuple(asks)


def moved(shares, moves):
    return shares.mixed({s.id: float(m) for s, m in zip(shares.sources, moves)})


def read_back(shares, asks):
    rows = rows_of(shares, asks)
    return [math.log2(r.over.sum() / (r.under.sum() + r.constant)) - r.target for r in rows]


@pytest.mark.parametrize("count", [2, 3, 8, 32])
def test_what_was_read_at_hidden_dimmers_is_met_from_others(count):
    for seed in range(12):
        rng = np.random.default_rng(1000 + seed)
        shares = a_look(count, seed)
        hidden = moved(shares, rng.uniform(-3, 3, count))
        # With two sources there is only so much that can be asked for.
        asks = asks_met_by(hidden)[: max(1, min(len(asks_met_by(hidden)), count - 1))]
        found = settle(shares, asks)
        assert not found.unmet
        assert np.abs(read_back(moved(shares, found.moves), asks)).max() < MET


def test_nothing_moves_when_all_is_as_asked():
    shares = a_look(6, 1)
    assert np.abs(settle(shares, asks_met_by(shares)).moves).max() < 1e-3


def test_the_change_is_the_smallest_there_is():
    shares = a_look(6, 2)
    asks = (Ask("subject", ratios(shares).subject_stops + 0.5),)
    found = settle(shares, asks).moves
    rng = np.random.default_rng(5)
    problem = ByDimmers(rows_of(shares, asks))
    for _ in range(50):
        other = found + rng.normal(0, 0.3, 6)
        low, high = (np.append(np.clip(other + by, -10, 10), 0.0) for by in (-0.4, 0.4))
        meets = solve(problem, low, high)[:-1]
        if abs(read_back(moved(shares, meets), asks)[0]) < 0.01:
            assert np.linalg.norm(meets) > np.linalg.norm(found) - 0.02


@pytest.mark.parametrize("seed", range(6))
def test_locks_and_spans_are_never_broken(seed):
    shares = a_look(8, seed)
    asks = asks_met_by(moved(shares, np.random.default_rng(seed).uniform(-4, 4, 8)))
    locked = frozenset({"s1", "s4"})
    found = settle(shares, asks, locked, {"s0": (-1.0, 0.5), "s2": (-0.25, 0.25)})
    assert found.moves[1] == found.moves[4] == 0.0
    assert -1.0 - 1e-9 <= found.moves[0] <= 0.5 + 1e-9
    assert -0.25 - 1e-9 <= found.moves[2] <= 0.25 + 1e-9


def test_what_is_impossible_is_named_with_what_stands_in_the_way():
    shares = a_look(3, 3)
    found = settle(shares, (Ask("subject level", 6.0),), frozenset({"s0", "s1", "s2"}))
    assert len(found.unmet) == 1
    assert "is locked" in found.unmet[0]
    assert "stops off" in found.unmet[0]
    assert (found.moves == 0).all()


def test_asks_that_clash_are_named_together():
    shares = a_look(6, 4)
    found = settle(shares, (Ask("warm", 0.6), Ask("subject", 0.0), Ask("warm", 0.3)))
    assert found.unmet
    assert "warm 60%" in found.unmet[0]
    assert "warm 30%" in found.unmet[0]
    assert "subject" not in found.unmet[0]


def coloured(count, seed):
    """A look, and colour temperatures that may move by 60 mired either way."""
    rng = np.random.default_rng(70 + seed)
    plain = a_look(count, seed)
    # Things of many colours: under one lamp some are warm and some are cool.
    things = np.exp2(rng.normal(0, 0.6, (H, W, 3))).astype(np.float32)
    shares = Shares(tuple(attrs.evolve(s, light=s.light * things) for s in plain.sources), 0.5, plain.subject)
    return shares, {s.id: Tint(float(rng.uniform(2600.0, 6500.0)), 60.0, 60.0) for s in shares.sources}


def ends_of(free):
    return np.array([tint.span for tint in free.values()]).T


@pytest.mark.parametrize("seed", range(8))
def test_with_every_dimmer_nearly_held_colour_temperatures_meet_what_is_warm(seed):
    shares, free = coloured(8, seed)
    rng = np.random.default_rng(seed)
    hidden = tinted(shares, {i: (tint, float(rng.uniform(-50, 50))) for i, tint in free.items()})
    asks = (Ask("warm", ratios(hidden).warm),)
    held = {s.id: (-0.15, 0.15) for s in shares.sources}
    found = settle(shares, asks, spans=held, colours=free)
    there = tinted(shares, {s.id: (free[s.id], m) for s, m in zip(shares.sources, found.mireds)})
    assert abs(read_back(moved(there, found.moves), asks)[0]) < MET
    assert not found.unmet
    assert (np.abs(found.moves) <= 0.15 + 1e-9).all()
    assert (np.abs(found.mireds) <= 60.0).all()


def test_colours_stay_where_they_may_not_move_or_need_not():
    shares, free = coloured(6, 1)
    asks = (Ask("warm", 0.5),)
    some = settle(shares, asks, frozenset({"s1"}), colours={i: free[i] for i in ("s0", "s1")})
    assert (some.mireds[1:] == 0).all()
    assert (settle(shares, asks_met_by(shares), colours=free).mireds == 0).all()


def test_sums_of_other_colours_are_read_between_steps_as_they_would_be():
    shares, free = coloured(5, 3)
    tables = TintTables(shares, free, *ends_of(free))
    for mired in (-47.0, -10.0, 0.0, 33.0):
        at, _change = tables.at(np.full(5, mired))
        there = tinted(shares, {i: (tint, mired) for i, tint in free.items()}).sums
        assert at.frame == pytest.approx(there.frame, rel=0.01)
        assert at.subject == pytest.approx(there.subject, rel=0.02)


def test_slopes_are_those_of_what_is_left():
    shares, free = coloured(5, 2)
    asks = (Ask("warm", 0.4), Ask("subject", 0.5), Ask("subject level", 0.0))
    problem = ByColours(shares, asks, TintTables(shares, free, *ends_of(free)))
    x = np.random.default_rng(3).uniform(-0.6, 0.6, 11)
    slopes = problem.slopes(x)
    for k in range(11):
        step = np.zeros(11)
        step[k] = 1e-5
        numeric = (problem.residuals(x + step) - problem.residuals(x - step)) / 2e-5
        assert slopes[:, k] == pytest.approx(numeric, abs=2e-4)


def test_the_exposure_moves_the_level_where_it_may_and_nothing_else():
    shares = a_look(4, 5)
    every = frozenset(s.id for s in shares.sources)
    now = math.log2(float(shares.sums.subject.sum()) * shares.scale / 0.18)
    found = settle(shares, (Ask("subject level", now + 1.5),), every, exposure=(-6.0, 6.0))
    assert found.exposure == pytest.approx(1.5, abs=1e-3)
    assert not found.unmet
    assert settle(shares, (Ask("subject level", now + 1.5),), every).unmet
    assert settle(shares, (Ask("subject", 0.5),), exposure=(-6.0, 6.0)).exposure == 0.0


@pytest.mark.parametrize(
    ("text", "stops", "mired"),
    [("free", None, None), ("", None, None), ("±1 stop", (-1.0, 1.0), None), ("2", (-2.0, 2.0), None),
     ("-2 to +1 stops", (-2.0, 1.0), None), ("0.5 stops, 40 mired", (-0.5, 0.5), (-40.0, 40.0)),
     ("-20..30 mired", None, (-20.0, 30.0))],
)  # fmt: skip
def test_how_far_a_source_may_move_is_typed_and_told(text, stops, mired):
    found = parse_freedom(text)
    assert found == Freedom(stops, mired)
    assert parse_freedom(found.words) == found


@pytest.mark.parametrize("text", ["x", "1 to 2 stops", "99 stops", "1 stop, 2 stops", "400 mired", "1 mile", "--"])
def test_what_is_no_span_is_refused(text):
    with pytest.raises(AskError):
        parse_freedom(text)


@given(st.integers(0, 10_000))
def test_the_reach_of_an_ask_holds_every_balance_and_is_reached(seed):
    rng = np.random.default_rng(seed)
    row = Row(rng.random(5), rng.random(5) + 0.01, 0.0, 0.3)
    low, high = -rng.random(5) * 4, rng.random(5) * 4
    least, most = reach_of(row, np.append(low, 0.0), np.append(high, 0.0))
    for _ in range(40):
        gain = np.exp2(rng.uniform(low, high))
        value = math.log2(row.over @ gain / (row.under @ gain)) - row.target
        assert least - 1e-9 <= value <= most + 1e-9
    corners = np.exp2(np.array(np.meshgrid(*zip(low, high))).reshape(5, -1))
    values = np.log2(row.over @ corners / (row.under @ corners)) - row.target
    assert (least, most) == pytest.approx((values.min(), values.max()))


def test_a_picture_without_what_is_asked_for_says_so():
    shares = Shares(a_look(3, 1).sources, 0.5, None)
    with pytest.raises(AskError, match="no subject"):
        settle(shares, (Ask("subject", 1.0),))
    lone = Shares((Share("a", "a", "key", np.ones((H, W, 3), np.float32)),), 1.0, None)
    with pytest.raises(AskError, match="nothing gives"):
        settle(lone, (Ask("key to fill", 4.0),))


@pytest.mark.parametrize(
    ("kind", "text", "value"),
    [
        ("key to fill", "4:1", 4.0), ("key to fill", " 8 to 2 ", 4.0), ("key to fill", "2.5", 2.5),
        ("rim to key", "1:2", 0.5), ("subject", "-2 stops", -2.0), ("subject", "3 stops under the background", -3.0),
        ("subject", "+1", 1.0), ("subject level", "−1,5 stops", -1.5), ("warm", "60 %", 0.6), ("warm", "warm 60%", 0.6),
        ("warm", "0.25", 0.25), ("warm", "cool 30 %", 0.7), ("share", "50 %", 0.5),
    ],
)  # fmt: skip
def test_asks_are_read_as_a_person_types_them(kind, text, value):
    assert parse_ask(kind, text).value == pytest.approx(value)


@pytest.mark.parametrize("kind", ["key to fill", "rim to key", "subject", "warm", "share"])
@pytest.mark.parametrize("text", ["", "0:0", "-inf", "nan", "abc", "1:0", "4:", ":1", "1e400", "200 %", "--3", "5 5"])
def test_what_is_no_ask_is_refused_in_words(kind, text):
    with pytest.raises(AskError) as refused:
        parse_ask(kind, text)
    assert len(str(refused.value)) > 10
