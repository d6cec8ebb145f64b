"""A brush in the picture: strokes by mouse and by keys, answered by dimmers that are proposed."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from tests.ui.hands import drag, finish


@pytest.fixture
def row(window, qtbot):
    QTest.mouseClick(window.second.buttons["readings"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.balance.readings is not None, timeout=10_000)
    return window.beside.readings.painting


def pick(row, kind):
    QTest.mouseClick(row.buttons[kind], Qt.MouseButton.LeftButton)


def across(window, y=0.7):
    """A stroke from left to right at a height of the picture."""
    frame = window.picture.frame()
    start = QPoint(int(frame.left() + 0.2 * frame.width()), int(frame.top() + y * frame.height()))
    drag(window.picture, start, start + QPoint(int(0.5 * frame.width()), 0))


def settled(window, qtbot, strokes=1):
    painting = window.beside.painting
    qtbot.waitUntil(lambda: len(painting.strokes) == strokes and not painting._busy, timeout=10_000)


def test_a_stroke_is_answered_shown_and_taken_as_one_step_of_undo(window, row, qtbot):
    before = window.session.document
    asked = len(window.bridge.backend.requests)
    level = window.balance.present_shares().luminance.mean()
    pick(row, "brighter")
    across(window)
    settled(window, qtbot)
    assert window.session.document is before, "shown, not done"
    moves = dict(window.session.proposal.dimmers)
    assert max(moves.values()) > 0.3
    assert window.balance.present_shares().mixed(moves).luminance.mean() > level
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.document is not before
    assert len(window.bridge.backend.requests) == asked, "not a ray"
    assert not window.beside.painting.strokes
    window.session.undo()
    assert window.session.document.look == before.look


def test_painting_never_opens_a_slip_and_escape_leaves_strokes_then_the_brush(window, row, qtbot):
    pick(row, "darker")
    frame = window.picture.frame()
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=frame.center().toPoint())
    settled(window, qtbot)
    assert QApplication.activePopupWidget() is None
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.proposal is None
    assert not window.beside.painting.strokes
    assert window.beside.painting.kind == "darker"
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.beside.painting.kind == ""
    assert not row.buttons["darker"].isChecked()


def test_the_last_stroke_is_taken_back(window, row, qtbot):
    pick(row, "brighter")
    across(window, 0.6)
    settled(window, qtbot)
    first = window.session.proposal
    across(window, 0.8)
    settled(window, qtbot, 2)
    assert window.session.proposal != first
    QTest.mouseClick(row.back, Qt.MouseButton.LeftButton)
    settled(window, qtbot)
    qtbot.waitUntil(lambda: dict(window.session.proposal.dimmers) == pytest.approx(dict(first.dimmers), abs=0.1))
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Backspace)
    assert window.session.proposal is None


def test_by_keys_alone_the_reticle_is_moved_and_space_paints_there(window, row, qtbot):
    row.buttons["brighter"].setFocus()
    QTest.keyClick(row.buttons["brighter"], Qt.Key.Key_Space)
    window.picture.setFocus()
    for _ in range(10):
        QTest.keyClick(window.picture, Qt.Key.Key_Right)
    QTest.keyClick(window.picture, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    at = window.picture.reticle
    assert (at.x(), at.y()) == pytest.approx((0.6, 0.501))
    QTest.keyClick(window.picture, Qt.Key.Key_Space)
    settled(window, qtbot)
    where = window.beside.painting.strokes[0].where
    row_, column = np.unravel_index(int(np.argmax(where)), where.shape)
    assert (column + 0.5) / where.shape[1] == pytest.approx(0.6, abs=0.06)
    assert (row_ + 0.5) / where.shape[0] == pytest.approx(0.5, abs=0.06)


def test_a_colour_is_asked_for_before_it_is_painted(window, row, qtbot):
    pick(row, "colour")
    told = []
    window.session.said.connect(lambda text, _bad: told.append(text))
    across(window)
    assert any("colour" in text for text in told)
    assert not window.beside.painting.strokes


def test_strokes_go_when_something_else_is_proposed_or_edited(window, row, qtbot):
    pick(row, "brighter")
    across(window)
    settled(window, qtbot)
    window.session.choose(window.session.document.look.sources[0].id)
    window.acts.nudge(1.0)
    assert not window.beside.painting.strokes
    assert window.session.proposal is None


def test_the_size_of_the_brush_is_typed(window, row, qtbot):
    well = row.radius
    QTest.keyClick(well, Qt.Key.Key_Return)
    finish(well, "20")
    assert window.beside.painting.radius == pytest.approx(0.2)
