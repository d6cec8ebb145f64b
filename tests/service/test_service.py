import os
import queue
import signal
import struct
import subprocess
import sys
import threading
import time

import attrs
import numpy as np
import pytest

from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import ServiceError
from lunar_haze.core.layers.model import LayerImage
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.model import Ball
from lunar_haze.service.board import Board
from lunar_haze.service.channel import Channel, ChannelClosed
from lunar_haze.service.client import RenderClient, images_on
from lunar_haze.service.compiling import SENTENCE
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.protocol import Cleaned, Failed, Finished, Preparing, Published, Restarted
from lunar_haze.service.still import compute
from lunar_haze.service.warmup import is_warm

SIZE = (96, 54)


@pytest.fixture
def request_for(demo):
    document, _notes = load(demo)
    spec = place_spec(document.place)

    def make(number=1, look="golden hour", shot="Landing", passes=3, live=True, **changes):
        chosen = attrs.evolve(document.look_named(look), bounces=1, **changes)
        return frame_request(number, spec, document.shot_named(shot), chosen, SIZE, passes, live=live)

    return make


@pytest.fixture
def client(tmp_path):
    events = queue.SimpleQueue()
    made = RenderClient(tmp_path / "layers")
    made.start(events.put)
    made.events = events
    yield made
    made.close()


def until(client, kind, request_id=None, seconds=90.0):
    """Events up to the first of a kind."""
    seen, end = [], time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            event = client.events.get(timeout=0.5)
        except queue.Empty:
            continue
        seen.append(event)
        assert not (is_warm() and isinstance(event, Preparing) and event.what == SENTENCE), "compiled in mid-work"
        if isinstance(event, kind) and (request_id is None or event.request_id == request_id):
            return seen
    raise AssertionError(f"no {kind.__name__} came; there were {[type(e).__name__ for e in seen]}")


def test_a_message_that_cannot_be_read_ends_the_render_process(tmp_path):
    """Whoever waits for an answer is told that way, and may start it again; it sat there for ever."""
    here, there = Channel.pair()
    with there:
        command = [sys.executable, "-m", "lunar_haze.service.render_process", str(there.fileno()), str(tmp_path)]
        process = subprocess.Popen(command, pass_fds=(there.fileno(),))
    try:
        assert isinstance(here.receive()[0], Preparing)
        here._socket.sendall(struct.pack("<Q", 5) + b"noise")
        assert process.wait(60) == 1
    finally:
        process.kill()
        process.wait()


def test_a_channel_carries_values_and_descriptors_and_tells_its_end(tmp_path):
    here, there = Channel.pair()
    other = Channel(there)
    board = Board.create(8, 4, 2)
    board.surface[1] = 3.5
    sender = threading.Thread(target=lambda: here.send({"x": np.arange(300_000)}, board.descriptor))
    sender.start()
    value, descriptor = other.receive()
    sender.join()
    assert value["x"].sum() == np.arange(300_000).sum()
    seen = Board(descriptor, 8, 4, 2)
    assert (seen.surface[1] == 3.5).all()
    seen.clean[...] = 2.0
    assert (board.clean == 2.0).all()
    here.close()
    with pytest.raises(ChannelClosed):
        other.receive()
    board.close()
    seen.close()


def test_layers_come_back_from_disk_within_half_precision(tmp_path):
    cache = LayerCache(tmp_path)
    rng = np.random.default_rng(0)
    night = (rng.random((6, 8, 3)) * 1e-9).astype(np.float32)
    cache.put(LayerImage("k", 64, night, night * 1e6))
    back = cache.get("k")
    assert back.passes == 64
    np.testing.assert_allclose(back.surface, night, rtol=1e-3, atol=night.max() * 1e-4)
    (tmp_path / "k.npz").write_bytes(b"torn")
    assert cache.get("k") is None
    assert not (tmp_path / "k.npz").exists()
    assert cache.get("none") is None


