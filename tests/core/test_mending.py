"""What can be saved can be opened, and what is wrong in a file costs its own value only."""

import json
import math
import time
from pathlib import Path

import attrs
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.document.checks import check_document
from lunar_haze.core.document.exposure import shutter_s
from lunar_haze.core.document.files import from_json, load, save, to_json
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.core.units.quantity import parse_quantity, parse_written

DEMO = Path(__file__).resolve().parents[2] / "demo" / "gannet-reach.haze"


@pytest.fixture(scope="module")
def demo() -> Document:
    return load(DEMO)[0]


def _read(data: dict) -> tuple[Document, list[str]]:
    return from_json(json.dumps(data), DEMO.parent, "a.haze")


def _json(document: Document) -> dict:
    return json.loads(to_json(document, None))


def _with_source(document: Document, **changes: object) -> Document:
    look = document.looks[0]
    changed = attrs.evolve(look.sources[0], **changes)
    look = attrs.evolve(look, sources=(changed, *look.sources[1:]))
    return attrs.evolve(document, looks=(look, *document.looks[1:]))


def test_what_could_not_be_read_again_is_not_saved(demo, tmp_path):
    path = tmp_path / "a.haze"
    save(demo, path)
    before = path.read_bytes()
    film = FilmedScreen(((1.0, 1.0, 1.0),), rate=1e12)
    with pytest.raises(DocumentError, match=rf"{demo.looks[0].sources[0].name}.*frame rate"):
        save(_with_source(demo, flicker=film), path)
    assert path.read_bytes() == before


def test_only_what_changed_is_looked_at_again(demo):
    broken = _with_source(demo, dimmer_stops=math.nan)
    with pytest.raises(DocumentError, match="dimmer"):
        check_document(broken, demo)
    # Another part of a document that holds a fault can be worked at.
    check_document(attrs.evolve(broken, shots=broken.shots[:1]), broken)


@pytest.mark.parametrize(
    ("where", "value", "told"),
    [
        (("looks", 0, "sources", 0, "amount"), "much", "amount"),
        (("looks", 0, "sources", 0, "dimmer_stops"), 1e9, "dimmer"),
        (("looks", 0, "sources", 0, "gel"), [1.0, "x", 1.0], "gel"),
        (("looks", 0, "sources", 0, "muted"), "no", "muted"),
        (("looks", 0, "medium", "visibility_m"), -4, "visibility"),
        (("looks", 0, "date"), "someday", "date"),
        (("looks", 0, "finish", "view"), "cheese", "view"),
        (("looks", 0, "weather", "clouds"), "many", "clouds"),
        (("looks", 0, "reference"), {"path": {}}, "path"),
        (("shots", 0, "rate"), 1e6, "frame rate"),
        (("shots", 0, "camera", "focal_mm"), None, "focal"),
        (("looks", 0, "name"), 7, "name"),
    ],
)
def test_a_wrong_value_costs_itself_and_nothing_else(demo, where, value, told):
    data = _json(demo)
    holder = data
    for step in where[:-1]:
        holder = holder[step]
    was = holder.get(where[-1])
    holder[where[-1]] = value
    found, notes = _read(data)
    if told != "name":
        assert any(told in note and "kept aside" in note for note in notes), notes
    back = _json(found)
    expected = _json(demo)
    for tree in (back, expected):
        part = tree
        for step in where[:-1]:
            part = part[step]
        part.pop(where[-1])
        tree.pop("set_aside", None)
    assert back == expected
    if told != "name":
        kept = [one["value"] for one in json.loads(dict(found.extra)["set_aside"])]
        assert value in kept or (isinstance(value, dict) and {} in kept), (kept, was)
    check_document(found)


def test_a_kind_that_is_not_known_costs_its_own_part(demo):
    data = _json(demo)
    source = data["looks"][0]["sources"][0]
    source["flicker"] = {"kind": "disco", "speed": 3}
    data["looks"][1]["sources"][0]["shape"] = {"kind": "laser"}
    found, notes = _read(data)
    assert [look.name for look in found.looks] == [look.name for look in demo.looks]
    assert len(found.looks[0].sources) == len(demo.looks[0].sources)
    assert len(found.looks[1].sources) == len(demo.looks[1].sources) - 1
    assert any("disco" in note for note in notes)
    assert any("laser" in note for note in notes)


_PARTS = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(("kind", "path", "x")), inner, max_size=2),
    max_leaves=5,
)  # fmt: skip


@settings(max_examples=150, deadline=None, derandomize=True)
@given(data=st.data())
def test_whatever_stands_in_one_place_all_other_looks_stay(data, demo):
    tree = _json(demo)
    part, path = tree["looks"][0], []
    while isinstance(part, (dict, list)) and part and (not path or data.draw(st.booleans())):
        keys = sorted(part) if isinstance(part, dict) else list(range(len(part)))
        path.append(data.draw(st.sampled_from(keys)))
        holder, part = part, part[path[-1]]
    holder[path[-1]] = data.draw(_PARTS)
    found, _notes = _read(tree)
    assert [look.name for look in found.looks[1:]] == [look.name for look in demo.looks[1:]]
    assert len(found.looks) == len(demo.looks)
    check_document(found)
    again, _notes = from_json(to_json(found, DEMO.parent), DEMO.parent, "a.haze")
    assert again.looks == found.looks


def test_thousands_of_faults_end_quickly(demo):
    mask = {"id": "m", "name": "m"}
    for strokes in ("x" * 200_000, [{"radius": 0.1, "places": [["a", 0.0]] * 9000}]):
        data = _json(demo)
        data["looks"][0]["finish"]["masks"] = [{**mask, "regions": [{"strokes": strokes}]}]
        began = time.perf_counter()
        found, notes = _read(data)
        assert time.perf_counter() - began < 3.0
        assert len(found.looks[0].finish.masks) == 1
        assert sum(map(len, notes)) < 2000


def test_a_number_is_what_was_typed_to_the_last_bit():
    assert parse_written("125.047 mm", "mm", 1.0) == parse_quantity("125.0470 mm", "mm", 1.0) == 125.047
    assert parse_quantity("0.1 min", "h", 1.0) == pytest.approx(0.1 / 60)


def test_no_lens_has_a_shutter_time_of_nothing(demo):
    shot = attrs.evolve(demo.shot, camera=attrs.evolve(demo.shot.camera, f_number=1e-300), ends=None)
    assert shutter_s(attrs.evolve(demo, shots=(shot,), current_shot=shot.name)) > 0
