"""Sequences: numbered stills and films that survive every stop, and know what they are made of."""

import json
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import attrs
import av
import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HandOffError, TakenError
from lunar_haze.core.finish.tables import read_table
from lunar_haze.core.finish.values import Cdl
from lunar_haze.core.plan.sequence import planned_frames
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.turning import Beacon
from lunar_haze.service.sequence import FrameList, SequenceSpec, check, run, taken
from tests.ui.backends import InstantBackend

SIZE = (32, 18)


@pytest.fixture
def document(demo):
    found = attrs.evolve(load(demo)[0], current_look="lamplit wait", current_shot="Waiting")
    return edits.change_shot(found, first_frame=1, last_frame=6, frame=1, ends=None)


@pytest.fixture
def dimmed(document):
    """A lamp that goes down over six frames."""
    document = with_key(document, "rim", "dimmer", 3.0, frame=1)
    return with_key(document, "rim", "dimmer", -3.0, frame=6)


def spec_of(document, output, **changes):
    told = {"first": 1, "last": 6, "size": SIZE, "passes": 2} | changes
    return SequenceSpec(document, "Waiting", "lamplit wait", output=output, **told)


def made_by(backend, spec, **how):
    return run(spec, backend=backend, **how)


# -- the plan ---------------------------------------------------------------------------------------


def test_frames_that_differ_by_balance_alone_share_all_their_layers(dimmed):
    plans = planned_frames(dimmed, place_spec(dimmed.place), (1, 2, 3, 4, 5, 6), SIZE)
    assert len({tuple(s.key() for s in p.request.layers) for p in plans}) == 1
    assert all(p.base is plans[0].base for p in plans)
    assert {s.key() for s in plans[0].base.layers} == {s.key() for s in plans[0].request.layers}
    assert len({p.name for p in plans}) == 6


def test_a_source_that_is_silent_at_some_frames_is_rendered_once(document):
    keyed = with_key(with_key(document, "rim", "muted", 0.0, frame=1), "rim", "muted", 1.0, frame=4)
    plans = planned_frames(keyed, place_spec(keyed.place), (1, 2, 3, 4, 5, 6), SIZE)
    assert len({tuple(s.key() for s in p.request.layers) for p in plans}) == 1


def test_a_lamp_that_turns_has_a_layer_a_frame_and_the_rest_is_shared(document):
    turning = edits.change_source(document, "rim", flicker=Beacon())
    plans = planned_frames(turning, place_spec(turning.place), (1, 2, 3, 4, 5, 6), SIZE)
    shared = {s.key() for s in plans[0].base.layers}
    own = [[s.key() for s in p.request.layers if s.key() not in shared] for p in plans]
    assert all(len(keys) == 1 for keys in own)
    assert len({keys[0] for keys in own}) == 6
    # The shared ones stand first: they are there when the frame's own are asked for.
    assert all([s.key() for s in p.request.layers][: len(shared)] == [s.key() for s in p.base.layers] for p in plans)


def test_a_flame_needs_no_layer_of_its_own(document):
    lamp = next(s for s in document.look.sources if "lantern" in s.name)
    flickering = edits.change_source(document, lamp.id, flicker=Flame())
    plans = planned_frames(flickering, place_spec(flickering.place), (1, 2, 3), SIZE)
    assert len({tuple(s.key() for s in p.request.layers) for p in plans}) == 1
    assert len({p.request.gains for p in plans}) == 3


# -- files --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("suffix", [".png", ".exr", ".tif"])
def test_numbered_stills(dimmed, tmp_path, suffix):
    told = []
    spec = spec_of(dimmed, tmp_path / f"wait_####{suffix}", step=2)
    made = made_by(InstantBackend(), spec, tell=lambda p: told.append((p.done, p.total)))
    assert (made.made, made.kept) == (3, 0)
    assert [spec.path_of(f).name for f in spec.frames] == [f"wait_000{f}{suffix}" for f in (1, 3, 5)]
    assert all(spec.path_of(f).is_file() for f in spec.frames)
    assert told[-1] == (3, 3)


