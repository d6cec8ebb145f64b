"""Markers: put on a surface, read, dragged, hidden with what they are on, exposed for, named and deleted."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.document.files import load, save
from tests.ui.hands import drag, finish, slip_act


def slip_at(window, x, y):
    frame = window.picture.frame()
    at = QPoint(int(frame.left() + x * frame.width()), int(frame.top() + y * frame.height()))
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    return QApplication.activePopupWidget()


def choose(menu, words):
    action = next(a for a in menu.actions() if a.text() == words)
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())


@pytest.fixture
def marked(window, qtbot):
    """A marker on the ground of the landing, with the readings open."""
    QTest.mouseClick(window.second.buttons["readings"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.balance.readings is not None, timeout=10_000)
    choose(slip_at(window, 0.5, 0.8), "a marker here")
    qtbot.waitUntil(lambda: window.beside.readings.markers.reading(marker(window).id) is not None, timeout=5000)
    return window.beside.readings.markers


def marker(window):
    return window.session.document.markers[-1]


def test_a_marker_measures_what_lies_under_it(window, marked):
    spot = marked.reading(marker(window).id)
    picture = window.bridge.shown.picture
    x, y = window.beside.markers.place_of(marker(window))
    assert (x, y) == pytest.approx((0.5, 0.8), abs=0.01)
    height, width = picture.shape[:2]
    row, column = int(y * height), int(x * width)
    around = picture[row - 3 : row + 4, column - 3 : column + 4].reshape(-1, 3)
    assert spot.luminance == pytest.approx(float(luminance(around).mean()), rel=0.25)
    assert sum(share for _id, _name, share in spot.parts) == pytest.approx(1.0)
    assert marked.lines[marker(window).id][1].text()


def test_it_is_one_step_of_undo_and_kept_in_the_file(window, marked, tmp_path):
    made = marker(window)
    save(window.session.document, tmp_path / "a.haze")
    again, notes = load(tmp_path / "a.haze")
    assert again.markers == (made,)
    assert not notes
    window.session.undo()
    assert window.session.document.markers == ()


def test_it_is_dragged_over_surfaces(window, marked):
    before = marker(window)
    at = window.beside.marker_overlay.places()[before.id].toPoint()
    drag(window.picture, at, at + QPoint(60, 0))
    after = marker(window)
    assert np.linalg.norm(np.subtract(after.point, before.point)) > 0.1
    now = window.beside.marker_overlay.places()[before.id]
    assert now.x() == pytest.approx(at.x() + 60, abs=4)


def test_it_stays_on_its_surface_and_leaves_with_the_frame(window, marked, qtbot):
    made = marker(window)
    index = next(i for i in range(window.header.shots.count()) if window.header.shots.itemText(i) == "Loft")
    window.header.shots.setCurrentIndex(index)
    window.header.shots.textActivated.emit("Loft")
    qtbot.waitUntil(lambda: window.session.document.current_shot == "Loft")
    assert marker(window).point == made.point
    qtbot.waitUntil(lambda: window.beside.markers.place_of(made) is None, timeout=10_000)
    assert made.id not in window.beside.marker_overlay.places()


def test_exposing_for_it_puts_it_on_grey(window, marked, qtbot):
    QTest.mouseClick(marked.buttons["at grey"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: abs(marked.reading(marker(window).id).stops) < 0.05, timeout=5000)
    QTest.mouseClick(marked.buttons["at +2"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: abs(marked.reading(marker(window).id).stops - 2) < 0.05, timeout=5000)


def test_it_is_named_sized_and_deleted(window, marked):
    marked.name.setFocus()
    marked.name.selectAll()
    QTest.keyClicks(marked.name, "left cheek")
    QTest.keyClick(marked.name, Qt.Key.Key_Return)
    assert marker(window).name == "left cheek"
    QTest.keyClick(marked.radius, Qt.Key.Key_Return)
    finish(marked.radius, "4")
    assert marker(window).radius == pytest.approx(0.04)
    QTest.mouseClick(marked.buttons["delete"], Qt.MouseButton.LeftButton)
    assert window.session.document.markers == ()
    window.session.undo()
    assert marker(window).name == "left cheek"


def test_a_place_in_the_picture_is_exposed_for_from_the_slip(window, qtbot):
    before = window.session.document.look
    slip_act(window, window.bridge.lens.seen_at(0.5, 0.8), "on mid grey")
    assert window.session.document.look.ev100 != before.ev100
    assert window.session.document.look.sources == before.sources
