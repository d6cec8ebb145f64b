import errno
import json
import os
import subprocess
import sys
from pathlib import Path

import attrs
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.document import edits, lists
from lunar_haze.core.document.files import from_json, load, save, to_json
from lunar_haze.core.document.history import History
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.errors import DocumentError, NewerSchemaError
from lunar_haze.core.sources.amounts import canonical, convert, units_of
from lunar_haze.core.sources.gain import source_colour, source_gain
from lunar_haze.core.sources.model import Ball, Beam, Disc, Rectangle, Sky, Source, Sun, Surface
from lunar_haze.core.sources.presets import PRESETS, make_source

positions = st.tuples(*[st.floats(-50, 50)] * 3)
shapes = st.one_of(
    st.builds(Ball, position=positions, radius_m=st.floats(0.01, 2)),
    st.builds(Disc, position=positions, aim=positions, radius_m=st.floats(0.01, 2)),
    st.builds(Rectangle, position=positions, aim=positions, width_m=st.floats(0.1, 3), height_m=st.floats(0.1, 3)),
    st.builds(Beam, position=positions, aim=positions, cone_deg=st.floats(2, 120), edge=st.floats(0, 1)),
    st.builds(Sun, altitude_deg=st.floats(-10, 90)), st.builds(Sky), st.builds(Surface, material=st.text(max_size=8)),
)  # fmt: skip
sources = st.builds(
    lambda number, shape, stops, kelvin, muted: Source(
        f"s{number}", f"lamp {number}", shape, 5.0, units_of(shape)[0], stops, kelvin, muted=muted
    ),
    st.integers(0, 10**6), shapes, st.floats(-20, 10), st.one_of(st.none(), st.floats(1000, 12000)), st.booleans(),
)  # fmt: skip


def a_document(*some: Source) -> Document:
    look = Look("first", sources=tuple(some))
    return Document(PlaceRef("/tmp/nowhere.glb"), (Shot("wide"),), (look,), (), "wide", "first")


@settings(max_examples=40)
@given(st.lists(sources, max_size=4, unique_by=lambda s: s.id))
def test_saved_and_loaded_is_the_same(many):
    document = edits.add_pin(a_document(*many))
    back, notes = from_json(to_json(document, Path("/tmp")), Path("/tmp"), "x.haze")
    assert back == document
    assert notes == []


@settings(max_examples=60)
@given(shapes, st.floats(0.01, 1e5))
def test_amounts_survive_a_change_of_unit_and_back(shape, amount):
    source = Source("a", "a", shape, amount, units_of(shape)[0])
    for unit in units_of(shape):
        told = attrs.evolve(source, amount=convert(source, unit), unit=unit)
        assert canonical(shape, told.amount, unit) == pytest.approx(canonical(shape, amount, source.unit), rel=1e-9)
        dark = canonical(shape, amount, source.unit) == 0.0
        # A sun under the horizon gives nothing: told in lux it is none, and back it is as it really is.
        assert convert(told, source.unit) == pytest.approx(1.0 if dark else amount, rel=1e-9)


@settings(max_examples=25)
@given(st.lists(sources, min_size=1, max_size=4, unique_by=lambda s: s.id), st.data())
def test_undo_and_redo_retrace_any_row_of_edits(many, data):
    history = History(a_document(*many))
    states = [history.document]
    for _ in range(data.draw(st.integers(1, 8))):
        target = data.draw(st.sampled_from(many)).id
        edit = data.draw(st.sampled_from(["dim", "mute", "hour", "black", "remove", "pin"]))
        now = history.document
        changed = {
            "dim": lambda: edits.change_source(now, target, dimmer_stops=data.draw(st.floats(-5, 5))),
            "mute": lambda: edits.change_source(now, target, muted=True),
            "hour": lambda: edits.set_hour(now, data.draw(st.floats(0, 24))),
            "black": lambda: edits.start_from_black(now),
            "remove": lambda: edits.remove_source(now, target),
            "pin": lambda: edits.add_pin(now),
        }[edit]()
        if history.edit(edit, changed):
            states.append(changed)
    for state in reversed(states[:-1]):
        history.undo()
        assert history.document == state
    for state in states[1:]:
        history.redo()
        assert history.document == state
    assert history.redo() is None


