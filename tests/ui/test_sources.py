"""Sources under the hand: placing, shaping, hiding and holding light, driven by mouse and keys."""

import math
import time

import attrs
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QLabel, QPushButton, QToolButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.hold import delivered_lx
from lunar_haze.core.document.rows import AIR, CAMERA
from lunar_haze.core.sources.model import Ball, Beam, Disc, IesLamp, LampArray, Source, Surface, Tube
from lunar_haze.ui.base import questions, theme
from lunar_haze.ui.facets.lamp_files import take_ies
from lunar_haze.ui.facets.source_facets import SourceFacets
from lunar_haze.ui.picture.seen import Seen
from lunar_haze.ui.rail.share_cards import PICTURE_HEIGHT, GroupCard
from lunar_haze.ui.rail.share_rail import GROUP
from lunar_haze.ui.shell.assistant import WatchSheet
from tests.core.test_distribution import ies
from tests.ui.hands import choice, ctrl, drag, key, pick_in, put, seen_at, slip_act, source, type_in

# -- kinds and facets ---------------------------------------------------------------------------------------------


def test_a_lamp_becomes_every_kind_and_stays_where_it_is(window):
    lamp = put(window, "disc")
    where = source(window, lamp).shape.position
    box = next(c for c in window.facets.findChildren(QCheckBox) if c.text() == "hold level")
    box.click()
    level = delivered_lx(source(window, lamp), window.session.document.look.medium)
    for name, kind in (
        ("tube", Tube),
        ("beam", Beam),
        ("IES lamp", IesLamp),
        ("ball", Ball),
        ("array", LampArray),
        ("disc", Disc),
    ):
        pick_in(window, "kind of lamp", name)
        now = source(window, lamp)
        assert isinstance(now.shape, kind)
        assert now.shape.position == where
        assert delivered_lx(now, window.session.document.look.medium) == pytest.approx(level, rel=1e-3), name
    for _ in range(6):
        ctrl(window, Qt.Key.Key_Z)
    assert isinstance(source(window, lamp).shape, Disc)


def test_orbiting_by_numbers_keeps_the_aim(window):
    lamp = put(window, "beam")
    aim = source(window, lamp).shape.aim
    type_in(window, "distance", "4 m")
    type_in(window, "elevation", "30")
    type_in(window, "azimuth", "90")
    shape = source(window, lamp).shape
    assert shape.aim == aim
    assert math.dist(shape.position, aim) == pytest.approx(4.0, rel=1e-6)
    assert shape.position[0] - aim[0] == pytest.approx(4 * math.cos(math.radians(30)), rel=1e-6)


def test_shutters_cut_outs_and_reach_of_a_beam(window):
    lamp = put(window, "beam")
    type_in(window, "left shutter", "0.7")
    pick_in(window, "cut-out", "leaves")
    type_in(window, "how many", "9")
    type_in(window, "reach", "6 m")
    shape = source(window, lamp).shape
    assert shape.shutters == (0.7, 0.0, 0.0, 0.0)
    assert (shape.cutout.kind, shape.cutout.scale) == ("leaves", 9.0)
    assert shape.reach_m == 6.0
    pick_in(window, "cut-out", "no cut-out")
    assert source(window, lamp).shape.cutout is None
    type_in(window, "reach", "5000")
    assert math.isinf(source(window, lamp).shape.reach_m)


def test_a_rig_stays_one_thing(window):
    lamp = put(window, "ball")
    pick_in(window, "kind of lamp", "array")
    pick_in(window, "arrangement of the array", "row")
    type_in(window, "lamps", "5")
    pick_in(window, "lamps of the array", "disc")
    type_in(window, "radius", "0.2")
    array = source(window, lamp).shape
    assert (array.arrangement, array.count, array.lamp.radius_m) == ("row", 5, 0.2)
    assert len(window.bridge.asking.request.layers) == len({s.key() for s in window.bridge.asking.request.layers})


def test_a_measured_lamp_is_read_and_a_broken_file_changes_nothing(window, tmp_path):
    lamp = put(window, "disc")
    pick_in(window, "kind of lamp", "IES lamp")
    good, bad = tmp_path / "lamp.ies", tmp_path / "bad.ies"
    good.write_text(ies())
    bad.write_text(ies()[:-40])
    take_ies(window.session, good, lamp)
    now = source(window, lamp)
    assert now.shape.distribution.name == "lamp"
    assert now.unit == "lm"
    said = []
    window.session.said.connect(lambda text, problem: said.append((text, problem)))
    take_ies(window.session, bad, lamp)
    assert source(window, lamp) == now
    assert said[-1][1]
    assert "ends too early" in said[-1][0]
    pick_in(window, "kind of lamp", "array")


