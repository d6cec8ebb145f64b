"""Time as a hand works at it: keys set, moved, eased; the shot played; flickers; test frames; sequences."""

import itertools
import time

import av
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMenu, QPushButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import CueSheet, cue_of, cues_of, with_key
from lunar_haze.core.document.files import from_json, to_json
from lunar_haze.core.document.mask_edits import add_mask
from lunar_haze.core.document.rows import CAMERA
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.layers.model import digest
from lunar_haze.core.sky.model import Lightning
from lunar_haze.core.sources.contacts import FailingTube
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.core.sources.storms import Storm
from lunar_haze.ui.base.chip import Chip
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.base.key_mark import AT_KEY, KEYED, STEADY
from lunar_haze.ui.handoff.sequence_job import DONE, PAUSED
from lunar_haze.ui.session.chosen import HAND_OFF
from lunar_haze.ui.time.cue_band import Spot
from lunar_haze.ui.time.frames_view import frames_to_look_at
from lunar_haze.ui.time.player import MADE_AHEAD
from tests.service.test_video import film
from tests.ui.backends import InstantBackend
from tests.ui.hands import pick_in, right_click


@pytest.fixture
def shot(window, qtbot):
    """A shot of 48 frames on a night by lamps, the strip open."""
    session = window.session
    window.player.ahead.backend = InstantBackend
    document = edits.change_shot(
        edits.attrs.evolve(session.document, current_shot="Waiting", current_look="lamplit wait"),
        first_frame=1, last_frame=48, frame=1, ends=None,
    )  # fmt: skip
    session.act("a shot of 48 frames", document)
    session.choose("rim")
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_F)
    assert window.cue_strip.isVisible()
    bridge = window.bridge

    def is_lit():
        wanted = {g.key for g in bridge.gains.present() if not g.is_silent}
        return bridge.asking.finished and wanted <= bridge.light.mix.images.keys()

    qtbot.waitUntil(is_lit, timeout=20_000)
    return window


def _take(menu, *words):
    """Take an act of a menu by its words, and those of the menus that lead there."""
    for word in words[:-1]:
        menu = next(m for m in menu.findChildren(QMenu) if m.title() == word)
    action = next(a for a in menu.actions() if a.text() == words[-1])
    assert action.isEnabled()
    action.trigger()


def put_key(window, frame, stops):
    """At a frame, a dimmer typed into its well, with a key."""
    band = window.cue_strip.band
    y = band.height() - 6
    QTest.mouseClick(band, Qt.MouseButton.LeftButton, pos=QPoint(round(band.x_of(frame)), y))
    assert window.session.document.shot.frame == frame
    well = window.facets.wells["dimmer"]
    well.setFocus()
    if well.keys.state == STEADY:
        QTest.keyClick(well, Qt.Key.Key_K)
    well.setFocus()
    QTest.keyClicks(well, "=")
    QTest.keyClicks(QApplication.focusWidget(), f"{stops}")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)


def test_keys_are_set_by_hand_and_the_well_tells(shot):
    put_key(shot, 1, -6)
    put_key(shot, 25, 0)
    session = shot.session
    cue = cue_of(session.document, "rim", "dimmer")
    assert [(k.frame, k.value) for k in cue.keys] == [(1.0, -6.0), (25.0, 0.0)]
    assert shot.facets.wells["dimmer"].keys.state == AT_KEY
    shot.player.step(-1)
    assert shot.facets.wells["dimmer"].keys.state == KEYED
    assert shot.facets.wells["dimmer"].value == pytest.approx(cue.at(24))
    assert session.document.look.expect("rim").dimmer_stops == pytest.approx(cue.at(24))
    # One act each: the key, its number, the frame.
    while cues_of(session.document):
        session.undo()
    assert session.document.look.expect("rim").dimmer_stops == pytest.approx(0.0, abs=8.0)
    assert shot.facets.wells["dimmer"].keys.state == STEADY


