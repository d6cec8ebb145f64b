"""The sheet of memory: shown, and set as a hand would."""

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from lunar_haze.core.layers.model import LayerImage
from lunar_haze.service import memory
from lunar_haze.service.folders import cache_folder
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.ui.shell.memory_sheet import MemorySheet, told
from tests.ui.hands import typed_in


def _opened(window, qtbot) -> MemorySheet:
    menu = window.header.menu
    action = next(a for a in menu.actions() if a.text().startswith("memory"))
    menu.popup(window.mapToGlobal(window.rect().center()))
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    return next(w for w in window.children() if isinstance(w, MemorySheet))


def test_the_limit_is_typed_kept_and_in_force_at_once(window, qtbot):
    sheet = _opened(window, qtbot)
    limits = window.bridge.backend.limits
    assert sheet.automatic.isChecked()
    assert not sheet.limit.isEnabled()
    QTest.mouseClick(sheet.automatic, Qt.MouseButton.LeftButton, pos=sheet.automatic.rect().center() / 2)
    if sheet.automatic.isChecked():
        QTest.keyClick(sheet.automatic, Qt.Key.Key_Space)
    typed_in(sheet.limit, "0.5")
    assert memory.chosen_limit() == limits[-1] == 500_000_000
    QTest.keyClick(sheet.automatic, Qt.Key.Key_Space)
    assert memory.chosen_limit() is None
    assert limits[-1] == memory.automatic_limit()


def test_what_lies_on_disk_is_told_and_deleted(window, qtbot):
    image = np.ones((320, 640, 3), np.float32)
    LayerCache(cache_folder() / "layers").put(LayerImage("k", 3, image, image))
    sheet = _opened(window, qtbot)
    texts = [label.text() for label in sheet.findChildren(type(sheet.on_disk))]
    assert any("free" in text for text in texts)
    assert told(memory.machine().total) in sheet._figures["machine"].text()
    assert sheet.on_disk.text().startswith("4 MB")
    button = next(b for b in sheet.findChildren(QPushButton) if b.text() == "delete them")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert sheet.on_disk.text().startswith("0 MB")
    assert not LayerCache(cache_folder() / "layers").has("k")
