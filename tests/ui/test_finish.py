"""The finish in the window: its card, its facets, the shelf, a picked white, tables; no new light is asked for."""

import attrs
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QFileDialog, QMenu, QPushButton, QToolButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.shelf import SHELF
from lunar_haze.core.finish.values import TableFile
from lunar_haze.ui.facets import finish_facets
from lunar_haze.ui.facets.finish_steps import take_table
from tests.core.test_grading_tables import BROKEN, IDENTITY, SWAPPED, written
from tests.ui.hands import choice, key, pick_in, seen_at, slip_act, type_in


def pixel(window):
    """The middle of the picture on screen: red, green, blue."""
    colour = window.bridge.shown.image.pixelColor(
        window.bridge.shown.image.width() // 2, window.bridge.shown.image.height() // 2
    )
    return np.array([colour.red(), colour.green(), colour.blue()])


@pytest.fixture
def window(window):
    """The window on a look without a finish."""
    window.session.act("no finish", edits.change_look(window.session.document, finish=Finish()))
    QApplication.processEvents()
    return window


@pytest.fixture
def finish_window(window):
    """The window with its finish card clicked."""
    card = window.rail.cards[FINISH]
    window.rail.ensureWidgetVisible(card)
    QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    QApplication.processEvents()
    return window


def button(window, text):
    return next(b for b in window.facets.findChildren(QPushButton) if b.text() == text and b.isVisibleTo(window))


def test_the_rail_ends_in_the_finish_and_a_click_shows_its_numbers(finish_window):
    assert list(finish_window.rail.cards)[-1] == FINISH
    assert finish_window.session.chosen == FINISH
    assert {"contrast", "neutral", "glow", "vignette", "night by eye", "grain"} <= set(finish_window.facets.wells)


def test_a_number_changes_the_picture_at_once_and_asks_for_no_light(finish_window):
    window = finish_window
    before, asked = pixel(window), (len(window.bridge.backend.requests), len(window.bridge.backend.balances))
    type_in(window, "finish exposure", "-2")
    QTest.qWait(30)
    assert window.session.document.look.finish.grade.exposure == -2.0
    assert (pixel(window) < before).all()
    backend = window.bridge.backend
    assert (len(backend.requests), len(backend.balances)) == asked
    window.session.undo()
    QTest.qWait(30)
    assert np.array_equal(pixel(window), before)


