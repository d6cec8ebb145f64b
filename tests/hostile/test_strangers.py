"""A set, a document or a list of a stranger reads nothing and writes nothing outside of its own folder.

What lies outside is watched by the system itself: that a file was opened is a fault, whatever became of it.
"""

import contextlib
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HazeError
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.files import files_of_look
from lunar_haze.core.units.content import digest_or_none
from lunar_haze.service import farm, farm_bench
from lunar_haze.service.parcel import parcel_of, unpacked
from lunar_haze.service.sequence import SequenceSpec, run
from lunar_haze.ui.session.file_watch import FileWatch
from lunar_haze.ui.session.session import Session
from tests.hostile.stranger import PARTS, guarded, names_of
from tests.hostile.watcher import Watcher, nothing_touched
from tests.laws.laws import Studio

TRICKS = 20
# Files are watched while others read them as well: the machine may be slow.
pytestmark = pytest.mark.timeout(200)


@pytest.fixture(scope="module")
def studio(tmp_path_factory):
    return Studio(tmp_path_factory.mktemp("layers"))


@pytest.fixture
def outside(tmp_path):
    folder = tmp_path / "not" / "yours"
    return folder, guarded(folder)


def _sequence_of(document, folder, last=2):
    out = folder / "out"
    out.mkdir(exist_ok=True)
    return SequenceSpec(document, "shot", "look", 1, last, out / "####.png", (32, 18), passes=1)


def _used(path, studio, folder):
    """A stranger's document used for all that a document is used for; what it refuses is said in words."""
    document, _notes = load(path)
    place = load_place(Path(document.place.path))
    assert len(place.triangles)
    for named in files_of_look(document.look):
        digest_or_none(named)
    save(document, folder / "kept.haze")
    spec = _sequence_of(document, folder, 1)
    run(spec, backend=studio.backend)
    parcel, here = parcel_of(spec)
    root = folder / "worker"
    root.mkdir()
    unpacked(parcel, here, root)


@pytest.mark.parametrize("part", PARTS)
def test_a_name_that_leads_out_of_a_folder_leads_nowhere(part, outside, tmp_path, studio):
    make, secret = PARTS[part]
    there, exactly = outside
    tricks = names_of(there, _folder(tmp_path, "0"), secret)
    assert len(tricks) == TRICKS
    told: list[str] = []
    for number, trick in enumerate(tricks):
        folder = _folder(tmp_path, str(number + 1))
        name = names_of(there, folder, secret)[trick]
        with nothing_touched([there], exactly):
            path = make(folder, name)
            try:
                _used(path, studio, folder)
            except HazeError as error:
                told.append(str(error))
        assert not [p for p in folder.rglob("secret*") if not p.is_relative_to(folder / "way")], trick
    assert all(len(sentence) > 10 for sentence in told)


def _folder(tmp_path, number):
    folder = tmp_path / "a" / number / "set"
    folder.mkdir(parents=True)
    return folder


@pytest.mark.parametrize("part", PARTS)
def test_a_name_inside_is_read(part, tmp_path, studio):
    """The same documents, so that nothing above passes for want of being read at all."""
    if part == "a reference":
        pytest.skip("it is read where it is shown")
    make, secret = PARTS[part]
    folder = tmp_path / "set"
    inner = folder / "inner"
    exactly = guarded(inner)
    watcher = Watcher([inner])
    _used(make(folder, f"inner/{secret}"), studio, folder)
    assert any(secret in seen for seen in watcher.seen())
    watcher.close()
    assert all(path.read_bytes() == data for path, data in exactly.items())


@pytest.mark.parametrize("part", PARTS)
def test_the_window_opens_a_strangers_document_without_looking_elsewhere(part, outside, tmp_path, qtbot):
    make, secret = PARTS[part]
    there, exactly = outside
    folder = _folder(tmp_path, "1")
    names = names_of(there, folder, secret)
    path = make(folder, names["climbing"])
    asked = []
    session = Session(tmp_path / "state")
    watch = FileWatch(session)
    with nothing_touched([there], exactly):
        with contextlib.suppress(HazeError):
            session.open_path(path, may_read=lambda paths: asked.append(paths) or False)
            qtbot.waitUntil(lambda: session.place is not None or "buffer" in part, timeout=20_000)
        session.close()
    # Who agrees to it gets it: the question is about this file and no other.
    if asked:
        assert asked == [[there / secret]]
    watch.deleteLater()


