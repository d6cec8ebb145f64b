"""Placing, proposals, eye light, watch and level: geometry that is checked against rays and pictures."""

import math
from pathlib import Path

import attrs
import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import at_frame, with_cue, with_key
from lunar_haze.core.document.files import load
from lunar_haze.core.document.hold import delivered_lx
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Material
from lunar_haze.core.place.rays import RayIndex, sphere_directions
from lunar_haze.core.solve import placing
from lunar_haze.core.solve.delivered import contribution_order, delivered_at, strongest_at
from lunar_haze.core.solve.eyes import eye_light_places, find_eyes, mirrored_in, propose_eye_light
from lunar_haze.core.solve.openings import filling_panel, gap_along, helper_beam, opening_at
from lunar_haze.core.solve.roles import in_frame, propose_fill, propose_glow, propose_rim
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.solve.watch import leaks_of, watch
from lunar_haze.core.sources import orbit
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.model import Ball, Beam, Disc, LampArray, Rectangle, Source, Tube
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units.curve import LINEAR
from tests.places import CLEAR, WHITE, down_at, floor, lambert_illuminance, lit, place_of
from tests.places import quad as face

DEMO = Path(__file__).parents[2] / "demo" / "gannet-reach.haze"
FLOOR = place_of((floor(), WHITE))


def pixel_of(camera, point, width, height):
    """Where a point lies in a picture [px]."""
    return tuple(camera.project(point, width, height)[:2])


@pytest.fixture(scope="module")
def demo():
    document, _notes = load(DEMO)
    place = load_place(Path(document.place.path))
    return document, place, RayIndex(place)


def box(half=1.5, gap=0.0, height=2.4):
    """A closed room; its +x wall is cut in two by a level gap at half height."""
    h = height
    walls = [
        face([(-half, -half, 0), (half, -half, 0), (half, half, 0), (-half, half, 0)]),
        face([(-half, -half, h), (-half, half, h), (half, half, h), (half, -half, h)]),
        face([(-half, -half, 0), (-half, half, 0), (-half, half, h), (-half, -half, h)]),
        face([(-half, -half, 0), (-half, -half, h), (half, -half, h), (half, -half, 0)]),
        face([(-half, half, 0), (half, half, 0), (half, half, h), (-half, half, h)]),
        face([(half, -half, 0), (half, -half, h / 2 - gap / 2), (half, half, h / 2 - gap / 2), (half, half, 0)]),
        face([(half, -half, h / 2 + gap / 2), (half, -half, h), (half, half, h), (half, half, h / 2 + gap / 2)]),
    ]
    return place_of(*((w, WHITE) for w in walls))


# -- rays ----------------------------------------------------------------------------------------------------------


def test_the_index_finds_what_the_ray_engine_finds(demo):
    _document, place, index = demo
    rng = np.random.default_rng(3)
    origins = rng.uniform((-40, -10, 0.5), (10, 15, 6), (300, 3))
    ways = sphere_directions(300)
    ours, found = index.nearest(origins, ways, 1e4)
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    solid = np.array([m.is_solid for m in place.materials])[place.material_of]
    triangles = place.triangles[solid]
    scene = EmbreeScene()
    TriangleMesh(scene, place.positions.astype(np.float32), triangles.astype(np.int32))
    theirs = scene.run(origins.astype(np.float32), ways.astype(np.float32), query="DISTANCE")
    theirs = np.where(theirs > 1e4, 1e4, theirs)
    assert np.isclose(ours, theirs, rtol=1e-3, atol=2e-3).mean() > 0.99
    assert ((found < 0) == (ours >= 1e4)).all()


def test_two_points_see_each_other_unless_something_stands_between():
    index = RayIndex(place_of((floor(1.0, 1.0), WHITE)))
    assert index.sees((0, 0, 0), (3, 0, 2.0))[0]
    assert not index.sees((0, 0, 0), (0.2, 0, 2.0))[0]
    assert index.sees((0, 0, 1.5), (0, 0, 1.0))[0], "the end may lie on a surface"
    assert RayIndex(place_of((floor(), Material("glass", clear=0.9)))).sees((0, 0, -1), (0, 0, 1))[0]


