"""A part of the frame, drawn by mouse or taken by keys, kept until it is dropped, handed off alone."""

import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox

from tests.ui.hands import drag, slip_act


def asked(window):
    return window.bridge.backend.requests[-1].part


def draw(window, left, top, right, bottom):
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    frame = window.picture.frame()

    def at(x, y):
        return QPoint(round(frame.left() + x * frame.width()), round(frame.top() + y * frame.height()))

    drag(window.picture, at(left, top), at(right, bottom))


def test_what_is_drawn_is_asked_for_and_dropped_by_the_same_key(window, qtbot):
    draw(window, 0.2, 0.3, 0.6, 0.7)
    qtbot.waitUntil(lambda: asked(window) is not None)
    assert asked(window) == pytest.approx((0.2, 0.3, 0.6, 0.7), abs=0.005)
    assert window.session.history.undo_label is None, "how a picture is refined is no edit"
    QTest.keyClick(window.picture, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: asked(window) is None)


def test_it_is_drawn_from_any_corner_and_a_click_takes_the_place_about_it(window, qtbot):
    draw(window, 0.6, 0.7, 0.2, 0.3)
    qtbot.waitUntil(lambda: asked(window) == pytest.approx((0.2, 0.3, 0.6, 0.7), abs=0.005))
    window.picture.part.leave()
    draw(window, 0.95, 0.5, 0.95, 0.5)
    qtbot.waitUntil(lambda: asked(window) is not None)
    left, top, right, bottom = asked(window)
    assert right == pytest.approx(1.0)
    assert right - left == pytest.approx(1 / 3)
    assert top < 0.5 < bottom


def test_it_stays_through_edits_and_escape_drops_it_last(window, qtbot):
    draw(window, 0.2, 0.3, 0.6, 0.7)
    qtbot.waitUntil(lambda: asked(window) is not None)
    window.session.choose(window.session.document.look.sources[0].id)
    window.acts.step_hour(0.5)
    qtbot.waitUntil(lambda: len(window.bridge.backend.requests) >= 3)
    assert asked(window) is not None
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: asked(window) is None)


def test_the_slip_takes_the_part_about_a_place(window, qtbot):
    slip_act(window, window.bridge.lens.seen_at(0.5, 0.8), "refine a render region")
    qtbot.waitUntil(lambda: asked(window) is not None)


def test_it_is_handed_off_alone(window, qtbot, tmp_path):
    draw(window, 0.25, 0.25, 0.75, 0.75)
    QTest.keyClick(window.picture, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    box = next(b for b in window.facets.findChildren(QCheckBox) if "render region" in b.text())
    assert box.isChecked()
    assert window.sheet.path.stem.endswith("part")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    assert not window.sheet.path.stem.endswith("part")
    assert window.sheet.part is None
    QTest.keyClick(window.picture, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert not [b for b in window.facets.findChildren(QCheckBox) if "render region" in b.text()]


@pytest.mark.workers
def test_a_still_of_the_part_has_its_size(window, qtbot, tmp_path):
    target = tmp_path / "part.png"
    window.hand_off.write_still(target, size=(96, 54), passes=1, part=(0.25, 0.25, 0.75, 0.75))
    qtbot.waitUntil(lambda: window.hand_off.still is None, timeout=90_000)
    with Image.open(target) as picture:
        assert picture.size == (48, 28)
