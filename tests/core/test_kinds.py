"""A kind of source is declared once and goes all the way; rows and packed columns mean what they say."""

import json
import math
from typing import Any, ClassVar

import attrs
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import from_json, load, to_json
from lunar_haze.core.document.rows import AIR, CAMERA, facets_of, targets_of
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import DocumentError, QuantityError
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sky.model import SkyGrade
from lunar_haze.core.sources import cutouts
from lunar_haze.core.sources.amounts import canonical, convert, units_of
from lunar_haze.core.sources.array import LampArray, as_kind
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import SOURCE_KINDS, kind_of, kind_tagged, kinds, lamp_kinds, source_kind
from lunar_haze.core.sources.lamp import REACH_ROW, Lamp
from lunar_haze.core.sources.model import Ball, Beam, Disc, LightLinking, Source, Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.lights import Lit, pack_lights
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.source_row import COLUMNS, SOURCE
from lunar_haze.core.units.columns import Columns
from lunar_haze.core.units.row import inside, row
from tests.places import WHITE, floor, place_of

FLOOR = place_of((floor(), WHITE))


@pytest.fixture
def square_disc():
    """A toy: a disc told by its side, of the area of a square."""

    @source_kind("toy", rows=(row("side", "side", "side_m", "m", 0.1, 2.0, 0.5, ratio=True, floor=0.01), REACH_ROW))
    @attrs.frozen
    class Toy(Lamp):
        sampled_as: ClassVar[str] = "disc"
        position: Vec3 = (0.0, 0.0, 2.0)
        aim: Vec3 = (0.0, 0.0, 0.0)
        side_m: float = 0.5

        def area_m2(self) -> float:
            return self.side_m**2

        def columns(self) -> dict[str, Any]:
            return {"radius": self.side_m / math.sqrt(math.pi)}

    yield Toy
    del SOURCE_KINDS[Toy]


def test_a_new_kind_goes_from_the_file_to_the_light(square_disc, demo):
    """Document, file, rows, units, plan and engine know it from its declaration alone."""
    document, _notes = load(demo)
    toy = Source("toy", "toy", square_disc(), 500.0, "lm")
    document = edits.add_source(document, toy)
    again, notes = from_json(to_json(document, None), demo.parent, "a")
    assert not notes
    assert again.look.source("toy") == toy
    assert kind_of(toy.shape).name == "toy"
    assert kind_of(toy.shape) in lamp_kinds()

    facets = facets_of(document, "toy")
    assert {"level", "dimmer", "side", "reach", "azimuth", "target up", "matte"} <= facets.keys()
    larger = facets["side"].write(document, 1.0)
    assert larger.look.source("toy").shape.side_m == 1.0
    assert as_kind(Beam((1.0, 2.0, 3.0)), kind_of(toy.shape)).position == (1.0, 2.0, 3.0)

    assert units_of(toy.shape) == ("lm", "cd", "cd/m2", "lx")
    assert convert(toy, "cd/m2") == pytest.approx(500.0 / math.pi / 0.25)
    request = frame_request(1, place_spec(document.place), document.shot, document.look, (32, 18))
    assert any(spec.shape == toy.shape for spec in request.layers)

    # As much light as a disc of its area, to the bit.
    round_one = Disc(toy.shape.position, toy.shape.aim, 0.5 / math.sqrt(math.pi))
    pictures = []
    for shape in (toy.shape, round_one):
        spec = attrs.evolve(request.layers[0], shape=shape, cards=(), linking=Source("", "", shape).linking)
        frame = Frame(PackedPlace(FLOOR), spec.view)
        frame.trace(frame.want([spec]))
        pictures.append(frame.image(spec.key()).surface)
    assert pictures[0].any()
    assert np.allclose(pictures[0], pictures[1], rtol=1e-5)


