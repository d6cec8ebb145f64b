"""Everything has a name, is reached by keys, and can be read against what lies under it."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

from lunar_haze.ui.base import theme
from lunar_haze.ui.base.well import Well


def luminance(colour):
    """Relative luminance (WCAG 2.2) of a colour."""
    parts = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(colour).getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(a, b):
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("under", [theme.PANEL, theme.WELL, theme.SURROUND])
def test_text_can_be_read_on_what_lies_under_it(under):
    assert contrast(theme.TEXT, under) >= 7.0
    assert contrast(theme.DIM, under) >= 4.5
    assert contrast(theme.WARN, under) >= 4.5
    assert contrast(theme.LIT, under) >= 4.5


def interactive(window):
    kinds = (QAbstractButton, QComboBox, QLineEdit, Well)
    named = [window.picture, window.plan, window.hour.band, window.beside.readings.strip, *window.rail.cards.values()]
    found = [w for w in window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()]
    return [w for w in found if not w.objectName().startswith("qt_")] + [w for w in named if w.isVisible()]


def name_of(widget):
    found = QAccessible.queryAccessibleInterface(widget)
    return found.text(QAccessible.Text.Name).strip() if found is not None else ""


@pytest.mark.parametrize("chosen", ["sun", "sky", "air", "camera", "hand-off"])
def test_nothing_is_without_a_name(window, chosen):
    window.session.choose(chosen)
    QApplication.processEvents()
    nameless = [f"{type(w).__name__} {w.toolTip()}" for w in interactive(window) if not name_of(w)]
    assert not nameless


def test_every_place_is_reached_by_tab(window):
    window.session.choose("sun")
    window.picture.setFocus()
    seen = set()
    for _ in range(300):
        focus = QApplication.focusWidget()
        if focus is None or (focus in seen and focus is window.picture):
            break
        seen.add(focus)
        QTest.keyClick(focus, Qt.Key.Key_Tab)
        QApplication.processEvents()
    for widget in (window.picture, window.plan, window.hour.band, window.rail.cards["sun"], window.header.looks):
        assert widget in seen, name_of(widget)
    wells = [w for w in window.facets.wells.values() if w.isVisible()]
    assert wells
    assert not [w.label for w in wells if w not in seen]


def test_the_first_window_is_no_larger_than_the_screen(window):
    room = window.screen().availableSize()
    window._restore_geometry()
    assert window.minimumSizeHint().height() <= max(room.height(), 700)
