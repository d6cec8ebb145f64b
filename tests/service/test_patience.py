"""The render process is kept alive with patience that forgets, and nothing waits for ever."""

import os
import signal
import subprocess
import sys
import time

import pytest

from lunar_haze.service import client as clients
from lunar_haze.service.channel import Channel
from lunar_haze.service.client import DEATHS_ALLOWED, RenderClient
from lunar_haze.service.protocol import Finished, Lost, Preparing, Restarted

_DIES = "pass"
_WORKS_AND_DIES = """
import sys
from lunar_haze.service.channel import inherited
from lunar_haze.service.protocol import Finished
inherited(int(sys.argv[1])).send(Finished(1))
"""


class Mortal(RenderClient):
    """A client of processes that end by themselves."""

    def __init__(self, script: str) -> None:
        super().__init__()
        self.script, self.born = script, 0

    def _spawn(self) -> None:
        channel, other = Channel.pair()
        self._process = subprocess.Popen(
            [sys.executable, "-c", self.script, str(other.fileno())],
            pass_fds=[other.fileno()],
            stdin=subprocess.DEVNULL,
        )
        self._born = time.monotonic()
        other.close()
        self._channel = channel
        self.born += 1


_REPEATS = """
import sys
from lunar_haze.service.channel import ChannelClosed, inherited
from lunar_haze.service.protocol import Preparing
channel = inherited(int(sys.argv[1]))
try:
    while True:
        channel.send(Preparing(repr(channel.receive()[0]), 0.0))
except ChannelClosed:
    pass
"""


@pytest.fixture
def started(monkeypatch):
    monkeypatch.setattr(clients, "PAUSES_S", (0.0,) * DEATHS_ALLOWED)
    made = []

    def start(script):
        made.append(Mortal(script))
        heard = []
        made[-1].start(heard.append)
        return made[-1], heard

    yield start
    for each in made:
        each.close()


def _until(holds, seconds=30.0):
    until = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < until
        time.sleep(0.01)


def test_one_that_never_gets_anywhere_is_given_up_and_tried_again_by_hand(started):
    client, heard = started(_DIES)
    _until(lambda: any(isinstance(e, Lost) for e in heard))
    assert client.born == DEATHS_ALLOWED + 1
    assert "log" in next(e for e in heard if isinstance(e, Lost)).reason
    time.sleep(0.2)
    assert client.born == DEATHS_ALLOWED + 1, "it rests"
    heard.clear()
    client.try_again()
    _until(lambda: any(isinstance(e, Lost) for e in heard))
    assert client.born > DEATHS_ALLOWED + 2


def test_one_that_finishes_pictures_is_never_given_up(started):
    """Twenty-one restarts in a row were an end, whatever had been done between them."""
    client, heard = started(_WORKS_AND_DIES)
    _until(lambda: client.born > DEATHS_ALLOWED + 3)
    assert not any(isinstance(e, Lost) for e in heard)
    assert sum(isinstance(e, Finished) for e in heard) > DEATHS_ALLOWED
    assert any(isinstance(e, Restarted) for e in heard)


def test_whoever_asks_for_a_picture_does_not_wait_for_a_process_that_is_going(started):
    client, _heard = started("import time; time.sleep(0.8)")
    begun = time.monotonic()
    for number in range(50):
        client.balance(number, (), False)
    assert time.monotonic() - begun < 0.3


def test_one_that_is_started_again_is_told_what_holds(started):
    """A new process refined while frames were played, and took as much memory as it liked."""
    client, heard = started(_REPEATS)
    client.keep_within(1 << 30)
    client.hold(False)
    client.balance(1, (), False)
    client.balance(2, (), True)
    client.hold(True)

    def told():
        return [e.what for e in heard if isinstance(e, Preparing)]

    _until(lambda: len(told()) == 5)
    os.kill(client.process_id, signal.SIGKILL)
    _until(lambda: len(told()) == 8)
    assert sorted(told()[5:]) == sorted([told()[0], told()[3], told()[4]])


def test_progress_is_told_in_lines_where_there_is_no_terminal(demo, tmp_path):
    """A still of forty minutes said nothing."""
    done = subprocess.run(
        [sys.executable, "-m", "lunar_haze", "render", str(demo), "--size", "32x18", "--passes", "20", "--no-denoise",
         "-o", str(tmp_path / "a.png")],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    lines = [line for line in done.stderr.splitlines() if "of 20 samples per pixel" in line]
    assert len(lines) >= 2
