"""The sky driven as a hand would: the day strip, the plan's rim, the facets of suns and skies."""

import numpy as np
import OpenImageIO as oiio
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QFileDialog, QPushButton

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.handoff.stills import write_exr
from lunar_haze.core.sky.dome import dome_illuminance_lx
from lunar_haze.core.sky.ephemeris import events
from lunar_haze.core.sky.lat_long import direction_of, irradiance, map_directions
from lunar_haze.core.sky.model import CLOUDS, ClearSky, Gradient, Panorama
from lunar_haze.core.sky.tables import is_ready
from lunar_haze.ui.base import questions
from lunar_haze.ui.facets.sky_facets import SkyFacets
from lunar_haze.ui.time.day_strip import SiteDialog
from tests.ui.hands import drag, finish, source


def look_of(window):
    return window.session.document.look


def box(window, text):
    return next(b for b in window.facets.widget().findChildren(QCheckBox) if b.text() == text)


def press(window, text):
    next(b for b in window.facets.widget().findChildren(QPushButton) if b.text().startswith(text)).click()


def combo(window, name):
    return next(c for c in window.facets.widget().findChildren(QComboBox) if c.accessibleName() == name)


def test_the_strip_is_painted_by_the_days_own_sky(window, qtbot):
    qtbot.waitUntil(lambda: window.hour.band.image is not None, timeout=20_000)
    image = window.hour.band.image
    width = image.width()
    noon, midnight = QColor(image.pixel(width // 2, 0)), QColor(image.pixel(1, 0))
    assert noon.lightness() > 2 * midnight.lightness()
    assert noon.blue() > noon.red(), "the zenith at noon is blue"
    dusk = QColor(image.pixel(round(width * 19.3 / 24), image.height() - 1))
    assert dusk.red() > dusk.blue(), "the horizon at dusk is warm"


def test_keys_step_to_the_next_event_and_back(window):
    site, date = window.session.document.place.site, look_of(window).date
    today = [e.hour_h for e in events(date, site)]
    start = look_of(window).hour_h
    QTest.keyClick(window, Qt.Key.Key_J)
    assert look_of(window).hour_h == pytest.approx(min(h for h in today if h > start + 0.01))
    QTest.keyClick(window, Qt.Key.Key_J, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(window, Qt.Key.Key_J, Qt.KeyboardModifier.ShiftModifier)
    assert look_of(window).hour_h < start
    for _ in range(len(today)):
        QTest.keyClick(window, Qt.Key.Key_J)
    assert look_of(window).date == "2024-08-22", "past the last event lies the next day's first"


def test_an_event_names_itself_on_approach(window, qtbot):
    band = window.hour.band
    sunset = next(e for e in events(look_of(window).date, window.session.document.place.site) if e.name == "sunset")
    plain = band.grab().toImage()
    QTest.mouseMove(band, QPoint(round(sunset.hour_h / 24 * band.width()) + 4, 20))
    band._pointer = sunset.hour_h / 24 * band.width() + 4
    band.update()
    QApplication.processEvents()
    assert band.grab().toImage() != plain


def test_dates_and_places_can_be_typed_and_wrong_ones_are_refused(window):
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    field = window.hour.date
    field.setText("2024-12-21")
    field.editingFinished.emit()
    assert look_of(window).date == "2024-12-21"
    assert source(window, "sun").shape.altitude_deg < 0.0, "half past six in December is night"
    field.setText("the day after")
    field.editingFinished.emit()
    assert look_of(window).date == "2024-12-21"
    assert field.text() == "2024-12-21"
    assert any("the day after" in text for text in told)
    dialog = SiteDialog(window.session, window)
    well = dialog.wells["latitude_deg"]
    before = source(window, "sky").shape.dome
    well.edit()
    finish(well, "=-33")
    assert window.session.document.place.site.latitude_deg == -33.0
    assert source(window, "sky").shape.dome.sun_altitude_deg > before.sun_altitude_deg
    assert "33.0° S" in window.hour.site.text()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.document.place.site.latitude_deg == 52.0


def test_the_plans_rim_moves_the_hour_and_turns_north(window):
    plan = window.plan
    mark = plan.sun_mark(source(window, "sun").shape)
    noon = plan.rim_point(20.0, 180.0)
    drag(plan, mark.toPoint(), noon.toPoint())
    assert look_of(window).hour_h == pytest.approx(12.0, abs=0.4)
    assert source(window, "sun").shape.azimuth_deg == pytest.approx(180.0, abs=4.0)
    window.session.seal()
    north = plan.north_mark()
    drag(plan, north.toPoint(), plan.rim_point(0.0, 40.0).toPoint())
    assert window.session.document.place.site.north_deg == pytest.approx(40.0, abs=4.0)
    assert source(window, "sun").shape.azimuth_deg == pytest.approx(220.0, abs=8.0)


def test_a_sun_set_by_hand_lets_go_of_the_hour_and_takes_it_up_again(window):
    window.session.choose("sun")
    well = window.facets.wells["elevation"]
    well.edit()
    finish(well, "30")
    assert source(window, "sun").shape.altitude_deg == 30.0
    assert not source(window, "sun").shape.follows_hour
    QTest.keyClick(window, Qt.Key.Key_H)
    assert source(window, "sun").shape.altitude_deg == 30.0
    box(window, "follows the hour").click()
    assert source(window, "sun").shape.altitude_deg < 10.0


def test_haze_clouds_and_bend_belong_to_the_look_and_reach_sun_and_sky(window, qtbot):
    window.session.choose("sky")
    well = window.facets.wells["haze"]
    well.edit()
    finish(well, "12")
    assert look_of(window).weather.atmosphere.visibility_km == 12.0
    assert source(window, "sky").shape.dome.weather.atmosphere.visibility_km == 12.0
    # Its tables are made aside; meanwhile the window lives and the picture stays.
    qtbot.waitUntil(lambda: is_ready(look_of(window).weather.atmosphere), timeout=30_000)
    qtbot.waitUntil(
        lambda: (
            window.bridge.asking.request.layers
            and any(
                getattr(s.shape, "dome", None) == source(window, "sky").shape.dome
                for s in window.bridge.asking.request.layers
            )
        ),
        timeout=30_000,
    )
    combo(window, "clouds").textActivated.emit("broken")
    assert source(window, "sun").shape.clouds == CLOUDS["broken"] == source(window, "sky").shape.dome.weather.clouds
    drag(window.facets.wells["saturation"], QPoint(100, 10), QPoint(40, 10))
    assert source(window, "sky").shape.dome.weather.grade.saturation < 1.0
    for _ in range(3):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert look_of(window).weather.atmosphere.visibility_km > 50.0
    assert source(window, "sun").shape.clouds == ()


def test_what_a_sky_does_can_be_switched(window):
    window.session.choose("sky")
    for text, field in (
        ("lights the place", "lights"),
        ("the camera sees it", "seen"),
        ("seen in bounced light", "bounces"),
    ):
        assert getattr(source(window, "sky").shape, field)
        box(window, text).click()
        assert not getattr(source(window, "sky").shape, field)


def test_two_colours_and_back(window):
    window.session.choose("sky")
    combo(window, "kind of sky").textActivated.emit("two colours")
    assert isinstance(source(window, "sky").shape.dome, Gradient)
    assert source(window, "sky").unit == "lx"
    combo(window, "kind of sky").textActivated.emit("the sky of the hour")
    assert isinstance(source(window, "sky").shape.dome, ClearSky)
    assert source(window, "sky").shape.follows_hour


def test_a_photograph_stands_as_the_sky_and_its_sun_becomes_a_source(window, tmp_path):
    directions, _ = map_directions(128, 256)
    picture = np.full((128, 256, 3), 0.4, np.float32)
    picture[directions @ direction_of(30.0, 110.0) > 0.999] = 3000.0
    path = tmp_path / "sky.exr"
    write_exr(path, picture, {}, {})
    window.session.choose("sky")
    SkyFacets(window.facets.column, "sky").use_panorama(path)
    dome = source(window, "sky").shape.dome
    assert isinstance(dome, Panorama)
    assert dome.encoding == "linear"
    well = window.facets.wells["turn"]
    well.edit()
    finish(well, "20")
    count = len(look_of(window).sources)
    button = next(b for b in window.facets.widget().findChildren(QPushButton) if b.text().startswith("take its sun"))
    button.click()
    assert len(look_of(window).sources) == count + 1
    sun = look_of(window).sources[-1]
    assert sun.shape.altitude_deg == pytest.approx(30.0, abs=1.0)
    assert sun.shape.azimuth_deg == pytest.approx(130.0, abs=1.0)
    assert source(window, "sky").shape.dome.without_sun


def test_a_photographs_sun_and_the_photograph_are_one_until_untied(window, tmp_path):
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    directions, _ = map_directions(128, 256)
    picture = np.full((128, 256, 3), (0.3, 0.4, 0.6), np.float32)
    picture[directions @ direction_of(30.0, 110.0) > 0.999] = 3000.0
    write_exr(tmp_path / "sky.exr", picture, {}, {})
    window.session.choose("sky")
    SkyFacets(window.facets.column, "sky").use_panorama(tmp_path / "sky.exr")
    press(window, "take its sun")
    sun = look_of(window).sources[-1]
    window.session.choose(sun.id)
    QApplication.processEvents()
    well = window.facets.wells["azimuth"]
    well.edit()
    finish(well, "140")
    assert source(window, "sky").shape.dome.turn_deg == pytest.approx(30.0, abs=0.5)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert source(window, "sky").shape.dome.turn_deg == 0.0
    press(window, "untie")
    well = window.facets.wells["azimuth"]
    well.edit()
    finish(well, "200")
    assert source(window, "sky").shape.dome.turn_deg == 0.0


@pytest.mark.parametrize(("answer", "muted", "added"), [
    ("mute them", True, 1), ("let both light", False, 1), ("add nothing", False, 0),
])  # fmt: skip
def test_a_new_sky_asks_before_it_mutes_others(window, tmp_path, monkeypatch, answer, muted, added):
    asked = []

    def ask(_parent, title, text, _more, answers, escape=""):
        asked.append((title, text))
        return answer

    monkeypatch.setattr(questions, "ask", ask)
    write_exr(tmp_path / "sky.exr", np.full((64, 128, 3), 0.4, np.float32), {}, {})
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(tmp_path / "sky.exr"), ""))
    count = len(look_of(window).sources)
    window.adding.ask_photograph()
    assert len(asked) == 1
    assert source(window, "sky").name in asked[0][1]
    assert len(look_of(window).sources) == count + added
    assert source(window, "sky").muted == muted


def test_a_photograph_that_cannot_be_read_changes_nothing(window, tmp_path):
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    (tmp_path / "bad.exr").write_bytes(b"nothing")
    before = window.session.document
    window.session.choose("sky")
    SkyFacets(window.facets.column, "sky").use_panorama(tmp_path / "bad.exr")
    assert window.session.document == before
    assert any("bad.exr" in text for text in told)


def test_the_sky_is_handed_on_as_a_map(window, qtbot, tmp_path):
    with qtbot.waitSignal(window.session.said, timeout=20_000):
        window.hand_off.write_sky(tmp_path / "sky.exr", with_sun=False, size=(128, 64))
    pixels = oiio.ImageBuf(str(tmp_path / "sky.exr")).get_pixels(oiio.FLOAT)
    dome = source(window, "sky").shape.dome
    assert irradiance(pixels) @ LUMINANCE_WEIGHTS == pytest.approx(dome_illuminance_lx(dome), rel=0.005)
    with qtbot.waitSignal(window.session.said, timeout=20_000) as told:
        window.hand_off.write_sky(tmp_path / "none" / "sky.exr", size=(128, 64))
    assert told.args[1], "what goes wrong is told as a problem"


def test_a_moon_and_a_second_sky_are_added_from_the_menu(window):
    count = len(look_of(window).sources)
    window.acts.add_heaven("moon")
    moon = look_of(window).sources[-1]
    assert moon.shape.body == "moon"
    assert window.session.chosen == moon.id
    assert "phase" in window.facets.wells
    window.acts.add_heaven("sky behind the picture")
    behind = look_of(window).sources[-1]
    assert (behind.shape.lights, behind.shape.seen) == (False, True)
    for _ in range(2):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(look_of(window).sources) == count
