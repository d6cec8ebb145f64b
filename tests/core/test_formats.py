"""What a .haze file must keep, and how old ones are brought along."""

import json
import math

import attrs
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.files import from_json, to_json
from lunar_haze.core.document.model import SCHEMA, Document, Group, Look, Pin, PlaceRef, Shot
from lunar_haze.core.layers.model import PlaceSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import gains, layers_of
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut, kinds
from lunar_haze.core.sources.distribution import Distribution
from lunar_haze.core.sources.model import (  # fmt: skip
    Ball,
    Beam,
    Disc,
    IesLamp,
    LampArray,
    LightLinking,
    Rectangle,
    Sky,
    Source,
    Sun,
    Surface,
    Tube,
)

NUMBER = st.floats(-50, 50).map(lambda v: round(v, 4))
POINT = st.tuples(NUMBER, NUMBER, NUMBER)
SIZE = st.floats(0.01, 4.0).map(lambda v: round(v, 4))
REACH = st.one_of(st.just(math.inf), st.floats(0.5, 80.0).map(lambda v: round(v, 3)))
CUTS = st.one_of(
    st.none(), st.builds(CutOut, kind=st.sampled_from(kinds()[:-1]), scale=st.floats(1, 20).map(lambda v: round(v, 3)))
)
LAMPS = st.one_of(
    st.builds(Ball, position=POINT, radius_m=SIZE, aim=POINT, reach_m=REACH, seen=st.booleans()),
    st.builds(Tube, position=POINT, length_m=SIZE, radius_m=SIZE, aim=POINT, reach_m=REACH),
    st.builds(Disc, position=POINT, aim=POINT, radius_m=SIZE, reach_m=REACH),
    st.builds(Rectangle, position=POINT, aim=POINT, width_m=SIZE, height_m=SIZE),
    st.builds(
        Beam,
        position=POINT,
        aim=POINT,
        cutout=CUTS,
        shutters=st.tuples(*[st.floats(0, 2).map(lambda v: round(v, 3))] * 4),
    ),
    st.builds(
        IesLamp, position=POINT, aim=POINT, distribution=st.just(Distribution("d", (0.0, 90.0), (0.0,), (9.0, 1.0)))
    ),
)
SHAPES = st.one_of(
    LAMPS, st.builds(LampArray, position=POINT, aim=POINT, lamp=LAMPS, arrangement=st.sampled_from(("ring", "row", "grid"))),
    st.builds(Sun, altitude_deg=st.floats(-10, 90).map(lambda v: round(v, 3))), st.just(Sky()), st.builds(Surface, material=st.text(max_size=8)),
)  # fmt: skip
SOURCES = st.builds(
    Source, id=st.uuids().map(str), name=st.text(min_size=1, max_size=12), shape=SHAPES, matte=SIZE, highlights=SIZE,
    linking=st.builds(LightLinking, st.sampled_from(("all", "only", "but")), st.tuples(st.text(max_size=5))),
    holds_level=st.booleans(), aims_at_subject=st.booleans(), group=st.sampled_from(("", "quay")),
)  # fmt: skip
CARDS = st.builds(
    Card, id=st.uuids().map(str), name=st.text(max_size=8), position=POINT, aim=POINT, cutout=CUTS, muted=st.booleans()
)


@settings(max_examples=60)
@given(sources=st.lists(SOURCES, max_size=4), cards=st.lists(CARDS, max_size=2), ends=st.booleans(), visibility=REACH)
def test_whatever_a_look_holds_comes_back_the_same(tmp_path_factory, sources, cards, ends, visibility):
    base = tmp_path_factory.getbasetemp()
    look = Look(
        "l", sources=tuple(sources), cards=tuple(cards), groups=(Group("quay", -1.5, folded=True),),
        medium=Medium(visibility, droplet_um=12.0),
    )  # fmt: skip
    shot = Shot(
        "s", Camera(f_number=2.8, focus_m=3.0), ends=Camera((1.0, 2.0, 3.0)) if ends else None, last_frame=40, frame=7
    )
    document = Document(PlaceRef(str(base / "p.glb")), (shot,), (look,), (Pin("p", "pin", "s", look),), "s", "l")
    back, notes = from_json(to_json(document, base), base, "x.haze")
    assert notes == []
    assert back == document


