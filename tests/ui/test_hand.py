"""The rule for the hand: wells, lists, keys and popups, driven by keys that go to whatever has the keyboard."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox

from tests.ui.hands import source


def focus():
    return QApplication.focusWidget()


def keys(*pressed, modifier=Qt.KeyboardModifier.NoModifier):
    """Keys and texts as a keyboard sends them: to the widget that has it."""
    for one in pressed:
        if isinstance(one, str):
            for letter in one:
                QTest.keyClick(focus(), letter, modifier)
        else:
            QTest.keyClick(focus(), one, modifier)
        QApplication.processEvents()


@pytest.fixture
def well(window, qtbot):
    """The dimmer of the sun, with the keyboard."""
    window.session.choose("sun")
    window.activateWindow()
    found = window.facets.wells["dimmer"]
    found.setFocus()
    qtbot.waitUntil(lambda: focus() is found)
    return found


def dimmer(window):
    return source(window, "sun").dimmer_stops


def test_return_commits_and_closes(window, well):
    """It opened the editor again: a second Return applied a negative number twice, and the next key was typed into it."""
    keys(Qt.Key.Key_Return, "-2", Qt.Key.Key_Return)
    assert well.editor is None
    assert focus() is well
    assert dimmer(window) == -2.0
    keys("n")
    assert not source(window, "sun").muted, "letters act in the picture, not in the column"
    keys(Qt.Key.Key_Escape, "n")
    assert source(window, "sun").muted
    assert dimmer(window) == -2.0


def test_escape_puts_back_what_was_there_and_does_nothing_else(window, well):
    chosen = window.session.chosen
    keys("5", Qt.Key.Key_Escape)
    assert well.editor is None
    assert dimmer(window) == 0.0
    assert window.session.chosen == chosen


def test_tab_commits_and_goes_on(window, well):
    """Tab dropped the value."""
    keys("1.5", Qt.Key.Key_Tab)
    assert dimmer(window) == 1.5
    assert focus() is not well


def test_a_click_elsewhere_commits(window, well):
    keys("0.75")
    QTest.mouseClick(window.header.status, Qt.MouseButton.LeftButton)
    window.picture.setFocus(Qt.FocusReason.MouseFocusReason)
    QApplication.processEvents()
    assert dimmer(window) == 0.75
    assert well.editor is None


@pytest.mark.parametrize(("text", "value"), [("-1", -1.0), ("+=1/3", 1 / 3), ("-=2", -2.0)])
def test_a_number_is_the_value_and_a_step_says_so(window, well, text, value):
    keys(Qt.Key.Key_Return, text, Qt.Key.Key_Return)
    assert dimmer(window) == pytest.approx(value)


@pytest.mark.parametrize("text", ["bright", "3 m", "1e300", ""])
def test_what_is_refused_stays_open_and_says_why(window, well, text):
    """Refusals were invisible."""
    keys(Qt.Key.Key_Return)
    keys(Qt.Key.Key_Delete)
    keys(text, Qt.Key.Key_Return)
    assert well.editor is not None
    assert len(well.reason) > 8
    assert dimmer(window) == 0.0
    keys(Qt.Key.Key_Escape)
    assert well.editor is None
    assert well.reason == ""


def test_a_level_past_its_bounds_is_refused_not_clamped(window, well):
    """It was clamped without a word."""
    keys("9999", Qt.Key.Key_Return)
    assert "past what dimmer takes" in well.reason
    assert dimmer(window) == 0.0
    keys(Qt.Key.Key_Escape)


def test_a_digit_at_a_well_is_typed_into_it(window, well):
    """It chose a card."""
    keys("3")
    assert window.session.chosen == "sun"
    assert well.editor.text() == "3"
    keys(Qt.Key.Key_Escape)
    window.picture.setFocus()
    keys("2")
    assert window.session.chosen == "sun", "digits never act by themselves"
    keys("s")
    assert window.session.chosen == window.session.document.look.sources[1].id


def test_what_is_shown_can_be_typed_back_and_is_the_same(window, qtbot):
    """“2,400 m” typed back was 2.4 m; opening and closing a well rounded its value."""
    window.session.choose("air")
    visibility = next(w for w in window.facets.wells.values() if w.unit == "m" and w.ratio)
    before = visibility.value
    visibility.setFocus()
    keys(Qt.Key.Key_Return, Qt.Key.Key_Return)
    assert visibility.value == before
    keys(Qt.Key.Key_Return, "2,400 m", Qt.Key.Key_Return)
    assert visibility.value == 2400.0


def test_undo_after_a_typed_number_undoes_it(window, well):
    """Undo did nothing while an editor hung."""
    keys("1", Qt.Key.Key_Return)
    assert dimmer(window) == 1.0
    keys("z", modifier=Qt.KeyboardModifier.ControlModifier)
    assert dimmer(window) == 0.0


def test_the_wheel_over_a_list_changes_nothing(window, qtbot):
    """It changed role, look, or the lamp's very kind."""
    window.session.choose("sun")
    for combo in window.findChildren(QComboBox):
        if not combo.isVisible() or combo.count() < 2:
            continue
        combo.setFocus()
        before, document = combo.currentText(), window.session.document
        middle = QPointF(combo.rect().center())
        event = QWheelEvent(
            middle, combo.mapToGlobal(middle), QPoint(0, -120), QPoint(0, -120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(combo, event)
        assert combo.currentText() == before
        assert window.session.document == document


def test_keys_at_a_list_search_it_and_choose_no_card(window):
    window.session.choose("sun")
    combo = next(c for c in window.facets.findChildren(QComboBox) if c.isVisible())
    combo.setFocus()
    keys("2")
    assert window.session.chosen == "sun"


def test_escape_closes_the_menu_that_is_open_and_nothing_behind_it(window, well, qtbot):
    chosen = window.session.chosen
    well.contextMenuEvent(type("Event", (), {"globalPos": lambda self: well.mapToGlobal(QPoint(5, 5))})())
    popup = QApplication.activePopupWidget()
    assert popup is not None
    QTest.keyClick(popup, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: QApplication.activePopupWidget() is None)
    assert window.session.chosen == chosen


def test_return_takes_a_ghost_only_at_the_picture(window, well):
    """It took one while a list was open, or a number was being typed."""
    taken = []
    window.picture.take_ghost = lambda: taken.append(1) or True
    keys(Qt.Key.Key_Return, "1", Qt.Key.Key_Return)
    assert not taken
    window.picture.setFocus()
    keys(Qt.Key.Key_Return)
    assert taken == [1]