def test_the_layer_cache_keeps_to_its_limit_and_drops_the_oldest(tmp_path):
    image = np.ones((32, 32, 3), np.float32)
    cache = LayerCache(tmp_path, limit_bytes=40_000)
    for number in range(6):
        cache.put(LayerImage(f"k{number}", 1, image, image))
        os.utime(tmp_path / f"k{number}.npz", (number, number))
    assert sum(p.stat().st_size for p in tmp_path.iterdir()) <= 55_000
    assert cache.get("k5") is not None
    assert cache.get("k0") is None


@pytest.mark.workers
def test_a_picture_is_refined_denoised_and_finished(client, request_for):
    request = request_for(passes=4)
    client.want(request)
    seen = until(client, Finished)
    passes = [e.passes for e in seen if isinstance(e, Published)]
    assert passes == sorted(passes)
    assert passes[-1] == 4
    assert any(isinstance(e, Cleaned) for e in seen)
    last = [e for e in seen if isinstance(e, Published)][-1]
    images = images_on(client.board, last)
    assert {i.key for i in images} == {s.key() for s in request.layers}
    assert np.isfinite(client.board.clean).all()
    assert client.board.clean.mean() > 0
    assert np.isfinite(client.board.depth).mean() > 0.3


def _passes(events):
    """Passes by layer, as last told."""
    last = [e for e in events if isinstance(e, Published)][-1]
    return {at.key: at.passes for at in last.layers}


@pytest.mark.workers
def test_passes_go_where_they_matter(client, request_for, demo):
    look = load(demo)[0].look_named("clear noon")
    alone = tuple(attrs.evolve(s, alone=s.name == "sky") for s in look.sources)
    request = request_for(1, "clear noon", passes=16, sources=alone)
    client.want(request)
    passes = _passes(until(client, Finished, 1))
    silent = {g.key for g in request.gains if not any(g.surface) and not any(g.air)}
    assert {passes[k] for k in silent & passes.keys()} == {1}, "a sun that is not active has a pass for its card"
    assert max(passes.values()) == 16
    still = attrs.evolve(request, id=2, live=False)
    client.want(still)
    assert set(_passes(until(client, Finished, 2)).values()) == {16}, "a still hands on every layer"


@pytest.mark.workers
def test_a_moved_lamp_restarts_its_layer_alone(client, request_for, demo):
    document, _ = load(demo)
    look = document.look_named("moonlit mist")
    request = request_for(1, "moonlit mist", passes=3)
    client.want(request)
    stood = _passes(until(client, Finished, 1))
    moved = tuple(attrs.evolve(s, shape=Ball((0.0, 6.0, 3.0), 0.1)) if s.id == "window" else s for s in look.sources)
    again = request_for(2, "moonlit mist", passes=3, sources=moved)
    client.want(again)
    first = next(e for e in until(client, Published, 2) if isinstance(e, Published) and e.request_id == 2)
    kept = {s.key() for s in request.layers} & {s.key() for s in again.layers}
    assert len(kept) == len(request.layers) - 1
    assert {at.key: at.passes for at in first.layers if at.key in kept and at.passes} == {
        key: passes for key, passes in stood.items() if key in kept
    }
    assert all(at.passes == 0 for at in first.layers if at.key not in kept), "the moved lamp starts anew"
    until(client, Finished, 2)
    client.want(attrs.evolve(request, id=3))
    back = next(e for e in until(client, Published, 3) if isinstance(e, Published) and e.request_id == 3)
    assert {at.key: at.passes for at in back.layers} == stood, "coming back finds every layer again"


@pytest.mark.workers
def test_a_new_request_ends_the_old_one_within_a_pass(client, request_for):
    client.want(request_for(1, passes=4000))
    until(client, Published, 1)
    started = time.monotonic()
    client.want(request_for(2, "clear noon", passes=2))
    until(client, Finished, 2)
    assert time.monotonic() - started < 20.0
    time.sleep(0.3)
    while not client.events.empty():
        assert getattr(client.events.get(), "request_id", 2) == 2