def test_what_a_source_acts_on_asks_for_new_layers_once_and_is_mixed_from_then_on(window):
    lamp = put(window, "ball")
    QApplication.processEvents()
    asked = len(window.bridge.backend.requests)
    type_in(window, "highlights", "0")
    assert len(window.bridge.backend.requests) == asked + 1
    parts = {s.part for s in window.bridge.backend.requests[-1].layers}
    assert parts == {"all", "matte", "highlights"}
    type_in(window, "highlights", "0.5")
    type_in(window, "matte", "0.2")
    assert len(window.bridge.backend.requests) == asked + 1, "both parts are there: it is a mix"
    assert source(window, lamp).matte == 0.2


def test_colours_come_from_other_sources_materials_and_the_picture(window):
    warm = put(window, "candle")
    cool = put(window, "disc")
    facets = SourceFacets(window.facets.column, cool, window.bridge)
    facets.colour_from(source(window, warm))
    assert window.session.light_hex(source(window, cool)) == window.session.light_hex(source(window, warm))
    facets.colour_from(source(window, warm), 180.0)
    red, _green, blue = (int(window.session.light_hex(source(window, cool))[i : i + 2], 16) for i in (1, 3, 5))
    assert blue > red, "the complement of a candle is cool"
    window.session.pick(facets.take_colour, "a colour")
    before = source(window, cool).gel
    centre = QPoint(window.picture.width() // 2, int(window.picture.height() * 0.75))
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, centre)
    assert source(window, cool).gel != before
    assert window.session.picking is None


def test_facets_are_pasted_one_by_one(window):
    warm = put(window, "candle")
    button = next(b for b in window.facets.findChildren(QToolButton) if b.accessibleName() == "copy and paste facets")
    button.menu().aboutToShow.emit()
    next(a for a in button.menu().actions() if a.text() == "copy this source").trigger()
    cool = put(window, "rectangle")
    button = next(b for b in window.facets.findChildren(QToolButton) if b.accessibleName() == "copy and paste facets")
    button.menu().aboutToShow.emit()
    next(a for a in button.menu().actions() if a.text().startswith("paste colour")).trigger()
    assert source(window, cool).kelvin == source(window, warm).kelvin
    assert source(window, cool).amount != source(window, warm).amount


# -- placing ----------------------------------------------------------------------------------------------------------


def test_the_slip_places_by_effect(window):
    lamp = put(window, "ball", (-22.0, 0.0, 1.0))
    floor = seen_at(window, (-23.0, 0.5, 0.6), name="jetty")
    slip_act(window, floor, "highlight of")
    shape = source(window, lamp).shape
    assert shape.aim == pytest.approx((-23.0, 0.5, 0.6))
    camera = window.session.document.shot.seen_from
    a = np.subtract(camera.position, shape.aim) / math.dist(camera.position, shape.aim)
    b = np.subtract(shape.position, shape.aim) / math.dist(shape.position, shape.aim)
    assert (a + b)[:2] == pytest.approx((0.0, 0.0), abs=1e-6), "a mirror there would show it"
    slip_act(window, floor, "shadow of the subject")
    shape = source(window, lamp).shape
    line = np.cross(np.subtract(shape.position, shape.aim), np.subtract(shape.aim, (-23.0, 0.5, 0.6)))
    assert line == pytest.approx(0.0, abs=1e-6)
    slip_act(window, floor, "focus here")
    slip_act(window, floor, "keep ball off jetty")
    assert source(window, lamp).linking.excludes("jetty")
    slip_act(window, floor, "let ball light jetty")
    assert not source(window, lamp).linking.excludes("jetty")