@pytest.mark.parametrize(("suffix", "codec"), [(".mp4", "h264"), (".mov", "h264"), (".webm", "vp9")])
def test_a_film_is_what_another_reader_says_it_is(dimmed, tmp_path, suffix, codec):
    spec = spec_of(edits.set_rate(dimmed, 25.0), tmp_path / f"wait{suffix}", size=(64, 36))
    made_by(InstantBackend(), spec)
    with av.open(str(spec.output)) as film:
        stream = film.streams.video[0]
        frames = [frame.to_ndarray(format="rgb24") for frame in film.decode(video=0)]
        context = stream.codec_context
        assert (context.name.removeprefix("lib").split("-")[0], float(stream.average_rate)) == (codec, 25.0)
        assert (context.width, context.height) == (64, 36)
        assert (context.color_primaries, context.color_trc, context.colorspace) == (1, 13, 1)
    assert len(frames) == 6
    levels = np.array([frame.mean() for frame in frames])
    assert np.diff(levels).max() < 0.1
    assert levels[0] > levels[-1] + 1.0
    # The stills that it was made of are gone, and nothing is left half done.
    assert {p.name for p in tmp_path.iterdir()} == {spec.output.name, spec.list_path.name}
    assert run(spec, backend=InstantBackend()).made == 0


def test_what_is_done_is_kept_and_what_changed_is_made_anew(dimmed, tmp_path):
    spec = spec_of(dimmed, tmp_path / "####.png")
    made_by(InstantBackend(), spec)
    backend = InstantBackend()
    assert made_by(backend, spec).kept == 6
    assert not backend.requests
    spec.path_of(4).unlink()
    spec.path_of(5).write_bytes(b"half a picture")
    assert made_by(InstantBackend(), spec).made == 2
    brighter = edits.change_look(dimmed, stops=1.0)
    assert made_by(InstantBackend(), spec_of(brighter, tmp_path / "####.png")).made == 6
    # A cue's last key changes the last frames alone.
    later = with_key(with_key(brighter, "rim", "dimmer", 0.0, frame=5), "rim", "dimmer", -5.0, frame=6)
    kept = made_by(InstantBackend(), spec_of(later, tmp_path / "####.png"))
    assert 0 < kept.made < 6


def test_files_of_others_are_told_and_never_overwritten_unasked(dimmed, tmp_path):
    spec = spec_of(dimmed, tmp_path / "####.png")
    theirs = spec.path_of(3)
    theirs.write_bytes(b"another's")
    with pytest.raises(TakenError, match=r"0003\.png") as error:
        made_by(InstantBackend(), spec)
    assert error.value.paths == [theirs]
    assert theirs.read_bytes() == b"another's"
    assert not spec.path_of(1).exists()
    assert made_by(InstantBackend(), spec, overwrite=True).made == 6
    assert taken(spec) == []


def test_a_stop_leaves_whole_frames_and_the_next_run_goes_on(dimmed, tmp_path):
    spec = spec_of(dimmed, tmp_path / "####.png")
    stop = threading.Event()

    def tell(progress):
        if progress.done == 3:
            stop.set()

    assert run(spec, tell, stop.is_set, backend=InstantBackend()) is None
    assert sorted(p.name for p in tmp_path.glob("0*.png")) == ["0001.png", "0002.png", "0003.png"]
    backend = InstantBackend()
    made = run(spec, backend=backend)
    assert (made.made, made.kept) == (3, 3)


def test_a_damaged_list_costs_time_only(dimmed, tmp_path):
    spec = spec_of(dimmed, tmp_path / "####.png")
    made_by(InstantBackend(), spec)
    for text in ("", "[]", '{"frames": 7}', '{"frames": {"0001.png": 3}}', "\x00"):
        spec.list_path.write_text(text)
        assert not FrameList(spec).holds(spec.path_of(1), "x")
        with pytest.raises(TakenError):
            made_by(InstantBackend(), spec)
    assert made_by(InstantBackend(), spec, overwrite=True).made == 6


