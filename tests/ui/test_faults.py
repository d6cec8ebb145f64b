"""Faults of disks and folders under a working hand: each told in words, the work kept."""

import os
import shutil
import subprocess
import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from lunar_haze.core.document.files import load
from lunar_haze.core.document.journal import beside, read
from lunar_haze.service.folders import state_folder
from lunar_haze.ui.session.session import Session
from tests.ui.backends import InstantBackend
from tests.ui.conftest import dimmed


@pytest.fixture
def small_disk(tmp_path):
    """A folder of its own file system with a MiB of room."""
    folder = tmp_path / "disk"
    folder.mkdir()
    done = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", str(folder)], capture_output=True)
    if done.returncode:
        pytest.skip("a file system can be mounted by root only")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


def _fill(folder: Path) -> None:
    """Take all the room that is left."""
    with (folder / "filler").open("wb", buffering=0) as stream:
        try:
            while stream.write(b"\0" * 4096):
                pass
        except OSError:
            pass


def _said(window) -> str:
    return " / ".join([window.notices.text, *window.notices.kept])


def _edited(window, stops: float) -> None:
    session = window.session
    session.edit("dimmer", dimmed(session, stops))


def _opened_on(window, work, folder) -> Path:
    path = folder / "doc.haze"
    shutil.copy(work, path)
    # The place stays where it is: the small disk has no room for it.
    path.write_text(path.read_text().replace(f'"{work.with_suffix(".glb").name}"', f'"{work.with_suffix(".glb")}"'))
    assert window.files.open_path(path)
    return path


def _stops(document) -> float:
    return document.look.sources[0].dimmer_stops


def test_a_full_disk(window, work, small_disk, qtbot):
    """The document stays as it was saved, the work lies elsewhere, both are told; with room again it is saved."""
    path = _opened_on(window, work, small_disk)
    before = path.read_bytes()
    _fill(small_disk)
    _edited(window, -1.5)
    qtbot.waitUntil(lambda: "unsaved work is kept in" in _said(window), timeout=5000)
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: "cannot be saved" in _said(window), timeout=5000)
    assert "no space" in _said(window)
    assert path.read_bytes() == before
    assert not [p for p in small_disk.iterdir() if p.name.endswith(".new")]
    # Another session finds the work.
    window.session.keeper.flush()
    kept = list(window.state_folder.rglob("*.autosave"))
    assert any(_stops(read(p)[0].document) == -1.5 for p in kept)
    (small_disk / "filler").unlink()
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: _stops(load(path)[0]) == -1.5, timeout=5000)
    assert not beside(path).exists()


def test_a_folder_that_is_gone(window, work, tmp_path, qtbot):
    folder = tmp_path / "there"
    folder.mkdir()
    path = _opened_on(window, work, folder)
    shutil.rmtree(folder)
    _edited(window, -1.25)
    qtbot.waitUntil(lambda: "unsaved work is kept in" in _said(window), timeout=5000)
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: "cannot be saved" in _said(window), timeout=5000)
    window.session.keeper.flush()
    assert any(_stops(read(p)[0].document) == -1.25 for p in window.state_folder.rglob("*.autosave"))
    folder.mkdir()
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(path.exists, timeout=5000)
    assert _stops(load(path)[0]) == -1.25


def test_a_still_on_a_full_disk_leaves_no_torn_file(window, work, small_disk, qtbot):
    _fill(small_disk)
    target = small_disk / "still.exr"
    window.hand_off.write_still(target, size=(320, 180), passes=1, backend=InstantBackend())
    qtbot.waitUntil(lambda: window.hand_off.still is None, timeout=10_000)
    qtbot.waitUntil(lambda: "still.exr" in _said(window), timeout=5000)
    assert [p.name for p in small_disk.iterdir()] == ["filler"]


@pytest.mark.parametrize("back", [3600.0, 10 * 365 * 86400.0])
def test_a_clock_set_back_loses_nothing(session, work, tmp_path, monkeypatch, back):
    """A journal is work that was not saved, whatever its date."""
    real = time.time
    monkeypatch.setattr(time, "time", lambda: real() - back)
    session.edit("dimmer", dimmed(session, -1.75))
    session.keeper.flush()
    session.keeper.release()
    monkeypatch.undo()
    os.utime(beside(work), (real() - back, real() - back))
    other = Session(tmp_path / "state2")
    told = []
    other.said.connect(lambda text, _problem: told.append(text))
    other.open_path(work)
    assert _stops(other.document) == -1.75
    assert any("brought back" in t for t in told)
    other.close()


def test_no_folder_of_its_own_can_be_written(qtbot, tmp_path, work, monkeypatch):
    """State and cache on a path that is a file: the window works, what cannot be kept is told once."""
    blocked = tmp_path / "blocked"
    blocked.write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(blocked))
    monkeypatch.setenv("XDG_CACHE_HOME", str(blocked))
    made = Session(state_folder())
    told = []
    made.said.connect(lambda text, problem: told.append(text))
    made.open_path(work)
    made.edit("dimmer", dimmed(made, -1.0))
    made.keeper.flush()
    assert read(beside(work))[0].document.look.sources[0].dimmer_stops == -1.0
    made.save()
    assert _stops(load(work)[0]) == -1.0
    assert not any("Traceback" in t for t in told)
    made.close()