# -- hold level ----------------------------------------------------------------------------------------------------

COORDINATE = st.floats(-8, 8)
SPOT = st.tuples(COORDINATE, COORDINATE, st.floats(0.5, 6))


@settings(max_examples=200)
@given(
    where=SPOT, aim=SPOT, kind=st.sampled_from((Ball, Disc, Rectangle, Beam, Tube, LampArray)),
    unit=st.sampled_from(("lm", "cd", "lx", "cd/m2")), seen=st.floats(20, 4000),
)  # fmt: skip
def test_a_held_level_stays_wherever_the_lamp_goes(where, aim, kind, unit, seen):
    assume(math.dist(where, aim) > 0.4)
    # A tube seen end on gives nothing, whatever its amount.
    assume(kind is not Tube or abs(where[0] - aim[0]) < 0.98 * math.dist(where, aim))
    lamp = Source("a", "a", kind(position=(0.0, 1.0, 3.0), aim=(0.5, 0.0, 0.0)), 50.0, unit, holds_level=True)
    look = Look("l", sources=(lamp,), medium=Medium(visibility_m=seen))
    document = Document(PlaceRef(), (Shot("s"),), (look,), (), "s", "l")
    before = delivered_lx(lamp, look.medium)
    moved = edits.change_shape(document, "a", position=where, aim=aim)
    after = delivered_lx(moved.look.sources[0], moved.look.medium)
    assert after == pytest.approx(before, rel=0.01)
    thicker = edits.change_medium(moved, visibility_m=seen / 2)
    assert delivered_lx(thicker.look.sources[0], thicker.look.medium) == pytest.approx(before, rel=0.01)
    free = edits.change_source(document, "a", holds_level=False)
    assert edits.change_shape(free, "a", position=where, aim=aim).look.sources[0].amount == 50.0


@pytest.mark.parametrize(
    "grown", [Disc((0, 0, 3), (0, 0, 0), 0.9), Beam((0, 0, 3), (0, 0, 0), 0.1, 20.0), Rectangle((0, 0, 3))]
)
def test_a_held_level_is_what_the_picture_shows(grown):
    small = Source("a", "a", Disc((0, 0, 3), (0, 0, 0), 0.1), 700.0, "lm", holds_level=True)
    document = Document(PlaceRef(), (Shot("s"),), (Look("l", sources=(small,)),), (), "s", "l")
    after = edits.reshape(document, "a", grown).look.sources[0]
    levels = [s.amount * lambert_illuminance(lit(FLOOR, down_at(0, 0), s.shape, 128)) for s in (small, after)]
    assert levels[1] == pytest.approx(levels[0], rel=0.01)


# -- placing -------------------------------------------------------------------------------------------------------


def test_a_highlight_falls_where_it_was_asked_for():
    camera = Camera((0, -4, 1.5), (0, 0, 0.2), 35.0)
    mirror = place_of((floor(), Material("gloss", (0.02, 0.02, 0.02), 1.0, 0.06)))
    point, normal = np.array([0.4, 0.6, 0.0]), np.array([0.0, 0.0, 1.0])
    lamp = placing.for_highlight(Ball((0, 0, 3), 0.03, aim=(0, 0, 0)), camera, point, normal)
    assert math.dist(lamp.position, point) == pytest.approx(3.0)
    image = lit(mirror, camera, lamp, 16, size=(160, 90))
    row, column = np.unravel_index(image.surface[..., 1].argmax(), image.surface.shape[:2])
    x, y = pixel_of(camera, point, 160, 90)
    assert (column + 0.5, row + 0.5) == pytest.approx((x, y), abs=1.5)


def test_a_shadow_falls_where_it_was_asked_for():
    subject = np.array([0.0, 0.0, 1.0])
    lamp = placing.for_shadow(Ball((3, 0, 4), aim=(0, 0, 1)), subject, np.array([0.0, 2.0, 0.0]))
    line = np.cross(np.subtract(lamp.position, subject), np.array([0, -2.0, 1.0]))
    assert line == pytest.approx(0.0, abs=1e-9)
    assert math.dist(lamp.position, subject) == pytest.approx(math.dist((3, 0, 4), (0, 0, 1)))
    assert lamp.position[1] < 0


