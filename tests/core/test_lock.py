"""One window has a document, others know who; what a dead one left is taken over."""

import json
import os
import signal
import subprocess
import sys
import threading
import time

import pytest

from lunar_haze.core.document.lock import PATIENCE_S, DocumentLock


@pytest.fixture
def path(tmp_path):
    return tmp_path / "ключ a.haze"


def test_one_has_it_and_others_know_who(path):
    first, second = DocumentLock(path), DocumentLock(path)
    assert first.owner() is None
    assert first.take() is None
    assert first.take() is None
    other = second.take()
    assert other is not None
    assert other.process == os.getpid()
    assert "since" in str(other)
    assert second.owner() == other
    assert not first.is_lost()
    second.release()
    assert first.path.exists()
    first.release()
    assert not first.path.exists()
    assert second.take() is None


def test_what_a_killed_window_left_is_taken_over_and_a_stopped_one_keeps_its_own(path):
    code = "import sys, time; from pathlib import Path; from lunar_haze.core.document.lock import DocumentLock\n"
    code += "DocumentLock(Path(sys.argv[1])).take(); print('held', flush=True); time.sleep(60)"
    with subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE) as holder:
        assert holder.stdout is not None
        holder.stdout.readline()
        holder.send_signal(signal.SIGSTOP)
        assert DocumentLock(path).take() is not None
        holder.kill()
    assert DocumentLock(path).take() is None


def test_a_number_that_another_process_has_by_now_is_not_the_one_that_held_it(path):
    lock = DocumentLock(path)
    lock.take()
    told = json.loads(lock.path.read_text())
    lock.path.write_text(json.dumps({**told, "token": "x", "began": "1"}))
    assert DocumentLock(path).take() is None


def test_a_window_on_another_machine_is_there_as_long_as_it_is_fresh(path):
    lock = DocumentLock(path)
    lock.take()
    told = json.loads(lock.path.read_text())
    lock.path.write_text(json.dumps({**told, "token": "x", "machine": "elsewhere y"}))
    other = DocumentLock(path).take()
    assert other is not None
    assert "on elsewhere since" in str(other)
    long_ago = time.time() - PATIENCE_S - 1
    os.utime(lock.path, (long_ago, long_ago))
    assert DocumentLock(path).take() is None
    assert lock.is_lost()


@pytest.mark.parametrize("text", ["", "{", "[]", "null", '{"token": {}}', "x" * 100_000, "[" * 3000])
def test_a_damaged_lock_is_nobodys(path, text):
    lock = DocumentLock(path)
    lock.path.write_text(text)
    assert lock.owner() is None
    assert lock.take() is None
    assert lock.path.stat().st_size < 1000


@pytest.mark.parametrize("kind", ["link", "pipe", "folder"])
def test_what_is_planted_at_its_name_is_left_alone(path, tmp_path, kind):
    lock, victim = DocumentLock(path), tmp_path / "victim"
    victim.write_text("mine")
    if kind == "link":
        lock.path.symlink_to(victim)
    elif kind == "pipe":
        os.mkfifo(lock.path)
    else:
        lock.path.mkdir()
    assert lock.take() is None
    lock.release()
    assert victim.read_text() == "mine"


def test_of_many_that_want_it_at_once_one_has_it(path):
    for _ in range(30):
        locks = [DocumentLock(path) for _ in range(6)]
        had = []
        threads = [threading.Thread(target=lambda lock=lock: had.append(lock.take())) for lock in locks]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert had.count(None) == 1
        for lock in locks:
            lock.release()
        assert not locks[0].path.exists()
