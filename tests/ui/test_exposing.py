"""E exposes for what is lit, says so, and stays when pressed again; work light shows a dark set and is no part of it."""

import attrs
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits, lists
from lunar_haze.core.document.exposure import hour_ev100
from lunar_haze.core.picture.readings import stops_of
from lunar_haze.core.readings.own_exposure import BROUGHT_TO, HIGH, LOW, MOST, own_stops
from lunar_haze.core.sources.presets import make_source
from lunar_haze.ui.picture.work_light import lit_plainly
from tests.ui.hands import choose, ctrl, key, source, undo


@pytest.fixture
def said(window):
    told = []
    window.session.said.connect(lambda text, bad: told.append((text, bad)))
    return told


def _ev(window):
    return window.session.document.look.ev100


@pytest.mark.parametrize("start", [-8.0, 3.0, 16.0])
def test_e_puts_what_is_lit_on_grey_and_pressed_again_changes_nothing(window, said, start):
    window.session.act("expose", edits.change_look(window.session.document, ev100=start, stops=1.0))
    window.picture.setFocus()
    key(window, Qt.Key.Key_E)
    shown = window.bridge.shown
    assert float(np.median(stops_of(shown.picture, shown.exposure()))) == pytest.approx(0.0, abs=0.5)
    first, steps = _ev(window), len(window.session.history.labels)
    assert "mid grey at EV" in said[-1][0]
    key(window, Qt.Key.Key_E, Qt.Key.Key_E)
    assert _ev(window) == first
    assert len(window.session.history.labels) == steps
    assert "stays" in said[-1][0]
    ctrl(window, Qt.Key.Key_Z)
    assert _ev(window) == start


def test_a_black_set_is_not_metered_and_the_reason_is_said(window, qtbot, said):
    session = window.session
    session.act("black", edits.start_from_black(session.document))
    qtbot.waitUntil(lambda: not window.bridge.shown.picture.any(), timeout=5000)
    before = _ev(window)
    key(window, Qt.Key.Key_E)
    assert _ev(window) == before
    assert said[-1][1]
    assert "every source is muted" in said[-1][0]
    session.act("empty", lists.add_empty_look(session.document, "nothing"))
    QApplication.processEvents()
    key(window, Qt.Key.Key_E)
    assert "add a source first" in said[-1][0]
    assert _ev(window) == hour_ev100(session.document.look, session.document.place.site)


def test_work_light_is_seen_and_nothing_else_changes(window, qtbot):
    window.picture.setFocus()
    light = window.bridge.shown.picture.copy()
    requests, steps = len(window.bridge.backend.requests), len(window.session.history.labels)
    before = window.picture.grab().toImage()
    key(window, Qt.Key.Key_I)
    with_it = window.picture.grab().toImage()
    assert with_it != before
    frame = window.picture.frame()
    floor = with_it.pixelColor(int(frame.center().x()), int(frame.top() + frame.height() * 0.7))
    assert floor.red() == floor.green() == floor.blue() > 60
    # What is measured, kept and asked for is as it was.
    assert np.array_equal(window.bridge.shown.picture, light)
    assert len(window.bridge.backend.requests) == requests
    assert len(window.session.history.labels) == steps
    key(window, Qt.Key.Key_I)
    assert window.picture.grab().toImage() == before
    key(window, Qt.Key.Key_I)
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert not window.picture.work_light.on


def test_work_light_follows_what_surfaces_reflect_and_where_they_face(window):
    place = window.session.place
    white = int(np.argmax([sum(m.base_colour) for m in place.materials]))
    ground = np.array([[[0.0, 0.0, 1.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]], np.float32)
    towards = np.tile([0.0, 0.0, -1.0], (1, 3, 1))
    grey = lit_plainly(place, ground, np.array([[white, white, -1]], np.int32), towards)[0]
    assert grey[0] > grey[1] > grey[2] > 0


@pytest.mark.parametrize("over", [-20.0, -9.0, -4.0, LOW + 0.1, 0.0, HIGH - 0.1, 6.0, 12.0])
def test_a_share_too_dark_or_too_bright_to_be_seen_has_an_exposure_of_its_own(over):
    light = np.full((20, 30, 3), 0.18 * 2.0**over, np.float32)
    stops = own_stops(light, 1.0)
    if over < BROUGHT_TO - MOST:
        assert stops is None
    elif LOW <= over <= HIGH:
        assert stops == 0
    else:
        assert over + stops == pytest.approx(BROUGHT_TO, abs=0.5)
    assert own_stops(np.zeros((4, 4, 3), np.float32), 1.0) is None


def test_a_copy_of_a_lamp_that_aims_at_the_subject_aims_at_it_too(window):
    session = window.session
    for aims in (True, False):
        lamp = attrs.evolve(
            make_source("beam", f"lamp {aims}", f"lamp {aims}", (-18.0, 0.0, 3.0), (-20.0, 0.0, 1.5)),
            aims_at_subject=aims,
        )
        session.act("add", edits.add_source(session.document, lamp))
        session.choose(lamp.id)
        window.picture.setFocus()
        ctrl(window, Qt.Key.Key_D)
        copy = source(window, session.chosen)
        assert copy.id != lamp.id
        assert copy.shape.position != lamp.shape.position
        assert (copy.shape.aim == lamp.shape.aim) == aims


def test_what_was_saved_is_one_act_away_and_that_act_can_be_undone(window):
    session = window.session
    saved = session.document
    session.act("expose", edits.change_look(saved, ev100=1.25))
    changed = session.document
    window.header.menu.popup(window.mapToGlobal(window.rect().center()))
    choose(window.header.menu, "&file", "revert to saved")
    assert session.document.look.ev100 == saved.look.ev100
    undo(window)
    assert session.document.look == changed.look
