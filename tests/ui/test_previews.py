"""Stand-ins are marked and nothing is measured from them; no picture is ever that of another look."""

import attrs
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.model import Look
from lunar_haze.core.place.load import load_place
from lunar_haze.service.protocol import Cleaned, LayerAt, Published
from tests.gltf_cases import write_case
from tests.ui.hands import key


def answer(backend, passes):
    """The layers of the last request, as a renderer lays them that has come so far."""
    request = backend.requests[-1]
    layers = tuple(LayerAt(s.key(), n, passes) for n, s in enumerate(request.layers))
    backend._tell(Published(request.id, layers, passes, request.passes))
    backend._tell(Cleaned(request.id, 0, passes))
    QApplication.processEvents()


@pytest.fixture
def waiting(window, qtbot, monkeypatch):
    """The window after an edit whose picture is not there yet."""
    backend = window.bridge.backend
    true_want = backend.want

    def want(request):
        told, backend._tell = backend._tell, lambda event: None
        true_want(request)
        backend._tell = told

    monkeypatch.setattr(backend, "want", want)
    before = len(backend.requests)
    document = window.session.document
    window.session.act("bounces", edits.change_look(document, bounces=document.look.bounces + 1))
    qtbot.waitUntil(lambda: len(backend.requests) > before)
    return backend


def shown(window):
    return window.picture.grab().toImage()


def test_a_preview_is_marked_until_the_true_picture_is_there(window, waiting):
    assert window.bridge.shown.passes == 0
    answer(waiting, 0)
    marked = shown(window)
    assert window.bridge.shown.passes == 0
    answer(waiting, 4)
    assert window.bridge.shown.passes == 4
    assert shown(window) != marked


def test_exposure_waits_for_the_true_picture(window, waiting):
    """Metered from a coarse picture it was off by stops, once at -21 EV."""
    answer(waiting, 0)
    before = window.session.document.look.ev100
    window.picture.setFocus()
    key(window, Qt.Key.Key_E)
    assert window.session.document.look.ev100 == before
    assert "waiting for the picture" in window.notices.text
    answer(waiting, 4)
    assert window.session.document.look.ev100 != before


def test_other_scenes_are_offered(window, tmp_path, qtbot):
    path = write_case("two scenes", tmp_path)
    assert load_place(path).scenes == ("day set", "night set")
    assert window.files.open_path(path, 1.0)
    qtbot.waitUntil(
        lambda: window.session.place is not None and len(window.session.place.triangles) == 2, timeout=10_000
    )
    window.session.show_scene("night set")
    qtbot.waitUntil(lambda: len(window.session.place.triangles) == 4, timeout=10_000)
    window.session.undo()
    qtbot.waitUntil(lambda: len(window.session.place.triangles) == 2, timeout=10_000)


def test_clouds_of_an_older_document_drift_as_they_did(work):
    """Winds come from where they are told; before, clouds were told where they go."""
    import json

    from lunar_haze.core.sky.clouds import sun_share

    data = json.loads(work.read_text())
    look = next(k for k in data["looks"] if k["name"] == "broken afternoon")
    look["weather"]["clouds"][0].update(wind_deg=60.0, drift_m=700.0)
    data["lunar_haze"] = 4
    work.write_text(json.dumps(data))
    cloud = load(work)[0].look_named("broken afternoon").weather.clouds[0]
    assert cloud.wind_deg == 240.0
    # Carried 700 m towards 60 degrees.
    still = attrs.evolve(cloud, drift_m=0.0)
    at = np.linspace(0.0, 5000.0, 60)
    east, north = 700 * np.sin(np.radians(60.0)), 700 * np.cos(np.radians(60.0))
    moved = sun_share((cloud,), 0.7, at + east, at + north)
    np.testing.assert_allclose(moved, sun_share((still,), 0.7, at, at), atol=1e-6)


# -- another look, another shot -----------------------------------------------------------------------


@pytest.fixture
def held(window, qtbot, monkeypatch):
    """A renderer that answers when it is let."""
    backend = window.bridge.backend
    true_want, waiting = backend.want, []

    def let_go():
        true_want(waiting.pop())
        QApplication.processEvents()

    monkeypatch.setattr(backend, "want", waiting.append)
    backend.let_go, backend.waits_for = let_go, waiting
    return backend


def go_to(window, qtbot, held, look, shot):
    window.session.act("go", attrs.evolve(window.session.document, current_look=look, current_shot=shot))
    qtbot.waitUntil(lambda: bool(held.waits_for), timeout=20_000)


def test_a_look_without_light_yet_is_plain_grey_with_words_and_no_other_looks_picture(window, qtbot, held):
    bridge = window.bridge
    first = bridge.shown.image.copy()
    assert not first.isNull()
    go_to(window, qtbot, held, "loft shafts", "Loft")
    assert bridge.shown.waits
    assert bridge.shown.image.isNull()
    seen = shown(window)
    middle = seen.pixelColor(seen.width() // 2, seen.height() // 3)
    assert middle.red() == middle.green() == middle.blue() > 40, "neither black nor another picture"
    # What makes pixels anew, such as the exposure, does not bring the old light back.
    bridge.shown.refresh()
    assert bridge.shown.image.isNull()
    held.let_go()
    assert not bridge.shown.waits
    assert not bridge.shown.image.isNull()


def test_the_last_true_picture_of_a_look_is_held_veiled_until_a_better_one_is_there(window, qtbot, held):
    bridge = window.bridge
    document, true = window.session.document, bridge.shown.image.copy()
    go_to(window, qtbot, held, "loft shafts", "Loft")
    held.let_go()
    other = bridge.shown.image.copy()
    go_to(window, qtbot, held, document.current_look, document.current_shot)
    assert bridge.shown.waits
    assert bridge.shown.image == true
    veiled = shown(window)
    held.let_go()
    assert not bridge.shown.waits
    assert shown(window) != veiled
    assert bridge.shown.image != other


def test_a_look_without_sources_is_black_and_no_ghost_of_the_one_before(window, qtbot):
    bridge = window.bridge
    empty = Look("nothing", sources=())
    document = window.session.document
    window.session.act("black", attrs.evolve(document, looks=(*document.looks, empty), current_look="nothing"))
    qtbot.waitUntil(lambda: bridge.shown.picture is not None and not bridge.shown.picture.any(), timeout=5000)


def test_no_card_shows_what_a_source_gives_in_another_shot(window, qtbot, held):
    lit = window.session.document.look.active() & window.rail.cards.keys()
    assert lit

    def pictures():
        return [window.rail.cards[i].image for i in lit]

    qtbot.waitUntil(lambda: None not in pictures(), timeout=10_000)
    go_to(window, qtbot, held, window.session.document.current_look, "Waiting")
    qtbot.wait(15 * len(window.rail.cards) + 100)
    assert pictures() == [None] * len(lit)
    held.let_go()
    qtbot.waitUntil(lambda: None not in pictures(), timeout=10_000)
