"""Nothing that was done is lost."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import attrs
import numpy as np
import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load, named, save
from lunar_haze.core.document.journal import Journal, beside, read, unsaved
from lunar_haze.core.errors import DocumentError
from lunar_haze.service.folders import demo_file
from lunar_haze.ui.base import questions
from lunar_haze.ui.session.session import Session
from tests.ui.conftest import dimmed

REAL_ASK = questions.ask


@pytest.fixture
def escaped(monkeypatch, qtbot):
    """Every question is really asked, and Escape is pressed on it; the titles of those that were."""
    titles = []

    def press(parent, title, *rest, **more):
        def escape():
            titles.append(QApplication.activeModalWidget().windowTitle())
            qtbot.keyClick(QApplication.activeModalWidget(), Qt.Key.Key_Escape)

        QTimer.singleShot(50, escape)
        return REAL_ASK(parent, title, *rest, **more)

    monkeypatch.setattr(questions, "ask", press)
    return titles


def test_a_hand_that_never_rests_does_not_put_the_journal_off(session, qtbot):
    """Every edit restarted the timer, so that ten minutes of work could be lost."""
    place = beside(session.path)
    begun = time.monotonic()
    while time.monotonic() < begun + 2.5:
        session.edit("dimmer", dimmed(session, time.monotonic() - begun))
        qtbot.wait(50)
        if time.monotonic() > begun + 1.5:
            assert place.exists()
            assert time.time() - read(place)[0].written < 1.2


def test_another_document_opened_at_once_loses_no_edit(session, tmp_path, work, qtbot):
    """Within 1.5 s of an edit the edit was gone."""
    other = tmp_path / "other.haze"
    save(session.document, other)
    session.edit("dimmer", dimmed(session, -1.25))
    session.open_path(other)
    session.open_path(work)
    assert session.document.look.sources[0].dimmer_stops == -1.25


@pytest.mark.parametrize("name", ["take.2", "a.b.c", "plain", "with.haze"])
def test_dots_in_names_stay(session, tmp_path, name):
    """“take.2” became “take.haze”."""
    session.save(tmp_path / name)
    assert session.path.name == (name if name.endswith(".haze") else f"{name}.haze")
    assert named(tmp_path / name) == session.path


def test_what_a_suffix_makes_of_a_name_is_asked_about(window, tmp_path, monkeypatch):
    """The dialog asked about “take”, and “take.haze” was written over."""
    there = tmp_path / "take.haze"
    there.write_text("precious")
    asked = []
    monkeypatch.setattr(questions, "ask", lambda parent, title, text, *rest: asked.append(text) or "do not save")
    assert not window.files.save_as(tmp_path / "take")
    assert there.read_text() == "precious"
    assert "take.haze" in asked[0]


def test_the_demo_opens_as_a_copy(qtbot, tmp_path):
    """The installed demo could be overwritten."""
    before = demo_file().read_bytes()
    made = Session(tmp_path / "state")
    made.open_path(demo_file())
    assert made.path is None
    assert not made.needs_a_name, "as long as nothing was done"
    made.edit("dimmer", dimmed(made, -3.0))
    assert made.needs_a_name
    with pytest.raises(DocumentError):
        made.save()
    with pytest.raises(DocumentError, match="another name"):
        made.save(demo_file())
    assert demo_file().read_bytes() == before
    made.close()


def test_work_without_a_name_is_kept_and_offered(window, work, tmp_path, monkeypatch, qtbot):
    """`unsaved.autosave` was written and never read."""
    session = window.session
    assert window.files.open_path(work.with_suffix(".glb"))
    session.edit("dimmer", dimmed(session, -2.5))
    monkeypatch.setattr(questions, "ask", lambda *a: "keep it for later")
    assert window.files.open_path(work)
    (found,) = session.unsaved()
    assert found.document.look.sources[0].dimmer_stops == -2.5
    monkeypatch.setattr(questions, "ask", lambda *a: "go on with it")
    window.files.offer_unsaved()
    assert session.path is None
    assert session.document.look.sources[0].dimmer_stops == -2.5
    session.save(tmp_path / "kept.haze")
    assert not session.unsaved()


def test_escape_deletes_no_unsaved_work(window, work, monkeypatch, escaped):
    """Escape on the offer of unsaved work used to mean: delete it."""
    session = window.session
    assert window.files.open_path(work.with_suffix(".glb"))
    session.edit("dimmer", dimmed(session, -2.5))
    assert not window.close(), "Escape means stay"
    with monkeypatch.context() as patch:
        patch.setattr(questions, "ask", lambda *a: "keep it for later")
        assert window.files.open_path(work)
    window.files.offer_unsaved()
    assert len(session.unsaved()) == 1
    assert escaped == ["unsaved work", "unsaved work"]


def test_escape_gives_up_no_still(window, escaped, monkeypatch):
    """Escape on closing while a still is being written used to mean: give it up."""
    monkeypatch.setattr(window.files._hand_off, "still", object())
    assert not window.files.may_leave()
    assert escaped == ["still"]
    monkeypatch.setattr(window.files._hand_off, "still", None)


def test_closing_asks_and_staying_stays(window, work, monkeypatch):
    assert window.files.open_path(work.with_suffix(".glb"))
    window.session.edit("dimmer", dimmed(window.session, -2.5))
    monkeypatch.setattr(questions, "ask", lambda *a: "stay")
    assert not window.close()
    assert window.isVisible()
    monkeypatch.setattr(questions, "ask", lambda *a: "discard it")
    assert not window.bridge.backend.closed
    window.session.discard()
    assert not window.session.unsaved()


@pytest.mark.parametrize("damage", ["cut", "deep", "words", "future"])
def test_no_journal_is_lost_in_silence(session, work, tmp_path, damage, qtbot):
    """A bad journal kept its good document shut, a file of the future hid a good journal."""
    session.edit("dimmer", dimmed(session, -1.5))
    session.keeper.flush()
    place = beside(session.path)
    session.keeper.release()
    if damage == "cut":
        place.write_text(place.read_text()[:200])
    elif damage == "deep":
        place.write_text("[" * 100_000)
    elif damage == "words":
        place.write_text(json.dumps({"lunar_haze_journal": 1, "written": "noon", "document": 5}))
    else:
        os.utime(work, (time.time() + 1e6, time.time() + 1e6))
    told = []
    other = Session(tmp_path / "state2")
    other.said.connect(lambda text, problem: told.append(text))
    other.open_path(work)
    if damage == "future":
        assert other.document.look.sources[0].dimmer_stops == -1.5
        assert any("brought back" in t for t in told)
    else:
        assert other.document.look.sources[0].dimmer_stops != -1.5
        assert any("damaged" in t for t in told)
        assert place.with_name(place.name + ".damaged").exists(), "set aside, not thrown away"
    other.close()


def test_where_the_folder_cannot_be_written_the_journal_lies_elsewhere_and_that_is_told(tmp_path, demo):
    """A fallback folder when the document's own is read-only or full, and the artist told."""
    document = load(demo)[0]
    journal = Journal(Path("/proc/none/doc.haze"), tmp_path / "state")
    place = journal.write(document)
    assert place.is_relative_to(tmp_path / "state")
    assert journal.find()[0].document == document
    journal.void()
    assert journal.find() == (None, [])


