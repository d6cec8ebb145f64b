"""What stopped the work of people who tried the window, line by line; what other files test is not repeated here."""

import attrs
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QFileDialog, QLabel, QToolButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.rows import CAMERA
from lunar_haze.core.handoff.stills import write_hdr
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.model import Ball, Sky, Surface
from lunar_haze.ui.picture.seen import Seen
from tests.ui.hands import ctrl, drag, key, seen_at, slip_act, source


def title(window):
    return next(label.text() for label in window.facets.findChildren(QLabel) if label.property("title"))


def told(window):
    lines = []
    window.session.said.connect(lambda text, problem: lines.append(text))
    return lines


# -- tripped by keys ----------------------------------------------------------------------------------


def test_undo_while_a_line_is_open_undoes_what_is_typed_and_nothing_hangs(window):
    window.session.choose(window.session.document.look.sources[0].id)
    well = window.facets.wells["dimmer"]
    before = window.session.document
    QTest.keyClick(well, Qt.Key.Key_Return)
    QTest.keyClicks(well.editor, "5")
    QTest.keyClick(well.editor, Qt.Key.Key_Escape)
    QApplication.processEvents()
    assert window.session.document == before
    key(window, Qt.Key.Key_BracketRight)
    ctrl(window, Qt.Key.Key_Z)
    assert window.session.document == before


def test_alt_with_the_mouse_is_the_window_managers(window):
    """It moved the camera, and the window with it."""
    window.session.act("unlock", edits.change_shot(window.session.document, locked=False))
    before = window.session.document.shot.camera
    middle = window.picture.rect().center()
    drag(window.picture, middle, middle + QPoint(60, 20), modifier=Qt.KeyboardModifier.AltModifier)
    assert window.session.document.shot.camera == before
    drag(window.picture, middle, middle + QPoint(60, 20), modifier=Qt.KeyboardModifier.ControlModifier)
    assert window.session.document.shot.camera != before


# -- not found ----------------------------------------------------------------------------------------


def test_the_camera_is_a_button_of_the_header(window):
    button = next(b for b in window.header.findChildren(QToolButton) if b.text() == "camera")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.session.chosen == CAMERA
    assert "focal length" in window.facets.wells


def test_a_photograph_as_the_sky_is_found_where_everything_is_added(window, tmp_path, monkeypatch):
    """It hid three levels deep."""
    rows = np.linspace(2.0, 0.5, 32)[:, None, None] * np.ones((32, 64, 3))
    write_hdr(tmp_path / "dusk.hdr", rows.astype(np.float32))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "dusk.hdr"), ""))
    skies = [s.id for s in window.session.document.look.sources if isinstance(s.shape, Sky)]
    menu = window.adding.menu()
    next(a for a in menu.findChildren(QAction) if a.text() == "photographed sky ...").trigger()
    made = window.session.chosen_source
    assert made.name == "dusk"
    assert isinstance(made.shape.dome, Panorama)
    assert all(source(window, i).muted for i in skies), "two skies would light twice"
    window.session.undo()
    assert [s.id for s in window.session.document.look.sources if isinstance(s.shape, Sky)] == skies
    assert not any(source(window, i).muted for i in skies)


def test_a_helper_slides_sideways_and_stays_parallel(window):
    """Shift takes the aim along, so the beam keeps its direction."""
    beam = attrs.evolve(
        window.session.document.look.sources[0], id="helper", shape=Ball((-24.0, 2.0, 3.0), 0.05, aim=(-22.0, 0.0, 1.0)),
        unit="lm", amount=100.0,
    )  # fmt: skip
    window.session.act("add", edits.add_source(window.session.document, beam))
    window.session.choose("helper")
    at = window.plan.to_screen(-24.0, 2.0).toPoint()
    drag(window.plan, at, at + QPoint(20, 0), modifier=Qt.KeyboardModifier.ShiftModifier)
    shape = source(window, "helper").shape
    assert shape.position[0] > -23.9
    assert np.subtract(shape.aim, shape.position) == pytest.approx((2.0, -2.0, -2.0), abs=1e-6)


# -- wrong --------------------------------------------------------------------------------------------


def test_another_shot_has_its_own_heading_and_numbers(window):
    """The old camera's stayed in the column."""
    window.session.choose(CAMERA)
    assert title(window) == "camera of Landing"
    first = window.facets.wells["focal length"].value
    window.header.take_shot("Waiting")
    QApplication.processEvents()
    assert title(window) == "camera of Waiting"
    shown = window.facets.wells["focal length"].value
    assert shown == window.session.document.shot.camera.focal_mm
    assert shown != first