def test_a_gel_is_one_key_of_one_colour(shot, qtbot):
    """It was three numbers, each with a key of its own."""
    session = shot.session
    chip = next(c for c in shot.findChildren(Chip) if c.toolTip() == "gel laid over the lamp" and c.isVisible())
    before = session.document.look.expect("rim").gel
    chip.setFocus()
    QTest.keyClick(chip, Qt.Key.Key_K)
    assert [(c.row, [k.frame for k in c.keys]) for c in cues_of(session.document)] == [
        (f"gel {colour}", [1.0]) for colour in ("red", "green", "blue")
    ]
    assert chip.keys.state == AT_KEY
    shot.player.step(24)
    assert chip.keys.state == KEYED
    # Another colour at another frame is a key of it, and half-way lies between the two.
    session.act_on_source("gel", gel=(0.4, 0.9, 1.9))
    assert chip.keys.state == AT_KEY
    shot.player.step(-12)
    between = session.document.look.expect("rim").gel
    for was, here, becomes in zip(before, between, (0.4, 0.9, 1.9), strict=True):
        assert min(was, becomes) < here < max(was, becomes)
    menu = shot.cue_strip.key_menu("set a key of")
    _take(menu, "gel")
    assert {len(c.keys) for c in cues_of(session.document)} == {3}
    assert len(shot.cue_strip.band.chosen) == 3
    # One act for the colour, not three.
    session.undo()
    assert {len(c.keys) for c in cues_of(session.document)} == {2}
    _take(right_click(chip, QPoint(4, 4)), "remove keyframes")
    assert not cues_of(session.document)
    assert session.document.look.expect("rim").gel == between