def test_a_ball_of_format_two_keeps_its_lux_at_one_metre(tmp_path):
    old = {
        "lunar_haze": 2,
        "place": {"path": "p.glb"},
        "shots": [{"name": "s"}],
        "looks": [{"name": "l", "sources": [
            {"id": "a", "name": "a", "shape": {"kind": "ball", "position": [1.0, 2.0, 3.0], "radius_m": 0.1}, "amount": 50.0, "unit": "lx"},
        ]}],
    }  # fmt: skip
    document, notes = from_json(json.dumps(old), tmp_path, "old.haze")
    assert notes == []
    (source,) = document.looks[0].sources
    assert source.shape.aim == (1.0, 2.0, 2.0)
    assert math.dist(source.shape.position, source.shape.aim) == 1.0
    assert json.loads(to_json(document, tmp_path))["lunar_haze"] == SCHEMA


# -- layers ----------------------------------------------------------------------------------------------------------

VIEW = View(Camera(), 64, 36)
PLACE = PlaceSpec("p.glb", 1.0, "key")


def lamps(count, **rest):
    return tuple(
        Source(f"s{i}", f"s{i}", Ball((float(i), 0, 2), 0.1), 100.0 + i, "lm", kelvin=3000.0, **rest)
        for i in range(count)
    )


def test_a_source_has_one_layer_until_matte_and_highlights_differ():
    (source,) = lamps(1)
    look = Look("l", sources=(source,))
    assert [s.part for s in layers_of(source, look, VIEW, "k")] == ["all"]
    split = attrs.evolve(source, highlights=0.25)
    assert [s.part for s in layers_of(split, look, VIEW, "k")] == ["matte", "highlights"]
    by_part = dict(zip(("matte", "highlights"), gains(attrs.evolve(look, sources=(split,)), VIEW, "k")))
    assert by_part["highlights"].surface == pytest.approx([0.25 * v for v in by_part["matte"].surface])
    assert by_part["highlights"].air == (0.0, 0.0, 0.0), "the air is gathered once"
    both = gains(attrs.evolve(look, sources=(attrs.evolve(source, matte=0.5, highlights=0.5),)), VIEW, "k")
    assert len(both) == 1


def test_where_a_balls_level_is_told_does_not_make_another_layer():
    (source,) = lamps(1)
    look = Look("l", sources=(source,))
    moved = attrs.evolve(source, shape=attrs.evolve(source.shape, aim=(9.0, 9.0, 9.0)))
    assert layers_of(moved, look, VIEW, "k") == layers_of(source, look, VIEW, "k")


def test_cards_and_spared_objects_decide_the_layer_and_names_do_not():
    (source,) = lamps(1)
    card = Card("c", "flag", (0, 0, 1))
    bare = layers_of(source, Look("l"), VIEW, "k")
    flagged = layers_of(source, Look("l", cards=(card,)), VIEW, "k")
    renamed = layers_of(source, Look("l", cards=(attrs.evolve(card, id="x", name="other"),)), VIEW, "k")
    assert bare != flagged
    assert flagged == renamed
    assert layers_of(source, Look("l", cards=(attrs.evolve(card, muted=True),)), VIEW, "k") == bare
    spared = attrs.evolve(source, linking=LightLinking("but", ("crates",)))
    assert layers_of(spared, Look("l"), VIEW, "k") != bare


def test_a_camera_goes_from_its_start_to_its_end():
    shot = Shot(
        "s",
        Camera((0, 0, 0), (0, 1, 0), 20.0),
        first_frame=11,
        last_frame=21,
        ends=Camera((10, 0, 0), (10, 1, 0), 40.0),
    )
    assert shot.camera_at(11) == attrs.evolve(shot.camera, f_number=0.0)
    middle = shot.camera_at(16)
    assert middle.position == pytest.approx((5, 0, 0))
    assert middle.focal_mm == pytest.approx(30.0)
    assert shot.camera_at(99).position == pytest.approx((10, 0, 0)), "past the end it stands still"
    assert shot.camera_at(-5).position == pytest.approx((0, 0, 0))
    assert attrs.evolve(shot, ends=None).camera_at(16) == shot.camera
