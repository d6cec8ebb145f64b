"""Whole jobs from an empty look, by mouse and keys alone, with what they take counted."""

import math

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog

from lunar_haze.core.solve.watch import seen_by
from lunar_haze.core.sources.array import lamps_of
from lunar_haze.core.sources.model import Sky, Sun
from lunar_haze.ui.base import questions
from tests.ui.acts import CountingHand

#: The loft over the landing, and the one who waits.
LOFT, FIGURE = (2.0, 7.0), (-24.4, 0.14)


@pytest.fixture
def hand(window, qtbot, monkeypatch):
    """In a new look without light."""
    monkeypatch.setattr(questions, "ask", lambda *_a, **_k: "new empty look")
    made = CountingHand(window, qtbot)
    window.picture.setFocus()
    made.key(Qt.Key.Key_T)
    assert not window.session.document.look.sources
    return made


@pytest.fixture
def waiting(hand):
    """At the one who waits."""
    hand.window.header.shots.setFocus()
    hand.key(Qt.Key.Key_W, at=hand.window.header.shots)
    hand.acts.pop()
    hand.window.picture.setFocus()
    assert hand.window.session.document.current_shot == "Waiting"
    hand.window.plan.show_all()
    return hand


def look(hand):
    return hand.window.session.document.look


def chosen(hand):
    return hand.window.session.chosen_source


def hidden(hand, source):
    """Whether the lens sees nothing of a lamp."""
    session = hand.window.session
    shot = session.document.shot
    spots = np.array([lamp.position for lamp in lamps_of(source.shape)])
    return not seen_by(shot.seen_from, shot, spots, session.index()).any()


def hidden_warm_lamp(hand):
    hand.add("sun, moon, sky", "sky")
    for _ in range(12):
        hand.key(Qt.Key.Key_J, at=hand.window.picture)
        if look(hand).hour_h > 20.0:
            break
    hand.add("lamp", "tungsten bulb")
    hand.ground(*LOFT)
    hand.lift(4.6)
    hand.number("level", "400")
    hand.number("radius", "0.15 m")
    hand.window.picture.setFocus()
    hand.key(Qt.Key.Key_E)


def test_a_hidden_warm_lamp_against_a_cool_dusk(hand):
    hidden_warm_lamp(hand)
    sky, lamp = look(hand).sources
    assert isinstance(sky.shape, Sky)
    assert look(hand).hour_h > 19.0
    assert lamp.kelvin < 3000
    assert lamp.amount == 400.0
    assert lamp.shape.radius_m == pytest.approx(0.15)
    assert hidden(hand, lamp)
    hand.told("hidden warm lamp against a cool dusk", 22)


def test_a_figure_with_key_rim_fill_eye_light_and_leaves(waiting, qtbot):
    hand = waiting
    hand.add("lamp", "disc")
    hand.ground(FIGURE[0] + 2.5, FIGURE[1] + 2.5)
    hand.lift(3.2)
    hand.pick("role of the source", "key")
    key = chosen(hand).id
    hand.tick("aims at the subject")
    for role, number in (("rim", Qt.Key.Key_1), ("fill", Qt.Key.Key_2), ("eye light", Qt.Key.Key_3)):
        before = len(look(hand).sources)
        hand.window.picture.setFocus()
        hand.key(number, Qt.KeyboardModifier.ControlModifier)
        qtbot.waitUntil(lambda: hand.window.session.ghost is not None, timeout=20_000)
        hand.key(Qt.Key.Key_Return, at=hand.window.picture)
        assert len(look(hand).sources) == before + 1, role
    hand.add("flag, bounce, cut-out", "a cut-out")
    hand.ground(FIGURE[0] + 1.4, FIGURE[1] + 1.4)
    hand.window.picture.setFocus()
    hand.key(Qt.Key.Key_E)
    roles = {s.role for s in look(hand).sources}
    assert {"key", "rim", "fill"} <= roles
    assert len(look(hand).cards) == 1
    assert look(hand).source(key).aims_at_subject
    hand.told("figure with key, rim, fill, eye light and a leaf cut-out", 34)