def test_a_card_is_put_pulled_turned_pale_and_taken_away(window):
    slip_act(window, seen_at(window, (-24.0, 0.0, 0.6), name="jetty"), "a dark flag")
    card = window.session.chosen_card
    assert card.name == "flag"
    asked = window.bridge.backend.requests[-1]
    assert all(len(layer.cards) == 1 for layer in asked.layers)
    (part, at), *_rest = window.picture.handles.places().items()
    drag(window.picture, at, at + QPointF(25, -10))
    assert getattr(window.session.chosen_card, part) != getattr(card, part)
    type_in(window, "reflectance", "0.8")
    type_in(window, "width", "2.5")
    pick_in(window, "cut-out", "slats")
    now = window.session.chosen_card
    assert (now.reflectance[0], now.width_m, now.cutout.kind) == (0.8, 2.5, "slats")
    window.plan.repaint()
    window.picture.repaint()
    key(window, Qt.Key.Key_Delete)
    assert window.session.document.look.cards == ()
    ctrl(window, Qt.Key.Key_Z)
    assert len(window.session.document.look.cards) == 1


def test_dragging_an_aimed_lamp_keeps_its_distance(window):
    lamp = put(window, "beam", (-24.0, 0.0, 0.8))
    type_in(window, "distance", "2.5 m")
    before = source(window, lamp).shape
    at = window.picture.handles.places()["position"]
    drag(window.picture, at, at + QPointF(-10, 4))
    after = source(window, lamp).shape
    assert after.position != before.position
    assert math.dist(after.position, after.aim) == pytest.approx(2.5, rel=1e-6)


def test_the_plan_is_seen_from_the_side_and_moves_heights_there(window, qtbot):
    lamp = put(window, "ball", (-20.0, 1.0, 1.0))
    qtbot.waitUntil(lambda: window.plan.ground.drawing is not None, timeout=20_000)
    key(window, Qt.Key.Key_V)
    assert window.plan.side == "south"
    window.plan.repaint()
    at = next(p for i, part, p in window.plan.marks() if i == lamp and part == "position")
    before = source(window, lamp).shape.position
    drag(window.plan, at, at + QPointF(0, -20))
    after = source(window, lamp).shape.position
    assert after[2] > before[2]
    assert after[1] == before[1], "how deep it lies stays"
    key(window, Qt.Key.Key_V, Qt.Key.Key_V)
    assert window.plan.side == "above"


def test_a_real_lamp_in_a_glowing_fixture_is_dimmed_with_it(window):
    place = window.session.place
    material = next(i for i, m in enumerate(place.materials) if m.name == "mast lamp")
    triangle = int(np.flatnonzero(place.material_of == material)[0])
    point = place.positions[place.triangles[triangle].astype(int)].mean(0)
    seen = Seen(point.astype(float), np.array([0, 0, 1.0]), 5.0, int(place.object_of[triangle]), material)
    slip_act(window, seen, "a real lamp in this fixture")
    lamp = window.session.chosen_source
    assert lamp.role == "practical"
    assert math.dist(lamp.shape.position, point) < 0.5
    glow = next(
        s
        for s in window.session.document.look.sources
        if isinstance(s.shape, Surface) and s.shape.material == "mast lamp"
    )
    assert glow.group == lamp.group != ""
    dimmed = edits.change_group(window.session.document, lamp.group, dimmer_stops=-3.0)
    levels = {s.id: s.dimmer_stops for s in dimmed.look.balanced()}
    assert levels[lamp.id] == pytest.approx(lamp.dimmer_stops - 3.0)
    assert levels[glow.id] == pytest.approx(glow.dimmer_stops - 3.0)


# -- proposals, watch, groups ------------------------------------------------------------------------------------------


def propose(window, qtbot, number):
    ctrl(window, number)
    qtbot.waitUntil(lambda: window.session.ghost is not None, timeout=20_000)


def test_a_proposal_is_a_ghost_until_it_is_taken(window, qtbot):
    count = len(window.session.document.look.sources)
    propose(window, qtbot, Qt.Key.Key_1)
    window.picture.repaint()
    window.plan.repaint()
    assert len(window.session.document.look.sources) == count
    key(window, Qt.Key.Key_Escape)
    assert window.session.ghost is None
    propose(window, qtbot, Qt.Key.Key_1)
    key(window, Qt.Key.Key_Return)
    assert len(window.session.document.look.sources) == count + 1
    assert window.session.chosen_source.role == "rim"
    ctrl(window, Qt.Key.Key_Z)
    assert len(window.session.document.look.sources) == count