def test_the_picture_on_screen_is_the_still(finish_window):
    """What a still of the same light would hold, at the same exposure."""
    window = finish_window
    window.session.act("finish", edits.change_look(window.session.document, finish=SHELF["cold night"]))
    QTest.qWait(30)
    look, lens = window.session.document.look, window.session.document.shot.seen_from.tan_half_width
    still = finished(window.bridge.shown.picture, look.finish, window.bridge.shown.exposure(), lens)
    middle = still[still.shape[0] // 2, still.shape[1] // 2] * 255
    assert pixel(window) == pytest.approx(middle, abs=2.5)


def test_a_finish_of_the_shelf_is_one_step_and_marked(finish_window):
    window = finish_window
    shelf = window.facets.findChild(finish_facets.Shelf)
    QTest.mouseClick(shelf.buttons["storm"], Qt.MouseButton.LeftButton)
    assert window.session.document.look.finish == SHELF["storm"]
    assert [n for n, b in shelf.buttons.items() if b.isChecked()] == ["storm"]
    type_in(window, "contrast", "1.5")
    assert not any(b.isChecked() for b in shelf.buttons.values())
    QTest.mouseClick(button(window, "no finish"), Qt.MouseButton.LeftButton)
    assert window.session.document.look.finish == Finish()
    for _ in range(3):
        window.session.undo()
    assert window.session.document.look.finish == Finish()


def test_the_shelf_shows_each_on_the_present_picture(finish_window, qtbot):
    shelf = finish_window.facets.findChild(finish_facets.Shelf)
    qtbot.waitUntil(lambda: all(not b.icon().isNull() for b in shelf.buttons.values()), timeout=10_000)
    tones = {
        name: b.icon().pixmap(finish_facets.SHELF_WIDTH).toImage().pixelColor(30, 20).rgb()
        for name, b in shelf.buttons.items()
    }
    assert len(set(tones.values())) > 5


def test_n_mutes_it_and_so_does_the_box(finish_window):
    window = finish_window
    before = pixel(window)
    type_in(window, "finish exposure", "-3")
    QTest.qWait(30)
    key(window, Qt.Key.Key_Escape, Qt.Key.Key_N)
    QTest.qWait(30)
    assert window.session.document.look.finish.muted
    assert np.array_equal(pixel(window), before)
    box = next(b for b in window.facets.findChildren(QCheckBox) if b.text() == "muted")
    assert box.isChecked()
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(6, box.height() // 2))
    assert not window.session.document.look.finish.muted


def test_another_view_is_chosen_from_a_list(finish_window):
    window = finish_window
    before = pixel(window)
    for view in ("ACES 1.3", "unrendered", "false colour"):
        pick_in(window, "view", view)
        QTest.qWait(30)
        assert window.session.document.look.finish.view == view
        assert not np.array_equal(pixel(window), before)


def test_a_place_in_the_picture_becomes_neutral(window):
    """The light under the pointer is drawn grey."""
    window.session.act(
        "warm", edits.change_look(window.session.document, sources=tuple(
            attrs.evolve(s, kelvin=2600.0) for s in window.session.document.look.sources
        )),
    )  # fmt: skip
    QTest.qWait(60)
    window.session.act("flat", edits.change_finish(window.session.document, view="unrendered"))
    QTest.qWait(30)
    before = np.ptp(pixel(window) / max(pixel(window).max(), 1))
    slip_act(window, seen_at(window, (-22.6, -0.9, 0.65), name="jetty"), "make this neutral")
    QTest.qWait(30)
    assert window.session.document.look.finish.white.kelvin != 6000.0
    assert np.ptp(pixel(window) / max(pixel(window).max(), 1)) < before / 3


def test_a_table_is_opened_weakened_and_removed(finish_window, tmp_path, monkeypatch):
    window = finish_window
    before = pixel(window)
    path = written(tmp_path, SWAPPED)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(path), ""))
    section = next(b for b in window.facets.findChildren(finish_facets.QToolButton) if b.text() == "grading table")
    QTest.mouseClick(section, Qt.MouseButton.LeftButton)
    QTest.mouseClick(button(window, "open ..."), Qt.MouseButton.LeftButton)
    QTest.qWait(30)
    assert window.session.document.look.finish.table.path == str(path)
    pick_in(window, "what the table is made for", "for the screen")
    QTest.qWait(30)
    assert pixel(window) == pytest.approx(before[::-1], abs=2)
    type_in(window, "table strength", "0")
    QTest.qWait(30)
    assert pixel(window) == pytest.approx(before, abs=1)
    QTest.mouseClick(button(window, "remove"), Qt.MouseButton.LeftButton)
    assert window.session.document.look.finish.table is None


def test_a_broken_table_is_told_and_changes_nothing(finish_window, tmp_path):
    window, told = finish_window, []
    window.session.said.connect(lambda text, problem: told.append((text, problem)))
    take_table(window.session, written(tmp_path, BROKEN["nan"]))
    assert told
    assert told[-1][1]
    assert "table.cube" in told[-1][0]
    assert window.session.document.look.finish == Finish()


def test_a_table_that_is_gone_is_told_once_and_the_picture_stays(window, tmp_path):
    told = []
    window.bridge.said.connect(lambda text, problem: told.append(text))
    before = pixel(window)
    table = TableFile(str(tmp_path / "gone.cube"), "0")
    window.session.act("table", edits.change_finish(window.session.document, table=table))
    QTest.qWait(30)
    window.bridge.shown.refresh()
    assert len([t for t in told if "gone.cube" in t]) == 1
    assert pixel(window) == pytest.approx(before, abs=1)


