"""Widgets on their own: wells, notices, the plan's drawing, the hour band's painting, keys of the session."""

import math

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QHelpEvent, QImage, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from lunar_haze.core.place.model import Material
from lunar_haze.core.place.plan_map import Sheet
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.day import day_band
from lunar_haze.core.sky.ephemeris import Site
from lunar_haze.core.units.row import row
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.notices import Notices
from lunar_haze.ui.base.short_label import ShortLabel
from lunar_haze.ui.base.tried import TriedNumber
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.plan.plan_drawing import draw
from tests.places import WHITE, floor, place_of
from tests.places import quad as face


@pytest.fixture
def well(qtbot):
    made = Well("level", "lx", 1.0, 1000.0, 100.0, ratio=True, floor=0.0, ceiling=1e6)
    qtbot.addWidget(made)
    made.show()
    return made


def move(widget, start, end, modifier=Qt.KeyboardModifier.NoModifier):
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifier, QPoint(*start))
    for step in range(1, 5):
        at = QPointF(*start) + (QPointF(*end) - QPointF(*start)) * step / 4
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            at,
            widget.mapToGlobal(at),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            modifier,
        )
        QApplication.sendEvent(widget, event)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifier, QPoint(*end))


def test_a_drag_over_the_whole_width_covers_the_useful_range(well, qtbot):
    well.set_value(1.0)
    active = []
    well.moved.connect(active.append)
    with qtbot.waitSignal(well.settled):
        move(well, (10, 10), (250, 10))
    assert active == sorted(active)
    assert well.value == pytest.approx(1000.0, rel=0.05)


def test_shift_makes_a_drag_ten_times_finer(well):
    well.set_value(100.0)
    move(well, (10, 10), (130, 10), Qt.KeyboardModifier.ShiftModifier)
    assert math.log(well.value / 100.0) == pytest.approx(0.1 * 0.5 * math.log(1000.0), rel=0.1)


def test_a_well_holds_its_bounds_and_resets(well):
    well.set_value(999_000.0)
    move(well, (10, 10), (240, 10))
    assert well.value == 1e6
    QTest.mouseDClick(well, Qt.MouseButton.LeftButton)
    assert well.value == 100.0


def test_the_wheel_changes_only_a_well_whose_line_is_open(well):
    def wheel(over):
        at = QPointF(20, 10)
        QApplication.sendEvent(
            over,
            QWheelEvent(
                at,
                over.mapToGlobal(at),
                QPoint(),
                QPoint(0, 120),
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            ),
        )

    settled = []
    well.settled.connect(lambda: settled.append(well.value))
    well.setFocus()
    wheel(well)
    assert well.value == 100.0
    QTest.mouseClick(well, Qt.MouseButton.LeftButton)
    wheel(well.editor)
    turned = well.value
    assert turned > 100.0
    QTest.keyClick(well.editor, Qt.Key.Key_Return)
    assert settled == [turned]
    # Once it is closed the same wheel at the same place turns nothing.
    wheel(well)
    assert well.value == turned
    # What was turned is put back by Escape.
    QTest.mouseClick(well, Qt.MouseButton.LeftButton)
    wheel(well.editor)
    QTest.keyClick(well.editor, Qt.Key.Key_Escape)
    assert well.value == pytest.approx(turned)


def test_marks_of_earlier_values_are_not_live(well, monkeypatch):
    """A click near the lower edge snapped to an old value."""
    well.tried = lambda: (TriedNumber(6.0, 0.2, QImage()),)
    x = round(well.tick_at(6.0))
    QTest.mouseClick(well, Qt.MouseButton.LeftButton, pos=QPoint(x, well.height() - 2))
    assert well.value == 100.0
    assert well.editor is not None


def test_a_number_that_can_be_read_in_two_ways_is_asked_about(well):
    QTest.mouseClick(well, Qt.MouseButton.LeftButton)
    QTest.keyClicks(well.editor, "1,250")
    QTest.keyClick(well.editor, Qt.Key.Key_Return)
    assert well.value == 100.0
    assert "1250" in well.reason
    assert "1.25" in well.reason
    QTest.keyClick(well.editor, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(well.editor, "1250")
    QTest.keyClick(well.editor, Qt.Key.Key_Return)
    assert well.value == 1250.0


def test_a_locked_number_takes_the_keyboard_and_says_why(well):
    well.locked = "the camera is locked"
    QTest.mouseClick(well, Qt.MouseButton.LeftButton)
    assert well.reason == "the camera is locked"
    QTest.keyClicks(well, "55")
    assert well.value == 100.0
    move(well, (10, 10), (100, 10))
    assert well.value == 100.0


def test_keys_step_and_open_the_line(well):
    QTest.keyClick(well, Qt.Key.Key_Up)
    assert well.value > 100.0
    QTest.keyClick(well, Qt.Key.Key_Down)
    assert well.value == pytest.approx(100.0)
    QTest.keyPress(well, Qt.Key.Key_F2)
    assert well.editor is not None
    assert well.editor.text().endswith("lx")
    well.close_editor()
    QTest.keyClick(well, Qt.Key.Key_7)
    assert well.editor.text() == "7"
    well.close_editor()


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.floats(0, 1e6))
def test_any_value_can_be_painted(well, value):
    well.set_value(value)
    well.grab()
    well.set_value(math.inf)
    assert not well.grab().isNull()