@pytest.mark.workers
def test_a_killed_render_process_is_started_again_and_the_picture_completes(client, request_for):
    request = request_for(1, passes=16)
    client.want(request)
    until(client, Published, 1)
    first = client.process_id
    os.kill(first, signal.SIGKILL)
    seen = until(client, Finished, 1)
    assert any(isinstance(e, Restarted) for e in seen)
    assert client.process_id != first
    assert [e for e in seen if isinstance(e, Published)][-1].passes == 16
    assert client.board.clean.mean() > 0


@pytest.mark.workers
def test_air_answers_live_when_the_mist_alone_changes(client, request_for, demo):
    document, _ = load(demo)
    medium = document.look_named("loft shafts").medium
    first = request_for(1, "loft shafts", "Loft", passes=20)
    client.want(first)
    until(client, Finished, 1)
    client.want(request_for(2, "loft shafts", "Loft", passes=20, medium=attrs.evolve(medium, visibility_m=60.0)))
    answer = next(e for e in until(client, Published, 2) if isinstance(e, Published) and e.request_id == 2)
    assert answer.layers
    assert all(at.live for at in answer.layers)
    live = sum(i.air.mean() for i in images_on(client.board, answer) if i.air.mean() > 0)
    end = [e for e in until(client, Finished, 2) if isinstance(e, Published)][-1]
    refined = sum(i.air.mean() for i in images_on(client.board, end))
    assert not any(at.live for at in end.layers)
    assert live == pytest.approx(refined, rel=0.05)


@pytest.mark.workers
def test_a_place_that_is_gone_is_told(client, request_for):
    request = request_for()
    client.want(attrs.evolve(request, place=attrs.evolve(request.place, path="/nowhere/set.glb")))
    failed = until(client, Failed)[-1]
    assert "not there" in failed.reason


@pytest.mark.workers
def test_a_render_process_ends_with_the_one_who_asked(request_for, tmp_path):
    code = (
        "import sys, time; from lunar_haze.service.client import RenderClient\n"
        "c = RenderClient(); c.start(lambda e: None); print(c.process_id, flush=True); time.sleep(60)\n"
    )
    parent = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    child = int(parent.stdout.readline())
    time.sleep(2.0)
    parent.kill()
    parent.wait()
    end = time.monotonic() + 15
    while time.monotonic() < end:
        try:
            with open(f"/proc/{child}/stat") as status:
                if status.read().split()[2] == "Z":
                    break
        except OSError:
            break
        time.sleep(0.1)
    else:
        raise AssertionError("the render process outlived its parent")


@pytest.mark.workers
def test_a_still_can_be_cancelled_and_failures_are_raised(request_for):
    assert compute(request_for(passes=4000), cancelled=lambda: True) is None
    bad = request_for()
    with pytest.raises(ServiceError, match="not there"):
        compute(attrs.evolve(bad, place=attrs.evolve(bad.place, path="/nowhere/set.glb")))


@pytest.mark.workers
def test_a_place_told_early_is_open_when_it_is_asked_for(request_for, tmp_path):
    events: queue.Queue = queue.Queue()
    made = RenderClient(tmp_path / "layers")
    made.launch()
    request = request_for(1, "clear noon", passes=1)
    made.prepare(request.place)
    made.start(events.put)
    seen = []
    try:
        while not any(isinstance(e, Preparing) and e.share == 1.0 for e in seen):
            seen.append(events.get(timeout=60))
        made.want(request)
        while not isinstance(seen[-1], Finished):
            seen.append(events.get(timeout=60))
    finally:
        made.close()
    opened = [e for e in seen if isinstance(e, Preparing) and e.what == "opening the place"]
    assert len(opened) == 2, "opened once, told at its beginning and its end"
