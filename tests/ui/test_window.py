"""The window driven as a hand would: mouse, keys and wheel on the real widgets."""

import json
import os
import signal
import sys

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QMenu, QToolButton

from lunar_haze.core.document.files import load
from lunar_haze.core.document.rows import AIR, CAMERA, FINISH
from lunar_haze.core.sources.gain import source_gain
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.service.client import RenderClient
from lunar_haze.ui.rail.share_pictures import share_picture
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.keys import ACTS, Keys
from lunar_haze.ui.shell.window import Window
from tests.ui.backends import InstantBackend
from tests.ui.hands import drag, drop, finish, source


def choose_look(window, qtbot, look, shot="Landing"):
    window.header.shots.setCurrentText(shot)
    window.header.shots.textActivated.emit(shot)
    window.header.looks.setCurrentText(look)
    window.header.looks.textActivated.emit(look)
    QApplication.processEvents()
    qtbot.waitUntil(lambda: window.session.document.current_look == look)
    # What was finished before may be another look's picture: it is asked for when the look's sky is there.
    qtbot.waitUntil(lambda: window.bridge.asking._tables.are_there(window.session.shown_look))
    qtbot.wait(30)
    qtbot.waitUntil(lambda: window.bridge.asking.finished)


def test_it_opens_on_the_demo_with_a_picture_cards_and_a_plan(window, qtbot):
    assert not window.bridge.shown.image.isNull()
    assert list(window.rail.cards) == [s.id for s in window.session.document.look.sources] + [AIR, FINISH]
    qtbot.waitUntil(
        lambda: all(c.image is not None for k, c in window.rail.cards.items() if k in ("sun", "sky")), timeout=5000
    )
    qtbot.waitUntil(lambda: window.plan.ground.drawing is not None, timeout=20_000)
    window.plan.repaint()
    assert window.plan.ground.image() is not None
    assert window.ribbon.reading is None or window.ribbon.reading.cells.sum() <= 1.0