def test_nonsense_is_refused_and_the_line_stays_open(well):
    well.edit()
    QTest.keyClicks(well.editor, "bright")
    QApplication.sendEvent(
        well.editor, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
    )
    assert well.editor is not None
    assert well.value == 100.0


def test_the_newest_is_shown_and_problems_stay_until_they_are_dismissed(qtbot):
    host = QWidget()
    host.resize(600, 300)
    qtbot.addWidget(host)
    host.show()
    notices = Notices(host)
    notices.say("saved")
    notices.say("undone")
    assert notices.text == "undone"
    notices.say("the file is torn", True)
    notices.say("the disk is full", True)
    notices.say("the disk is full", True)
    assert notices.text == "the disk is full"
    notices.say("saved again")
    assert notices.text == "saved again"
    assert notices._timer.isActive()
    notices._timer.timeout.emit()
    assert notices.text == "the disk is full"
    qtbot.mouseClick(notices._close, Qt.MouseButton.LeftButton)
    assert notices.text == "the file is torn"
    qtbot.mouseClick(notices._close, Qt.MouseButton.LeftButton)
    assert notices.text == ""


def test_the_plan_draws_what_lies_on_top_up_to_its_cut():
    water = Material("water", (0.01, 0.01, 0.01), roughness=0.05)
    hut = face([(2, 2, 3), (6, 2, 3), (6, 6, 3), (2, 6, 3)])
    place = place_of((floor(20.0, -1.0), WHITE), (floor(20.0, 0.0), water), (hut, WHITE))
    shade = draw(place, Sheet("above", (0.0, 0.0), 0.1, 200, 160)).shade
    assert shade.shape == (160, 200)
    on_hut, on_water = shade[80 - 40, 100 + 40], shade[80 + 40, 100 - 40]
    assert on_hut > on_water + 0.08, "the hut's roof is light, the water that covers the white bed is dark"
    cut = draw(place, Sheet("above", (0.0, 0.0), 0.1, 200, 160, cut_m=2.0)).shade
    assert cut[80 - 40, 100 + 40] == pytest.approx(on_water, abs=0.02), "with the roof off the water under it is seen"


def test_the_day_is_brightest_by_day_and_its_dusk_is_warmer_than_its_noon():
    columns = 96
    band = day_band("2024-08-21", Site(), Atmosphere(), 8, columns)
    assert band.shape == (8, columns, 3)
    assert np.isfinite(band).all()
    level = band.mean((0, 2))
    noon, midnight, dusk = columns // 2, 2, round(columns * 19.1 / 24)
    assert level[noon] > level[dusk] > level[midnight] > 0
    warmth = band[-1, :, 0] / band[-1, :, 2]
    assert warmth[dusk] > warmth[noon]


def test_the_typeface_and_icons_are_our_own(qapp):
    theme.apply(qapp)
    assert theme.font().family() == "Karla"
    assert theme.font().pixelSize() in (theme.SMALL, theme.BODY, theme.TITLE)
    for name in theme._STROKES:
        assert not theme.icon(name).isNull()
    # The greys of the window are grey.
    for grey in (theme.SURROUND, theme.PANEL, theme.WELL, theme.EDGE):
        assert len({grey[i : i + 2] for i in (1, 3, 5)}) == 1


def test_a_line_without_room_ends_in_dots_and_is_told_in_full(qtbot):
    label = ShortLabel("refining the part of the frame 40%")
    qtbot.addWidget(label)
    label.resize(400, 20)
    label.show()
    wide = label.grab().toImage()
    label.resize(90, 20)
    narrow = label.grab().toImage()
    assert label._shown().endswith("…")
    assert label.fontMetrics().horizontalAdvance(label._shown()) <= 90
    assert wide.width() > narrow.width()
    QApplication.sendEvent(label, QHelpEvent(QEvent.Type.ToolTip, QPoint(5, 5), label.mapToGlobal(QPoint(5, 5))))
    assert label.toolTip() == label.text()


def test_what_is_counted_is_shown_in_whole_numbers(qtbot):
    """Frames and bounces stood there as 1.00."""
    well = Well.of(row("bounces", "bounces", "bounces", "", 0.0, 4.0, 2.0, whole=True))
    qtbot.addWidget(well)
    for value in (0.0, 2.0, 120.0):
        assert well._shown(value) == f"{value:.0f}"
