"""Lamps arrive at their role's ratio to the key that is there; without one they are it, at mid grey."""

import math

import attrs
import numpy as np
import pytest

from lunar_haze.core.document.files import load
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.readings.ratios import groups
from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.solve.arriving import RATIOS, SEEN_FROM_STOPS, arriving, grey_lx, key_there, reflectance_of
from lunar_haze.core.solve.delivered import delivered_at
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.subject import around, subject_of, toward_lens
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.core.sources.presets import PRESETS, make_source
from tests.conftest import DEMO


@pytest.fixture(scope="module")
def scene():
    """The place, a shot with a subject, a look without light, and its rays."""
    document, _notes = load(DEMO)
    place = load_place(DEMO.with_suffix(".glb"))
    shot = document.shot_named("Waiting")
    look = attrs.evolve(document.look, sources=(), ev100=5.0, stops=0.0)
    return place, shot, look, RayIndex(place)


def _by_subject(scene, preset, metres):
    place, shot, _look, _index = scene
    subject = subject_of(place, shot)
    at = subject.centre + metres * around(toward_lens(subject, shot), 30.0, 25.0)
    return make_source(preset, "new", preset, as_vec(at), as_vec(subject.centre))


@pytest.mark.parametrize("preset", sorted(PRESETS))
@pytest.mark.parametrize("ev100", [-4.0, 5.0, 15.0])
def test_in_the_dark_a_lamp_arrives_as_the_key_at_mid_grey(scene, preset, ev100):
    place, shot, look, index = scene
    look = attrs.evolve(look, ev100=ev100)
    arrived = arriving(_by_subject(scene, preset, 2.5), place, shot, look, index).source
    assert arrived.role == "key"
    subject = subject_of(place, shot)
    given = delivered_at(arrived, look, subject.centre, index, subject.radius_m)
    # Two figures of an amount are within 5 per cent.
    assert given == pytest.approx(grey_lx(look, reflectance_of(place, shot.subject)), rel=0.055)
    assert float(f"{arrived.amount:.2g}") == arrived.amount


@pytest.mark.parametrize(("role", "ratio"), sorted(RATIOS.items()))
def test_beside_a_key_a_role_decides_the_ratio(scene, role, ratio):
    place, shot, look, index = scene
    key = attrs.evolve(
        arriving(_by_subject(scene, "disc", 4.0), place, shot, look, index).source, id="key", name="big lamp"
    )
    look = attrs.evolve(look, sources=(key,))
    found = arriving(attrs.evolve(_by_subject(scene, "ball", 1.7), role=role), place, shot, look, index)
    subject = subject_of(place, shot)
    one, other = (delivered_at(s, look, subject.centre, index, subject.radius_m) for s in (found.source, key))
    assert one / other == pytest.approx(ratio, rel=0.06)
    assert "big lamp" in found.sentence
    assert "on the subject" in found.sentence


def test_without_a_role_it_is_a_practical_a_stop_under_the_key(scene):
    place, shot, look, index = scene
    key = arriving(_by_subject(scene, "disc", 4.0), place, shot, look, index).source
    found = arriving(_by_subject(scene, "ball", 1.7), place, shot, attrs.evolve(look, sources=(key,)), index)
    assert found.source.role == "practical"
    assert "1 stop under" in found.sentence


def test_a_key_that_the_exposure_does_not_show_is_none(scene):
    place, shot, look, index = scene
    subject, white = subject_of(place, shot), reflectance_of(place, shot.subject)
    key = arriving(_by_subject(scene, "disc", 4.0), place, shot, look, index).source
    grey = grey_lx(look, white)
    for stops in (-12.0, -2.0, 12.0):
        there = key_there(attrs.evolve(look, sources=(attrs.evolve(key, dimmer_stops=stops),)), subject, index, white)
        is_seen = stops >= SEEN_FROM_STOPS
        assert there.level_lx == pytest.approx(grey * 2.0 ** (stops if is_seen else 0.0), rel=0.055)
        assert (there.source is not None) == is_seen


def test_what_the_picture_shows_comes_before_what_is_reckoned(scene):
    """A key from over the head gives a face little, whatever it gives what faces it."""
    place, shot, look, index = scene
    white = reflectance_of(place, shot.subject)
    light = np.zeros((9, 16, 3), np.float32)
    mask = np.zeros((9, 16), bool)
    mask[2:7, 5:9] = True
    grey = grey_lx(look, white)
    light[mask] = grey / 4 * white / math.pi
    shares = Shares((Share("top", "top light", "key", light),), 1.0, mask)
    top = Source("top", "top light", Ball((-20.0, 0.0, 9.0)), 1e6, "lm", role="key")
    there = key_there(attrs.evolve(look, sources=(top,)), subject_of(place, shot), index, white, shares)
    assert there.source is top
    assert there.level_lx == pytest.approx(grey / 4, rel=1e-4)


def test_a_lamp_that_lights_nothing_keeps_its_amount(scene):
    place, shot, look, index = scene
    off = attrs.evolve(Source("x", "x", Ball((0.0, 0.0, 3.0)), 800.0, "lm"), dimmer_stops=-math.inf)
    found = arriving(off, place, shot, look, index)
    assert found.source.amount == 800.0
    assert "falls on nothing" in found.sentence


def _shares(*sources):
    light = [
        Share(str(i), str(i), role, np.full((4, 4, 3), level, np.float32)) for i, (role, level) in enumerate(sources)
    ]
    return Shares(tuple(light), 1.0, np.ones((4, 4), bool))


@pytest.mark.parametrize(
    ("sources", "key"),
    [
        ((("fill", 5.0), ("practical", 1.0)), 1),
        ((("fill", 5.0), ("", 0.2), ("rim", 9.0)), 1),
        ((("fill", 5.0), ("background", 9.0)), 0),
        ((("fill", 5.0), ("practical", 0.0)), 0),
        ((("key", 0.1), ("practical", 1.0)), 0),
        ((("practical", 0.5), ("practical", 1.0)), 1),
    ],
)
def test_the_key_is_found_though_nobody_named_it(sources, key):
    shares = _shares(*sources)
    is_key = groups(shares, shares.sums.subject)[0]
    assert list(np.flatnonzero(is_key)) == [key]
