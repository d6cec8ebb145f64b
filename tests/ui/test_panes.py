"""Borders that are dragged, by mouse and by keys, and come back as they were left."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.ui.base.panes import LEAST, MOST
from tests.ui.hands import drag


def test_the_column_is_dragged_between_its_least_and_its_most(window):
    border = window.panes.handle(1)
    before = window.facets.width()
    drag(border, QPoint(2, 200), QPoint(-78, 200))
    assert window.facets.width() > before + 40
    drag(border, QPoint(2, 200), QPoint(-900, 200))
    assert window.facets.width() <= MOST
    drag(border, QPoint(2, 200), QPoint(900, 200))
    assert window.facets.width() >= LEAST - 2


def test_arrows_move_a_border_that_has_the_keyboard(window):
    border = window.panes.handle(1)
    border.setFocus()
    before = window.panes.sizes()[1]
    QTest.keyClick(border, Qt.Key.Key_Left)
    assert window.panes.sizes()[1] > before
    QTest.keyClick(border, Qt.Key.Key_Right)
    assert window.panes.sizes()[1] == before
    second = window.panes.side.handle(1)
    height = window.panes.side.sizes()[0]
    QTest.keyClick(second, Qt.Key.Key_Down)
    assert window.panes.side.sizes()[0] > height


def test_each_second_view_has_a_height_of_its_own(window):
    plan = window.panes.side.sizes()[0]
    window.toggle_readings()
    QApplication.processEvents()
    assert window.panes.side.sizes()[0] > plan
    window.toggle_readings()
    QApplication.processEvents()
    assert abs(window.panes.side.sizes()[0] - plan) <= 2


def test_sizes_come_back_and_damaged_ones_do_not(window):
    window.panes.restore({"column": 400})
    assert abs(window.panes.sizes()[1] - 400) <= 6
    kept = window.panes.state()
    assert abs(kept["column"] - 400) <= 6
    for damaged in ({"column": "wide"}, {"column": -5}, {"second view": 1e9}, {}):
        window.panes.restore(damaged)
        assert abs(window.panes.sizes()[1] - 400) <= 6


def test_the_words_of_the_second_view_make_no_column_wider(window):
    """With a seventh word the column grew by half, and the picture shrank."""
    words = window.second.buttons.values()
    least = window.second.minimumSizeHint().width()
    assert least < sum(word.sizeHint().width() for word in words)
    for width in (least, 600):
        window.second.resize(width, 300)
        QApplication.processEvents()
        for word in words:
            assert word.width() >= word.sizeHint().width()
            assert window.second.rect().contains(word.geometry())
