"""Files let fall on the window: by what they are and where they fall, with a short choice where it could be two things."""

import subprocess
import sys

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from lunar_haze.core.handoff.stills import write_exr, write_hdr
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.ies_lamp import IesLamp
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.sources.screen_video import FilmedScreen
from tests.core.test_distribution import ies
from tests.ui.hands import drop, put

FILM = """
import sys
import av
import numpy as np
with av.open(sys.argv[1], "w") as film:
    stream = film.add_stream("mpeg4", rate=10)
    stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
    for n in range(6):
        frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), 40 * n, np.uint8), format="rgb24")
        film.mux(stream.encode(frame))
    film.mux(stream.encode())
"""


@pytest.fixture
def said(window):
    told = []
    window.session.said.connect(lambda text, problem: told.append((text, problem)))
    return told


def sky(tmp_path, name="dusk.hdr"):
    rows = (np.linspace(2.0, 0.5, 32)[:, None, None] * np.ones((32, 64, 3))).astype(np.float32)
    if name.endswith("hdr"):
        write_hdr(tmp_path / name, rows)
    else:
        write_exr(tmp_path / name, rows, {}, {})
    return tmp_path / name


def take(window, words):
    """Choose an act of the menu that a drop has opened, with the keyboard."""
    menu = window.file_kinds.menu
    assert menu.isVisible()
    act = next(a for a in menu.actions() if words in a.text())
    menu.setActiveAction(act)
    QTest.keyClick(menu, Qt.Key.Key_Return)


def test_a_picture_of_light_is_a_sky_or_a_reference_as_is_chosen(window, tmp_path, monkeypatch):
    monkeypatch.setattr("lunar_haze.ui.base.questions.ask", lambda *a, **k: "mute them")
    before = window.session.document
    drop(window.picture, sky(tmp_path))
    assert window.session.document == before, "nothing is done before it is chosen"
    take(window, "sky")
    shape = window.session.chosen_source.shape
    assert isinstance(shape, Sky)
    assert isinstance(shape.dome, Panorama)
    window.session.undo()
    drop(window.rail, sky(tmp_path))
    take(window, "reference")
    assert window.session.document.look.reference.path.endswith("dusk.hdr")
    assert window.session.document.look.sources == before.look.sources


def test_what_falls_on_the_reference_is_one_without_a_question(window, tmp_path):
    window.second.show_view("reference")
    for name in ("dusk.hdr", "dawn.exr"):
        drop(window.beside.reference, sky(tmp_path, name))
        assert window.session.document.look.reference.path.endswith(name)
        assert window.file_kinds.menu is None


def test_a_menu_that_is_cancelled_does_nothing(window, tmp_path):
    before = window.session.document
    drop(window.picture, sky(tmp_path))
    QTest.keyClick(window.file_kinds.menu, Qt.Key.Key_Escape)
    assert window.session.document == before


def test_a_table_grades(window, tmp_path, qtbot):
    (tmp_path / "warm.cube").write_text("LUT_1D_SIZE 2\n0 0 0\n1 0.9 0.8\n")
    drop(window.plan, tmp_path / "warm.cube")
    qtbot.waitUntil(lambda: window.session.document.look.finish.table is not None)
    assert window.session.document.look.finish.table.path.endswith("warm.cube")


def test_an_ies_file_is_a_new_lamp_or_the_chosen_lamps_light(window, tmp_path):
    (tmp_path / "Street.IES").write_text(ies())
    window.session.choose("")
    count = len(window.session.document.look.sources)
    drop(window.picture, tmp_path / "Street.IES")
    made = window.session.chosen_source
    assert len(window.session.document.look.sources) == count + 1
    assert isinstance(made.shape, IesLamp)
    assert made.name == "Street"
    lamp = put(window, "beam")
    drop(window.picture, tmp_path / "Street.IES")
    take(window, "shine as it does")
    now = window.session.document.look.expect(lamp)
    assert isinstance(now.shape, IesLamp)
    assert now.shape.position == pytest.approx((-20.0, 0.0, 1.0), abs=3.0)
    assert now.unit == "lm"


def test_a_picture_is_a_cut_out_of_the_lamp_that_is_chosen(window, tmp_path):
    Image.new("L", (16, 16), 128).save(tmp_path / "leaves.png")
    lamp = put(window, "beam")
    drop(window.picture, tmp_path / "leaves.png")
    take(window, "cut-out")
    assert window.session.document.look.expect(lamp).shape.cutout.path.endswith("leaves.png")


def test_a_film_asks_for_a_source_first(window, said, tmp_path, qtbot):
    # In a process of its own: an encoder that is collected while its threads write to the log waits for ever.
    subprocess.run([sys.executable, "-c", FILM, str(tmp_path / "film.mp4")], check=True)
    window.session.choose("")
    drop(window.picture, tmp_path / "film.mp4")
    assert "choose the source" in said[-1][0]
    lamp = put(window, "ball")
    drop(window.picture, tmp_path / "film.mp4")
    qtbot.waitUntil(lambda: isinstance(window.session.document.look.expect(lamp).flicker, FilmedScreen))


def test_what_is_of_no_kind_is_told_with_those_that_are(window, said, tmp_path):
    (tmp_path / "letter.txt").write_text("dear")
    before = window.session.document
    drop(window.picture, tmp_path / "letter.txt")
    assert window.session.document == before
    text, is_problem = said[-1]
    assert is_problem
    assert all(kind in text for kind in (".haze", ".glb", ".ies", ".cube", ".hdr", ".mp4"))