@pytest.mark.parametrize("mode", [0o600, 0o640, 0o664])
def test_a_file_keeps_its_mode(session, work, mode):
    """0600 became 0644."""
    work.chmod(mode)
    session.edit("dimmer", dimmed(session, -1.0))
    session.save()
    assert work.stat().st_mode & 0o777 == mode


def test_a_read_only_file_is_not_replaced(session, work):
    work.chmod(0o444)
    before = work.read_bytes()
    session.edit("dimmer", dimmed(session, -1.0))
    with pytest.raises(DocumentError, match="read-only"):
        session.save()
    assert work.read_bytes() == before
    assert not [p for p in work.parent.iterdir() if p.name.endswith(".new")]


def test_scale_is_an_edit_like_all_others(session, qtbot):
    """It deleted the artist's shots, left lamps where they were, and undo left the geometry as it was."""
    document = edits.change_shot(session.document, name="my own shot")
    session.act("name", document)
    before, size = session.document, np.ptp(session.place.bounds, axis=0)
    session.rescale_place(2.0)
    qtbot.waitUntil(
        lambda: session.place is not None and np.allclose(np.ptp(session.place.bounds, axis=0), 2 * size),
        timeout=20_000,
    )
    after = session.document
    assert [s.name for s in after.shots] == [s.name for s in before.shots]
    assert after.shot.camera.position == pytest.approx(tuple(2 * v for v in before.shot.camera.position))
    look = after.look_named("lamplit wait")
    lamp, was = look.source("glow"), before.look_named("lamplit wait").source("glow")
    assert lamp.shape.position == pytest.approx(tuple(2 * v for v in was.shape.position))
    assert lamp.shape.radius_m == pytest.approx(2 * was.shape.radius_m)
    assert look.medium.visibility_m == pytest.approx(2 * before.look_named("lamplit wait").medium.visibility_m)
    session.undo()
    assert session.document == before
    qtbot.waitUntil(lambda: np.allclose(np.ptp(session.place.bounds, axis=0), size), timeout=20_000)


