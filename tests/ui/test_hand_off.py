"""The hand-off sheet in the column: choices, what they write, and the same again."""

import json

import numpy as np
import OpenImageIO as oiio
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from lunar_haze.ui.base import questions
from lunar_haze.ui.handoff import hand_off
from lunar_haze.ui.handoff.hand_off_sheet import HandOffSheet, Order
from tests.ui.backends import InstantBackend
from tests.ui.hands import pick_in, type_in


@pytest.fixture
def sheet(window, tmp_path, monkeypatch):
    """The sheet open, stills written by an instant renderer into a folder of their own."""
    real = hand_off.StillJob

    def job(*arguments, **more):
        made = real(*arguments, **more)
        made._backend = InstantBackend()
        return made

    monkeypatch.setattr(hand_off, "StillJob", job)
    QTest.keyClick(window.picture, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    window.sheet._change(folder=str(tmp_path))
    window.session.chosen_changed.emit()
    return window.sheet


def press(window, words):
    button = next(b for b in window.facets.findChildren(QPushButton) if b.text() == words)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def written(window, qtbot):
    qtbot.waitUntil(lambda: window.hand_off.still is None, timeout=20_000)


def size_of(path):
    spec = oiio.ImageInput.open(str(path)).spec()
    return spec.width, spec.height, spec.nchannels


def test_the_key_opens_it_and_what_is_chosen_is_written(window, sheet, tmp_path, qtbot):
    pick_in(window, "size", "a quarter of it")
    type_in(window, "passes", "3")
    press(window, "write the still")
    written(window, qtbot)
    shot, look = window.session.document.current_shot, window.session.document.current_look
    assert size_of(tmp_path / f"{shot} {look}.png")[:2] == (480, 270)


def test_a_size_of_one_s_own_keeps_the_frame_s_proportions(window, sheet, tmp_path, qtbot):
    pick_in(window, "size", "my own")
    type_in(window, "width", "322")
    pick_in(window, "format", "OpenEXR with a layer for each source")
    line = next(w for w in window.facets.findChildren(QLineEdit) if w.accessibleName() == "name of the file")
    line.selectAll()
    QTest.keyClicks(line, "test {frame}/x")
    QTest.keyClick(line, Qt.Key.Key_Return)
    press(window, "write the still")
    written(window, qtbot)
    width, height, channels = size_of(tmp_path / "test 0001-x.exr")
    assert (width, height) == (322, 180)
    assert channels > 4, "layers beside the picture"


def test_the_same_again_by_one_key_and_a_file_that_is_there_is_asked_about(window, sheet, tmp_path, qtbot, monkeypatch):
    pick_in(window, "size", "a quarter of it")
    path = sheet.path
    path.write_text("mine")
    QTest.keyClick(
        window.picture, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert window.hand_off.still is None
    assert path.read_text() == "mine"
    monkeypatch.setattr(questions, "ask", lambda *_a, **_k: "replace it")
    QTest.keyClick(
        window.picture, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    written(window, qtbot)
    assert size_of(path)[:2] == (480, 270)


def test_choices_are_kept_and_damaged_ones_are_the_usual(window, sheet, tmp_path):
    pick_in(window, "size", "twice as large")
    kept = HandOffSheet(window.session, window.bridge, window.hand_off, sheet.file)
    assert kept.order == sheet.order
    for damage in ("[" * 9000, "5", json.dumps({"size": [1], "width": "x"})):
        sheet.file.write_text(damage)
        assert HandOffSheet(window.session, window.bridge, window.hand_off, sheet.file).order == Order()


def test_the_picture_goes_to_the_clipboard(window, sheet):
    press(window, "copy the picture")
    image = QApplication.clipboard().image()
    assert (image.width(), image.height()) == window.bridge.asking.size()


@pytest.mark.parametrize("frame", [(1920, 1080), (1080, 1920), (16, 16384), (16384, 16384)])
@pytest.mark.parametrize("size", ["the shot's frame", "twice as large", "a quarter of it"])
def test_every_size_is_even_and_within_what_there_is(frame, size):
    width, height = Order(size=size).pixels(*frame)
    assert width % 2 == height % 2 == 0
    assert min(width, height) >= 16
    assert max(width, height) <= 16384
    if min(frame) > 100:
        assert np.isclose(width / height, frame[0] / frame[1], rtol=0.01)
