"""The manual, what the program says of itself, and its title."""

import re

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from lunar_haze import __version__
from lunar_haze.ui.shell.about import AboutSheet, licences
from lunar_haze.ui.shell.manual import FOLDER, Manual


def test_every_page_of_the_manual_is_there_with_its_pictures():
    pages = sorted(FOLDER.glob("*.md"))
    assert {p.stem for p in pages} >= {"index", "window", "hand", "light", "air", "sky", "balance"}
    for page in pages:
        for target in re.findall(r"\]\(([^)]+)\)", page.read_text()):
            assert (FOLDER / target).exists(), f"{page.name} leads to {target}"


def test_the_help_key_opens_the_manual_and_links_lead_on(window, qtbot):
    QTest.keyClick(window.picture, Qt.Key.Key_F1)
    manual = window._manual
    assert manual.isVisible()
    assert "Light adds up" in manual.page.toPlainText()
    manual._follow(manual.page.source().resolved(manual.page.source().fromLocalFile(str(FOLDER / "balance.md"))))
    assert "key to fill" in manual.page.toPlainText()
    window.close()
    assert not manual.isVisible()


def test_the_manual_stands_alone(qtbot):
    manual = Manual()
    qtbot.addWidget(manual)
    assert manual.page.toPlainText()


def test_version_and_licences_are_told(window):
    sheet = AboutSheet(window)
    names = {name.lower() for name, _version, _licence in licences()}
    assert {"numpy", "pyside6-essentials"} & names
    assert __version__ in "".join(label.text() for label in sheet.findChildren(type(window.beside.readings.levels)))
    assert "Open Font License" in sheet.list.toPlainText()
    sheet.reject()


def test_the_title_names_the_document_and_whether_it_is_changed(window):
    assert window.windowTitle().startswith(window.session.path.name)
    assert not window.isWindowModified()
    window.acts.step_hour(0.1)
    assert window.isWindowModified()
    window.session.undo()
    assert not window.isWindowModified()
    assert not window.windowIcon().isNull()


def test_redo_has_two_keys(window):
    window.acts.step_hour(0.1)
    hour = window.session.document.look.hour_h
    QTest.keyClick(window.picture, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.document.look.hour_h != hour
    QTest.keyClick(window.picture, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert window.session.document.look.hour_h == hour