def test_one_grain_far_brighter_than_white_does_not_whiten_a_card(window):
    def seen():
        image = share_picture(window.bridge, ["sun"], 128).image
        assert image.width() == 128
        return np.array([[image.pixelColor(x, y).value() for x in range(128)] for y in range(image.height())])

    before = seen()
    board = window.bridge.backend.board
    board.surface[:, board.height // 2, board.width // 2] = 1e9
    after = seen()
    assert after.max() > before.max(), "it is still told"
    assert after.max() < before.max() + 60


def test_dragging_a_card_up_raises_its_dimmer_without_new_rays(window, qtbot):
    card = window.rail.cards["sun"]
    asked = len(window.bridge.backend.requests)
    before = window.bridge.shown.picture.mean()
    drag(card, QPoint(60, 60), QPoint(60, 60 - 48))
    assert source(window, "sun").dimmer_stops == pytest.approx(2.0, abs=0.05)
    assert window.bridge.shown.picture.mean() > before
    assert len(window.bridge.backend.requests) == asked
    assert window.session.chosen == "sun"
    qtbot.waitUntil(lambda: any(settled for _m, _g, settled in window.bridge.backend.balances), timeout=3000)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert source(window, "sun").dimmer_stops == 0.0, "a drag is one step of undo"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert source(window, "sun").dimmer_stops == pytest.approx(2.0, abs=0.05)


def test_dragging_a_card_aside_warms_or_cools_and_a_double_click_resets(window):
    card = window.rail.cards["sun"]
    kelvin = window.session.lamp_kelvin(source(window, "sun"))
    assert 1900 < kelvin < 3500, "a low sun starts from its own warmth"
    drag(card, QPoint(40, 40), QPoint(100, 42))
    assert source(window, "sun").kelvin > kelvin * 1.2
    drag(card, QPoint(60, 60), QPoint(60, 20))
    QTest.mouseDClick(card, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(60, 60))
    assert source(window, "sun").dimmer_stops == 0.0


def test_the_live_mix_is_the_sum_it_claims_to_be(window):
    """While a dimmer moves the picture is the denoised one plus the change: the same as mixing anew."""
    drag(window.rail.cards["sky"], QPoint(60, 60), QPoint(60, 90))
    shown = window.bridge.shown.picture.copy()
    window.bridge.light.mix.drop_clean()
    window.bridge.shown.refresh()
    np.testing.assert_allclose(shown, window.bridge.shown.picture, rtol=1e-4)


def test_mute_alone_and_thirds_of_stops_by_key(window):
    window.session.choose("sun")
    QTest.keyClick(window, Qt.Key.Key_N)
    assert source(window, "sun").muted
    QTest.keyClick(window, Qt.Key.Key_N)
    QTest.keyClick(window, Qt.Key.Key_O)
    assert source(window, "sun").alone
    QTest.keyClick(window, Qt.Key.Key_S)
    assert window.session.chosen_source.name == "sky"
    dark = window.bridge.gains.present()
    QTest.keyClick(window, Qt.Key.Key_O)
    assert window.bridge.gains.present() != dark, "several can be alone together"
    QTest.keyClick(window, Qt.Key.Key_BracketRight)
    QTest.keyClick(window, Qt.Key.Key_BracketRight)
    assert source(window, "sky").dimmer_stops == pytest.approx(2 / 3, abs=1e-3)


def test_start_from_black_is_black_and_one_lamp_brings_light(window, qtbot):
    QTest.keyClick(window, Qt.Key.Key_T)
    QApplication.processEvents()
    assert all(s.muted for s in window.session.document.look.sources)
    qtbot.waitUntil(lambda: window.bridge.shown.picture is not None and window.bridge.shown.picture.max() == 0.0)
    window.session.choose(window.session.document.look.sources[0].id)
    QTest.keyClick(window, Qt.Key.Key_N)
    qtbot.waitUntil(lambda: window.bridge.shown.picture.max() > 0.0)
    for _ in range(2):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not any(s.muted for s in window.session.document.look.sources if s.id in ("sun", "sky"))


def test_the_day_strip_moves_the_sun(window, qtbot):
    band = window.hour.band
    asked = len(window.bridge.backend.requests)
    y = 20
    drag(band, QPoint(band.width() // 2, y), QPoint(int(band.width() * 15 / 24), y))
    look = window.session.document.look
    assert look.hour_h == pytest.approx(15.0, abs=0.1)
    assert look.source("sun").shape.azimuth_deg > 200
    qtbot.waitUntil(lambda: len(window.bridge.backend.requests) > asked)
    QTest.keyClick(window, Qt.Key.Key_H)
    assert window.session.document.look.hour_h == pytest.approx(look.hour_h + 1 / 6)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_typing_dragging_and_wheeling_in_a_well(window):
    window.session.choose("sun")
    well = window.facets.wells["dimmer"]
    QTest.mouseClick(well, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(40, 10))
    finish(well, "+1/3")
    assert source(window, "sun").dimmer_stops == pytest.approx(1 / 3)
    unit = next(c for c in window.facets.widget().findChildren(QComboBox) if c.accessibleName() == "unit of the level")
    before = source_gain(source(window, "sun"))
    unit.textActivated.emit("lx")
    np.testing.assert_allclose(source_gain(source(window, "sun")), before, rtol=1e-5)
    well = window.facets.wells["level"]
    well.edit()
    finish(well, "20 klx")
    assert source(window, "sun").amount == 20_000
    well.edit()
    finish(well, "5 m")
    assert source(window, "sun").amount == 20_000, "a wrong unit changes nothing"
    well.close_editor()
    well = window.facets.wells["size"]
    drag(well, QPoint(100, 10), QPoint(160, 10))
    assert source(window, "sun").shape.diameter_deg > 0.8
    QTest.mouseDClick(well, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(100, 10))
    assert source(window, "sun").shape.diameter_deg == pytest.approx(0.53)


def test_the_unit_is_told_anew_without_changing_the_light(window, qtbot):
    choose_look(window, qtbot, "moonlit mist")
    window.session.choose("window")
    gains = window.bridge.gains.present()
    unit = next(c for c in window.facets.widget().findChildren(QComboBox) if c.accessibleName() == "unit of the level")
    unit.setCurrentText("cd")
    unit.textActivated.emit("cd")
    assert source(window, "window").unit == "cd"
    assert source(window, "window").amount == pytest.approx(420 / (4 * np.pi))
    for a, b in zip(gains, window.bridge.gains.present()):
        np.testing.assert_allclose(a.surface, b.surface, rtol=1e-5)


def test_air_and_lens_have_their_facets(window, qtbot):
    asked = len(window.bridge.backend.requests)
    window.session.choose(AIR)
    well = window.facets.wells["visibility"]
    well.edit()
    finish(well, "80 m")
    assert window.session.document.look.medium.visibility_m == 80.0
    qtbot.waitUntil(lambda: len(window.bridge.backend.requests) == asked + 1)
    window.session.choose(CAMERA)
    before = window.bridge.shown.image.pixelColor(20, 20).value()
    well = window.facets.wells["exposure"]
    well.edit()
    finish(well, "18 EV")
    QApplication.processEvents()
    assert window.bridge.shown.image.pixelColor(20, 20).value() < before
    assert len(window.bridge.backend.requests) == asked + 1
    assert window.facets.wells["focal length"].locked


def test_exposure_stays_until_it_is_asked_from_the_picture(window):
    ev100 = window.session.document.look.ev100
    drag(window.rail.cards["sun"], QPoint(60, 60), QPoint(60, 10))
    assert window.session.document.look.ev100 == ev100
    QTest.keyClick(window, Qt.Key.Key_E)
    look = window.session.document.look
    assert look.ev100 != ev100
    exposed = np.exp(np.log(window.bridge.shown.picture @ [0.2722287, 0.6740818, 0.0536895]).mean()) * exposure_scale(
        look.ev100
    )
    assert exposed == pytest.approx(0.18, rel=0.1)


def test_a_mark_is_pulled_in_the_plan_and_on_its_height_strip(window, qtbot):
    choose_look(window, qtbot, "moonlit mist")
    plan = window.plan
    window.session.choose("rim")
    start = next(at for sid, part, at in plan.marks() if sid == "rim" and part == "position")
    before = source(window, "rim").shape
    asked = len(window.bridge.backend.requests)
    drag(plan, start, start + QPointF(24, -10))
    after = source(window, "rim").shape
    assert after.position[0] - before.position[0] == pytest.approx(24 * plan.metres_per_pixel, rel=0.15)
    assert after.position[1] > before.position[1]
    assert after.position[2] == before.position[2]
    assert after.aim == before.aim
    qtbot.waitUntil(lambda: len(window.bridge.backend.requests) > asked)
    kept = {s.key() for s in window.bridge.backend.requests[-1].layers} & {
        s.key() for s in window.bridge.backend.requests[asked - 1].layers
    }
    assert len(kept) == len(window.bridge.backend.requests[-1].layers) - 1, "only the moved lamp restarts"
    drag(plan, QPoint(plan.width() - 8, 100), QPoint(plan.width() - 8, 40))
    assert source(window, "rim").shape.position[2] > before.position[2]


def test_a_handle_is_pulled_in_the_picture_and_keeps_its_depth(window, qtbot):
    choose_look(window, qtbot, "moonlit mist")
    window.session.choose("window")
    picture = window.picture
    (part, at), *_rest = picture.handles.places().items()
    assert part == "position"
    camera = window.session.document.shot.camera
    depth = camera.project(np.array(source(window, "window").shape.position), 1, 1)[2]
    drag(picture, at, at + QPointF(-60, 30))
    moved = np.array(source(window, "window").shape.position)
    assert camera.project(moved, 1, 1)[2] == pytest.approx(depth, rel=1e-6)
    now = picture.project(tuple(moved))
    assert (now - at - QPointF(-60, 30)).manhattanLength() < 2.0


def test_a_click_on_a_surface_offers_acts_and_puts_a_source_there(window):
    picture = window.picture
    at = QPointF(picture.width() / 2, picture.height() * 0.8)
    seen = window.bridge.lens.seen_at(*picture.to_picture(at))
    assert seen.distance_m == pytest.approx(5.0)
    slip = picture.slip(at, seen)
    texts = [a.text() for a in slip.actions()]
    assert any("away" in t for t in texts)
    assert "read here" in texts
    put = slip.findChild(QMenu)
    next(a for a in put.actions() if a.text() == "ball").trigger()
    made = window.session.chosen_source
    assert isinstance(made.shape, Ball)
    np.testing.assert_allclose(np.array(made.shape.position), seen.point + seen.normal * 0.4, atol=1e-6)
    next(a for a in slip.actions() if a.text() == "read here").trigger()
    assert "cd/m²" in window.notices.text
    sky = picture.slip(QPointF(picture.width() / 2, 20), None)
    assert sky.actions()[0].text() == "choose sky"


def test_a_locked_camera_does_not_move_and_an_unlocked_one_does(window):
    picture = window.picture
    middle = QPoint(picture.width() // 2, picture.height() // 2)
    ctrl_key = Qt.KeyboardModifier.ControlModifier
    camera = window.session.document.shot.camera
    drag(picture, middle, middle + QPoint(60, 10), modifier=ctrl_key)
    assert window.session.document.shot.camera == camera
    assert "locked" in window.notices.text
    QTest.mouseClick(window.header.lock, Qt.MouseButton.LeftButton)
    drag(picture, middle, middle + QPoint(60, 10), modifier=ctrl_key)
    assert window.session.document.shot.camera.position != camera.position
    assert window.session.document.shot.camera.aim == camera.aim


def test_zoom_keeps_the_point_under_the_pointer(window):
    picture = window.picture
    at = QPointF(300, 200)
    before = picture.to_picture(at)
    wheel = QWheelEvent(
        at,
        picture.mapToGlobal(at),
        QPoint(),
        QPoint(0, 360),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(picture, wheel)
    assert picture.zoom > 1.3
    np.testing.assert_allclose(picture.to_picture(at), before, atol=1e-6)
    drag(picture, QPoint(300, 200), QPoint(340, 220), Qt.MouseButton.MiddleButton)
    assert picture.to_picture(at)[0] < before[0]
    QTest.keyClick(picture, Qt.Key.Key_Home)
    assert picture.zoom == 1.0


def test_pins_keep_compare_wipe_and_return(window):
    QTest.keyClick(window, Qt.Key.Key_W)
    assert "pin a state first" in window.notices.text
    QTest.keyClick(window, Qt.Key.Key_P)
    assert len(window.session.document.pins) == 1
    pinned = window.session.document.look
    drag(window.rail.cards["sun"], QPoint(60, 60), QPoint(60, 100))
    QTest.keyPress(window, Qt.Key.Key_B)
    assert window.picture.show_before
    QTest.keyRelease(window, Qt.Key.Key_B)
    assert not window.picture.show_before
    QTest.keyClick(window, Qt.Key.Key_W)
    assert window.picture.wiping
    x = window.picture._wipe_x()
    drag(window.picture, QPointF(x, 200), QPointF(x + 120, 200))
    assert window.picture.wipe_at > 0.55
    chip = window.header.pins.itemAt(0).widget()
    QTest.mouseClick(chip, Qt.MouseButton.LeftButton)
    assert window.session.document.look == pinned


def test_saving_opening_again_and_recent_files(window, work):
    drag(window.rail.cards["sun"], QPoint(60, 60), QPoint(60, 30))
    assert window.header.place.text().endswith("*")
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert not window.header.place.text().endswith("*")
    document, notes = load(work)
    assert document == window.session.document
    assert notes == []
    assert window.session.recent.paths()[0] == work


def test_unsaved_work_comes_back_and_undo_leads_to_the_saved_file(window, qtbot, work, tmp_path):
    drag(window.rail.cards["sun"], QPoint(60, 60), QPoint(60, 30))
    lost = window.session.document
    qtbot.waitUntil(lambda: (work.parent / f".{work.name}.autosave").exists(), timeout=6000)
    again = Session(tmp_path / "state2")
    again.open_path(work)
    assert again.document == lost
    again.undo()
    assert again.document == load(work)[0]
    again.close()


def test_a_place_let_fall_on_the_picture_is_opened(window, qtbot, work):
    drop(window.picture, work.with_suffix(".glb"))
    assert window.session.path is None
    assert {s.name for s in window.session.document.shots} == {"Landing", "Waiting", "Loft"}
    assert {s.name for s in window.session.document.look.sources} >= {"sun", "sky", "post lamp"}
    assert window.header.place.text() == "gannet-reach (not saved)"


def _torn(p):
    p.with_suffix(".glb").write_bytes(p.with_suffix(".glb").read_bytes()[:5000])
    return p.with_suffix(".glb")


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (_torn, "cut short"), (lambda p: p.parent, "folder"), (lambda p: p.parent / "none.haze", "cannot be opened"),
        (lambda p: (p.parent / "n.haze").write_text('{"lunar_haze": 99}') and p.parent / "n.haze", "newer"),
        (lambda p: (p.parent / "x.xyz").write_text("x") and p.parent / "x.xyz", "not read"),
    ],
)  # fmt: skip
def test_what_cannot_be_opened_is_told_and_nothing_changes(window, work, make, words):
    before = window.session.document
    assert not window.files.open_path(make(work))
    assert words in window.notices.text
    assert window.session.document == before


def test_a_wrong_scale_is_corrected_as_an_edit(window):
    window.session.rescale_place(2.0)
    assert window.session.document.place.scale == 2.0
    assert window.session.document.shot.camera.position[0] == pytest.approx(27.0, rel=1e-4)
    window.session.undo()
    assert window.session.document.place.scale == 1.0


def test_a_still_is_written_in_the_background(window, qtbot, tmp_path):
    target = tmp_path / "still.exr"
    window.hand_off.write_still(target, size=(64, 36), passes=2, backend=InstantBackend())
    qtbot.waitUntil(lambda: window.hand_off.still is None, timeout=20_000)
    assert target.exists()
    assert "wrote" in window.notices.text
    window.hand_off.write_still(tmp_path / "no" / "still.png", size=(64, 36), passes=2, backend=InstantBackend())
    qtbot.waitUntil(lambda: window.hand_off.still is None, timeout=20_000)
    assert "not a folder" in window.notices.text


def test_cards_are_copied_pasted_moved_and_taken_away(window):
    window.session.choose("sun")
    QTest.keyClick(window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert window.session.chosen_source.name == "sun 2"
    QTest.keyClick(window, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    names = [s.name for s in window.session.document.look.sources]
    assert names[-2] == "sun 2"
    assert list(window.rail.cards)[-4] == window.session.chosen
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert "sun 2" not in [s.name for s in window.session.document.look.sources]
    assert window.session.chosen == ""


def test_pointing_at_a_stop_shows_where_it_lies(window, qtbot):
    qtbot.waitUntil(lambda: window.ribbon.reading is not None, timeout=3000)
    stop, cell = next((s, c) for s, c in window.ribbon._cells() if s == 2)
    QTest.mouseMove(window.ribbon, cell.center().toPoint())
    window.ribbon.pointed.emit(stop)
    assert window.picture.isolated == 2
    window.ribbon.pointed.emit(None)
    assert window.picture.isolated is None


def test_plan_and_picture_swap_and_the_picture_takes_the_window(window):
    width = window.picture.width()
    QTest.keyClick(window, Qt.Key.Key_L)
    QApplication.processEvents()
    assert window.plan.width() > window.picture.width()
    QTest.keyClick(window, Qt.Key.Key_L)
    QTest.keyClick(window, Qt.Key.Key_F11)
    QApplication.processEvents()
    assert window.isFullScreen()
    assert window.picture.width() >= window.width() - 2
    QTest.keyClick(window, Qt.Key.Key_Escape)
    QApplication.processEvents()
    assert not window.isFullScreen()
    assert abs(window.picture.width() - width) <= 2


def test_keys_are_on_one_sheet_without_doubles_and_can_be_changed(window, tmp_path):
    keys = [a.key for a in ACTS if a.key]
    assert len(keys) == len(set(keys))
    assert all(window.actions_by_name[a.name].toolTip() for a in ACTS)
    mine = Keys(tmp_path / "k.json")
    pin = next(a for a in ACTS if a.name == "pin")
    assert "wipe against the pin" in mine.change(pin, "W")
    assert mine.change(pin, "Ctrl+P") is None
    assert Keys(tmp_path / "k.json").key(pin).toString() == "Ctrl+P"
    QTest.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    sheet = QApplication.activeModalWidget() or next(
        w for w in QApplication.topLevelWidgets() if w.windowTitle() == "keys"
    )
    sheet.close()


def test_window_state_is_remembered_and_damage_is_harmless(window, tmp_path):
    window._set_surround("mid grey")
    window.close()
    kept = json.loads((tmp_path / "state" / "window.json").read_text())
    assert kept["surround"] == "mid grey"
    (tmp_path / "state" / "window.json").write_text("not json")
    window._restore_geometry()


def test_everything_that_can_be_focused_says_what_it_is(window):
    for kind in (QToolButton, QComboBox):
        for widget in window.findChildren(kind):
            if widget.isVisible():
                assert widget.toolTip() or widget.text(), widget


@pytest.mark.workers
def test_the_real_renderer_paints_the_window_and_survives_a_kill(qtbot, tmp_path, work):
    session = Session(tmp_path / "state")
    client = RenderClient(tmp_path / "layers")
    window = Window(session, client, tmp_path / "state")
    qtbot.addWidget(window)
    window.bridge.asking._area = (160, 90)
    window.picture.setFixedSize(480, 270)
    window.bridge.asking.set_area = lambda w, h: None
    window.show()
    window.files.open_path(work)
    qtbot.waitUntil(lambda: not window.bridge.shown.image.isNull(), timeout=60_000)
    os.kill(client.process_id, signal.SIGKILL)
    qtbot.waitUntil(lambda: "started again" in window.notices.text, timeout=20_000)
    qtbot.waitUntil(
        lambda: window.bridge.shown.picture is not None and window.bridge.shown.picture.mean() > 1.0, timeout=60_000
    )
    window.close()


def test_long_work_does_not_wear_out_the_interpreter(window):
    """Some builds of the Qt binding give back None once too often, which ends a long session in a crash."""
    for _ in range(3):
        window.bridge.shown.refresh()
        QApplication.processEvents()
    before = sys.getrefcount(None)
    for _ in range(40):
        for widget in (window.picture, window.plan, window.ribbon, window.hour, *window.rail.cards.values()):
            widget.update()
        window.bridge.shown.refresh()
        QApplication.processEvents()
    assert sys.getrefcount(None) > before - 400