@pytest.mark.parametrize(
    ("output", "changes", "said"),
    [
        ("####.gif", {}, "no kind of sequence"),
        ("####", {}, "no kind of sequence"),
        ("gone/####.png", {}, "not a folder"),
        ("one.png", {}, "one name for many"),
        ("####.png", {"first": 9, "last": 3}, "before the first"),
        ("####.png", {"step": 0}, "step"),
        ("####.png", {"last": 10_000_000}, "too many"),
    ],
)
def test_what_could_never_be_made_is_said_before_anything_is_rendered(dimmed, tmp_path, output, changes, said):
    spec = spec_of(dimmed, tmp_path / output, **changes)
    with pytest.raises(HandOffError, match=said):
        check(spec)


def test_a_folder_that_vanishes_is_said_in_words(dimmed, tmp_path):
    folder = tmp_path / "out"
    folder.mkdir()
    spec = spec_of(dimmed, folder / "####.png")

    def tell(progress):
        if progress.done == 2:
            for path in folder.iterdir():
                path.unlink()
            folder.rmdir()

    with pytest.raises(HandOffError, match="out"):
        run(spec, tell, backend=InstantBackend())


def test_a_full_disk_is_said_in_words(dimmed, tmp_path, monkeypatch):
    spec = spec_of(dimmed, tmp_path / "####.png")
    from lunar_haze.core.handoff import stills

    def full(*_args, **_kwargs):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(stills, "_tagged", full)
    with pytest.raises(HandOffError, match="no space left"):
        run(spec, backend=InstantBackend())
    assert not list(tmp_path.glob("*.png"))


# -- true light ---------------------------------------------------------------------------------------


@pytest.mark.workers
def test_a_sequence_is_the_same_to_the_bit_whatever_broke_it_off(dimmed, tmp_path):
    """Shared layers together, then a frame's own: any frame alone is that of an unbroken run."""
    turning = edits.change_source(dimmed, "rim", flicker=Beacon(rpm=30.0))
    whole, broken = tmp_path / "whole", tmp_path / "broken"
    whole.mkdir()
    broken.mkdir()
    straight = spec_of(turning, whole / "####.exr", last=3, layers=True)
    run(straight)
    again = spec_of(turning, broken / "####.exr", last=3, layers=True)
    stop = threading.Event()
    run(again, lambda p: stop.set() if p.done == 1 else None, stop.is_set)
    assert len(list(broken.glob("*.exr"))) == 1
    run(again)
    import OpenEXR

    for frame in straight.frames:
        one, two = (OpenEXR.File(str(s.path_of(frame))).channels() for s in (straight, again))
        assert one.keys() == two.keys()
        for name in one:
            np.testing.assert_array_equal(one[name].pixels, two[name].pixels)


@pytest.mark.workers
def test_a_killed_command_leaves_whole_frames_and_resumes(dimmed, tmp_path):
    file = tmp_path / "wait.haze"
    save(dimmed, file)
    (tmp_path / "out").mkdir()
    command = [
        sys.executable, "-m", "lunar_haze", "sequence", str(file), "-o", str(tmp_path / "out" / "####.png"),
        "--size", "32x18", "--passes", "2",
    ]  # fmt: skip
    for _ in range(2):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        deadline = time.monotonic() + 60
        before = len(list((tmp_path / "out").glob("0*.png")))
        while len(list((tmp_path / "out").glob("0*.png"))) == before and time.monotonic() < deadline:
            time.sleep(0.01)
        process.send_signal(signal.SIGKILL)
        process.wait()
        for still in (tmp_path / "out").glob("0*.png"):
            Image.open(still).load()
    done = subprocess.run(command, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    assert "were there already" in done.stderr
    assert len(list((tmp_path / "out").glob("0*.png"))) == 6
    kept = (tmp_path / "out" / ".####.png.sequence.json").read_text().splitlines()[1:]
    assert len({json.loads(line)[0] for line in kept}) == 6
    assert os.access(tmp_path / "out" / "0006.png", os.R_OK)


# -- what a frame's name holds ------------------------------------------------------------------------


def test_another_table_under_the_same_name_makes_frames_anew(dimmed, tmp_path):
    table = tmp_path / "warm.cube"
    rows = [f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1)]
    table.write_text("LUT_3D_SIZE 2\n" + "\n".join(rows) + "\n")
    graded = edits.change_finish(dimmed, table=read_table(table))
    spec = spec_of(graded, tmp_path / "f_####.png", first=1, last=2)
    assert made_by(InstantBackend(), spec).made == 2
    assert made_by(InstantBackend(), spec).kept == 2
    table.write_text("LUT_3D_SIZE 2\n" + "\n".join(row.replace("1", "0.5") for row in rows) + "\n")
    assert made_by(InstantBackend(), spec).made == 2