def test_a_table_that_changes_on_disk_is_seen_at_once_and_told(finish_window, tmp_path, qtbot):
    window, told = finish_window, []
    window.session.said.connect(lambda text, problem: told.append(text))
    path = written(tmp_path, IDENTITY)
    take_table(window.session, path)
    pick_in(window, "what the table is made for", "for the screen")
    QTest.qWait(30)
    before = pixel(window)
    window._file_watch._watch()
    written(tmp_path, SWAPPED)
    qtbot.waitUntil(lambda: any("has changed on disk" in line for line in told), timeout=5000)
    qtbot.waitUntil(lambda: not np.array_equal(pixel(window), before), timeout=3000)
    assert pixel(window) == pytest.approx(before[::-1], abs=2)


def test_a_table_is_kept_in_the_document_by_a_path_of_its_own(finish_window, tmp_path, work):
    from lunar_haze.core.document.files import load

    window = finish_window
    path = written(work.parent, IDENTITY, "own.cube")
    take_table(window.session, path)
    window.session.save()
    assert '"own.cube"' in work.read_text()
    again, notes = load(work)
    assert again.look.finish.table.path == str(path)
    assert not notes


def test_small_pictures_of_shares_never_show_false_colour(finish_window):
    window = finish_window
    plain = window.bridge.shown.screen.table
    pick_in(window, "view", "false colour")
    assert window.bridge.shown.screen.table is plain
    assert choice(window, "view").currentText() == "false colour"


def open_menu(window, step):
    more = next(
        b for b in window.facets.findChildren(QToolButton) if b.accessibleName() == f"what can be done with {step}"
    )
    window.facets.ensureWidgetVisible(more)
    QTest.mouseClick(more, Qt.MouseButton.LeftButton)
    QApplication.processEvents()
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())


def choose_in(menu, words):
    action = next(a for a in menu.actions() if a.text() == words)
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    QApplication.processEvents()


def test_a_step_is_turned_off_copied_and_put_back_from_its_heading(finish_window):
    window = finish_window
    finish = lambda: window.session.document.look.finish  # noqa: E731
    plain = pixel(window)
    type_in(window, "finish exposure", "-2")
    dark = pixel(window)
    choose_in(open_menu(window, "tone"), "turn off")
    assert finish().off == ("tone",)
    assert np.array_equal(pixel(window), plain)
    choose_in(open_menu(window, "tone"), "turn on")
    assert np.array_equal(pixel(window), dark)
    choose_in(open_menu(window, "tone"), "copy this step")
    choose_in(open_menu(window, "tone"), "reset")
    assert finish().grade.exposure == 0.0
    choose_in(open_menu(window, "glow"), "paste")
    assert finish().grade.exposure == -2.0
    choose_in(open_menu(window, "glow"), "solo this step")
    assert "tone" in finish().off
    assert np.array_equal(pixel(window), plain)


def test_pasting_what_is_no_finish_is_told(finish_window):
    said = []
    finish_window.session.said.connect(lambda text, _bad: said.append(text))
    QApplication.clipboard().setText("a shopping list")
    choose_in(open_menu(finish_window, "glow"), "paste")
    assert "copied" in said[-1]