def test_k_again_deletes_no_key_but_shift_k_does_and_the_menu_makes_it_steady(shot):
    put_key(shot, 1, -6)
    put_key(shot, 25, 0)
    well = shot.facets.wells["dimmer"]
    well.setFocus()
    QTest.keyClick(well, Qt.Key.Key_K)
    assert [k.frame for k in cue_of(shot.session.document, "rim", "dimmer").keys] == [1.0, 25.0]
    assert "Shift+K" in shot.notices.text
    QTest.keyClick(well, Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
    assert "deleted" in shot.notices.text
    assert [k.frame for k in cue_of(shot.session.document, "rim", "dimmer").keys] == [1.0]
    _take(shot.cue_strip.menu(), "steady again", "rim: dimmer")
    assert not cues_of(shot.session.document)


def test_keys_are_dragged_chosen_and_eased_in_the_strip(shot):
    put_key(shot, 1, -6)
    put_key(shot, 20, 0)
    put_key(shot, 40, -6)
    band, session = shot.cue_strip.band, shot.session

    def dimmer():
        return cue_of(session.document, "rim", "dimmer")

    begin = band.point_of(dimmer(), 20).toPoint()
    end = QPoint(round(band.x_of(30)), begin.y())
    QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=begin)
    QTest.mouseMove(band, (begin + end) / 2)
    QTest.mouseMove(band, end)
    QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=end)
    assert [k.frame for k in dimmer().keys] == [1.0, 30.0, 40.0]
    session.undo()
    assert [k.frame for k in dimmer().keys] == [1.0, 20.0, 40.0]
    # A rectangle about all of them.
    QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))
    QTest.mouseMove(band, QPoint(band.width() // 2, 30))
    QTest.mouseMove(band, QPoint(band.width() - 2, band.height() - 20))
    QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=QPoint(band.width() - 2, band.height() - 20))
    assert {spot.frame for spot in band.chosen} == {1.0, 20.0, 40.0}
    _take(shot.cue_strip.menu(), "easing", "linear")
    assert {k.out for k in dimmer().keys} == {"linear"}
    band.setFocus()
    QTest.keyClick(band, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    shot.player.step(100)
    QTest.keyClick(band, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [k.frame for k in dimmer().keys] == [1.0, 20.0, 40.0, 48.0, 67.0, 87.0]
    band.choose(frozenset({Spot(dimmer().name, 20.0)}))
    QTest.keyClick(band, Qt.Key.Key_Delete)
    assert 20.0 not in [k.frame for k in dimmer().keys]


def test_ranges_are_stretched_repeated_and_varied_by_what_is_typed(shot, qtbot):
    put_key(shot, 1, -6)
    put_key(shot, 5, 0)
    strip, session = shot.cue_strip, shot.session

    def frames():
        return [k.frame for k in cue_of(session.document, "rim", "dimmer").keys]

    def answer(act, text):
        strip.band.choose(frozenset(Spot(c.name, k.frame) for c in cues_of(session.document) for k in c.keys))
        act()
        dialog = next(w for w in QApplication.topLevelWidgets() if w.windowTitle() and w.isVisible() and w is not shot)
        well = dialog.findChild(type(shot.facets.wells["dimmer"]))
        well.type_in(text)
        ok = next(b for b in dialog.findChildren(QPushButton) if "OK" in b.text().upper())
        QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: not dialog.isVisible())

    answer(strip.ask_stretch, "2")
    assert frames() == [1.0, 9.0]
    answer(strip.ask_repeat, "2")
    assert frames() == [1.0, 9.0, 17.0, 25.0] or frames() == [1.0, 9.0, 17.0]
    before = cue_of(session.document, "rim", "dimmer")
    answer(strip.ask_vary, "20 %")
    assert cue_of(session.document, "rim", "dimmer") != before


def test_the_shot_plays_at_its_rate_and_stops_where_it_is(shot, qtbot):
    put_key(shot, 1, -6)
    put_key(shot, 48, 0)
    shot.player.step(-100)
    qtbot.wait(100)
    shown = []
    shot.player.moved.connect(lambda frame: shown.append((time.monotonic(), frame)))
    edits_before = shot.session.history.undo_label
    shot.picture.setFocus()
    QTest.keyClick(shot.picture, Qt.Key.Key_Space)
    assert shot.player.is_playing
    qtbot.waitUntil(lambda: len(shown) > 30, timeout=10_000)
    # Playing is no edit; what is read while it plays is the frame's.
    assert shot.session.history.undo_label == edits_before
    played = cue_of(shot.session.document, "rim", "dimmer").at(shot.session.played.shot.frame)
    assert shot.session.shown_look.expect("rim").dimmer_stops == pytest.approx(played)
    QTest.keyClick(shot.picture, Qt.Key.Key_Space)
    assert not shot.player.is_playing
    assert shot.session.document.shot.frame == shot.player.frame
    shown = shown[5:]
    gone = sum((after - before) % 48 for (_t, before), (_u, after) in itertools.pairwise(shown))
    assert gone / (shown[-1][0] - shown[0][0]) == pytest.approx(24.0, rel=0.15)
    assert shot.player.tally.missing == 0
    assert shot.player.tally.exact > 15


def test_frames_are_made_ahead_of_their_time(shot, qtbot, monkeypatch):
    put_key(shot, 1, -6)
    put_key(shot, 48, 0)
    player, ahead, make = shot.player, [], shot.player._make
    picture = QImage(16, 9, QImage.Format.Format_RGB32)

    def noted(number):
        ahead.append(number - player._due())
        make(number)

    # What frames take is told here, not by this machine.
    monkeypatch.setattr(player, "light_of", lambda there: ("exact", lambda: None))
    monkeypatch.setattr(player._frames, "image", lambda _light, there: picture)
    monkeypatch.setattr(player, "_make", noted)
    player.play()
    qtbot.waitUntil(lambda: len(ahead) > 40, timeout=20_000)
    assert np.median(ahead[3:]) >= 1
    assert max(ahead) <= MADE_AHEAD + 1
    # A hand on a number is seen at once: what waits was made before it.
    told = []
    player.moved.connect(lambda frame: told.append(shot.session.shown_look.expect("sky").dimmer_stops))
    sky = shot.session.document.look.expect("sky").dimmer_stops
    shot.session.edit("dimmer", edits.change_source(shot.session.document, "sky", dimmer_stops=sky - 3.0))
    qtbot.waitUntil(lambda: len(told) >= 2, timeout=5_000)
    assert told[1] == sky - 3.0
    player.stop()


def test_a_round_that_is_not_to_begin_again_ends_at_its_last_frame(shot, qtbot):
    put_key(shot, 1, -6)
    put_key(shot, 48, 0)
    player, strip, shown = shot.player, shot.cue_strip, []
    player.step(-100)
    player.span = (1, 12)
    if not player.loops:
        QTest.mouseClick(strip.loop_button, Qt.MouseButton.LeftButton)
    player.moved.connect(shown.append)
    player.play()
    qtbot.waitUntil(lambda: sum(b < a for a, b in itertools.pairwise(shown)) >= 2, timeout=20_000)
    assert player.is_playing
    QTest.mouseClick(strip.loop_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not player.is_playing, timeout=5_000)
    assert player.frame == shot.session.document.shot.frame == 12


def test_a_played_frame_is_the_picture_that_stands_there(shot, qtbot):
    """Frame by frame the mix of many is the mix of one."""
    put_key(shot, 1, -2)
    put_key(shot, 48, 2)
    player, bridge = shot.player, shot.bridge

    for frame in (1, 17, 48):
        QTest.mouseClick(
            shot.cue_strip.band, Qt.MouseButton.LeftButton,
            pos=QPoint(round(shot.cue_strip.band.x_of(frame)), shot.cue_strip.band.height() - 6),
        )  # fmt: skip
        qtbot.wait(300)
        assert bridge.asking.finished
        standing = bridge.shown.picture
        player._mix = None
        played = player._mixed(CueSheet(shot.session.document).at(frame))()[0]
        np.testing.assert_allclose(played, standing, rtol=2e-4, atol=1e-7)


def test_frames_whose_light_is_not_there_are_shown_small_and_told(shot, qtbot):
    session = shot.session
    moving = with_key(session.document, "rim", "elevation", 20.0, frame=1)
    session.act("keys", with_key(moving, "rim", "elevation", 60.0, frame=48))
    shot.player.loops = True
    shot.player.play()
    qtbot.waitUntil(lambda: shot.player.tally.small > 3, timeout=15_000)
    assert "small" in shot.cue_strip.told.text()
    shot.player.stop()
    assert session.played is None


def test_a_small_frame_has_the_masks_of_the_look(shot, qtbot):
    """Masks are of the size of the layers: a small frame under one could not be shown."""
    session = shot.session
    session.act("mask", add_mask(session.document, "left", Region(x=-0.3)))
    test_frames_whose_light_is_not_there_are_shown_small_and_told(shot, qtbot)
    assert shot.player.tally.failed == 0


def test_what_is_new_on_screen_plays_at_once_and_truly_when_its_light_comes(shot, qtbot):
    """For as long as a new view had stand-ins alone, nothing moved."""
    session, mix = shot.session, shot.bridge.light.mix
    keyed = with_key(session.document, "rim", "dimmer", -3.0, frame=1)
    session.act("keys", with_key(keyed, "rim", "dimmer", 1.0, frame=48))
    true = list(mix.images.values())
    active = {image.key for image in true}
    mix.set_layers([edits.attrs.evolve(image, passes=0) for image in true], active)
    shot.player.play()
    tally = shot.player.tally
    qtbot.waitUntil(lambda: tally.small > 3, timeout=15_000)
    assert tally.exact == tally.missing == 0
    shown = shot.player.frame
    mix.set_layers(true, active)
    qtbot.waitUntil(lambda: tally.exact > 3 and shot.player.frame != shown, timeout=15_000)
    shot.player.stop()
    assert "small" in tally.words()


class DriftingBackend(InstantBackend):
    """Small pictures whose brightness is that of their air: no two states of it have the same."""

    def _clean(self, gains, mix_id):
        super()._clean(gains, mix_id)
        self.board.clean *= np.float32(1.0 + int(digest(self.requests[-1].medium)[:4], 16) / 65536)


def test_mist_drifts_while_it_plays_once_small_pictures_are_there(window, qtbot):
    """It stood still for as long as it played."""
    session, player = window.session, window.player
    player.ahead.backend = DriftingBackend
    dawn = edits.attrs.evolve(session.document, current_shot="Landing", current_look="bank at dawn")
    session.act("dawn", edits.change_shot(dawn, first_frame=1, last_frame=24, frame=1, ends=None))
    sheet = CueSheet(session.document)
    frames = {frame: sheet.at(frame) for frame in (1, 6, 20)}
    bridge = window.bridge
    qtbot.waitUntil(
        lambda: (
            bridge.asking.finished
            and {g.key for g in bridge.gains.present() if not g.is_silent} <= bridge.light.mix.images.keys()
        ),
        timeout=20_000,
    )
    player._sheet = sheet
    assert player.light_of(frames[20])[0] == "held"
    # The strip open, the look at rest: small pictures are made, and mist drifts as they say.
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_F)
    qtbot.waitUntil(lambda: all(player.ahead.made_of(there) for there in frames.values()), timeout=20_000)
    smalls = {frame: player.ahead.made_of(there).light.mean() for frame, there in frames.items()}
    qtbot.waitUntil(lambda: bridge.asking.finished, timeout=20_000)
    standing = player._mixed(frames[20], session.document.shot.seconds)().light.copy()
    assert smalls[1] != pytest.approx(smalls[20], rel=0.01)
    assert player.light_of(frames[1])[0] == "exact"
    for frame in (6, 20, 6):
        how, light = player.light_of(frames[frame])
        assert how == "drifting"
        np.testing.assert_allclose(light().light / standing, smalls[frame] / smalls[1], rtol=2e-3)
    QTest.keyClick(window.picture, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: player.tally.drifting > 3, timeout=15_000)
    assert "small mist" in window.cue_strip.told.text()
    assert player.tally.held == 0
    QTest.keyClick(window.picture, Qt.Key.Key_Space)
    assert not player.is_playing


def test_a_shot_of_one_frame_says_so(window):
    session = window.session
    session.act("one frame", edits.change_shot(session.document, first_frame=1, last_frame=1, frame=1, ends=None))
    QTest.keyClick(window.picture, Qt.Key.Key_Space)
    assert not window.player.is_playing
    assert "one frame" in window.notices.text


def test_escape_stops_playing_first(shot):
    put_key(shot, 1, -6)
    shot.player.play()
    shot.picture.setFocus()
    QTest.keyClick(shot.picture, Qt.Key.Key_Escape)
    assert not shot.player.is_playing
    assert shot.session.chosen == "rim"


def test_space_presses_a_button_that_has_the_keyboard(shot):
    shot.cue_strip.loop_button.setFocus()
    QTest.keyClick(shot.cue_strip.loop_button, Qt.Key.Key_Space)
    assert not shot.player.is_playing
    assert not shot.player.loops


def test_a_pin_of_another_frame_brings_no_keys(shot):
    put_key(shot, 1, -6)
    put_key(shot, 40, 0)
    shot.pins.pin()
    pin = shot.session.document.pins[-1]
    shot.player.step(-20)
    cues, dimmer = cues_of(shot.session.document), shot.session.document.look.expect("rim").dimmer_stops
    shot.pins.act("return", pin.id)
    assert cues_of(shot.session.document) == cues
    assert shot.session.document.look.expect("rim").dimmer_stops == pytest.approx(dimmer)


# -- flickers ---------------------------------------------------------------------------------------


def test_a_screen_shows_the_film_that_is_chosen(shot, tmp_path, monkeypatch, qtbot):
    session = shot.session
    pick_in(shot, "flicker of the source", "screen from a video")
    assert session.document.look.expect("rim").flicker == FilmedScreen()
    path = film(tmp_path, [(40, 40, 40), (200, 200, 200)])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    button = next(b for b in shot.facets.findChildren(QPushButton) if b.text() == "video ...")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(session.document.look.expect("rim").flicker.series) == 2, timeout=10_000)
    again, notes = from_json(to_json(session.document, tmp_path), tmp_path, "it")
    assert again.look.expect("rim").flicker == session.document.look.expect("rim").flicker
    assert not notes
    path.write_text("no film at all")
    said = []
    session.said.connect(lambda text, _bad: said.append(text))
    before = session.document
    button = next(b for b in shot.facets.findChildren(QPushButton) if b.text() == "video ...")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: any("no video" in text for text in said), timeout=10_000)
    assert session.document == before


