"""The readings beside the picture: asked for, tried and taken by hand, without a ray."""

import json

import attrs
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QMenu, QPushButton

from lunar_haze.core.colour.spaces import hex_to_acescg, luminance
from lunar_haze.core.document import edits
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Cdl
from lunar_haze.core.readings.ratios import ratios
from lunar_haze.core.solve.asks import Ask
from lunar_haze.core.sources.gain import source_colour
from tests.ui.hands import drag, source


@pytest.fixture
def view(window, qtbot):
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_R)
    assert window.second.name == "readings"
    qtbot.waitUntil(lambda: window.balance.readings is not None, timeout=10_000)
    return window.beside.readings


def ask(view, kind, text):
    """Click a figure, type, Return."""
    figure = view.figures[kind]
    QTest.mouseClick(figure, Qt.MouseButton.LeftButton, pos=QPoint(10, figure.height() // 2))
    QTest.keyClicks(figure.line, text)
    QTest.keyClick(figure.line, Qt.Key.Key_Return)
    QApplication.processEvents()


def press(view, words):
    button = next(b for b in view.findChildren(QPushButton) if b.text().startswith(words) and b.isVisible())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def test_the_key_shows_readings_and_the_plan_again(window, view):
    assert view.isVisible()
    assert not window.plan.isVisible()
    QTest.keyClick(window.picture, Qt.Key.Key_R)
    assert window.plan.isVisible()


def test_figures_are_those_of_the_shares(window, view):
    found = ratios(window.balance.shown)
    assert view.figures["warm"].value.text() == f"{found.warm:.0%}"
    assert sum(part.of_frame for part in found.parts) == pytest.approx(1.0)
    names = {s.name for s in window.session.document.look.balanced() if s.id in window.session.document.look.active()}
    assert {part.name for part in found.parts} == names


def test_an_ask_is_proposed_seen_and_taken_without_a_ray(window, view, qtbot):
    asked = len(window.bridge.backend.requests)
    before = window.session.document
    picture = window.bridge.shown.picture.copy()
    now = ratios(window.balance.shown).warm
    wanted = 0.5 if abs(now - 0.5) > 0.03 else 0.6
    ask(view, "warm", f"{wanted:.0%}")
    assert window.session.proposal is not None
    assert window.session.document is before, "shown, not done"
    assert not np.array_equal(window.bridge.shown.picture, picture)
    moved = window.balance.present_shares().mixed(dict(window.session.proposal.dimmers))
    assert ratios(moved).warm == pytest.approx(wanted, abs=0.02)
    assert any(box.text().endswith("stops") for box in view.findChildren(QCheckBox))
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.proposal is None
    assert window.session.document is not before
    assert len(window.bridge.backend.requests) == asked, "not a ray"
    window.session.undo()
    assert window.session.document.look == before.look, "one step of undo"


def test_escape_leaves_the_balance_as_it_was(window, view):
    before = window.session.document
    ask(view, "warm", "30 %")
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.proposal is None
    assert window.session.document is before
    assert not window.balance.asks


def test_only_the_lines_that_are_ticked_are_taken(window, view):
    ask(view, "warm", "35 %")
    lines = [b for b in view.findChildren(QCheckBox) if b.text().endswith("stops")]
    moves = dict(window.session.proposal.dimmers)
    assert len(lines) == len(moves) >= 2
    QTest.mouseClick(lines[0], Qt.MouseButton.LeftButton, pos=QPoint(8, lines[0].height() // 2))
    kept = [source_id for source_id, box in view._lines if box.isChecked()]
    gone = next(source_id for source_id, box in view._lines if not box.isChecked())
    before = {s.id: s.dimmer_stops for s in window.session.document.look.sources}
    press(view, "take it")
    assert source(window, gone).dimmer_stops == before[gone]
    for one in kept:
        assert source(window, one).dimmer_stops == pytest.approx(before[one] + moves[one], abs=1e-3)


def test_a_locked_source_stays(window, view, qtbot):
    part = max(window.balance.readings.ratios.parts, key=lambda p: p.of_frame)
    lock = next(b for b in view.findChildren(QCheckBox) if b.accessibleName() == f"lock {part.name}")
    view.ensureWidgetVisible(lock)
    QTest.mouseClick(lock, Qt.MouseButton.LeftButton, pos=QPoint(8, lock.height() // 2))
    assert part.id in window.balance.locked
    ask(view, "warm", "45 %")
    if window.session.proposal is not None:
        assert part.id not in dict(window.session.proposal.dimmers)


def span_of(view, part):
    choice = view.sources.rows[part.id][3]
    view.ensureWidgetVisible(choice)
    return choice


def type_span(choice, text):
    line = choice.lineEdit()
    QTest.mouseClick(line, Qt.MouseButton.LeftButton)
    line.selectAll()
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_a_source_moves_no_further_than_it_may_and_its_colour_moves_where_it_may(window, view, qtbot):
    document = window.session.document
    window.session.act("night", attrs.evolve(document, current_shot="Waiting", current_look="lamplit wait"))
    look = window.session.document.look
    lit = {s.id for s in look.balanced() if s.id in look.active()}
    qtbot.waitUntil(lambda: {p.id for p in ratios(window.balance.shown).parts} == lit, timeout=20_000)
    qtbot.waitUntil(lambda: set(view.sources.rows) == lit, timeout=10_000)
    parts = ratios(window.balance.shown).parts
    lamp = next(p for p in parts if look.source(p.id).kelvin is not None)
    for part in parts:
        type_span(span_of(view, part), "±0.5 stop, ±40 mired" if part == lamp else "±0.01 stops")
    now = ratios(window.balance.shown).warm
    ask(view, "warm", f"{100 * (now + 0.04):.1f} %")
    change = window.session.proposal
    assert set(dict(change.mireds)) <= {lamp.id}
    assert all(abs(move) <= (0.5 if i == lamp.id else 0.01) + 1e-6 for i, move in change.dimmers)
    assert change.mireds or change.dimmers
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)


def test_a_span_that_is_none_is_refused_and_what_has_no_colour_temperature_is_told(window, view):
    said = []
    window.session.said.connect(lambda text, _bad: said.append(text))
    part = ratios(window.balance.shown).parts[0]
    type_span(span_of(view, part), "three miles")
    assert "three miles" in said[-1]
    assert part.id not in window.balance.freedoms
    sky = next(
        p for p in ratios(window.balance.shown).parts if window.session.document.look.source(p.id).kelvin is None
    )
    type_span(span_of(view, sky), "1 stop, 40 mired")
    assert "no colour temperature" in said[-1]
    assert window.balance.freedoms[sky.id].mired is None
    assert window.balance.freedoms[sky.id].stops == (-1.0, 1.0)


def test_the_exposure_moves_where_it_may(window, view):
    box = view.sources.exposure
    view.ensureWidgetVisible(box)
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    assert window.balance.moves_exposure


def test_what_is_no_ask_is_refused_and_the_line_stays(window, view):
    figure = view.figures["key to fill"]
    ask(view, "key to fill", "0:0")
    assert figure.line.isVisible()
    assert "0:0" in figure.line.toolTip()
    assert not window.balance.asks
    QTest.keyClick(figure.line, Qt.Key.Key_Escape)
    assert not figure.line.isVisible()
    assert window.second.name == "readings", "Escape closed the line and nothing else"


def test_a_figure_is_asked_for_by_keys_alone(window, view):
    figure = view.figures["warm"]
    figure.setFocus()
    QTest.keyClick(figure, Qt.Key.Key_4)
    assert figure.line.text() == "4"
    QTest.keyClicks(figure.line, "0 %")
    QTest.keyClick(figure.line, Qt.Key.Key_Return)
    assert window.balance.asks == (Ask("warm", 0.4),)
    assert window.session.chosen not in (window.session.document.look.sources[3].id,), "4 chose no card"


def test_return_after_an_ask_takes_what_is_proposed(window, view, qtbot):
    """It opened an empty line, and the next one was told to be no ratio."""
    before = window.session.document
    ask(view, "warm", "40 %")
    qtbot.waitUntil(lambda: window.session.proposal is not None, timeout=20_000)
    figure = view.figures["warm"]
    figure.setFocus()
    QTest.keyClick(window.windowHandle(), Qt.Key.Key_Return)
    assert not figure.line.isVisible()
    assert window.session.proposal is None
    assert window.session.document != before
    # With nothing proposed Return opens the line, and an empty one closes again without a word.
    QTest.keyClick(figure, Qt.Key.Key_Return)
    assert figure.line.isVisible()
    QTest.keyClick(figure.line, Qt.Key.Key_Return)
    assert not figure.line.isVisible()
    assert not figure.line.toolTip()


def test_a_sentence_offers_what_helps_and_it_is_shown_first(window, view):
    tries = [c for c in view._shown_causes if c.remedy is not None]
    if not tries:
        pytest.skip("the demo look is fine in this shot")
    before = window.session.document
    press(view, f"try: {tries[0].remedy.words}")
    assert window.session.proposal is not None
    assert window.session.document is before
    press(view, "cancel")
    assert window.session.proposal is None


def test_a_colour_that_is_pointed_at_stands_out(window, view):
    assert 5 <= len(view.strip.swatches) <= 8
    seen = []
    view.pointed.connect(seen.append)
    view.strip.setFocus()
    QTest.keyClick(view.strip, Qt.Key.Key_Right)
    assert seen[-1] is not None
    assert window.picture.isolated_image is not None
    QTest.keyClick(view.strip, Qt.Key.Key_Escape)
    assert window.picture.isolated_image is None


def test_another_edit_drops_the_proposal(window, view):
    ask(view, "warm", "45 %")
    window.session.chosen = window.session.document.look.sources[0].id
    window.acts.nudge(1 / 3)
    assert window.session.proposal is None


def test_what_the_camera_holds_is_set_on_the_ribbon_and_kept_in_the_shot(window, qtbot):
    ribbon = window.ribbon
    before = window.session.document.shot.latitude
    x = ribbon.handles()["high"]
    drag(ribbon, QPoint(round(x), 12), QPoint(round(ribbon._x_of(2.0)), 12))
    assert window.session.document.shot.latitude.high == 2.0
    assert window.session.document.shot.latitude.low == before.low
    window.session.undo()
    assert window.session.document.shot.latitude == before, "a drag is one step"
    ribbon.setFocus()
    QTest.keyClick(ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert window.session.document.shot.latitude.low == before.low + 0.5
    for _ in range(40):
        QTest.keyClick(ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    latitude = window.session.document.shot.latitude
    assert latitude.low == latitude.high - 1.0, "the ends never cross"


def test_the_ribbon_opens_upwards_with_the_waveform(window, qtbot):
    ribbon = window.ribbon
    height = ribbon.height()
    ribbon.setFocus()
    QTest.keyClick(ribbon, Qt.Key.Key_Space)
    assert ribbon.height() > height + 80
    assert ribbon.waveform is not None
    QTest.mouseDClick(ribbon, Qt.MouseButton.LeftButton, pos=QPoint(ribbon.width() // 2, ribbon.height() - 8))
    assert ribbon.height() == height


def test_what_is_over_or_under_stands_out_on_demand(window, view):
    box = view.shows_ends
    view.ensureWidgetVisible(box)
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    assert window.picture.isolated_image is not None
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    assert window.picture.isolated_image is None


def test_variations_are_shown_and_one_is_taken_without_a_ray(window, qtbot):
    QTest.mouseClick(window.second.buttons["variations"], Qt.MouseButton.LeftButton)
    sheet = window.beside.variations
    qtbot.waitUntil(lambda: len(sheet.found) > 0, timeout=15_000)
    assert 2 <= len(sheet.found) <= 9
    asked = len(window.bridge.backend.requests)
    before = window.session.document
    QTest.mouseClick(sheet.cells[0], Qt.MouseButton.LeftButton)
    assert window.session.proposal is not None
    assert window.session.document is before
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.document is not before
    assert len(window.bridge.backend.requests) == asked
    window.session.undo()
    assert window.session.document.look == before.look


def test_small_pictures_get_cleaner_as_their_light_does(window, qtbot):
    QTest.mouseClick(window.second.buttons["variations"], Qt.MouseButton.LeftButton)
    sheet, bridge = window.beside.variations, window.bridge
    qtbot.waitUntil(lambda: len(sheet.found) > 0 and bridge.asking.finished, timeout=15_000)
    bridge.shown.passes = 64
    bridge.light.refined.emit()
    drawn = sheet.cells[0].icon().cacheKey()
    bridge.light.refined.emit()
    assert sheet.cells[0].icon().cacheKey() == drawn, "light that is no cleaner is not drawn again"
    bridge.shown.passes = 128
    bridge.light.refined.emit()
    assert sheet.cells[0].icon().cacheKey() != drawn


def test_a_sheet_has_sixteen_when_asked_for(window, qtbot):
    QTest.mouseClick(window.second.buttons["variations"], Qt.MouseButton.LeftButton)
    sheet = window.beside.variations
    document = window.session.document
    window.session.act("night", attrs.evolve(document, current_shot="Waiting", current_look="lamplit wait"))
    qtbot.waitUntil(lambda: window.bridge.asking.finished, timeout=20_000)
    QTest.mouseClick(sheet.many, Qt.MouseButton.LeftButton, pos=QPoint(8, sheet.many.height() // 2))
    qtbot.waitUntil(lambda: len(sheet.found) > 9, timeout=60_000)
    assert len(sheet.found) == 16
    assert sum(cell.isVisible() for cell in sheet.cells) == 16
    QTest.mouseClick(sheet.many, Qt.MouseButton.LeftButton, pos=QPoint(8, sheet.many.height() // 2))
    qtbot.waitUntil(lambda: len(sheet.found) == 9, timeout=60_000)
    assert sum(cell.isVisible() for cell in sheet.cells) == 9


def test_the_palette_is_told_with_the_finish_where_there_is_one(window, view, qtbot):
    window.session.act("no finish", edits.change_look(window.session.document, finish=Finish()))
    qtbot.waitUntil(lambda: window.balance.readings.finished is None, timeout=10_000)
    assert not view.finished_strip.isVisibleTo(view)
    grey = edits.change_finish(window.session.document, cdl=Cdl(saturation=0.0))
    window.session.act("grey", grey)
    qtbot.waitUntil(lambda: window.balance.readings.finished is not None, timeout=10_000)
    assert view.finished_strip.isVisibleTo(view)
    assert window.balance.readings.finished.relation == "greys"
    assert "greys" in view.finished_words.text()


@pytest.fixture
def beside(window, qtbot, tmp_path):
    """A reference made of the look itself with one source turned up, chosen by dropping its file."""
    QTest.mouseClick(window.second.buttons["reference"], Qt.MouseButton.LeftButton)
    shares = window.balance.present_shares()
    strong = max(window.balance.present_shares().sources, key=lambda s: float(s.light.mean())).id
    picture = shares.mixed({strong: 1.5})
    pixels = window.bridge.shown.screen.table.show(picture.picture, picture.scale, dither=False)[..., 2::-1]
    Image.fromarray(np.ascontiguousarray(pixels)).save(tmp_path / "reference.png")
    window.beside.reference.use(tmp_path / "reference.png")
    assert window.session.document.look.reference.path.endswith("reference.png")
    return strong


def test_a_reference_belongs_to_the_look_and_is_matched_as_a_proposal(window, beside, qtbot):
    reference = window.beside.reference
    assert reference.shown.image is not None
    before = window.session.document
    QTest.mouseClick(reference.match_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(
        lambda: window.session.proposal is not None or "no balance" in reference.words.text(), timeout=30_000
    )
    assert window.session.document is before
    assert "distance is gone" in reference.words.text()
    moves = dict(window.session.proposal.dimmers)
    lift = moves.get(beside, 0.0) + window.session.proposal.exposure
    # Sources that light the same places may take part of the lift over.
    assert 0.7 < lift < 1.9
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.document is not before
    window.session.undo()
    assert window.session.document.look == before.look


def test_a_colour_of_the_reference_is_given_to_a_light(window, beside):
    strip = window.beside.reference.strip
    assert len(strip.swatches) >= 5
    box = strip.boxes()[-1]
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    QApplication.processEvents()
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    source = window.session.document.look.sources[0]
    action = next(a for a in menu.actions() if a.text() == f"give it to {source.name}")
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    now = window.session.document.look.source(source.id)
    wanted = hex_to_acescg(QColor.fromRgbF(*strip.swatches[-1].rgb).name())
    light = source_colour(now, window.session.atmosphere)
    assert light / light.sum() == pytest.approx(wanted / wanted.sum(), abs=0.02)
    assert luminance(np.array(now.gel)) == pytest.approx(1.0, abs=1e-3)
    window.session.undo()
    assert window.session.document.look.source(source.id) == source


def test_the_picture_is_wiped_against_the_reference(window, beside):
    QTest.mouseClick(window.beside.reference.wipe_button, Qt.MouseButton.LeftButton)
    assert window.picture.wiping
    assert window.picture.before is not None


def test_a_reference_is_saved_by_a_relative_path_and_one_that_is_gone_is_told(window, beside, tmp_path):
    assert window.files.save()
    saved = json.loads(window.session.path.read_text())
    look = next(k for k in saved["looks"] if k["name"] == window.session.document.current_look)
    assert not look["reference"]["path"].startswith("/")
    QTest.mouseClick(window.beside.reference.drop_button, Qt.MouseButton.LeftButton)
    assert window.session.document.look.reference is None
    assert window.beside.reference.shown.image is None
    window.session.undo()
    assert window.beside.reference.shown.image is not None


def test_what_is_no_reference_is_said_and_nothing_changes(window, tmp_path):
    (tmp_path / "no.png").write_text("no picture")
    before = window.session.document
    window.beside.reference.use(tmp_path / "no.png")
    assert window.session.document is before
    assert "no.png" in window.notices.text