@given(bearing=st.floats(0, 359.9), altitude=st.floats(-85, 85), distance=st.floats(0.2, 40))
def test_orbits_go_where_they_say(bearing, altitude, distance):
    moved = orbit.orbited(Disc(aim=(1.0, 2.0, 0.5)), bearing, altitude, distance)
    assert orbit.distance_to_aim(moved) == pytest.approx(distance, rel=1e-6)
    told = orbit.azimuth_and_elevation(moved)
    assert told[1] == pytest.approx(altitude, abs=1e-6)
    assert math.cos(math.radians(told[0] - bearing)) == pytest.approx(1.0, abs=1e-9)


def test_dragging_keeps_the_distance_to_the_aim():
    lamp = Disc((0, 2, 2), (0, 0, 0))
    away = orbit.distance_to_aim(lamp)
    origin = np.array([0.0, -6.0, 1.5])
    for target in ((0.5, 2, 2.1), (1.5, 1.0, 1.0), (-1, 0.5, 2.0)):
        way = np.subtract(target, origin)
        moved = placing.dragged(lamp, origin, way / np.linalg.norm(way))
        assert orbit.distance_to_aim(moved) == pytest.approx(away, rel=1e-6)
    past = placing.dragged(lamp, origin, np.array([0.8, 0.6, 0.0]))
    nearest = origin + max(float(-origin @ np.array([0.8, 0.6, 0.0])), 0.05) * np.array([0.8, 0.6, 0.0])
    assert past.position == pytest.approx(nearest), "out of reach: as near as the ray gets"


# -- proposals -----------------------------------------------------------------------------------------------------


def test_what_is_delivered_is_what_the_picture_shows():
    look = Look("l", sources=(Source("a", "a", Disc((0.5, 0, 2.5), (0, 0, 0), 0.1), 900.0, "lm", 1.0),))
    told = delivered_at(look.sources[0], look, np.zeros(3))
    facing = math.cos(math.atan(0.5 / 2.5))
    seen = lambert_illuminance(lit(FLOOR, down_at(0, 0), look.sources[0].shape, 64)) * 900 * 2
    assert told * facing == pytest.approx(seen, rel=0.015)
    behind = RayIndex(place_of((floor(3.0, 1.0), WHITE)))
    assert delivered_at(look.sources[0], look, np.zeros(3), behind) == 0.0


def test_a_proposed_fill_makes_the_ratio(demo):
    document, place, index = demo
    shot, look = document.shot_named("Waiting"), document.look_named("golden hour")
    fill = propose_fill(place, shot, look, index)
    subject = subject_of(place, shot)
    key, level = strongest_at(look, subject.centre, index, subject.radius_m)
    assert key is not None
    added = delivered_at(fill, attrs.evolve(look, medium=CLEAR), subject.centre)
    assert (level + added) / added == pytest.approx(3.0, rel=0.05)
    assert contribution_order(look, subject.centre)[0] == key.id


def test_a_rim_comes_from_behind_and_out_of_sight(demo):
    document, place, index = demo
    shot = document.shot_named("Waiting")
    rim = propose_rim(place, shot, document.look_named("moonlit mist"), index)
    subject = subject_of(place, shot)
    to_lens = np.subtract(shot.camera.position, subject.centre)[:2]
    to_rim = np.subtract(rim.shape.position, subject.centre)[:2]
    assert to_lens @ to_rim < 0
    lens = np.asarray(shot.camera.position)
    assert not (in_frame(shot, rim.shape.position) and index.sees(lens, rim.shape.position)[0])
    glow = propose_glow(place, shot, document.look)
    assert np.subtract(glow.shape.position, lens) @ np.subtract(subject.centre, lens) > 0
    assert glow.matte == glow.highlights == 0.0


