"""Pins side by side, what differs between them, and blends by a slider."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from tests.ui.hands import source


@pytest.fixture
def view(window, qtbot):
    """A pin of the look as it came, and the first source two stops up since."""
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_P)
    first = window.session.document.look.sources[0]
    window.session.choose(first.id)
    for _ in range(6):
        QTest.keyClick(window.picture, Qt.Key.Key_BracketRight)
    QTest.mouseClick(window.second.buttons["pins"], Qt.MouseButton.LeftButton)
    return window.beside.pins_view


def test_without_a_pin_it_says_how_one_is_made(window):
    QTest.mouseClick(window.second.buttons["pins"], Qt.MouseButton.LeftButton)
    view = window.beside.pins_view
    assert view.empty.isVisible()
    assert "P" in view.empty.text()


def test_what_differs_is_listed_with_its_amount(window, view):
    lines = [view.list.item(i).text() for i in range(view.list.count())]
    name = window.session.document.look.sources[0].name
    assert len(lines) == 1
    assert name in lines[0]
    assert "+2.0 stops" in lines[0]
    assert all(label.pixmap() is not None and not label.pixmap().isNull() for label in view.pictures)


def test_a_blend_by_keys_is_proposed_without_a_ray_and_taken(window, view):
    asked = len(window.bridge.backend.requests)
    before = window.session.document
    dimmer = before.look.sources[0].dimmer_stops
    view.slider.setFocus()
    assert view.slider.value() == 100, "now"
    QTest.keyClick(view.slider, Qt.Key.Key_Home)
    for _ in range(5):
        QTest.keyClick(view.slider, Qt.Key.Key_PageUp)
    assert view.slider.value() == 50
    shown = window.session.shown_look.sources[0].dimmer_stops
    assert shown == pytest.approx(dimmer - 1.0, abs=1e-3)
    assert window.session.document is before
    assert len(window.bridge.backend.requests) == asked
    QTest.keyClick(view.slider, Qt.Key.Key_Return)
    assert window.session.document.look.sources[0].dimmer_stops == pytest.approx(dimmer - 1.0, abs=1e-3)
    window.session.undo()
    assert window.session.document.look == before.look


def test_escape_leaves_the_blend(window, view):
    before = window.bridge.shown.picture.copy()
    view.slider.setFocus()
    QTest.keyClick(view.slider, Qt.Key.Key_Home)
    assert (window.bridge.shown.picture != before).any()
    QTest.keyClick(view.slider, Qt.Key.Key_Escape)
    assert window.session.proposal is None
    assert (window.bridge.shown.picture == before).all()
    assert view.slider.value() == 100


def test_two_pins_are_compared_with_one_another(window, view):
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_P)
    assert source(window, window.session.document.look.sources[0].name)
    names = [view.sides[1].itemText(i) for i in range(view.sides[1].count())]
    assert len(names) == 3
    view.sides[1].setFocus()
    QTest.keyClick(view.sides[1], Qt.Key.Key_Down)
    view.sides[1].textActivated.emit(view.sides[1].currentText())
    assert view.look(1) is window.session.document.pins[0].look
    assert view.look(0) is window.session.document.pins[0].look
    assert "same" in view.words.text()


def test_the_left_is_wiped_against_the_picture(window, view):
    QTest.mouseClick(view.wipe, Qt.MouseButton.LeftButton)
    assert window.picture.wiping
    assert window.picture.before is not None