def test_the_watch_names_what_gives_a_source_away_and_goes_there(window, qtbot):
    with qtbot.waitSignal(window.assistant.found, timeout=20_000) as told:
        ctrl(window, Qt.Key.Key_W)
    assert told.args == [()], "the demo gives nothing away"
    camera = window.session.document.shot_named("Waiting").camera
    spot = tuple((np.asarray(camera.position) + 0.4 * np.subtract(camera.aim, camera.position)).tolist())
    bare = Source("bare", "bare bulb", Ball(spot, 0.05, seen=True), 100.0, "lm")
    window.session.edit("plant", edits.add_source(window.session.document, bare))
    with qtbot.waitSignal(window.assistant.found, timeout=20_000):
        ctrl(window, Qt.Key.Key_W)
    sheet = window.watch_sheet
    assert isinstance(sheet, WatchSheet)
    lines = [sheet.list.item(i).text() for i in range(sheet.list.count())]
    assert any("bare bulb" in line and "Waiting" in line for line in lines)
    row = next(i for i, line in enumerate(lines) if "Waiting" in line)
    sheet.list.itemActivated.emit(sheet.list.item(row))
    assert window.session.document.current_shot == "Waiting"
    assert window.session.chosen == "bare"
    sheet.close()


def test_groups_fold_into_one_card_that_balances_them(window):
    a, b = put(window, "candle"), put(window, "disc")

    def of_card(what, words):
        menu = window.rail.menu_of(what)
        # The submenu itself has an action of that name: the last one is meant.
        [x for x in menu.findChildren(QAction) if x.text() == words and x.menu() is None][-1].trigger()

    of_card(a, "a new one")
    of_card(b, "group")
    of_card(b, "fold group")
    QApplication.processEvents()
    assert a not in window.rail.cards
    card = window.rail.cards[GROUP + "group"]
    assert isinstance(card, GroupCard)
    asked = len(window.bridge.backend.requests)
    drag(card, QPoint(60, 60), QPoint(60, 60 - 24))
    assert window.session.document.look.group("group").dimmer_stops == pytest.approx(1.0, abs=0.05)
    assert len(window.bridge.backend.requests) == asked, "a group's dimmer is a mix"
    card.renew()
    card.repaint()
    card.toggle("muted")
    assert not {a, b} & window.session.document.look.active()
    card.toggle("muted")
    card.mark("moss")
    moss = theme.qcolor(theme.MARKS["moss"]).rgb()
    assert card.grab().toImage().pixel(20, PICTURE_HEIGHT - 2) == moss
    QTest.mouseClick(card, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(60, 60))
    QApplication.processEvents()
    assert a in window.rail.cards
    assert window.rail.cards[a].grab().toImage().pixel(20, PICTURE_HEIGHT - 2) == moss, "its sources carry it too"