def test_eyes_are_found_and_their_mirror_point_halves_the_angle(demo):
    document, place, _index = demo
    eyes = find_eyes(place, document.shot_named("Waiting"))
    assert len(eyes) == 2
    assert [e.radius_m for e in eyes] == pytest.approx([0.0125, 0.0125], abs=2e-4)
    assert math.dist(eyes[0].centre, eyes[1].centre) == pytest.approx(0.063, abs=0.002)
    lens, lamp = np.array([-20.0, 0.5, 2.5]), np.array([-22.0, 2.0, 4.0])
    for eye in eyes:
        point = mirrored_in(eye, lens, lamp)
        normal = (point - eye.centre) / eye.radius_m
        a, b = (np.subtract(x, point) / math.dist(x, point) for x in (lens, lamp))
        assert a @ normal == pytest.approx(b @ normal, abs=1e-6)
        assert np.cross(a + b, normal) == pytest.approx(0.0, abs=1e-6)


def test_the_eye_light_is_rendered_where_it_was_predicted(demo):
    document, place, index = demo
    shot = document.shot_named("Waiting")
    middle = np.mean([e.centre for e in find_eyes(place, shot)], 0)
    towards = np.subtract(shot.camera.position, middle)
    close = Camera(placing.as_vec(middle + 0.9 * towards / np.linalg.norm(towards)), placing.as_vec(middle), 160.0)
    shot = attrs.evolve(shot, camera=close)
    found = eye_light_places(place, shot, index)[0]
    assert not (in_frame(shot, found.position) and index.sees(np.asarray(close.position), found.position)[0])
    lamp = propose_eye_light(place, shot, document.look, index)
    view = View(close, 320, 180)
    frame = Frame(PackedPlace(place), view)
    keys = frame.want([LayerSpec("t", view, lamp.shape, CLEAR, 0, "highlights")])
    for _ in range(8):
        frame.trace(keys)
    shine = frame.image(keys[0]).surface[..., 1]
    frame.place.close()
    for point in found.highlights:
        x, y = pixel_of(close, point, 320, 180)
        row, column = int(y), int(x)
        around = shine[row - 4 : row + 5, column - 4 : column + 5]
        assert around.max() > 20 * np.median(shine[shine > 0]), "a highlight shines"
        at = np.unravel_index(around.argmax(), around.shape)
        assert (column - 4 + at[1] + 0.5, row - 4 + at[0] + 0.5) == pytest.approx((x, y), abs=1.0)


# -- openings ------------------------------------------------------------------------------------------------------


def test_helper_lights_go_through_the_opening_that_was_picked():
    pane = face([(-0.5, 0, 1.0), (0.5, 0, 1.0), (0.5, 0, 1.8), (-0.5, 0, 1.8)])
    place = place_of((floor(), WHITE), (pane, Material("pane", clear=0.9)))
    opening = opening_at(place, 1, 1, np.array([0.1, 0.0, 1.2]))
    assert opening.centre == pytest.approx((0, 0, 1.4))
    assert abs(opening.normal @ (0, 1, 0)) == pytest.approx(1.0)
    sun = np.array([0.0, -0.8, 0.6])
    beam = helper_beam(opening, sun, 20_000.0, 4000.0)
    # What passes the shutters lands on the floor within the opening's own shade along the sun.
    landed = place_of((floor(), WHITE))
    camera = Camera((0, 1.866, 6.0), (0, 1.867, 0.0), 40.0)
    image = lit(landed, camera, beam.shape, 16, size=(64, 64)).surface[..., 0]
    rows, columns = np.nonzero(image > 0.5 * image.max())
    scale = 6.0 * camera.tan_half_width * 2 / 64
    assert np.ptp(columns) * scale == pytest.approx(1.0, abs=0.15)
    assert np.ptp(rows) * scale == pytest.approx(0.8 * 0.8 / 0.6, abs=0.2)
    fill = filling_panel(opening, np.array([0, 1.0, 0]), 100.0)
    assert (fill.shape.width_m, fill.shape.height_m) == pytest.approx((1.0, 0.8))
    assert fill.shape.aim[1] > fill.shape.position[1]


