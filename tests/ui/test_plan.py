"""The plan under a hand: groups, aims, the cut, its keys and its light."""

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from lunar_haze.core.document import edits
from lunar_haze.ui.plan.plan_hand import KEY_STEP_M
from tests.ui.hands import drag, put, source


@pytest.fixture
def drawn(window, qtbot):
    qtbot.waitUntil(lambda: window.plan.ground.drawing is not None, timeout=20_000)
    return window.plan


def mark(plan, part, source_id):
    return next(at for i, p, at in plan.marks() if i == source_id and p == part)


def test_with_shift_a_lamp_takes_its_aim_along(window, drawn):
    lamp = put(window, "beam")
    before = source(window, lamp).shape
    at = mark(drawn, "position", lamp)
    drag(drawn, at, at + QPointF(20, 0), modifier=Qt.KeyboardModifier.ShiftModifier)
    after = source(window, lamp).shape
    moved = np.subtract(after.position, before.position)
    assert moved[0] > 0
    assert np.allclose(np.subtract(after.aim, before.aim), moved)
    window.session.undo()
    assert source(window, lamp).shape == before, "a drag is one step"


def test_a_group_is_moved_and_turned_as_one(window, drawn):
    lamps = [put(window, "beam", (-20.0 + 3 * k, 2.0 * k, 1.0)) for k in range(3)]
    document = window.session.document
    for lamp in lamps:
        document = edits.put_in_group(document, lamp, "three")
    window.session.act("group", document)
    window.session.choose(lamps[0])
    drawn.show_all()
    marks = dict(drawn.group_marks())
    before = [np.array(source(window, lamp).shape.position) for lamp in lamps]
    middle = np.mean(before, 0)
    drag(drawn, marks["group"], marks["group"] + QPointF(15, 0))
    moved = [np.array(source(window, lamp).shape.position) - b for lamp, b in zip(lamps, before)]
    assert moved[0][0] > 0
    assert np.allclose(moved, moved[0])
    window.session.undo()
    marks = dict(drawn.group_marks())
    centre = marks["group"]
    drag(drawn, marks["turn"], centre + QPointF(30, 0), steps=12)
    after = [np.array(source(window, lamp).shape.position) for lamp in lamps]
    for a, b in zip(after, before):
        assert np.linalg.norm(a - middle) == pytest.approx(np.linalg.norm(b - middle), rel=1e-6)
    east, north = before[0][:2] - middle[:2]
    assert after[0][:2] - middle[:2] == pytest.approx((north, -east), abs=0.35), "a quarter clockwise"