def test_a_flicker_is_chosen_set_and_baked(shot):
    choice = next(
        c
        for c in shot.facets.widget().findChildren(object)
        if getattr(c, "accessibleName", str)() == "flicker of the source"
    )
    choice.setCurrentText("flame")
    choice.textActivated.emit("flame")
    session = shot.session
    assert session.document.look.expect("rim").flicker == Flame()
    shot.facets.wells["flicker depth"].type_in("0.4")
    assert session.document.look.expect("rim").flicker.depth == 0.4
    bake = next(b for b in shot.facets.widget().findChildren(QPushButton) if b.text() == "bake to keys")
    bake.click()
    assert len(cue_of(session.document, "rim", "dimmer").keys) == 48
    assert cue_of(session.document, "rim", "flicker depth") is None


def test_lightning_stands_before_the_lens_and_flashes_now(shot, qtbot):
    session = shot.session
    shot.player.step(11)
    _take(shot.adding.menu(), "sun, moon, sky", "lightning in the clouds")
    source = session.chosen_source
    assert isinstance(source.shape.dome, Lightning)
    assert source.flicker == Storm(at_s=session.document.shot.seconds)
    words = next(w for w in shot.facets.widget().findChildren(QLabel) if w.accessibleName() == "range of the flash")
    qtbot.waitUntil(lambda: (shot.facets.refresh(), "the picture rises by" in words.text())[1], timeout=10_000)
    right, _up, forward = session.document.shot.seen_from.axes()
    from lunar_haze.core.sky.lat_long import direction_of

    there = direction_of(0.0, source.shape.dome.azimuth_deg)
    assert there @ forward > 0.9
    assert abs(there @ right) < 0.1
    assert session.document.shot.frame in frames_to_look_at(session.document)
    shot.player.step(8)
    next(b for b in shot.facets.widget().findChildren(QPushButton) if b.text() == "flash now").click()
    assert session.chosen_source.flicker.at_s == pytest.approx(19 / 24)


