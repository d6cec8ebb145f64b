"""Files are written whole, under modes that were asked for, and through no link that somebody has planted."""

import contextlib
import os
import stat
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import Journal, beside
from lunar_haze.core.errors import HandOffError
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Cdl
from lunar_haze.core.handoff.finish_file import write_cdl, write_cube
from lunar_haze.core.handoff.stills import write_exr, write_hdr, write_png, write_tiff
from lunar_haze.core.units.written import put, put_bytes

DEMO = Path(__file__).resolve().parents[2] / "demo" / "gannet-reach.haze"
PICTURE = np.random.default_rng(0).random((90, 120, 3)).astype(np.float32)
WRITERS = {
    "a.png": lambda p: write_png(p, PICTURE), "b.png": lambda p: write_png(p, PICTURE, 16),
    "a.tif": lambda p: write_tiff(p, PICTURE), "a.hdr": lambda p: write_hdr(p, PICTURE),
    "a.exr": lambda p: write_exr(p, PICTURE, {"one": PICTURE}, {}), "a.cube": lambda p: write_cube(p, Finish(), "x", 1.0),
    "a.cdl": lambda p: write_cdl(p, Cdl(), "x"),
}  # fmt: skip


@contextlib.contextmanager
def umask(mask):
    before = os.umask(mask)
    try:
        yield
    finally:
        os.umask(before)


def mode_of(path):
    return stat.S_IMODE(path.stat().st_mode)


@pytest.mark.parametrize("name", WRITERS)
def test_a_planted_link_is_not_written_through(tmp_path, name):
    victim = tmp_path / "victim"
    victim.write_text("mine")
    folder = tmp_path / "out"
    folder.mkdir()
    path = folder / name
    for planted in (path, folder / f".{path.stem}.new{path.suffix}", folder / f".{name}.new"):
        planted.symlink_to(victim)
    WRITERS[name](path)
    assert victim.read_text() == "mine"
    assert path.is_file()
    assert not path.is_symlink()
    assert path.stat().st_size > 100


@pytest.mark.parametrize("name", WRITERS)
def test_files_have_the_mode_of_the_umask_or_of_what_was_there(tmp_path, name):
    path = tmp_path / name
    with umask(0o027):
        WRITERS[name](path)
        assert mode_of(path) == 0o640
        path.chmod(0o600)
        WRITERS[name](path)
        assert mode_of(path) == 0o600


def test_documents_and_journals_keep_modes(tmp_path):
    document = load(DEMO)[0]
    path = tmp_path / "a.haze"
    with umask(0o077):
        save(document, path)
        assert mode_of(path) == 0o600
        assert mode_of(Journal(path, tmp_path / "state").write(document)) == 0o600
    path.chmod(0o640)
    assert mode_of(Journal(path, tmp_path / "state").write(document)) == 0o640
    save(document, path)
    assert mode_of(path) == 0o640


def test_a_document_that_is_a_link_stays_one_and_a_journal_goes_through_none(tmp_path):
    document = load(DEMO)[0]
    real, link, victim = tmp_path / "real.haze", tmp_path / "link.haze", tmp_path / "victim"
    save(document, real)
    victim.write_text("mine")
    link.symlink_to(real)
    save(document, link)
    assert link.is_symlink()
    beside(real).symlink_to(victim)
    Journal(real, tmp_path / "state").write(document)
    assert victim.read_text() == "mine"


def test_what_dead_writers_left_is_swept_and_living_ones_keep_theirs(tmp_path):
    path = tmp_path / "a.png"
    code = "import sys; from pathlib import Path; from lunar_haze.core.units.written import put\nimport os, signal\n"
    code += "put(Path(sys.argv[1]), lambda to: (to.write_bytes(b'half'), os.kill(os.getpid(), signal.SIGKILL)))"
    subprocess.run([sys.executable, "-c", code, str(path)], check=False)
    left = [entry.name for entry in tmp_path.iterdir()]
    assert len(left) == 1
    assert left[0].endswith(".new")
    other = tmp_path / f".a.png.{os.getppid()}-aaaa.new"
    other.mkdir()
    (tmp_path / ".a.png.notes.new").write_text("not ours")
    put_bytes(path, b"whole")
    assert sorted(entry.name for entry in tmp_path.iterdir()) == sorted(["a.png", other.name, ".a.png.notes.new"])


def test_many_writers_of_one_file_leave_one_whole_file(tmp_path):
    path = tmp_path / "a.bin"

    def write(number):
        for _ in range(20):
            put_bytes(path, bytes([number]) * 50_000)

    threads = [threading.Thread(target=write, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    deadline = time.monotonic() + 30
    while any(thread.is_alive() for thread in threads) and time.monotonic() < deadline:
        with contextlib.suppress(FileNotFoundError):
            data = path.read_bytes()
            assert len(data) == 50_000
            assert len(set(data)) == 1
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.bin"]


@pytest.mark.skipif(os.geteuid() != 0, reason="only root mounts a small disk")
@pytest.mark.parametrize("name", ["b.png", "a.tif", "a.hdr", "a.exr", "a.cube", "a.png"])
def test_a_full_disk_is_told_in_words(tmp_path, name):
    disk = tmp_path / "disk"
    disk.mkdir()
    if subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=16k", "none", str(disk)], check=False, capture_output=True
    ).returncode:
        pytest.skip("no disk can be mounted here")
    try:
        with pytest.raises(HandOffError, match="no space left"):
            WRITERS[name](disk / name)
        assert not list(disk.iterdir())
    finally:
        subprocess.run(["umount", str(disk)], check=False)


def test_a_writer_that_fails_leaves_the_old_file(tmp_path):
    path = tmp_path / "a.bin"
    put_bytes(path, b"old")

    def fails(to):
        to.write_bytes(b"half")
        raise RuntimeError("the writer broke")

    with pytest.raises(RuntimeError):
        put(path, fails)
    assert path.read_bytes() == b"old"
    path.chmod(0o400)
    with pytest.raises(PermissionError, match="read-only"):
        put_bytes(path, b"new")
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.bin"]