def test_a_helper_light_goes_through_a_gap_that_is_looked_through(window, qtbot):
    window.header.take_shot("Loft")
    qtbot.wait(50)
    camera = window.session.document.shot.seen_from
    shot = window.session.document.shot
    index = window.session.index()
    # Where the lens looks out between the slats.
    grid = [(x, y) for x in np.linspace(0.1, 0.9, 60) for y in np.linspace(0.2, 0.8, 30)]
    rays = [
        camera.ray(x * shot.frame_width, y * shot.frame_height, shot.frame_width, shot.frame_height) for x, y in grid
    ]
    away, _hit = index.nearest(rays[0][0], np.array([r[1] for r in rays]), 200.0)
    out = [g for g, d in zip(grid, away) if d > 25.0]
    assert out, "the loft's wall has gaps"
    frame = window.picture.frame()
    for x, y in out[:: max(len(out) // 6, 1)]:
        at = QPointF(frame.left() + x * frame.width(), frame.top() + y * frame.height())
        window.picture.acts.gap(at, False)
        ghost = window.session.ghost
        if ghost is not None:
            break
    assert ghost is not None
    assert math.dist(ghost.shape.position, camera.position) < 15.0
    assert ghost.shape.width_m < 3.0


def test_cards_are_ordered_by_hand_by_role_and_by_what_they_give(window):
    ids = [s.id for s in window.session.document.look.sources]
    first = window.rail.cards[ids[0]]
    third = window.rail.cards[ids[2]]
    drag(
        first,
        QPoint(60, 60),
        QPoint(third.x() - first.x() + third.width() - 4, 60),
        modifier=Qt.KeyboardModifier.ControlModifier,
    )
    moved = [s.id for s in window.session.document.look.sources]
    assert moved.index(ids[0]) == 2
    assert sorted(moved) == sorted(ids)
    window.rail.sort_by("role")
    roles = [source(window, i).role for i in list(window.rail.cards)[:-2]]
    assert roles == sorted(
        roles, key=lambda r: ("key", "fill", "rim", "kicker", "bounce", "practical", "background", "").index(r)
    )
    window.rail.sort_by("what they give")
    assert next(iter(window.rail.cards)) in ("sun", "sky")
    window.rail.show_role("practical")
    assert all(source(window, i).role == "practical" for i in list(window.rail.cards)[:-2])
    window.rail.show_role("")
    window.rail.sort_by("hand")
    assert [i for i in window.rail.cards if i in moved] == moved


def test_two_thousand_sources_do_not_hold_up_the_window(window, qtbot):
    look = window.session.document.look
    many = tuple(
        Source(
            f"n{i}",
            f"lamp {i}",
            Ball((-20 + 0.01 * i, 0.02 * i, 2.0), 0.03),
            100.0,
            "lm",
            kelvin=2700.0 + (i % 5) * 400,
        )
        for i in range(2000)
    )
    # The stand-in renderer fills whole layers in the window's own thread: small ones, so that the window is timed.
    window.bridge.asking.set_area(160, 90)
    QApplication.processEvents()
    document = edits.change_look(window.session.document, sources=(*look.sources, *many))
    started = time.perf_counter()
    window.session.edit("many", document)
    QApplication.processEvents()
    window.plan.repaint()
    assert time.perf_counter() - started < 4.0
    assert len(window.bridge.backend.requests[-1].layers) <= 120
    assert window.rail.left_out > 1800
    times = []
    for step in range(6):
        started = time.perf_counter()
        changed = edits.change_source(window.session.document, "n3", dimmer_stops=-0.1 * step - 0.1)
        window.session.edit("dimmer", changed, "dimmer n3")
        QApplication.processEvents()
        times.append(time.perf_counter() - started)
    assert np.median(times) < 1.0


# -- frames, lens, scale ----------------------------------------------------------------------------------------------


def test_a_camera_move_has_a_start_and_an_end(window):
    window.session.choose(CAMERA)
    window.header.lock.click()
    QApplication.processEvents()
    next(b for b in window.facets.findChildren(QPushButton) if b.text() == "last frame here").click()
    shot = window.session.document.shot
    assert (shot.last_frame, shot.frame) == (100, 100)
    start = shot.camera.position
    type_in(window, "position east", "+=3")
    shot = window.session.document.shot
    assert shot.camera.position == start, "at the last frame its end is moved"
    assert shot.ends.position[0] == pytest.approx(start[0] + 3)
    type_in(window, "frame", "1")
    assert window.session.document.shot.seen_from.position == pytest.approx(start)
    type_in(window, "frame", "50")
    between = window.session.document.shot.seen_from.position[0]
    assert start[0] < between < start[0] + 3
    assert window.bridge.asking.request.view.camera.position[0] == pytest.approx(between)
    type_in(window, "f-number", "2")
    assert window.session.document.shot.camera.f_number == 2.0


@pytest.mark.parametrize(("button", "scale"), [(0, 0.01), (1, 1.0), (2, None)])
def test_a_wrong_scale_is_asked_about_on_import(window, monkeypatch, tmp_path, button, scale):
    lines = ["v 0 0 0", "v 9000 0 0", "v 9000 0 700", "v 0 0 700", "f 1 2 3", "f 1 3 4"]
    path = tmp_path / "centimetres.obj"
    path.write_text("\n".join(lines))

    def answer(_parent, _title, text, more, answers):
        assert "m across" in text + more
        return answers[button]

    monkeypatch.setattr(questions, "ask", answer)
    before = window.session.document
    window.files.open_path(path)
    if scale is None:
        assert window.session.document is before
    else:
        assert window.session.document.place.scale == scale


# -- the whole job from black -------------------------------------------------------------------------------------------


def test_a_night_is_set_up_from_black_in_under_sixty_acts(window, qtbot):
    """Two warm and cool lamps, a hidden lamp, a practical, a flag, a cut-out, an eye light and a rim on *Waiting*."""
    acts = 0

    def did(count=1):
        nonlocal acts
        acts += count

    window.header.shots.setCurrentText("Waiting")
    window.header.shots.textActivated.emit("Waiting")
    did()
    key(window, Qt.Key.Key_T)
    did()
    sky = next(s for s in window.session.document.look.sources if s.name == "sky")
    window.session.choose(sky.id)
    key(window, Qt.Key.Key_N)
    did(2)
    type_in(window, "dimmer", "-9")
    did()
    lantern = next(s for s in window.session.document.look.sources if s.name == "hand lantern")
    window.session.choose(lantern.id)
    key(window, Qt.Key.Key_N)
    did(2)
    # A warm lamp low by the figure, a cool one from the other side.
    slip_act(window, seen_at(window, (-22.6, -0.9, 0.65), name="jetty"), "oil lantern")
    warm = window.session.chosen
    did(2)
    type_in(window, "dimmer", "+2")
    did()
    slip_act(window, seen_at(window, (-23.6, 1.6, 0.65), name="jetty"), "rectangle")
    cool = window.session.chosen
    did(2)
    type_in(window, "colour temperature", "9000 K")
    type_in(window, "elevation", "40")
    type_in(window, "distance", "3 m")
    did(3)
    # A hidden lamp behind the figure, in the mist.
    propose(window, qtbot, Qt.Key.Key_4)
    key(window, Qt.Key.Key_Return)
    did(2)
    # The cool lamp's spill is flagged off, and leaves break a beam.
    slip_act(window, seen_at(window, (-23.9, 1.2, 0.65), name="jetty"), "a dark flag")
    flag = window.session.chosen_card.id
    did(2)
    slip_act(window, seen_at(window, (-24.4, -0.6, 0.65), name="jetty"), "beam")
    leaves = window.session.chosen
    did(2)
    type_in(window, "distance", "4 m")
    type_in(window, "elevation", "55")
    pick_in(window, "cut-out", "leaves")
    did(3)
    for role in (Qt.Key.Key_3, Qt.Key.Key_1):
        propose(window, qtbot, role)
        key(window, Qt.Key.Key_Return)
        did(2)
    key(window, Qt.Key.Key_E)
    did()
    assert acts < 60
    look = window.session.document.look
    active = look.active()
    names = {s.name for s in look.sources if s.id in active}
    assert {"oil lantern", "rectangle", "glow behind", "beam", "eye light", "rim", "hand lantern"} <= names
    assert source(window, warm).kelvin < 2500 < source(window, cool).kelvin
    assert source(window, leaves).shape.cutout.kind == "leaves"
    assert look.cards[0].id == flag
    window.session.save()
    kept, notes = load(window.session.path)
    assert notes == []
    assert kept.look == attrs.evolve(look)


# -- air ----------------------------------------------------------------------------------------------------------------


def test_an_air_to_begin_with_is_chosen_and_changed_from_there(window):
    window.session.choose(AIR)
    pick_in(window, "an air to begin with", "sea fog")
    medium = window.session.document.look.medium
    assert (medium.visibility_m, medium.droplet_um) == (140.0, 18.0)
    type_in(window, "droplet size", "30 um")
    assert window.session.document.look.medium.droplet_um == 30.0
    assert choice(window, "an air to begin with").currentText() == "custom"
    type_in(window, "anisotropy", "0.4")
    now = window.session.document.look.medium
    assert (now.anisotropy, now.droplet_um) == (0.4, 0.0), "set by hand, droplets are out of it"
    words = next(x for x in window.facets.findChildren(QLabel) if x.accessibleName() == "what the mist does")
    assert "visibility" in words.text()
    assert "mist gives" in words.text()
    assert "of the contrast" in words.text()
    ctrl(window, Qt.Key.Key_Z, Qt.Key.Key_Z, Qt.Key.Key_Z)
    pick_in(window, "an air to begin with", "clear")
    assert window.session.document.look.medium.is_clear
    assert words.text().startswith("clear")


def test_a_source_that_aims_at_the_subject_turns_to_the_next_one(window):
    lamp = put(window, "beam", (-22.0, 0.0, 1.0))
    next(c for c in window.facets.findChildren(QCheckBox) if c.text() == "aims at the subject").click()
    slip_act(window, seen_at(window, (-24.0, 0.1, 2.0)), "make waiting figure the subject")
    at_figure = source(window, lamp).shape.aim
    slip_act(window, seen_at(window, (0.0, 0.0, 1.0), name="notice board"), "make notice board the subject")
    assert source(window, lamp).shape.aim != at_figure
    assert math.dist(at_figure, (-24.35, 0.09, 2.03)) < 0.2
