"""Small frames are kept while they are of use: those that are wanted, and a few more for a step of undo."""

import threading

import attrs
import numpy as np
import pytest

from lunar_haze.service import small_frames
from lunar_haze.service.small_frames import OTHERS_KEPT, SmallFrames


@attrs.frozen
class Request:
    id: int = 0


@attrs.frozen
class Plan:
    name: str
    frame: int = 1
    request: Request = Request()


@attrs.frozen
class Still:
    clean: np.ndarray


class Maker:
    def __init__(self, backend):
        pass

    def still(self, request, cancelled):
        return None if cancelled() else Still(np.zeros((2, 3, 3), np.float32))

    def close(self):
        pass


@pytest.fixture
def made(monkeypatch):
    """Small frames made by nothing, and what tells when one is here."""
    monkeypatch.setattr(small_frames, "StillMaker", Maker)
    here = threading.Semaphore(0)
    frames = SmallFrames(lambda: None, lambda frame: here.release())
    yield frames, here
    frames.close()


def make(made, names):
    frames, here = made
    frames.want([Plan(name) for name in names])
    for _ in names:
        assert here.acquire(timeout=10)


def kept(frames, names):
    return [name for name in names if frames.get(name) is not None]


def test_all_that_are_wanted_are_kept_however_many(made):
    names = [f"a{n}" for n in range(4 * OTHERS_KEPT)]
    make(made, names)
    assert kept(made[0], names) == names


def test_of_what_nobody_asks_for_any_longer_the_last_few_are_kept(made):
    """Six hundred were kept whatever they were of, a quarter of a gigabyte after an hour of work."""
    frames, _here = made
    seen = []
    for look in range(12):
        names = [f"{look}-{n}" for n in range(24)]
        make(made, names)
        seen += names
    wanted = seen[-24:]
    assert kept(frames, wanted) == wanted
    assert kept(frames, seen[:-24]) == seen[-24 - OTHERS_KEPT : -24]


def test_a_pause_drops_nothing(made):
    names = [f"a{n}" for n in range(2 * OTHERS_KEPT)]
    make(made, names)
    made[0].want([])
    assert kept(made[0], names) == names