def test_a_low_panorama_through_an_opening_with_a_parallel_helper(hand, qtbot, tmp_path, monkeypatch):
    import OpenImageIO as oiio
    from PySide6.QtWidgets import QFileDialog

    picture = np.full((64, 128, 3), 0.2, np.float32)
    picture[10:12, 40:42] = 4000.0
    out = oiio.ImageOutput.create(str(tmp_path / "dusk.exr"))
    out.open(str(tmp_path / "dusk.exr"), oiio.ImageSpec(128, 64, 3, "float"))
    out.write_image(picture)
    out.close()
    hand.add("sun, moon, sky", "sky")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(tmp_path / "dusk.exr"), ""))
    hand.pick("kind of sky", "a photograph")
    hand.number("dimmer", "-4")
    hand.press("take its sun out as a source")
    sun = next(s for s in look(hand).sources if isinstance(s.shape, Sun))
    qtbot.waitUntil(lambda: hand.window.bridge.lens.seen_at(0.5, 0.5) is not None, timeout=10_000)
    hand.picture(0.5, 0.45)
    hand.menu("a beam along the sun through this gap")
    if hand.window.session.ghost is not None:
        hand.key(Qt.Key.Key_Return, at=hand.window.picture)
    assert sun is not None
    assert any(s.shape.dome.path.endswith("dusk.exr") for s in look(hand).sources if isinstance(s.shape, Sky))
    hand.told("low panorama through an opening with a parallel helper", 24)


def test_a_ring_of_warm_and_cool_cards_turned_as_one(waiting, monkeypatch):
    hand = waiting
    window = hand.window
    hand.add("lamp", "rectangle")
    hand.ground(FIGURE[0] + 3.0, FIGURE[1])
    hand.number("colour temperature", "2200")
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_a, **_k: ("ring", True))
    hand.key(Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier, at=window.picture)
    hand.acts.append("the group's name, and Return")
    # A copy stays in the group.
    hand.key(Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier, at=window.picture)
    hand.key(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier, at=window.picture)
    hand.pull("position", FIGURE[0] - 3.0, FIGURE[1])
    hand.number("colour temperature", "9000")
    warm, cool = (s.id for s in look(hand).sources)
    before = [np.array(look(hand).source(lamp).shape.position) for lamp in (warm, cool)]
    middle = np.mean(before, 0)
    hand.turn_group(1)
    after = [np.array(look(hand).source(lamp).shape.position) for lamp in (warm, cool)]
    for a, b in zip(after, before):
        assert np.linalg.norm(a - middle) == pytest.approx(np.linalg.norm(b - middle), rel=1e-3)
        assert np.linalg.norm(a - b) > 1.0
    assert look(hand).source(warm).kelvin < 3000 < 8000 < look(hand).source(cool).kelvin
    hand.told("ring of warm and cool cards turned as one", 16)


def test_one_beam_from_above_in_mist_and_a_weak_fill(waiting, qtbot):
    hand = waiting
    hand.add("lamp", "beam")
    hand.ground(*FIGURE)
    hand.lift(7.0)
    hand.pull("aim", *FIGURE)
    beam = chosen(hand).id
    hand.number("level", "9000")
    hand.key(Qt.Key.Key_S, at=hand.window.picture)
    hand.pick("an air to begin with", "thin mist")
    hand.key(Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier, at=hand.window.picture)
    qtbot.waitUntil(lambda: hand.window.session.ghost is not None, timeout=20_000)
    hand.key(Qt.Key.Key_Return, at=hand.window.picture)
    hand.key(Qt.Key.Key_E, at=hand.window.picture)
    lamp = look(hand).source(beam).shape
    assert lamp.position[2] == pytest.approx(7.0, abs=0.2)
    assert math.dist(lamp.position[:2], lamp.aim[:2]) < 0.5
    assert not look(hand).medium.is_clear
    assert len(look(hand).sources) == 2
    hand.told("one overhead beam in mist on a figure with weak fill", 16)


def test_the_first_job_by_keys_alone(hand, qtbot):
    window = hand.window
    hand.add("sun, moon, sky", "sky")
    while look(hand).hour_h <= 20.0 and len(hand.acts) < 40:
        hand.key(Qt.Key.Key_J, at=window.picture)
    hand.add("lamp", "tungsten bulb")
    hand.key(Qt.Key.Key_Return, at=window.picture)
    lamp = chosen(hand)
    assert lamp is not None
    # Into the plan by Tab, whatever lies between.
    for _ in range(80):
        if QApplication.focusWidget() is window.plan:
            break
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        QApplication.processEvents()
    assert QApplication.focusWidget() is window.plan, "the plan is reached by Tab"
    for _ in range(12):
        hand.key(Qt.Key.Key_PageUp, Qt.KeyboardModifier.NoModifier)
    for _ in range(24):
        hand.key(Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    before, after = lamp.shape.position, look(hand).source(lamp.id).shape.position
    assert after[2] == pytest.approx(before[2] + 3.0)
    assert after[0] == pytest.approx(before[0] - 6.0)
    hand.key(Qt.Key.Key_E, at=window.picture)
    assert look(hand).source(lamp.id).kelvin < 3000
