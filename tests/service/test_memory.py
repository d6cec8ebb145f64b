"""Memory is bounded, told, settable, and given back under pressure."""

import queue
import resource
import time
from pathlib import Path

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units import memory as memory_units
from lunar_haze.core.units.memory import Pool
from lunar_haze.service import frame_store, memory
from lunar_haze.service.client import RenderClient
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.memory import Machine, allowed, choose_limit, chosen_limit, limit_in_force, machine
from lunar_haze.service.protocol import Failed, Finished, KeepWithin, Restarted, Want
from lunar_haze.service.worker import Worker
from tests.places import WHITE, floor, place_of
from tests.service.interrupted import Ear

FLOOR = place_of((floor(), WHITE))
VIEW = View(Camera((0.0, -5.0, 2.0), (0.0, 0.0, 0.5)), 64, 36)
LAYER = 64 * 36 * 24


def _layer(number: int) -> LayerSpec:
    return LayerSpec("p", VIEW, Ball((0.0, 0.0, 1.0 + number), 0.1), Medium(), 1)


def _resident() -> int:
    return memory.process_bytes()


def test_a_pool_gives_its_memory_back_and_is_zeros_again():
    pool = Pool(8, (1_000_003,))
    before = _resident()
    pool.array[:] = 1.0
    full = _resident()
    assert full - before > 28e6
    for slot in range(1, 7):
        pool.give_back(slot)
    assert full - _resident() > 20e6
    assert not pool.array[1:7].any()
    # Pages that are shared with a neighbour keep what is the neighbour's.
    assert pool.array[0].all()
    assert pool.array[7].all()


def test_what_is_not_wanted_gives_way_and_what_is_wanted_stays():
    frame = Frame(PackedPlace(FLOOR), VIEW, memory_bytes=LAYER * 6)
    kept = frame.want([_layer(n) for n in range(6)])
    frame.trace(kept)
    light = frame.image(kept[5]).surface.copy()
    frame.want([_layer(5)])
    assert frame.memory_bytes == 6 * LAYER
    frame.shrink(2 * LAYER)
    assert frame.memory_bytes == 2 * LAYER
    # The one that was wanted last of the others is the one that is still there.
    assert set(frame.sums) == {kept[4], kept[5]} or len(frame.sums) == 2
    frame.shrink(0)
    assert set(frame.sums) == {kept[5]}
    assert np.array_equal(frame.image(kept[5]).surface, light)
    # What went comes again, from nothing.
    again = frame.want([_layer(0), _layer(5)])
    assert frame.sums[again[0]].passes == 0
    frame.trace(again[:1])
    assert frame.image(again[0]).surface.any()


@pytest.mark.parametrize(
    ("used", "available", "expected"),
    [(0, 20, 3.0), (2, 1.5, 2.5), (2, 0.5, 1.5), (2, 0.0, 1.0), (0.1, 0.0, memory.LEAST / 2**30)],
)
def test_a_tenth_of_the_machine_or_a_gibibyte_stays_free(used, available, expected):
    gib = 1 << 30
    state = Machine(24 * gib, int(available * gib))
    assert allowed(3 * gib, int(used * gib), state) == pytest.approx(expected * gib)


def test_the_system_s_figures_and_a_group_s_limit_are_read(tmp_path):
    (tmp_path / "meminfo").write_text("MemTotal: 16000000 kB\nMemFree: 1 kB\nMemAvailable:  9000000 kB\n")
    assert machine(tmp_path, tmp_path) == Machine(16_000_000 << 10, 9_000_000 << 10)
    (tmp_path / "memory.max").write_text("max\n")
    (tmp_path / "memory.current").write_text("5\n")
    assert machine(tmp_path, tmp_path).total == 16_000_000 << 10
    (tmp_path / "memory.max").write_text(f"{4 << 30}\n")
    (tmp_path / "memory.current").write_text(f"{3 << 30}\n")
    assert machine(tmp_path, tmp_path) == Machine(4 << 30, 1 << 30)
    assert machine(tmp_path / "none", tmp_path / "none").total == 8 << 30


@pytest.mark.parametrize("damage", ["[]", "{", '{"layers_bytes": "x"}', '{"layers_bytes": true}', "[" * 5000])
def test_a_limit_is_kept_and_a_damaged_one_is_none(damage):
    choose_limit(1 << 30)
    assert chosen_limit() == limit_in_force() == 1 << 30
    choose_limit(None)
    assert chosen_limit() is None
    assert limit_in_force() == memory.automatic_limit()
    memory._settings().write_text(damage)
    assert chosen_limit() is None


def _request(demo, size):
    document, _notes = load(demo)
    return frame_request(7, place_spec(document.place), document.shot, document.look, size, 1)