def test_keys_move_the_chosen_lamp_its_aim_or_both_and_its_height(window, drawn):
    lamp = put(window, "beam")
    before = source(window, lamp).shape
    drawn.setFocus()
    QTest.keyClick(drawn, Qt.Key.Key_Right)
    assert source(window, lamp).shape.position[0] == pytest.approx(before.position[0] + KEY_STEP_M)
    assert source(window, lamp).shape.aim == before.aim
    QTest.keyClick(drawn, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert source(window, lamp).shape.aim[1] == pytest.approx(before.aim[1] + KEY_STEP_M)
    QTest.keyClick(drawn, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert source(window, lamp).shape.position[0] == pytest.approx(before.position[0])
    assert source(window, lamp).shape.aim[0] == pytest.approx(before.aim[0] - KEY_STEP_M)
    QTest.keyClick(drawn, Qt.Key.Key_PageUp)
    assert source(window, lamp).shape.position[2] == pytest.approx(before.position[2] + KEY_STEP_M)


def test_without_a_lamp_the_keys_slide_and_zoom_the_sheet(window, drawn):
    window.session.choose("sky")
    drawn.setFocus()
    centre, scale = drawn.centre, drawn.metres_per_pixel
    QTest.keyClick(drawn, Qt.Key.Key_Right)
    assert drawn.centre[0] > centre[0]
    QTest.keyClick(drawn, Qt.Key.Key_Plus)
    assert drawn.metres_per_pixel < scale
    QTest.keyClick(drawn, Qt.Key.Key_Minus)
    assert drawn.metres_per_pixel == pytest.approx(scale)
    QTest.keyClick(drawn, Qt.Key.Key_Home)
    assert drawn.centre == pytest.approx(centre, abs=1.0)


def test_the_cut_is_pulled_on_the_strip_and_by_a_key(window, drawn, qtbot):
    assert math.isinf(drawn.cut_m)
    x = drawn.width() - 6
    drag(drawn, QPoint(x, 1), QPoint(x, drawn.height() // 2))
    assert drawn.cut_m == pytest.approx(5.75, abs=0.3)
    drawn.repaint()
    qtbot.waitUntil(lambda: drawn.ground.drawing.sheet.cut_m == drawn.cut_m, timeout=10_000)
    assert np.nanmax(drawn.ground.drawing.ground) <= drawn.cut_m
    drawn.setFocus()
    before = drawn.cut_m
    QTest.keyClick(drawn, Qt.Key.Key_C)
    assert drawn.cut_m == pytest.approx(before - 0.5)
    QTest.keyClick(drawn, Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier)
    assert drawn.cut_m == pytest.approx(before)


def test_the_plan_shows_the_light_and_mixes_it_with_the_dimmer(window, drawn, qtbot):
    for other in window.session.document.look.sources:
        window.session.act("mute", edits.change_source(window.session.document, other.id, muted=True))
    lamp = put(window, "ball")
    drawn.repaint()
    qtbot.waitUntil(lambda: drawn.ground.illuminance() is not None, timeout=20_000)
    one = drawn.ground.illuminance()
    assert one.max() > 0
    window.session.act("up", edits.change_source(window.session.document, lamp, dimmer_stops=1.0))
    assert np.allclose(drawn.ground.illuminance(), 2 * one), "a mix: nothing is worked out anew"
    window.session.act("off", edits.change_source(window.session.document, lamp, muted=True))
    assert drawn.ground.illuminance() is None


def test_a_right_click_offers_light_lines_and_the_cut(window, drawn, qtbot):
    QTest.mouseClick(drawn, Qt.MouseButton.RightButton, pos=QPoint(60, 60))
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    words = {a.text(): a for a in menu.findChildren(QAction)}
    for text in ("light on the plan", "isolux lines", "roofs on", "cut a little over the camera"):
        assert text in words
    words["isolux lines"].trigger()
    assert drawn.ground.shows_lines
    words["cut a little over the camera"].trigger()
    eye = window.session.document.shot.seen_from.position[2]
    assert drawn.cut_m == pytest.approx(eye + 0.6)
    menu.close()


def test_a_copy_stands_beside_what_it_was_made_of(window):
    lamp = put(window, "beam")
    before = source(window, lamp).shape
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    copy = window.session.chosen_source
    assert copy.id != lamp
    moved = np.subtract(copy.shape.position, before.position)
    assert np.linalg.norm(moved) == pytest.approx(0.5)
    assert np.allclose(np.subtract(copy.shape.aim, before.aim), moved)
    QTest.keyClick(window.picture, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert window.session.chosen_source.shape.position not in (copy.shape.position, before.position)


def test_a_sun_strikes_or_comes_from_where_is_clicked(window, qtbot):
    """The plan has no aim for a sun."""
    window.session.choose("sun")
    seen = window.bridge.lens.seen_at(0.5, 0.9)
    menu = window.picture.slip(QPointF(100, 100), seen)
    act = next(a for a in menu.findChildren(QAction) if a.text() == "let sun strike here")
    act.trigger()
    sun = window.session.chosen_source.shape
    _distance, hit = window.session.index().nearest(seen.point + 2e-3 * seen.normal, np.asarray(sun.towards()))
    assert hit[0] < 0
    menu = window.picture.slip(QPointF(window.picture.width() / 2, 30), None)
    next(a for a in menu.findChildren(QAction) if a.text() == "let sun come from here").trigger()
    assert not window.session.chosen_source.shape.follows_hour
