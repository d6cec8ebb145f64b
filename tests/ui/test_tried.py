"""Numbers that worked: a well's ticks, pointed at for their picture, clicked to return (E7)."""

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QAction, QContextMenuEvent, QHelpEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QToolTip

from lunar_haze.ui.base import tried
from tests.ui.hands import finish


@pytest.fixture
def well(window, monkeypatch):
    """The dimmer of the first source."""
    window.session.tried._timer.setInterval(30)
    window.session.choose(window.session.document.look.sources[0].id)
    return window.facets.wells["dimmer"]


def type_in(well, text):
    QTest.keyClick(well, Qt.Key.Key_Return)
    finish(well, text)


def ticks(window):
    return window.facets.wells["dimmer"].tried()


def at(well, value):
    return QPoint(round(well.tick_at(value)), well.height() - 3)


def test_a_number_that_rests_leaves_a_tick_and_one_passed_by_does_not(window, well, qtbot):
    type_in(well, "2")
    qtbot.waitUntil(lambda: len(ticks(window)) == 1)
    # Longer than typing takes on a machine that is busy with other tests.
    window.session.tried._timer.setInterval(1200)
    type_in(well, "3")
    type_in(well, "-4")
    qtbot.waitUntil(lambda: len(ticks(window)) == 2)
    qtbot.wait(60)
    assert [t.value for t in ticks(window)] == [2.0, -4.0]
    assert tried.RESTS_MS >= 1000


def test_a_click_on_a_tick_opens_the_line_and_the_menu_returns_to_it_as_one_step_of_undo(window, well, qtbot):
    """Ticks were live: a click near the lower edge of a number snapped it to an old value."""
    type_in(well, "2")
    qtbot.waitUntil(lambda: len(ticks(window)) == 1)
    type_in(well, "-4")
    qtbot.waitUntil(lambda: len(ticks(window)) == 2)
    QTest.mouseClick(well, Qt.MouseButton.LeftButton, pos=at(well, 2.0))
    assert window.session.document.look.sources[0].dimmer_stops == -4.0
    QTest.keyClick(well.editor, Qt.Key.Key_Escape)
    well.contextMenuEvent(_context(well))
    numbers = next(m for m in well.findChildren(QMenu) if m.title() == "numbers tried")
    next(a for a in numbers.actions() if a.text().startswith("2.00")).trigger()
    QApplication.activePopupWidget().close()
    assert window.session.document.look.sources[0].dimmer_stops == 2.0
    window.session.undo()
    assert window.session.document.look.sources[0].dimmer_stops == -4.0


def test_pointing_at_a_tick_shows_the_picture_of_that_moment(window, well, qtbot):
    type_in(well, "2")
    qtbot.waitUntil(lambda: len(ticks(window)) == 1)
    place = at(well, 2.0)
    QApplication.sendEvent(well, QHelpEvent(QEvent.Type.ToolTip, place, well.mapToGlobal(place)))
    assert "data:image/png" in QToolTip.text()
    assert ticks(window)[0].picture.width() <= 176


def test_it_is_kept_by_hand_and_listed_in_the_menu(window, well):
    type_in(well, "1")
    well.contextMenuEvent(_context(well))
    menu = next(m for m in well.findChildren(QMenu) if m.isVisible())
    next(a for a in menu.actions() if a.text() == "keep this number").trigger()
    menu.close()
    assert [t.value for t in ticks(window)] == [1.0]
    type_in(well, "-3")
    well.contextMenuEvent(_context(well))
    menu = next(m for m in well.findChildren(QMenu) if m.isVisible())
    # Actions of a submenu are children of it, and so of the menu.
    next(a for a in menu.findChildren(QAction) if a.text() == "1.00 stops").trigger()
    menu.close()
    assert window.session.document.look.sources[0].dimmer_stops == 1.0


def _context(well):
    middle = well.rect().center()
    return QContextMenuEvent(QContextMenuEvent.Reason.Mouse, middle, well.mapToGlobal(middle))


def test_another_document_has_none(window, well, qtbot, work):
    type_in(well, "2")
    qtbot.waitUntil(lambda: len(ticks(window)) == 1)
    window.session.open_path(work)
    window.session.choose(window.session.document.look.sources[0].id)
    assert ticks(window) == ()