def test_a_picture_larger_than_the_machine_is_refused_in_words_before_it_is_taken(demo, tmp_path, monkeypatch):
    """Frames of 1e9 pixels took 4 GB before their size was judged."""
    monkeypatch.setattr(frame_store, "machine", lambda: Machine(4 << 30, 4 << 30))
    ear = Ear(may_fail=True)
    worker = Worker(ear, LayerCache(tmp_path))
    before = _resident()
    worker.turn(Want(_request(demo, (16384, 16384))))
    failed = [m for m in ear.heard if isinstance(m, Failed)]
    assert len(failed) == 1
    assert failed[0].request_id == 7
    assert "16384x16384" in failed[0].reason
    assert "GB" in failed[0].reason
    assert "smaller" in failed[0].reason
    assert _resident() - before < 1 << 30
    # It goes on with the next.
    worker.turn(Want(attrs.evolve(_request(demo, (64, 36)), id=8)))
    assert not [m for m in ear.heard[ear.heard.index(failed[0]) + 1 :] if isinstance(m, Failed)]


def test_out_of_memory_is_a_sentence_and_not_an_end(demo, tmp_path, monkeypatch):
    ear = Ear(may_fail=True)
    worker = Worker(ear, LayerCache(tmp_path))

    def used_up(*_arguments):
        raise MemoryError

    with monkeypatch.context() as patch:
        patch.setattr(frame_store, "Frame", used_up)
        worker.turn(Want(_request(demo, (64, 36))))
    failed = [m for m in ear.heard if isinstance(m, Failed)]
    assert len(failed) == 1
    assert "memory is used up" in failed[0].reason
    worker.turn(KeepWithin(1 << 28))
    worker.turn(Want(attrs.evolve(_request(demo, (64, 36)), id=9)))
    for _ in range(3):
        worker.turn(None)
    assert len([m for m in ear.heard if isinstance(m, Failed)]) == 1


def test_memory_that_is_used_up_once_is_halved_and_the_picture_goes_on(demo, tmp_path, monkeypatch):
    ear = Ear(may_fail=True)
    worker = Worker(ear, LayerCache(tmp_path))
    worker.turn(KeepWithin(1 << 30))
    real, left = frame_store.Frame, [1]

    def used_up_once(*arguments):
        if left:
            left.pop()
            raise MemoryError
        return real(*arguments)

    monkeypatch.setattr(frame_store, "Frame", used_up_once)
    worker.turn(Want(_request(demo, (64, 36))))
    assert worker._frames.limit == 1 << 29
    for _ in range(400):
        if any(isinstance(m, Finished) for m in ear.heard):
            break
        worker.turn(None)
    assert not [m for m in ear.heard if isinstance(m, Failed)]
    assert any(isinstance(m, Finished) for m in ear.heard)


def test_what_ended_for_want_of_memory_is_told_from_other_ends(tmp_path):
    (tmp_path / "vmstat").write_text("nr_free_pages 12\noom_kill 3\noom_kill_other 9\n")
    (tmp_path / "memory.events").write_text("low 0\nhigh 0\nmax 4\noom 1\noom_kill 2\n")
    assert memory.kills_for_memory(tmp_path, tmp_path) == 5
    assert memory.kills_for_memory(tmp_path / "none", tmp_path / "none") == 0
    now = memory.kills_for_memory()
    assert memory.ended_for_memory(-6, "LLVM ERROR: out of memory", now)
    assert memory.ended_for_memory(-6, "terminate called after throwing an instance of 'std::bad_alloc'", now)
    assert memory.ended_for_memory(-9, "", now - 1)
    assert not memory.ended_for_memory(-9, "", now)
    assert not memory.ended_for_memory(-11, "Segmentation fault", now)
    assert not memory.ended_for_memory(0, "out of memory", now)


@pytest.mark.workers
@pytest.mark.timeout(240)
def test_a_real_process_that_runs_out_of_memory_is_told_halved_and_goes_on(demo, tmp_path):
    """It ended with "LLVM ERROR: out of memory", and was begun again with as much."""
    heard: queue.Queue = queue.Queue()
    client = RenderClient(tmp_path / "layers")
    client.start(heard.put)
    try:
        request = _request(demo, (64, 36))
        client.want(request)
        _until(heard, Finished)
        # Nothing more for a process that is there; the one that comes after it has no limit.
        used = int((Path("/proc") / str(client.process_id) / "statm").read_text().split()[0]) * 4096
        resource.prlimit(client.process_id, resource.RLIMIT_AS, (used + (8 << 20), resource.RLIM_INFINITY))
        client.want(attrs.evolve(_request(demo, (1280, 720)), id=8, passes=1))
        told = _until(heard, (Restarted, Failed))
        assert told.for_memory if isinstance(told, Restarted) else "memory" in told.reason
        client.want(attrs.evolve(_request(demo, (64, 36)), id=9))
        _until(heard, (Finished, Failed), lambda e: e.request_id == 9 and isinstance(e, Finished))
    finally:
        client.close()


def _until(heard, kinds, fits=lambda event: True):
    deadline = time.monotonic() + 100
    while time.monotonic() < deadline:
        event = heard.get(timeout=100)
        if isinstance(event, kinds) and fits(event):
            return event
    raise AssertionError("nothing came")


def test_what_is_freed_in_pieces_is_given_back():
    give_back = memory_units.GiveBack()
    assert not give_back.is_due
    pieces = [bytearray(60_000) for _ in range(4000)]
    kept = pieces[::50]
    full = _resident()
    del pieces
    give_back.now()
    assert full - _resident() > 150e6
    assert len(kept) == 80