def _wall_with_a_gap(tilt: float):
    """A wall to the north at y = 0 with a gap of 0.6 x 1 m about (0.2, 0, 1.5), and one far behind it."""
    wall = [
        face([(-4, 0, 0), (-0.1, 0, 0), (-0.1, 0, 3), (-4, 0, 3)]),
        face([(0.5, 0, 0), (4, 0, 0), (4, 0, 3), (0.5, 0, 3)]),
        face([(-0.1, 0, 0), (0.5, 0, 0), (0.5, 0, 1.0), (-0.1, 0, 1.0)]),
        face([(-0.1, 0, 2.0), (0.5, 0, 2.0), (0.5, 0, 3), (-0.1, 0, 3)]),
        face([(-30, 20 + tilt, 0), (30, 20, 0), (30, 20, 20), (-30, 20 + tilt, 20)]),
    ]
    return RayIndex(place_of((floor(), WHITE), *((w, WHITE) for w in wall)))


@pytest.mark.parametrize("where", [(0.2, 1.5), (0.05, 1.2), (0.4, 1.9)])
def test_a_gap_is_found_from_wherever_it_is_looked_through(where):
    eye = np.array([0.5, -4.0, 1.6])
    look = np.array([where[0], 0.0, where[1]]) - eye
    gap = gap_along(_wall_with_a_gap(0.0), eye, look / np.linalg.norm(look))
    assert gap.centre == pytest.approx((0.2, 0.0, 1.5), abs=0.06)
    assert abs(gap.normal @ (0, 1, 0)) > 0.99
    assert np.ptp(gap.corners, 0)[[0, 2]] == pytest.approx((0.6, 1.0), abs=0.12)


def test_what_is_not_a_gap_is_none():
    index = _wall_with_a_gap(0.0)
    eye = np.array([0.5, -4.0, 1.6])
    assert gap_along(index, eye, np.array([0.0, 0.0, 1.0])) is None  # the open sky
    away = np.array([-0.6, 1.0, -0.1])
    assert gap_along(index, eye, away / np.linalg.norm(away)) is None  # the wall itself


# -- watch ---------------------------------------------------------------------------------------------------------


def test_a_lamp_that_enters_the_frame_is_found_at_its_frame():
    """The camera slides so that the lamp crosses the frame's edge at frame 40 of 100."""
    start = Camera((0, -10, 1.5), (0, 0, 1.5), 36.0)
    half = 10 * start.tan_half_width
    # At frame f the camera stands at x = (f - 1) / 99 * 6: the right edge reaches x + half.
    lamp = Ball((39 / 99 * 6 + half - 0.02, 0.0, 1.5), 0.01, seen=True)
    ends = Camera((6, -10, 1.5), (6, 0, 1.5), 36.0)
    shot = Shot("move", start, first_frame=1, last_frame=100, ends=ends)
    source = Source("lamp", "lamp", lamp, 10.0, "lm")
    document = Document(PlaceRef(), (shot,), (Look("l", sources=(source,)),), (), "move", "l")
    index = RayIndex(place_of((floor(), WHITE)))
    (found,) = watch(document, index)
    assert (found.what, found.shot, found.frame) == ("lamp", "move", 40)
    assert "from frame 40" in found.text
    hidden = edits.change_shape(document, "lamp", seen=False)
    assert watch(hidden, index) == []
    mist = edits.change_medium(edits.change_source(hidden, "lamp", amount=5000.0), visibility_m=60.0)
    mist = edits.change_look(mist, ev100=3.0)
    assert [f.kind for f in watch(mist, index)] == ["in frame"], "in mist its halo gives it away"
    assert watch(edits.change_source(mist, "lamp", air_factor=0.0), index) == []
    assert watch(edits.change_source(mist, "lamp", role="practical"), index) == []