def test_a_drag_is_one_step_of_undo():
    start = a_document(Source("a", "a", Ball()))
    history = History(start)
    for stops in (0.1, 0.2, 0.3):
        history.edit(
            "dimmer", edits.change_source(history.document, "a", dimmer_stops=stops), " ".join(["dimmer", "a"])
        )
    history.seal()
    history.edit("dimmer", edits.change_source(history.document, "a", dimmer_stops=1.0), "dimmer a")
    history.undo()
    assert history.document.look.source("a").dimmer_stops == 0.3
    history.undo()
    assert history.document == start


def test_start_from_black_silences_everything_that_gives_light():
    document = edits.start_from_black(
        a_document(*(Source(str(i), str(i), s) for i, s in enumerate((Sun(), Sky(), Ball(), Surface("x")))))
    )
    assert all(s.muted for s in document.look.sources)


def test_the_hour_moves_what_follows_it_and_nothing_else():
    document = a_document(
        Source("sun", "sun", Sun(), 1, "true"), Source("sky", "sky", Sky(), 1, "true"),
        Source("moon", "moon", Sun(20.0, 100.0, follows_hour=False), 0.2, "lx"),
    )  # fmt: skip
    noon, evening = edits.set_hour(document, 12.0), edits.set_hour(document, 18.5)
    assert noon.look.source("sun").shape.altitude_deg > 45 > 10 > evening.look.source("sun").shape.altitude_deg > 0
    assert noon.look.source("sun").shape.azimuth_deg == pytest.approx(180.0, abs=2.0)
    red, white = (source_colour(d.look.source("sun")) for d in (evening, noon))
    assert red[2] / red[0] < 0.4 * white[2] / white[0], "the evening sun is warmer"
    assert evening.look.source("sky").shape.dome.sun_altitude_deg == evening.look.source("sun").shape.altitude_deg
    tomorrow = edits.set_hour(document, 24.5)
    assert (tomorrow.look.date, tomorrow.look.hour_h) == ("2024-08-22", 0.5)
    assert not source_gain(tomorrow.look.source("sun")).any(), "a sun under the earth gives nothing"
    for at in (noon, evening):
        assert at.look.source("moon") == document.look.source("moon")


def test_names_stay_apart():
    document = a_document(Source("a", "lamp", Ball()))
    document = edits.add_source(document, Source("b", "lamp", Ball()))
    assert [s.name for s in document.look.sources] == ["lamp", "lamp 2"]
    assert lists.add_copy(document, "look", "first").current_look == "first 2"


def test_a_pin_brings_the_look_back():
    document = edits.add_pin(a_document(Source("a", "a", Ball())))
    dimmed = edits.change_source(document, "a", dimmer_stops=-4.0)
    back = edits.return_to_pin(dimmed, document.pins[0].id)
    assert back.look == document.look
    assert back.pins == document.pins


def test_presets_stand_where_they_are_put():
    for preset in PRESETS:
        source = make_source(preset, "x", preset, (1, 2, 3), (0, 0, 0))
        assert source.shape.position == (1, 2, 3)
        assert canonical(source.shape, source.amount, source.unit) > 0


# -- files ----------------------------------------------------------------------------------------


def test_the_place_is_stored_relative_and_travels_with_the_document(tmp_path):
    (tmp_path / "one").mkdir()
    document = attrs.evolve(a_document(), place=PlaceRef(str(tmp_path / "one" / "set.glb")))
    save(document, tmp_path / "one" / "a.haze")
    assert json.loads((tmp_path / "one" / "a.haze").read_text())["place"]["path"] == "set.glb"
    (tmp_path / "one").rename(tmp_path / "two")
    assert load(tmp_path / "two" / "a.haze")[0].place.path == str(tmp_path / "two" / "set.glb")


def test_what_cannot_be_read_is_listed_and_kept(tmp_path):
    path = tmp_path / "a.haze"
    save(a_document(Source("a", "a", Ball())), path)
    data = json.loads(path.read_text())
    data["looks"].append({"name": "odd", "sources": [{"id": "z", "name": "z", "shape": {"kind": "laser"}}]})
    data["weather"] = {"rain": 3}
    path.write_text(json.dumps(data))
    document, notes = load(path)
    assert [k.name for k in document.looks] == ["first", "odd"]
    assert any("odd" in n and "laser" in n for n in notes)
    assert any("weather" in n for n in notes)
    save(document, path)
    kept = json.loads(path.read_text())
    assert kept["weather"] == {"rain": 3}
    assert {one["of"] for one in kept["set_aside"]} == {"look “odd”"}
    assert {"kind": "laser"} in [one["value"] for one in kept["set_aside"]]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "damaged"),
        ("{", "damaged"),
        ("[]", "not a Lunar Haze"),
        ("{}", "not a Lunar Haze"),
        ('{"lunar_haze": 1}', "no shot"),
    ],
)
def test_damaged_documents_are_refused_with_a_sentence(tmp_path, text, words):
    path = tmp_path / "a.haze"
    path.write_text(text)
    with pytest.raises(DocumentError, match=words):
        load(path)