def test_unknown_fields_are_kept_where_they_were_and_told(work):
    """What a newer version had written in a lamp was gone after one save."""
    data = json.loads(work.read_text())
    data["looks"][1]["sources"][0]["twinkle"] = {"kind": "flame", "seed": 4}
    data["looks"][1]["ripples"] = [1, 2, 3]
    data["shots"][0]["sway"] = 7.5
    work.write_text(json.dumps(data))
    document, notes = load(work)
    assert any("twinkle" in n or "ripples" in n for n in notes)
    # Others come and go about them.
    document = attrs.evolve(document, looks=document.looks[1:])
    save(document, work)
    again = json.loads(work.read_text())
    assert again["looks"][0]["sources"][0]["twinkle"] == {"kind": "flame", "seed": 4}
    assert again["looks"][0]["ripples"] == [1, 2, 3]
    assert again["shots"][0]["sway"] == 7.5


def test_what_was_unread_survives_a_second_loss(work):
    """A second look that could not be read took the place of the first."""
    data = json.loads(work.read_text())
    data["unread_looks"] = [{"name": "lost before"}]
    data["looks"].append("lost now")
    work.write_text(json.dumps(data))
    save(load(work)[0], work)
    assert json.loads(work.read_text())["unread_looks"] == [{"name": "lost before"}, "lost now"]


def test_paths_are_relative_where_they_can_be(session, work, tmp_path):
    """Panoramas were kept by absolute paths, and gone on another machine."""
    from lunar_haze.core.sky.model import Panorama
    from lunar_haze.core.sources.model import Sky, Source

    dome = Panorama(str(tmp_path / "skies" / "dusk.exr"), "", "linear")
    session.act(
        "photo", edits.add_source(session.document, Source("p", "photo", Sky(dome, follows_hour=False), 1.0, "lx"))
    )
    session.save()
    assert '"skies/dusk.exr"' in work.read_text()
    assert str(tmp_path) not in work.read_text()
    elsewhere = tmp_path / "moved"
    elsewhere.mkdir()
    for name in (work.name, work.with_suffix(".glb").name):
        (work.parent / name).replace(elsewhere / name)
    assert load(elsewhere / work.name)[0].look.source("p").shape.dome.path == str(elsewhere / "skies" / "dusk.exr")
    (elsewhere / work.name).replace(work)
    (elsewhere / work.with_suffix(".glb").name).replace(work.with_suffix(".glb"))


def test_a_second_window_is_told_and_goes_on_from_a_copy(window, work, tmp_path, monkeypatch):
    """Its save deleted the first one's unsaved work."""
    window.session.edit("dimmer", dimmed(window.session, -1.0))
    window.session.keeper.flush()
    told = []
    second = Session(tmp_path / "another state")
    second.said.connect(lambda text, problem: told.append(text))
    second.open_path(work)
    assert any("another window" in t for t in told)
    assert second.path is None
    assert second.document.look.sources[0].dimmer_stops == -1.0
    second.edit("dimmer", dimmed(second, -4.0))
    with pytest.raises(DocumentError, match="no name"):
        second.save()
    with pytest.raises(DocumentError, match="open in another window"):
        second.save(work)
    second.save(work.with_name("other.haze"))
    assert load(work.with_name("other.haze"))[0].look.sources[0].dimmer_stops == -4.0
    assert read(beside(work))[0].document.look.sources[0].dimmer_stops == -1.0
    second.close()
    window.session.save()
    assert load(work)[0].look.sources[0].dimmer_stops == -1.0


def test_what_another_program_has_changed_is_asked_about(window, work, monkeypatch):
    changed = edits.change_source(load(work)[0], window.session.document.look.sources[0].id, dimmer_stops=-4.0)
    save(changed, work)
    window.session.edit("dimmer", dimmed(window.session, -1.0))
    asked = []
    monkeypatch.setattr(questions, "ask", lambda parent, title, *rest: asked.append(title) or "do not save")
    window.files.save()
    assert asked == ["changed elsewhere"]
    assert load(work)[0].look.sources[0].dimmer_stops == -4.0