def test_a_bad_date_is_refused_and_the_next_digit_changes_nothing(window, qtbot):
    """It left its notice, and swallowed the digits that were typed next."""
    lines = told(window)
    window.activateWindow()
    field = window.hour.date
    chosen = window.session.chosen
    for text, taken in (("2024-13-45", "2024-08-21"), ("2024-06-24", "2024-06-24")):
        QTest.mouseClick(field, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(field.hasFocus)
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        QApplication.processEvents()
        assert window.session.document.look.date == taken
        assert field.text() == taken
        assert not field.hasFocus()
        QTest.keyClick(QApplication.focusWidget(), "2")
        assert field.text() == taken
        assert window.session.chosen == chosen
    assert len([line for line in lines if "2024-13-45" in line]) == 1


def fixture_of(window, name):
    place = window.session.place
    material = next(i for i, m in enumerate(place.materials) if m.name == name)
    triangle = int(np.flatnonzero(place.material_of == material)[0])
    point = place.positions[place.triangles[triangle].astype(int)].mean(0)
    return Seen(point.astype(float), np.array([0, 0, 1.0]), 5.0, int(place.object_of[triangle]), material)


@pytest.mark.parametrize("off", [{"dimmer_stops": -20.0}, {"muted": True}])
def test_a_real_lamp_in_a_fixture_that_is_off_gives_light(window, off):
    """It arrived at -20 stops beside a glow that stayed as it was."""
    lines = told(window)
    glow = next(s for s in window.session.document.look.sources if s.name == "mast lamp")
    assert isinstance(glow.shape, Surface)
    window.session.act("off", edits.change_source(window.session.document, glow.id, **off))
    slip_act(window, fixture_of(window, "mast lamp"), "a real lamp in this fixture")
    lamp, glow = window.session.chosen_source, source(window, glow.id)
    assert lamp.dimmer_stops == glow.dimmer_stops == 0.0
    assert not glow.muted
    assert any("was off" in line for line in lines)


def test_a_sun_below_the_horizon_is_said_to_be_so(window):
    """It was black without a word."""
    lines = told(window)
    window.acts.step_hour(24.0 - window.session.document.look.hour_h - 0.5)
    window.acts.add_heaven("sun")
    assert any("below the horizon" in line and "gives no light" in line for line in lines)
    lines.clear()
    window.acts.step_hour(-11.0)
    window.acts.add_heaven("sun")
    assert not any("horizon" in line for line in lines)


def test_to_let_go_of_the_hour_moves_nothing_and_asks_for_no_light(window):
    """The picture began anew."""
    for name in ("sun", "sky"):
        window.session.choose(next(s.id for s in window.session.document.look.sources if s.name == name))
        asked = len(window.bridge.backend.requests)
        box = next(b for b in window.facets.findChildren(QCheckBox) if b.text() == "follows the hour")
        QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(6, box.height() // 2))
        QTest.qWait(50)
        assert not window.session.chosen_source.shape.follows_hour
        assert len(window.bridge.backend.requests) == asked


def test_lightning_goes_into_the_sky_where_it_is_clicked(window):
    """It landed on a shore 139 m off."""
    window.adding.offer("lightning")
    frame = window.picture.frame()
    at = QPointF(frame.left() + 0.3 * frame.width(), frame.top() + 0.2 * frame.height())
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at.toPoint())
    QApplication.processEvents()
    made = window.session.chosen_source
    assert made.name == "lightning"
    width, height = window.bridge.asking.size()
    seen = window.session.document.shot.seen_from.project(np.array(made.shape.position), width, height)
    assert seen[:2] / (width, height) == pytest.approx((0.3, 0.2), abs=0.02)
    assert made.shape.position[2] > 10.0


def test_any_other_lamp_needs_something_to_stand_by(window):
    lines = told(window)
    window.adding.offer("candle")
    frame = window.picture.frame()
    QTest.mouseClick(
        window.picture, Qt.MouseButton.LeftButton, pos=QPoint(int(frame.center().x()), int(frame.top()) + 20)
    )
    QApplication.processEvents()
    assert window.session.chosen_source is None or window.session.chosen_source.name != "candle"
    assert any("nothing there" in line for line in lines)


# -- offered where it makes no sense ------------------------------------------------------------------


def test_no_room_is_offered_to_be_filled_out_of_doors(window):
    """“fill this room with mist”, on a face outdoors."""
    slip = window.picture.slip(QPointF(100, 100), seen_at(window, (-5.0, 0.0, 1.1), name="jetty"))
    assert "fill this room with mist" not in [action.text() for action in slip.actions()]
    inside = window.picture.slip(QPointF(100, 100), seen_at(window, (2.0, 7.0, 3.2), name="jetty"))
    assert "fill this room with mist" in [action.text() for action in inside.actions()]
