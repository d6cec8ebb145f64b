"""Whatever has a name is found by part of it, by its old name too, and done by Return."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.ui.shell.finder import Entry, found_in


@pytest.fixture
def find(window):
    """Open the line by its key, type, and give back the finder."""

    def opened(text):
        window.picture.setFocus()
        QTest.keyClick(window.picture, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
        finder = window.finder
        assert finder.isVisible()
        QTest.keyClicks(finder.line, text)
        return finder

    return opened


def lines(finder):
    return [finder.list.item(n).text() for n in range(finder.list.count())]


def enter(finder):
    QTest.keyClick(finder.line, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_an_act_is_found_with_its_key_and_done(window, find):
    finder = find("pin this")
    assert lines(finder)[0].startswith("pin this state")
    assert "(P)" in lines(finder)[0]
    enter(finder)
    assert len(window.session.document.pins) == 1


def test_a_number_of_what_is_chosen_gets_the_keyboard_though_its_section_is_folded(window, find):
    window.session.choose("sun")
    folded = window.facets.wells["matte"]
    enter(find("diffuse"))
    assert folded.hasFocus()
    assert folded.isVisible()


@pytest.mark.parametrize("old", ["matte", "Matte"])
def test_old_names_find_what_is_called_otherwise_now(window, find, old):
    window.session.choose("sun")
    assert any(line.startswith("diffuse") for line in lines(find(old)))


def test_sources_looks_shots_views_and_pages_are_found(window, find):
    enter(find("hand lantern"))
    assert window.session.chosen_source.name == "hand lantern"
    other = next(look.name for look in window.session.document.looks if look.name != window.session.document.look.name)
    enter(find(f"{other} look"))
    assert window.session.document.look.name == other
    enter(find("loft shot"))
    assert window.session.document.current_shot == "Loft"
    enter(find("history second"))
    assert window.second.name == "history"


def test_what_can_be_added_is_offered(window, find):
    enter(find("lamp: beam"))
    assert window.adding.name == "beam"


def test_arrows_choose_and_escape_does_nothing(window, find):
    before = window.session.document
    finder = find("stop")
    first = finder.list.currentRow()
    QTest.keyClick(finder.line, Qt.Key.Key_Down)
    assert finder.list.currentRow() == first + 1
    QTest.keyClick(finder.line, Qt.Key.Key_Escape)
    assert not finder.isVisible()
    assert window.session.document == before


def test_what_has_no_name_is_told(find):
    finder = find("qqqq")
    assert finder.none.isVisible()
    enter(finder)
    assert finder.isVisible()


def test_the_nearest_come_first():
    entries = [Entry(words, "act", "", lambda: None) for words in ("unpin", "a new pin", "pin this", "spine")]
    assert [entry.words for entry in found_in(entries, "pin")] == ["pin this", "a new pin", "unpin", "spine"]
    assert found_in(entries, "pin new")[0].words == "a new pin"
    assert not found_in(entries, "pin old")
