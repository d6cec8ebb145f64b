"""The history as a list beside the picture: what was done, what was undone, and a click that goes there."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from lunar_haze.ui.readings.history_view import BEGINNING
from tests.ui.hands import type_in


@pytest.fixture
def acts(window):
    """Three acts by hand, and the list of them."""
    window.session.choose("sun")
    for stops in ("-1", "-2", "+0.5"):
        type_in(window, "dimmer", stops)
    QTest.mouseClick(window.second.buttons["history"], Qt.MouseButton.LeftButton)
    return window.beside.history.list


def words(acts):
    return [acts.item(n).text() for n in range(acts.count())]


def click(acts, row):
    acts.scrollToItem(acts.item(row))
    QTest.mouseClick(acts.viewport(), Qt.MouseButton.LeftButton, pos=acts.visualItemRect(acts.item(row)).center())


def dimmer(window):
    return window.session.document.look.expect("sun").dimmer_stops


def test_what_was_done_is_listed_and_now_is_marked(window, acts):
    assert words(acts)[0] == BEGINNING
    assert acts.count() == 4
    assert acts.currentRow() == 3


def test_a_click_goes_back_and_forward_again(window, acts):
    click(acts, 1)
    assert dimmer(window) == -1.0
    assert [text.endswith("(undone)") for text in words(acts)] == [False, False, True, True]
    assert acts.currentRow() == 1
    click(acts, 3)
    assert dimmer(window) == 0.5
    click(acts, 0)
    assert dimmer(window) == 0.0
    assert window.session.history.is_saved


def test_the_keyboard_goes_there_too(window, acts):
    acts.setFocus()
    QTest.keyClick(acts, Qt.Key.Key_Up)
    QTest.keyClick(acts, Qt.Key.Key_Up)
    assert dimmer(window) == 0.5, "arrows look, Return goes"
    QTest.keyClick(acts, Qt.Key.Key_Return)
    assert dimmer(window) == -1.0


def test_a_new_act_after_going_back_leaves_no_undone_ones(window, acts):
    click(acts, 2)
    type_in(window, "dimmer", "-4")
    assert acts.count() == 4
    assert not any(text.endswith("(undone)") for text in words(acts))
    assert dimmer(window) == -4.0


def test_undo_by_key_is_seen_in_the_list(window, acts):
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert acts.currentRow() == 2
    assert words(acts)[3].endswith("(undone)")