# -- test frames and sequences ------------------------------------------------------------------------


def test_test_frames_are_made_when_the_look_rests_and_lead_there(shot, qtbot):
    put_key(shot, 1, -6)
    put_key(shot, 10, 0)
    put_key(shot, 30, -6)
    QTest.mouseClick(shot.second.buttons["frames"], Qt.MouseButton.LeftButton)
    view = shot.beside.frames
    assert [f.plan.frame for f in view.frames] == [1, 10, 24, 48]
    qtbot.waitUntil(lambda: all(f.image is not None for f in view.frames), timeout=10_000)
    before = view.frames[1].image
    shot.session.act("exposure", edits.change_look(shot.session.document, stops=2.0))
    qtbot.waitUntil(lambda: view.frames[1].image is not None and view.frames[1].image != before, timeout=10_000)
    QTest.mouseClick(view.frames[3], Qt.MouseButton.LeftButton)
    assert shot.session.document.shot.frame == 48


def test_a_film_is_written_from_the_sheet_paused_and_gone_on_with(shot, qtbot, tmp_path):
    session = shot.session
    session.choose(HAND_OFF)
    sheet = shot.sheet
    sheet._change(folder=str(tmp_path), size="my own", width=64, passes=1)
    shot.facets.rebuild()
    shot.facets.wells["sequence last"].type_in("6")
    spec = sheet.sequence_of(sheet.frames.path, 1, 6, 1)
    assert sheet.frames.span == (1, 6)
    job = sheet.sequences.add(spec, shot, InstantBackend())
    qtbot.waitUntil(lambda: job.state == DONE, timeout=30_000)
    assert (tmp_path / "Waiting lamplit wait.mp4").is_file()
    qtbot.waitUntil(lambda: "6 frames" in shot.notices.text)
    # Another is paused at once and goes on when it is told to.
    other = sheet.sequences.add(sheet.sequence_of(tmp_path / "####.png", 1, 30, 1), shot, InstantBackend())
    sheet.sequences.toggle(other)
    assert other.state == PAUSED
    other.backend = InstantBackend()
    sheet.sequences.toggle(other)
    qtbot.waitUntil(lambda: other.state == DONE, timeout=60_000)
    assert len(list(tmp_path.glob("00*.png"))) == 30