def test_a_window_that_slept_knows_that_its_document_was_taken_over(window, work, tmp_path):
    lock = work.with_name(f".{work.name}.lock")
    owner = json.loads(lock.read_text())
    # As it is when a share was away, and another machine has waited long enough.
    lock.write_text(json.dumps({**owner, "token": "another", "machine": "elsewhere"}))
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    window.session.edit("dimmer", dimmed(window.session, -3.0))
    with pytest.raises(DocumentError, match="another window"):
        window.session.save()
    assert any("taken over" in t for t in told)
    assert window.session.path is None
    assert not beside(work).exists()
    window.session.keeper.write_now(window.session.document)
    kept = window.session.keeper.find()
    assert kept is not None
    assert kept.document.look.sources[0].dimmer_stops == -3.0


def test_notices_do_not_hold_each_other_up(window):
    """One that waited for “understood” blocked the next for minutes."""
    notices = window.notices
    notices.say("a first problem", True)
    notices.say("a second problem", True)
    assert notices.text == "a second problem"
    notices.say("saved", False)
    assert notices.text == "saved"
    assert notices.kept == ["a first problem", "a second problem"]
    notices._passed()
    assert notices.text == "a second problem"
    notices._close.click()
    assert notices.text == "a first problem"
    notices._close.click()
    assert notices.text == ""


@pytest.mark.workers
@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGKILL])
def test_a_signal_loses_at_most_a_second(tmp_path, work, number):
    """SIGTERM and SIGHUP keep everything, a kill loses a second at most."""
    code = f"""
import sys, time
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
sys.path.insert(0, {str(Path(__file__).resolve().parents[2])!r})
from lunar_haze.core.document import edits
from lunar_haze.ui.shell.app import leave_on_signals
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
from tests.ui.backends import InstantBackend
app = QApplication([])
session = Session(Path({str(tmp_path / "state")!r}))
window = Window(session, InstantBackend(), Path({str(tmp_path / "state")!r}))
window.show()
window.files.open_path(Path({str(work)!r}))
leave_on_signals(app, window)
count = [0]
def edit():
    count[0] += 1
    session.edit("dimmer", edits.change_source(session.document, session.document.look.sources[0].id, dimmer_stops=-count[0] / 100))
    print(count[0], time.time(), flush=True)
timer = QTimer(interval=40)
timer.timeout.connect(edit)
timer.start()
app.exec()
"""
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    told = []
    for line in process.stdout:
        told.append([float(v) for v in line.split()])
        if len(told) == 60:
            process.send_signal(number)
            ended = time.time()
            break
    told += [[float(v) for v in line.split()] for line in process.stdout]
    process.wait(timeout=30)
    found, _note = read(beside(work))
    kept = round(-100 * found.document.look.sources[0].dimmer_stops)
    if number == signal.SIGKILL:
        must = max(n for n, at in told if at <= ended - 1.0)
        assert kept >= must
    else:
        assert kept >= 60, "all that was done when the signal came"
    assert not unsaved(tmp_path / "state")


def test_missing_files_are_asked_for_and_found_for_all_that_share_a_folder(session, work, tmp_path):
    from PIL import Image

    from lunar_haze.core.sky.model import Panorama
    from lunar_haze.core.sources.model import Sky, Source

    sky = work.parent / "sky.png"
    Image.fromarray(np.full((16, 32, 3), 90, np.uint8)).save(sky)
    dome = Panorama(str(sky), "", "display")
    session.act(
        "photo", edits.add_source(session.document, Source("p", "photo", Sky(dome, follows_hour=False), 1.0, "lx"))
    )
    session.save()
    elsewhere = tmp_path / "archive"
    elsewhere.mkdir()
    for path in (sky, work.with_suffix(".glb")):
        path.replace(elsewhere / path.name)
    asked = []
    other = Session(tmp_path / "state2")
    other.open_path(
        work, ask_missing=lambda missing: asked.extend(missing) or elsewhere / work.with_suffix(".glb").name
    )
    assert {p.name for p in asked} == {work.with_suffix(".glb").name, "sky.png"}
    assert other.document.place.path == str(elsewhere / work.with_suffix(".glb").name)
    assert other.document.look.source("p").shape.dome.path == str(elsewhere / "sky.png")
    other.close()
