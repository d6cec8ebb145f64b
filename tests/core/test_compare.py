"""What differs between two looks, told and ordered; and looks between two."""

import attrs
import pytest

from lunar_haze.core.document import edits
from lunar_haze.core.document.compare import blended, differences
from lunar_haze.core.document.files import load
from lunar_haze.core.layers.model import View
from lunar_haze.core.plan.frames import gains, view_of


@pytest.fixture
def document(demo):
    return attrs.evolve(load(demo)[0], current_look="lamplit wait", current_shot="Waiting")


def changed(look, name, **changes):
    return attrs.evolve(look, sources=tuple(attrs.evolve(s, **changes) if s.name == name else s for s in look.sources))


def told(document, before, after):
    return [d.words for d in differences(document, before, after)]


def test_a_look_differs_in_nothing_from_itself(document):
    assert differences(document, document.look, document.look) == ()


def test_what_a_hand_changed_is_told_with_its_amount_the_most_first(document):
    look = document.look
    other = changed(changed(look, "oil lamp, low", dimmer_stops=2.0), "rim", kelvin=3000.0)
    other = attrs.evolve(other, ev100=look.ev100 - 0.5)
    words = told(document, look, other)
    assert "oil lamp, low: dimmer" in words[0]
    assert "stops" in words[0]
    assert any("rim: colour temperature" in w and "mired" in w for w in words)
    assert any("+0.5 stops of light" in w for w in words)
    assert len(words) == 3


def test_what_is_new_gone_or_muted_is_told(document):
    look = document.look
    fewer = attrs.evolve(look, sources=look.sources[1:])
    assert f"{look.sources[0].name}: is gone" in told(document, look, fewer)
    assert f"{look.sources[0].name}: is new" in told(document, fewer, look)
    assert "rim: muted" in told(document, look, changed(look, "rim", muted=True))


def test_the_ends_of_a_blend_are_its_looks(document):
    look = document.look
    other = attrs.evolve(changed(look, "rim", dimmer_stops=3.0), ev100=2.0)
    assert blended(look, other, 0.0) == look
    assert blended(look, other, 1.0) == other


def test_half_way_dimmers_are_between_in_stops_and_colours_in_mired(document):
    look = changed(document.look, "rim", dimmer_stops=-1.0, kelvin=2000.0)
    other = attrs.evolve(changed(look, "rim", dimmer_stops=3.0, kelvin=6000.0), ev100=look.ev100 + 2.0)
    half = blended(look, other, 0.5)
    rim = next(s for s in half.sources if s.name == "rim")
    assert rim.dimmer_stops == pytest.approx(1.0)
    assert rim.kelvin == pytest.approx(1e6 / ((1e6 / 2000 + 1e6 / 6000) / 2))
    assert half.ev100 == pytest.approx(look.ev100 + 1.0)


def test_what_has_no_between_comes_from_the_nearer(document):
    look = document.look
    other = changed(edits.change_look(document, hour_h=3.0).look, "rim", muted=True)
    assert blended(look, other, 0.4).hour_h == look.hour_h
    assert blended(look, other, 0.6).hour_h == 3.0
    assert [s.muted for s in blended(look, other, 0.4).sources] == [s.muted for s in look.sources]
    assert [s.muted for s in blended(look, other, 0.6).sources] == [s.muted for s in other.sources]


def test_a_blend_of_balances_asks_for_no_ray(document):
    """Its layers are those of both ends."""
    look = document.look
    other = attrs.evolve(changed(look, "rim", dimmer_stops=3.0, kelvin=4000.0), stops=1.0)
    view: View = view_of(document.shot, (96, 54))
    keys = [{g.key for g in gains(k, view, "place")} for k in (look, other, blended(look, other, 0.3))]
    assert keys[0] == keys[1] == keys[2]