def test_exr_frames_share_one_table_of_their_finish_which_is_on_the_list(dimmed, tmp_path):
    finished = edits.change_finish(dimmed, cdl=Cdl(saturation=0.5))
    spec = spec_of(finished, tmp_path / "f_####.exr")
    made_by(InstantBackend(), spec)
    assert sorted(p.name for p in tmp_path.glob("*.finish.*")) == ["f.finish.cdl", "f.finish.cube"]
    known = FrameList(spec)
    assert known.knows(tmp_path / "f.finish.cube")
    # A stranger's file of that name is never written over unasked.
    other = spec_of(finished, tmp_path / "g_####.exr")
    (tmp_path / "g.finish.cube").write_text("somebody's")
    with pytest.raises(TakenError):
        made_by(InstantBackend(), other)
    assert (tmp_path / "g.finish.cube").read_text() == "somebody's"


def test_a_finish_that_changes_over_the_frames_has_a_table_for_each_state(dimmed, tmp_path):
    keyed = with_key(with_key(dimmed, "finish", "contrast", 1.0, frame=1), "finish", "contrast", 1.4, frame=3)
    spec = spec_of(keyed, tmp_path / "f_####.exr", first=1, last=4)
    made_by(InstantBackend(), spec)
    found = {p.name for p in tmp_path.glob("*.finish.cube")}
    assert found == {"f.finish.cube", "f.2.finish.cube", "f.3.finish.cube"}


def test_the_list_of_a_sequence_grows_by_a_line_a_frame(dimmed, tmp_path):
    spec = spec_of(dimmed, tmp_path / "f_####.png", first=1, last=3)
    made_by(InstantBackend(), spec)
    lines = spec.list_path.read_text().splitlines()
    assert len(lines) == 1 + 3 + 3
    # One that was cut off in the middle of a line costs that frame alone.
    spec.list_path.write_text("\n".join(lines)[:-9])
    again = made_by(InstantBackend(), spec)
    assert (again.made, again.kept) == (1, 2)


@pytest.mark.workers
@pytest.mark.timeout(200)
@pytest.mark.parametrize("after_s", [0.3, 1.5, 6.0])
def test_a_sequence_that_is_killed_leaves_no_process_and_no_traceback(demo, tmp_path, after_s):
    import signal
    import subprocess
    import sys
    import time

    command = [sys.executable, "-m", "lunar_haze", "sequence", str(demo), "-o", str(tmp_path / "####.png"), "--frames", "1-8",
               "--size", "320x180", "--passes", "64"]  # fmt: skip
    with (tmp_path / "told").open("wb") as told:
        process = subprocess.Popen(command, stdout=told, stderr=told, stdin=subprocess.DEVNULL)
        time.sleep(after_s)
        children = Path(f"/proc/{process.pid}/task/{process.pid}/children")
        try:
            below = [int(each) for each in children.read_text().split()]
        except OSError:
            below = []
        process.send_signal(signal.SIGKILL)
        process.wait()
    deadline = time.monotonic() + 30
    while any(_is_there(each) for each in below) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not [each for each in below if _is_there(each)]
    assert "Traceback" not in (tmp_path / "told").read_text()


def _is_there(process):
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] not in ("Z", "X")
    except OSError:
        return False
