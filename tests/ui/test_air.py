"""Where mist lies, under the hand: banks, rooms, patches and the stretch of the view that has any."""

import math

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QPushButton

from lunar_haze.core.air.banks import MOST_BANKS
from lunar_haze.core.air.medium import optical_depth
from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.rows import AIR, CAMERA
from lunar_haze.core.plan.frames import frame_request
from tests.ui.hands import choice, ctrl, pick_in, seen_at, slip_act, type_in


def medium(window):
    return window.session.document.look.medium


def press(window, text):
    next(b for b in window.facets.findChildren(QPushButton) if b.text() == text).click()


def keys_at(window, frame):
    session = window.session
    document = edits.change_shot(session.document, first_frame=1, last_frame=100, frame=frame)
    request = frame_request(1, session.place_spec, document.shot, document.look, (160, 90))
    return [layer.key() for layer in request.layers]


def test_a_bank_is_laid_shaped_and_taken_away(window):
    window.session.choose(AIR)
    press(window, "add a bank")
    assert len(medium(window).banks) == 1
    pick_in(window, "shape of the bank", "box")
    type_in(window, "bank visibility", "12 m")
    type_in(window, "bank high", "150 cm")
    type_in(window, "bank turned", "30")
    type_in(window, "bank middle north", "4 m")
    bank = medium(window).banks[0]
    assert (bank.kind, bank.visibility_m, bank.size[2], bank.turn_deg) == ("box", 12.0, 1.5, 30.0)
    assert bank.centre[1] == 4.0
    press(window, "add a bank")
    assert choice(window, "which bank").currentIndex() == 1
    type_in(window, "soft edge", "0.2")
    assert [round(b.softness, 3) for b in medium(window).banks] == [0.7, 0.2]
    press(window, "delete")
    assert medium(window).banks == (bank,)
    type_in(window, "soft edge", "0.3")
    assert medium(window).banks[0].softness == 0.3, "the one that is left is the one that is shown"
    ctrl(window, Qt.Key.Key_Z, Qt.Key.Key_Z)
    assert len(medium(window).banks) == 2
    window.session.save()
    kept, notes = load(window.session.path)
    assert notes == []
    assert kept.look.medium == medium(window)


def test_more_banks_than_can_be_are_refused_in_words(window):
    said = []
    window.session.said.connect(lambda text, problem: said.append(text))
    for _ in range(MOST_BANKS + 1):
        slip_act(window, seen_at(window, (-24.0, 0.0, 0.0)), "a bank of mist here")
    assert len(medium(window).banks) == MOST_BANKS
    assert "delete one first" in said[-1]


def test_a_bank_from_the_slip_lies_where_it_was_put_and_is_drawn_in_the_plan(window):
    before = window.plan.grab().toImage()
    slip_act(window, seen_at(window, (-20.0, 3.0, 0.2)), "a bank of mist here")
    bank = medium(window).banks[0]
    assert math.dist(bank.centre[:2], (-20.0, 3.0)) < 1e-6
    assert window.session.chosen == AIR
    shown = window.plan.grab().toImage()
    assert shown != before
    window.session.choose(CAMERA)
    assert window.plan.grab().toImage() != shown, "the bank whose facets are shown is marked"
    window.plan.next_side()
    window.plan.grab()


def test_a_room_is_filled_and_the_open_is_told_from_one(window):
    shot = window.session.document.shot_named("Loft")
    middle = tuple(a + 0.4 * (b - a) for a, b in zip(shot.camera.position, shot.camera.aim))
    slip_act(window, seen_at(window, middle), "fill this room")
    bank = medium(window).banks[0]
    assert bank.kind == "box"
    assert 1.5 < bank.size[2] < 5
    assert all(2 < extent < 12 for extent in bank.size[:2])
    for at in (shot.camera.position, middle):
        assert all(abs(c - m) <= max(bank.size) / 2 + 0.6 for c, m in zip(at, bank.centre))
    open_air = window.picture.slip(QPointF(200, 200), seen_at(window, (-60.0, -30.0, 5.0)))
    assert not any(a.text().startswith("fill this room") for a in open_air.actions())


def test_mist_begins_where_it_is_told_to_and_behind_the_subject(window):
    seen = seen_at(window, (-24.0, 0.0, 1.0))
    camera = window.session.document.shot.seen_from
    slip_act(window, seen, "let mist begin here")
    along = float((seen.point - camera.position) @ camera.axes()[2])
    assert medium(window).stretch.begins_m == pytest.approx(along, abs=1e-3)
    window.session.choose(AIR)
    slip_act(window, seen, "make waiting figure the subject")
    window.session.choose(AIR)
    press(window, "behind the subject")
    figure = float((seen_at(window, (-24.35, 0.09, 1.2)).point - camera.position) @ camera.axes()[2])
    assert medium(window).stretch.begins_m > figure
    press(window, "everywhere")
    assert medium(window).stretch.begins_m == 0.0
    assert medium(window).stretch.is_all


def test_patches_drift_over_the_frames_and_even_mist_stays(window):
    type_in_air = lambda name, text: (window.session.choose(AIR), type_in(window, name, text))  # noqa: E731
    assert keys_at(window, 1) == keys_at(window, 20)
    type_in_air("density variation", "0.6")
    type_in_air("patch size", "5 m")
    type_in_air("wind", "3.6 km/h")
    patches = medium(window).patches
    assert (patches.contrast, patches.size_m) == (0.6, 5.0)
    assert patches.speed_m_s == pytest.approx(1.0)
    assert keys_at(window, 1) != keys_at(window, 20)
    type_in_air("wind", "0")
    assert keys_at(window, 1) == keys_at(window, 20)


def test_the_air_can_be_as_hazy_as_the_sky(window):
    window.session.choose(AIR)
    press(window, "as hazy as the sky")
    far = window.session.atmosphere.visibility_km * 1000
    assert medium(window).visibility_m == far
    # What is at the visibility keeps two per cent of its contrast, through the mist as through the sky's haze.
    left = math.exp(-float(optical_depth(medium(window), np.zeros(3), np.array([far, 0.0, 0.0]))))
    assert left == pytest.approx(0.02, rel=0.02)


def test_glow_is_set_and_a_preset_leaves_banks_where_they_are(window):
    slip_act(window, seen_at(window, (-20.0, 3.0, 0.2)), "a bank of mist here")
    type_in(window, "multiple scattering", "1")
    pick_in(window, "an air to begin with", "sea fog")
    assert medium(window).multiple == 1.0
    assert len(medium(window).banks) == 1
    assert choice(window, "an air to begin with").currentText() == "sea fog"
