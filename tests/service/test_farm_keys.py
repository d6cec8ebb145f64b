"""A farm with keys: those who hold them make frames, everybody else is turned away."""

import os
import signal
import stat
import subprocess
import sys
import time

import attrs
import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.document.files import load
from lunar_haze.core.errors import ServiceError
from lunar_haze.service import farm
from lunar_haze.service.farm_keys import AUTHORITY, KEY, make_keys, security
from lunar_haze.service.sequence import SequenceSpec, run


@pytest.fixture
def keys(tmp_path):
    make_keys(tmp_path / "keys")
    return tmp_path / "keys"


def _started(*arguments):
    environment = os.environ | {"PYTHONPATH": os.pathsep.join(sys.path), "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "-m", "lunar_haze", "farm", *map(str, arguments)]
    return subprocess.Popen(
        command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, cwd="/"
    )


@pytest.fixture
def started():
    running = []

    def start(*arguments):
        running.append(_started(*arguments))
        return running[-1]

    yield start
    for process in reversed(running):
        process.send_signal(signal.SIGINT)
    for process in reversed(running):
        try:
            process.wait(timeout=15)
        except subprocess.TimeoutExpired:
            process.kill()
        process.communicate()


def test_keys_are_the_owners_alone_and_are_not_replaced(keys):
    assert stat.S_IMODE(keys.stat().st_mode) == 0o700
    assert stat.S_IMODE((keys / KEY).stat().st_mode) == 0o600
    before = (keys / KEY).read_bytes()
    with pytest.raises(ServiceError, match="keys already"):
        make_keys(keys)
    assert (keys / KEY).read_bytes() == before
    assert security(keys).require_encryption


def test_keys_that_are_gone_damaged_or_open_to_others_are_told(keys, tmp_path):
    with pytest.raises(ServiceError, match="farm keys"):
        security(tmp_path / "nowhere")
    (keys / KEY).chmod(0o644)
    with pytest.raises(ServiceError, match="others can read"):
        security(keys)
    (keys / KEY).chmod(0o600)
    (keys / KEY).write_text("no key")
    with pytest.raises(ServiceError, match="damaged"):
        security(keys)


@pytest.mark.workers
@pytest.mark.timeout(300)
def test_who_holds_the_keys_makes_frames_and_who_does_not_is_turned_away(demo, tmp_path, keys, started, monkeypatch):
    from distributed import Client

    scheduler = started("scheduler", "--port", "0", "--keys", keys)
    address = scheduler.stdout.readline().strip()
    assert address.startswith("tls://127.0.0.1:")
    monkeypatch.setattr(farm, "PATIENCE_S", 5.0)
    make_keys(tmp_path / "others")
    document = load(demo)[0]
    here, there = tmp_path / "here", tmp_path / "there"
    here.mkdir()
    there.mkdir()

    def spec(folder):
        return SequenceSpec(document, "Waiting", "lamplit wait", 1, 1, folder / "####.png", (32, 18), passes=1)

    with pytest.raises(ServiceError, match="no scheduler answers"):
        run(spec(there), cluster=farm.Farm(address, tmp_path / "others"))
    with pytest.raises((OSError, TimeoutError)):
        Client(address.replace("tls://", "tcp://"), timeout=3, set_as_default=False)
    stranger = started("worker", address, "--keys", tmp_path / "others")
    started("worker", address, "--keys", keys)
    monkeypatch.setattr(farm, "PATIENCE_S", 20.0)
    assert run(spec(there), cluster=farm.Farm(address, keys)).made == 1
    with Client(address, security=security(keys), timeout=20, set_as_default=False) as client:
        assert len(client.scheduler_info()["workers"]) == 1
    assert stranger.poll() is None or stranger.returncode != 0
    run(spec(here))
    one, two = (np.asarray(Image.open(folder / "0001.png")) for folder in (here, there))
    np.testing.assert_array_equal(one, two)


def test_a_scheduler_without_keys_does_not_start(tmp_path, started):
    process = started("scheduler", "--port", "0", "--keys", tmp_path / "nowhere")
    deadline = time.monotonic() + 60
    while process.poll() is None and time.monotonic() < deadline:
        time.sleep(0.05)
    assert process.returncode not in (0, None)
    told = process.stderr.read()
    assert "farm keys" in told
    assert "Traceback" not in told


def test_a_farm_that_is_open_is_used_with_a_note_only(demo, tmp_path):
    assert not farm.Farm("tcp://127.0.0.1:1").is_protected
    with pytest.raises(ServiceError, match=AUTHORITY):
        run(
            SequenceSpec(
                attrs.evolve(load(demo)[0]), "Waiting", "lamplit wait", 1, 1, tmp_path / "#.png", (32, 18), passes=1
            ),
            cluster=farm.Farm("tls://127.0.0.1:1", tmp_path / "nowhere"),
        )


def test_without_the_packages_of_a_farm_it_is_told_how_to_have_them(monkeypatch, tmp_path):
    monkeypatch.setattr("importlib.util.find_spec", lambda name: None)
    with pytest.raises(ServiceError, match=r"lunar-haze\[farm\]"):
        security(tmp_path)