def test_files_of_others_are_asked_about(shot, qtbot, tmp_path, monkeypatch):
    from lunar_haze.ui.base import questions

    asked = []
    monkeypatch.setattr(questions, "ask", lambda _p, _t, text, *_a, **_k: asked.append(text) or "do not write")
    (tmp_path / "0003.png").write_bytes(b"theirs")
    spec = shot.sheet.sequence_of(tmp_path / "####.png", 1, 6, 1)
    assert shot.sheet.sequences.add(spec, shot, InstantBackend()) is None
    assert "0003.png" in asked[0]
    assert (tmp_path / "0003.png").read_bytes() == b"theirs"


def test_what_cannot_be_written_is_said(shot, tmp_path):
    spec = shot.sheet.sequence_of(tmp_path / "gone" / "####.png", 1, 6, 1)
    assert shot.sheet.sequences.add(spec, shot) is None
    assert "not a folder" in shot.notices.text


def test_the_band_is_drawn_with_many_cues_and_at_any_width(shot):
    document = shot.session.document
    for row, values in (("dimmer", (-6, 0)), ("colour temperature", (2000, 5000)), ("azimuth", (10, 300))):
        for frame, value in zip((3, 40), values):
            document = with_key(document, "rim", row, value, frame=frame)
    shot.session.act("keys", document)
    for width in (300, 700, 1100):
        shot.cue_strip.band.resize(width, 60)
        image = shot.cue_strip.band.grab().toImage()
        assert image.width() == width
    assert shot.cue_strip.band.frame_at(-50.0) == 1
    assert shot.cue_strip.band.frame_at(9999.0) == 48
    assert QPointF(shot.cue_strip.band.x_of(1), 0).x() > 0