def test_a_newer_document_a_folder_and_a_missing_one_are_refused(tmp_path):
    newer = tmp_path / "b.haze"
    newer.write_text('{"lunar_haze": 999}')
    with pytest.raises(NewerSchemaError, match="newer"):
        load(newer)
    with pytest.raises(DocumentError, match="folder"):
        load(tmp_path)
    with pytest.raises(DocumentError, match="cannot be opened"):
        load(tmp_path / "none.haze")
    with pytest.raises(DocumentError, match="folder"):
        save(a_document(), tmp_path)
    with pytest.raises(DocumentError, match="cannot be saved"):
        save(a_document(), tmp_path / "no" / "such" / "a.haze")


def test_a_full_disk_leaves_the_old_file(tmp_path):
    """The limit on a file's size stands in for the disk: the system refuses the write midway."""
    path = tmp_path / "a.haze"
    save(a_document(), path)
    before = path.read_bytes()
    code = (
        "import resource, signal, sys; from pathlib import Path; sys.path.insert(0, sys.argv[2])\n"
        "from tests.core.test_document import a_document\n"
        "from lunar_haze.core.document.files import save\n"
        "from lunar_haze.core.document.edits import add_pin\n"
        "from lunar_haze.core.errors import DocumentError\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN); resource.setrlimit(resource.RLIMIT_FSIZE, (300, 300))\n"
        "try: save(add_pin(a_document()), Path(sys.argv[1]))\n"
        "except DocumentError as error: print(error)\n"
    )
    root = Path(__file__).resolve().parents[2]
    done = subprocess.run(
        [sys.executable, "-c", code, str(path), str(root)], capture_output=True, text=True, cwd=root, check=True
    )
    assert os.strerror(errno.EFBIG).lower() in done.stdout
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.haze"]


def test_no_permission_is_told(tmp_path, monkeypatch):
    path = tmp_path / "a.haze"
    save(a_document(), path)

    def refuse(*_args, **_kwargs):
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))

    monkeypatch.setattr(os, "open", refuse)
    with pytest.raises(DocumentError, match="permission denied"):
        save(edits.add_pin(a_document()), path)
    with pytest.raises(DocumentError, match="permission denied"):
        load(path)


def test_killed_while_saving_a_hundred_times_the_file_is_always_old_or_new(tmp_path):
    """A process forks, the child saves without end and is killed at some moment after its first; a hundred times."""
    path = tmp_path / "a.haze"
    save(a_document(), path)
    code = (
        "import os, random, signal, sys, time; sys.path.insert(0, sys.argv[2]); from pathlib import Path\n"
        "from tests.core.test_document import a_document; from lunar_haze.core.document.files import save, load\n"
        "from lunar_haze.core.document.edits import change_look\n"
        "path = Path(sys.argv[1]); seen = set()\n"
        "for kill in range(100):\n"
        "    told, tell = os.pipe(); child = os.fork()\n"
        "    if child == 0:\n"
        "        n = 0\n"
        "        while True:\n"
        "            n += 1; save(change_look(a_document(), note=f'{kill} {n} ' + 'x' * (n % 7) * 3000 + '.'), path)\n"
        "            os.write(tell, b'.')\n"
        "    os.read(told, 1); time.sleep(0.06 * random.random())\n"
        "    os.kill(child, signal.SIGKILL); os.waitpid(child, 0); os.close(told); os.close(tell)\n"
        "    document, notes = load(path); note = document.look.note\n"
        "    assert not notes and (not note or note.endswith('.')), (notes, note[-20:])\n"
        "    seen.add(note[:20])\n"
        "print('kills', 100, 'versions', len(seen))\n"
    )
    root = Path(__file__).resolve().parents[2]
    done = subprocess.run([sys.executable, "-c", code, str(path), str(root)], capture_output=True, text=True, cwd=root)
    assert done.returncode == 0, done.stderr
    assert int(done.stdout.split()[-1]) == 100