def test_a_new_kind_of_cutout_goes_from_the_file_to_the_light(monkeypatch, demo):
    monkeypatch.setattr(cutouts, "_DRAWN", dict(cutouts._DRAWN))

    @cutouts.drawn_as("half")
    def half(_cut, x, _y):
        return np.where(x < 0, 1.0, 0.0)

    assert cutouts.kinds()[-2:] == ("half", cutouts.PICTURE)
    document, _notes = load(demo)
    document = edits.add_source(document, Source("toy", "toy", Beam((0.0, 0.0, 3.0), (0.0, 0.0, 0.0)), 500.0, "lm"))
    cut = edits.change_shape(document, "toy", cutout=cutouts.CutOut("half"))
    again, _notes = from_json(to_json(cut, None), demo.parent, "a")
    assert again.look.source("toy").shape.cutout == cutouts.CutOut("half")

    request = frame_request(1, place_spec(document.place), document.shot, document.look, (32, 18))
    view = attrs.evolve(request.view, camera=Camera((0.0, -2.0, 4.0), (0.0, 0.0, 0.0)))
    pictures = []
    for look in (document.look, again.look):
        shape = look.source("toy").shape
        spec = attrs.evolve(request.layers[0], shape=shape, cards=(), linking=Source("", "", shape).linking)
        frame = Frame(PackedPlace(FLOOR), view)
        frame.trace(frame.want([spec]))
        pictures.append(frame.image(spec.key()).surface.sum(-1))
    whole, half_of_it = pictures
    assert half_of_it.sum() == pytest.approx(whole.sum() / 2, rel=0.1)
    left, right = half_of_it[:, :14].sum(), half_of_it[:, 18:].sum()
    assert max(left, right) > 20 * min(left, right)


def test_two_kinds_of_one_name_are_refused(square_disc):
    with pytest.raises(ValueError, match="toy"):
        source_kind("toy")(Ball)


def test_a_subclass_is_of_its_ancestor_s_kind():
    @attrs.frozen
    class Lantern(Ball):
        pass

    assert kind_of(Lantern()) is kind_of(Ball())
    with pytest.raises(KeyError):
        kind_of("a ball")


def test_what_only_the_plan_makes_is_not_read_from_a_file():
    hidden = next(kind for kind in kinds() if not kind.in_files)
    with pytest.raises(ValueError, match="no kind of source"):
        kind_tagged(hidden.tag)


@pytest.mark.parametrize("kind", [k for k in kinds() if k.in_files], ids=lambda k: k.name)
def test_every_kind_has_units_and_rows_that_it_takes(kind):
    shape = kind.value()
    for unit in kind.units:
        assert canonical(shape, 2.0, unit) > 0 or unit == "true"
    with pytest.raises(QuantityError, match=kind.name):
        canonical(shape, 1.0, "EV")
    for one in kind.rows:
        assert one.tip, f"{one.name} says what it does to the picture"
        assert one.floor <= one.low < one.high <= one.ceiling
        value = (one.low + one.high) / 2
        changed = one.written(shape, value)
        assert one.read(changed) == pytest.approx(round(value) if one.whole else value)
        assert not one.fault_of(changed)


@pytest.mark.parametrize("version", [5])
def test_old_words_for_kinds_are_brought_along(demo, version):
    """Format 5 called an IES lamp and an array otherwise."""
    document, _notes = load(demo)
    linked = LightLinking("only", ("hut",))
    document = edits.add_source(document, Source("a", "a", LampArray(lamp=Disc()), 10.0, "lm", linking=linked))
    graded = attrs.evolve(document.look.weather, grade=SkyGrade(saturation=0.5))
    document = edits.change_heavens(document, weather=graded)
    document = attrs.evolve(document, looks=tuple(attrs.evolve(k, finish=Finish()) for k in document.looks))
    data = json.loads(to_json(document, None))
    data["lunar_haze"] = version
    for look in data["looks"]:
        del look["finish"]  # which there was none of then
    text = json.dumps(data).replace('"kind": "array"', '"kind": "rig"')
    text = text.replace('"linking":', '"touches":').replace('"grade":', '"bend":')
    again, notes = from_json(text, demo.parent, "old")
    assert not notes
    assert again == document


# -- rows -------------------------------------------------------------------------------------------


def _targets(demo):
    document, _notes = load(demo)
    return document, sorted(targets_of(document).values())