@pytest.mark.workers
@pytest.mark.parametrize(
    ("part", "command"),
    [
        ("a picture of a glTF set", ("render", "--size", "32x18", "-o", "a.png")),
        ("a panorama", ("sequence", "--size", "32x18", "--frames", "1-2", "--layers", "-o", "s##.exr")),
    ],
)
def test_commands_in_processes_of_their_own_look_nowhere_else(part, command, outside, tmp_path):
    make, secret = PARTS[part]
    there, exactly = outside
    folder = _folder(tmp_path, "1")
    path = make(folder, names_of(there, folder, secret)["absolute"])
    typed = [sys.executable, "-m", "lunar_haze", command[0], str(path), "--passes", "1", *command[1:]]
    with nothing_touched([there], exactly):
        done = subprocess.run(typed, capture_output=True, text=True, check=False, cwd=folder)
    assert done.returncode == 0, done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.workers
def test_a_farm_of_two_workers_takes_nothing_from_elsewhere(outside, tmp_path, monkeypatch):
    """Its workers are threads of this process, so that the watch sees what they do."""
    from distributed import LocalCluster

    make, secret = PARTS["a picture of a glTF set"]
    there, exactly = outside
    folder = _folder(tmp_path, "1")
    path = make(folder, names_of(there, folder, secret)["climbing"])
    document, _notes = load(path)
    with (
        LocalCluster(n_workers=2, threads_per_worker=1, processes=False, dashboard_address=None) as cluster,
        nothing_touched([there], exactly),
    ):
        made = run(_sequence_of(document, folder), cluster=farm.Farm(cluster.scheduler_address))
    assert made is not None
    assert made.made == 2
    if farm_bench._bench is not None:
        farm_bench._bench[1].close()
        monkeypatch.setattr(farm_bench, "_bench", None)


def test_a_list_of_frames_with_names_that_climb_touches_none_of_them(outside, tmp_path, studio):
    there, exactly = outside
    folder = _folder(tmp_path, "1")
    make, _secret = PARTS["a panorama"]
    spec = _sequence_of(load(make(folder, "none.hdr"))[0], folder)
    lines = [{"lunar_haze_sequence": "1"}, *([os.path.relpath(path, spec.folder), "x", 1] for path in exactly)]
    lines += [[str(path), "x", 1] for path in exactly]
    spec.list_path.write_text("\n".join(map(json.dumps, lines)))
    with nothing_touched([there], exactly):
        assert run(spec, backend=studio.backend).made == 2
        assert run(spec, backend=studio.backend).kept == 2


def test_what_was_agreed_to_once_is_not_asked_again(outside, tmp_path):
    there, _exactly = outside
    folder = _folder(tmp_path, "1")
    make, secret = PARTS["a panorama"]
    path = make(folder, str(there / secret))
    asked = []
    document, _notes = load(path, lambda paths: asked.append(paths) or True)
    assert asked == [[there / secret]]
    save(document, folder / "mine.haze")
    again, notes = load(folder / "mine.haze", lambda paths: pytest.fail("asked again"))
    assert again.look == document.look
    assert not notes
    # What was refused is kept aside, for whoever opens it later.
    other = tmp_path / "other" / "far.hdr"
    refused, notes = load(make(folder, str(other)))
    assert any("outside" in note for note in notes)
    save(refused, folder / "without.haze")
    assert str(other) in (folder / "without.haze").read_text()


def test_the_watch_sees_a_file_that_is_opened(outside):
    there, exactly = outside
    with pytest.raises(AssertionError), nothing_touched([there], exactly):
        (there / "secret.txt").read_text()
    with pytest.raises(AssertionError), nothing_touched([there], exactly):
        (there / "new.txt").write_text("")


def test_a_place_is_named_by_files_inside_its_folder_only(outside, tmp_path):
    there, exactly = outside
    folder = _folder(tmp_path, "1")
    make, secret = PARTS["the materials of an OBJ"]
    path = make(folder, names_of(there, folder, secret)["a link"])
    with nothing_touched([there], exactly):
        place_spec(load(path)[0].place)