def test_every_step_of_the_lens_changes_the_picture(finish_window):
    for row, value in (("starburst", "50"), ("ghosts", "500"), ("halation", "1"), ("acuity", "2"), ("dark noise", "4")):
        before = finish_window.bridge.shown.picture
        type_in(finish_window, row, value)
        light = np.array(before, np.float32) * np.float32(1e-4)
        light[light.shape[0] // 2, light.shape[1] // 2] = 1e6
        finish = finish_window.session.document.look.finish
        assert not np.array_equal(finished(light, finish, 1.0, 0.5), finished(light, Finish(), 1.0, 0.5)), row
        finish_window.session.undo()


def test_dust_floats_in_the_picture_and_goes_with_undo(finish_window, qtbot):
    bridge = finish_window.bridge
    bare = pixel(finish_window), bridge.shown.image.copy()
    type_in(finish_window, "dust brightness", "10000")
    type_in(finish_window, "dust", "40")
    qtbot.waitUntil(lambda: bridge.asking.finished and bridge.shown.image != bare[1], timeout=5000)
    asked = bridge.backend.requests[-1]
    assert asked.motes.per_m3 == 40.0
    # More of it is asked for again, brighter is not.
    # While frames go by they drift, and nothing is asked for.
    look, shot, light = finish_window.session.document.look, finish_window.session.document.shot, bridge.shown.picture
    later = attrs.evolve(shot, frame=shot.frame + 24)
    now, then = (bridge.light.over_light(look, each, light.shape[:2])(light) for each in (shot, later))
    assert (now == bridge.light.over_light(look, shot, light.shape[:2])(light)).all()
    assert not (now == then).all()
    dusty, count = bridge.shown.image.copy(), len(bridge.backend.requests)
    type_in(finish_window, "dust brightness", "20000")
    assert bridge.shown.image != dusty
    assert len(bridge.backend.requests) == count
    for _ in range(3):
        finish_window.session.undo()
    qtbot.waitUntil(lambda: bridge.shown.image == bare[1], timeout=5000)


def test_the_white_balance_follows_the_key_where_it_is_to(finish_window):
    window, session = finish_window, finish_window.session
    document = attrs.evolve(session.document, current_shot="Waiting", current_look="lamplit wait")
    session.act("night", document)
    session.choose(FINISH)
    QApplication.processEvents()
    key_light = next(s for s in session.document.look.sources if s.role == "key")

    def white():
        return session.document.look.finish.white.kelvin

    def warm(kelvin):
        session.act("kelvin", edits.change_source(session.document, key_light.id, kelvin=kelvin))

    before = white()
    warm(key_light.kelvin + 300.0)
    assert white() == before
    session.undo()
    box = next(b for b in window.facets.findChildren(QCheckBox) if b.text() == "follows the key")
    window.facets.ensureWidgetVisible(box)
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    warm(key_light.kelvin + 300.0)
    moved = 1e6 / white() - 1e6 / before
    assert moved == pytest.approx(1e6 / (key_light.kelvin + 300.0) - 1e6 / key_light.kelvin, abs=0.1)
    session.undo()
    assert white() == before
    type_in(window, "neutral", "5000")
    assert white() == 5000.0


def test_a_large_table_is_read_aside_and_the_picture_does_without_meanwhile(finish_window, tmp_path, qtbot):
    """Megabytes of text held the window for as long as they took to be read."""
    window = finish_window
    remarks = ("# " + "x" * 998 + "\n") * 3000
    path = written(tmp_path, SWAPPED.replace("\n", "\n" + remarks, 1), "large.cube")
    before = window.bridge.shown.image.copy()
    take_table(window.session, path)
    assert window.session.document.look.finish.table is None
    qtbot.waitUntil(lambda: window.session.document.look.finish.table is not None, timeout=30_000)
    assert window.session.document.look.finish.table.path == str(path)
    qtbot.waitUntil(lambda: window.bridge.shown.image != before, timeout=10_000)
    # One that is opened with its document is read aside as well.
    other = written(tmp_path, SWAPPED.replace("\n", "\n" + remarks + "# another\n", 1), "other.cube")
    told = []
    window.session.said.connect(lambda text, problem: told.append((text, problem)))
    window.session.act("none", edits.change_finish(window.session.document, table=None))
    qtbot.waitUntil(lambda: window.bridge.shown.image == before, timeout=10_000)
    with qtbot.waitSignal(window.session.tables.here, timeout=30_000):
        window.session.act("table", edits.change_finish(window.session.document, table=TableFile(str(other))))
        qtbot.waitUntil(lambda: any("is being read" in text for text, _problem in told), timeout=5000)
    qtbot.waitUntil(lambda: window.bridge.shown.image != before, timeout=10_000)
    assert not [text for text, problem in told if problem]


def test_a_large_table_that_is_damaged_is_told_and_changes_nothing(finish_window, tmp_path, qtbot):
    window = finish_window
    remarks = ("# " + "x" * 998 + "\n") * 3000
    told = []
    window.session.said.connect(lambda text, problem: told.append((text, problem)))
    take_table(
        window.session, written(tmp_path, remarks + SWAPPED.replace("LUT_3D_SIZE 2", "LUT_3D_SIZE 9"), "large.cube")
    )
    qtbot.waitUntil(lambda: any("large.cube" in text and problem for text, problem in told), timeout=30_000)
    assert window.session.document.look.finish.table is None