def test_every_row_reads_what_it_wrote_and_changes_nothing_else(demo):
    document, targets = _targets(demo)
    for target in targets:
        facets = facets_of(document, target)
        for name, facet in facets.items():
            one = facet.row
            value = one.low + 0.37 * (one.high - one.low)
            value = round(value) if one.whole else value
            changed = facet.write(document, value)
            assert facet.read(changed) == pytest.approx(value, rel=1e-6, abs=1e-6), f"{target}: {name}"
            for other in ("looks", "shots"):
                now, before = getattr(changed, other), getattr(document, other)
                # The rate alone is one for all shots.
                assert sum(a != b for a, b in zip(now, before)) <= 1 or name == "frame rate"
            assert len(changed.look.sources) == len(document.look.sources)


def test_writing_back_what_is_there_is_no_edit(demo):
    document = _targets(demo)[0]
    for target in (AIR, CAMERA, document.look.sources[0].id):
        for name, facet in facets_of(document, target).items():
            if name not in ("colour temperature", "tint", "elevation", "azimuth", "phase"):
                assert facet.write(document, facet.read(document)) == document, name


def test_names_are_unique_and_a_target_that_is_gone_is_told(demo):
    document, targets = _targets(demo)
    for target in targets:
        names = [f.row.name for f in facets_of(document, target).values()]
        assert len(names) == len(set(names))
    with pytest.raises(DocumentError, match="nothing called"):
        facets_of(document, "no such thing")


def test_a_sun_set_by_hand_lets_go_of_the_hour():
    elevation = next(r for r in kind_of(Sun()).rows if r.name == "elevation")
    assert not elevation.written(Sun(), 12.0).follows_hour


def test_a_row_inside_another_value_keeps_the_rest():
    @attrs.frozen
    class Outer:
        ball: Ball = Ball(radius_m=0.2)
        other: int = 7

    (one,) = inside("ball", (row("r", "r", "radius_m", "m", 0.0, 1.0, 0.1),))
    assert one.written(Outer(), 0.5) == Outer(Ball(radius_m=0.5), 7)


# -- packed columns ---------------------------------------------------------------------------------


@given(st.data())
@settings(max_examples=40)
def test_every_field_is_packed_and_read_back(data):
    values = {
        name: (
            [data.draw(st.floats(-1e6, 1e6)) for _ in range(where.stop - where.start)]
            if where.stop - where.start > 1
            else data.draw(st.floats(-1e6, 1e6))
        )
        for name, where in SOURCE.fields.items()
    }
    found = SOURCE.read(SOURCE.row(**values))
    for name, value in values.items():
        assert np.allclose(found[name], value)
    assert sum(w.stop - w.start for w in SOURCE.fields.values()) == COLUMNS


def test_a_field_that_there_is_not_or_a_wrong_width_is_refused():
    columns = Columns("a row")
    assert [columns.take("a"), columns.take("b", 3), columns.take("c")] == [0, 1, 4]
    with pytest.raises(KeyError):
        columns.row(d=1.0)
    with pytest.raises(ValueError, match="3 numbers"):
        columns.row(b=[1.0, 2.0])
    with pytest.raises(ValueError, match="already"):
        columns.take("a")


def test_a_packed_lamp_says_what_its_value_says():
    beam = Beam(
        (1.0, 2.0, 3.0), (1.0, 2.0, 0.0), radius_m=0.1, cone_deg=30.0, shutters=(0.1, 0.2, 0.3, 0.4), reach_m=9.0
    )
    order = np.arange(len(FLOOR.triangles))
    packed = SOURCE.read(pack_lights([Lit(beam)], FLOOR, order, 16).rows[0].astype(float))
    assert np.allclose(packed["position"], beam.position)
    assert np.allclose(packed["axis"], (0.0, 0.0, -1.0))
    assert np.allclose(packed["shutters"], beam.shutters)
    assert packed["reach"] == 9.0
    assert packed["cutout"] == -1.0
    assert packed["radiance"] == pytest.approx(beam.radiance_per_lumen(), rel=1e-6)