def test_a_lamp_that_is_keyed_into_the_frame_is_found_at_its_frame():
    """The camera stands; the lamp is keyed to rise into the frame, to come on, or to be seen in thicker mist."""
    shot = Shot("s", Camera((0, -6, 1.5), (0, 0, 1.5), 36.0), first_frame=1, last_frame=41)
    low = Source("lamp", "lamp", Ball((0.0, 0.0, -2.0), 0.01, seen=True), 10.0, "lm")
    document = Document(PlaceRef(), (shot,), (Look("l", sources=(low,)),), (), "s", "l")
    index = RayIndex(place_of((floor(z=-5.0), WHITE)))
    assert watch(document, index) == []
    rises = with_key(with_key(document, "lamp", "position up", -2.0, frame=1), "lamp", "position up", 2.0, frame=41)
    rises = with_cue(
        rises,
        attrs.evolve(
            rises.look.cues[0], keys=tuple(attrs.evolve(k, into=LINEAR, out=LINEAR) for k in rises.look.cues[0].keys)
        ),
    )
    (found,) = watch(rises, index)
    # The frame's lower edge lies 6 x 18 / 36 x 9 / 16 m under the aim.
    edge = 1.5 - 6 * 0.5 * 9 / 16
    assert found.frame == pytest.approx(1 + 40 * (edge + 2.0) / 4.0, abs=1.01)
    assert found.where[2] == pytest.approx(edge, abs=0.12)
    there = edits.change_shape(document, "lamp", position=(0.0, 0.0, 1.5))
    comes_on = with_key(with_key(there, "lamp", "muted", 1.0, frame=1), "lamp", "muted", 0.0, frame=30)
    assert [f.frame for f in watch(at_frame(comes_on), index)] == [30]


def test_cards_are_seen_by_no_lens_and_give_nothing_away():
    card = Card("f", "flag", (0, 0, 1.5), (0, -5, 1.5), 1.0, 1.0, cutout=CutOut())
    shot = Shot("s", Camera((0, -6, 1.5), (0, 0, 1.5)))
    document = Document(PlaceRef(), (shot,), (Look("l", cards=(card,)),), (), "s", "l")
    assert watch(document, RayIndex(place_of((floor(), WHITE)))) == []


def test_a_two_centimetre_gap_leaks_and_a_window_does_not():
    lamp = (0.3, 0.2, 1.1)
    (leak,) = leaks_of(lamp, RayIndex(box(gap=0.02)))
    assert leak.where == pytest.approx((1.5, 0.2, 1.2), abs=0.3)
    assert leak.width_m == pytest.approx(0.02, abs=0.012)
    assert leaks_of(lamp, RayIndex(box(gap=0.0))) == []
    assert leaks_of(lamp, RayIndex(box(gap=0.3))) == []
    assert leaks_of(lamp, RayIndex(place_of((floor(), WHITE)))) == [], "a lamp in the open leaks nowhere"


def test_nothing_is_found_in_the_demo_looks(demo):
    document, _place, index = demo
    for look in document.looks:
        found = watch(attrs.evolve(document, current_look=look.name), index)
        if look.name == "lamplit wait":
            # Its lamps are hidden from the one shot that it was set for; the wide shot does see them.
            assert {f.kind for f in found if f.shot == "Landing"} == {"in frame"}
            found = [f for f in found if f.shot == "Waiting"]
        assert found == [], look.name


@given(
    st.lists(st.floats(-20, 20), min_size=3, max_size=3),
    st.lists(st.floats(-20, 20), min_size=3, max_size=3),
    st.lists(st.floats(-1, 1), min_size=3, max_size=3),
)
def test_a_row_along_a_line_begins_and_ends_where_the_line_does(start, end, away):
    start, end = np.array(start), np.array(end)
    assume(np.linalg.norm(end - start) > 0.5)
    row = placing.row_along(LampArray(count=5), start, end, np.array(away))
    members = np.array([m.position for m in row.members()])
    gaps = np.linalg.norm(np.diff(members, axis=0), axis=1)
    assert gaps == pytest.approx(np.linalg.norm(end - start) / 4, rel=1e-6)
    both = (members[0], members[-1]), (members[-1], members[0])
    # A frame that faces straight up or down but for a millionth is taken to face so (`facing_frame`).
    near = 1e-5 * np.linalg.norm(end - start)
    assert min(max(np.abs(a - start).max(), np.abs(b - end).max()) for a, b in both) < near
    assert abs((end - start) @ np.subtract(row.aim, row.position)) < near, "square to it"
