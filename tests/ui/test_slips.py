"""A hand that slips: clicks that miss, keys that go on, lists, wheels. Nothing is done that was not meant."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QKeySequenceEdit, QLabel, QPushButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.rows import AIR
from lunar_haze.ui.shell.keys import ACTS
from tests.ui.backends import InstantBackend
from tests.ui.clumsy import ClumsyHand
from tests.ui.hands import choice


def click(window, widget, at=None):
    """A click as the window system sends it."""
    at = widget.mapTo(window, widget.rect().center() if at is None else at)
    QTest.mouseClick(window.windowHandle(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    QApplication.processEvents()


def type_on(window, text):
    for letter in text:
        QTest.keyClick(window.windowHandle(), letter)
    QApplication.processEvents()


@pytest.fixture
def lamp(window):
    session = window.session
    session.act("look", edits.attrs.evolve(session.document, current_shot="Waiting", current_look="lamplit wait"))
    session.choose("rim")
    QApplication.processEvents()
    window.activateWindow()
    return window


@pytest.mark.parametrize("text", ["0.5", "5,2 m", "0", "9", "tae", "18;'", " ", "[["])
def test_what_is_typed_after_a_click_that_missed_does_nothing(lamp, text):
    """ "0.5" chose the sky and moved the hour; "5,2 m" started the frames."""
    before, chosen = lamp.session.document, lamp.session.chosen
    well = lamp.facets.wells["level"]
    lamp.facets.ensureWidgetVisible(well)
    click(lamp, well, QPoint(40, -3))
    type_on(lamp, text)
    assert lamp.session.document is before
    assert lamp.session.chosen == chosen
    assert not lamp.player.is_playing
    assert QApplication.activePopupWidget() is None


def test_letters_act_in_the_picture_again_after_escape(lamp):
    click(lamp, lamp.facets.wells["level"], QPoint(40, -3))
    QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_Escape)
    assert lamp.picture.hasFocus()
    chosen = lamp.session.chosen
    QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_N)
    assert lamp.session.document.look.source(chosen).muted


def test_escape_with_nothing_open_keeps_what_is_chosen(lamp):
    chosen = lamp.session.chosen
    for _ in range(3):
        QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_Escape)
    assert lamp.session.chosen == chosen


def test_a_click_beside_the_picture_opens_nothing(lamp):
    lamp.picture.zoom = 1.0
    frame = lamp.picture.frame()
    margin = QPoint(round(frame.center().x()), 2) if frame.top() > 6 else QPoint(2, round(frame.center().y()))
    assert not frame.contains(margin.toPointF())
    click(lamp, lamp.picture, margin)
    assert QApplication.activePopupWidget() is None


def test_the_column_stays_where_it_was_when_rows_come_and_go(lamp):
    bar = lamp.facets.verticalScrollBar()
    bar.setValue(bar.maximum())
    at = bar.value()
    assert at > 50
    lamp.session.act("unit", edits.change_unit(lamp.session.document, lamp.session.chosen, "lx"))
    QApplication.processEvents()
    assert abs(bar.value() - at) < 30
    # Another of its kind is shown at the same rows; the air has a place of its own.
    lamp.session.choose(AIR)
    QApplication.processEvents()
    lamp.session.choose("rim")
    QApplication.processEvents()
    assert abs(bar.value() - at) < 30


def test_rows_stay_where_they_are_when_the_airs_sentences_come(lamp):
    lamp.session.choose(AIR)
    QApplication.processEvents()
    guide = next(w for w in lamp.facets.findChildren(QLabel) if w.accessibleName() == "what the mist does")
    well = next(iter(lamp.facets.wells.values()))
    at = well.y(), well.parentWidget().y()
    guide.setText("mist gives 12% of the light of the picture, most of it from hand lantern. " * 3)
    QApplication.processEvents()
    assert (well.y(), well.parentWidget().y()) == at


def test_tab_stops_at_numbers_lists_and_buttons_not_at_headings(lamp):
    lamp.facets.wells["level"].setFocus()
    for _ in range(30):
        now = QApplication.focusWidget()
        assert not (now.accessibleName() or "").startswith("section ")
        QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_Tab)


def test_a_list_gives_the_keyboard_back_to_the_picture(lamp):
    """After a list was used `T`, `A` and `F` did nothing."""
    lamp.session.choose(AIR)
    QApplication.processEvents()
    combo = choice(lamp, "an air to begin with")
    lamp.facets.ensureWidgetVisible(combo)
    combo.setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_Up)
    QApplication.processEvents()
    if combo.view().isVisible():
        QTest.keyClick(combo.view(), Qt.Key.Key_Return)
    QApplication.processEvents()
    assert lamp.picture.hasFocus()


def test_light_of_another_unit_is_converted_in_the_well(lamp):
    source = lamp.session.chosen
    lamp.session.act("unit", edits.change_unit(lamp.session.document, source, "lm"))
    QApplication.processEvents()
    well = lamp.facets.wells["level"]
    lamp.facets.ensureWidgetVisible(well)
    click(lamp, well)
    type_on(lamp, "6000 LX")
    QTest.keyClick(lamp.windowHandle(), Qt.Key.Key_Return)
    told = lamp.session.document.look.source(source)
    assert told.unit == "lm"
    lux = edits.change_unit(lamp.session.document, source, "lx").look.source(source)
    assert lux.amount == pytest.approx(6000.0)


def test_a_second_still_waits_for_the_first(lamp, qtbot, tmp_path):
    for name in ("one.png", "two.png"):
        lamp.hand_off.write_still(tmp_path / name, size=(32, 18), passes=1, backend=InstantBackend(), denoise=False)
    qtbot.waitUntil(lambda: (tmp_path / "two.png").is_file() and lamp.hand_off.still is None, timeout=20_000)
    assert (tmp_path / "one.png").is_file()


@pytest.mark.parametrize("seed", [1, 2])
def test_a_clumsy_hand_does_nothing_that_it_did_not_name(window, seed):
    window.activateWindow()
    hand = ClumsyHand(window, seed)
    for _ in range(8):
        hand.choose_something()
        for _ in range(4):
            chosen = window.session.chosen
            if hand.job():
                assert window.session.chosen == chosen
    assert hand.misses > 2
    assert not hand.acts


def test_digits_are_no_acts_key(window):
    act = next(a for a in ACTS if a.name == "pin")
    for key in ("5", ",", ".", "-", "Shift+;"):
        assert "numbers" in window.keys.change(act, key)
    assert window.keys.change(act, "Ctrl+5") is None


def test_keys_are_changed_on_their_sheet_refused_where_they_clash_and_restored(window):
    QTest.keyClick(window.picture, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    sheet = next(w for w in window.findChildren(QDialog) if w.windowTitle() == "keys")
    edits = {e.accessibleName(): e for e in sheet.findChildren(QKeySequenceEdit)}
    restore = next(b for b in sheet.findChildren(QPushButton) if b.text() == "restore all keys")
    assert not restore.isEnabled()

    def press(name, what):
        edits[name].setFocus()
        QTest.keyClick(edits[name], what)
        edits[name].clearFocus()
        QApplication.processEvents()

    press("key for pin this state", Qt.Key.Key_W)
    told = " ".join(label.text() for label in sheet.findChildren(QLabel))
    assert "already means “wipe against the pin”" in told
    assert edits["key for pin this state"].keySequence().toString() == "P"
    press("key for pin this state", Qt.Key.Key_Y)
    assert window.actions_by_name["pin"].shortcut().toString() == "Y"
    assert restore.isEnabled()
    QTest.mouseClick(restore, Qt.MouseButton.LeftButton)
    assert window.actions_by_name["pin"].shortcut().toString() == "P"
    assert edits["key for pin this state"].keySequence().toString() == "P"
    assert not restore.isEnabled()
    sheet.close()