def _film(window, qtbot, folder):
    """Write the shot as a film from the sheet and read it with another reader."""
    window.session.choose(HAND_OFF)
    window.sheet._change(folder=str(folder), size="my own", width=96, passes=1)
    window.facets.rebuild()
    made = []
    real = window.sheet.sequences.add
    window.sheet.sequences.add = lambda spec, parent: made.append(real(spec, parent, InstantBackend())) or made[-1]
    button = next(b for b in window.facets.widget().findChildren(QPushButton) if b.text() == "write the sequence")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: made[0].state == DONE, timeout=60_000)
    with av.open(str(made[0].spec.output)) as film:
        return [frame.to_ndarray(format="rgb24").astype(float) for frame in film.decode(video=0)]


def test_lightning_and_a_failing_tube_by_hand_to_a_film(shot, qtbot, tmp_path):
    session = shot.session
    session.choose("cool")
    choice = next(c for c in shot.facets.widget().findChildren(Choice) if c.accessibleName() == "flicker of the source")
    choice.setFocus()
    # Down to the kind, as keys do it.
    while choice.currentText() != "failing tube":
        QTest.keyClick(choice, Qt.Key.Key_Down)
    assert isinstance(session.document.look.expect("cool").flicker, FailingTube)
    shot.player.step(23)
    _take(shot.adding.menu(), "sun, moon, sky", "lightning in the clouds")
    # Lamps of these tests are faint: a flash that is seen beside them.
    shot.facets.wells["level"].type_in("1e6 lx")
    frames = _film(shot, qtbot, tmp_path)
    assert len(frames) == 48
    levels = np.array([frame.mean() for frame in frames])
    assert levels.argmax() in (23, 24)
    assert levels.max() > 1.2 * np.median(levels)


def test_a_walk_past_the_jetty_lamps_by_hand_to_a_film(window, qtbot, tmp_path):
    session = window.session
    QTest.keyClick(window.picture, Qt.Key.Key_F)
    session.act("Landing", edits.attrs.evolve(session.document, current_shot="Landing", current_look="lamplit wait"))
    session.choose(CAMERA)
    window.facets.wells["last frame"].type_in("12")
    window.facets.wells["frame"].type_in("12")
    session.act("unlocked", edits.change_shot(session.document, locked=False, ends=None))
    move = next(b for b in window.facets.widget().findChildren(QPushButton) if b.text() == "last frame here")
    QTest.mouseClick(move, Qt.MouseButton.LeftButton)
    before = session.document.shot.seen_from.position
    window.facets.wells["position north"].type_in("+=3")
    assert session.document.shot.camera_at(12).position != before
    assert session.document.shot.camera_at(1).position == session.document.shot.camera.position
    window.player.ahead.backend = InstantBackend
    window.player.play()
    qtbot.waitUntil(lambda: window.player.tally.small > 2, timeout=15_000)
    window.player.stop()
    assert len(_film(window, qtbot, tmp_path)) == 12
