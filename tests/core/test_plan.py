"""The plan: what lies on top up to a cut, the light that falls on it, lamps moved and turned together."""

import math

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document import edits, lists
from lunar_haze.core.document.moves import companions, middle_of, shifted, turned
from lunar_haze.core.place.model import Material
from lunar_haze.core.place.plan_map import Sheet, plan_map
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.solve.placing import coming_from, striking
from lunar_haze.core.solve.plan_light import light_on_ground
from lunar_haze.core.sources.model import Ball, Disc, LampArray, Sky, Source, Sun, Surface, Tube
from tests.core.test_document import a_document
from tests.places import CLEAR, WHITE, floor, place_of
from tests.places import quad as face

ROOF = face([(2, 2, 3), (6, 2, 3), (6, 6, 3), (2, 6, 3)])
PLACE = place_of((floor(20.0, 0.0), WHITE), (ROOF, WHITE))
INDEX = RayIndex(PLACE)
OPEN = np.array([[-4.0, -4.0, 0.0]])


def the_map(**changes):
    return plan_map(PLACE, attrs.evolve(Sheet("above", (0.0, 0.0), 0.1, 200, 160), **changes))


def test_what_is_nearest_to_the_eye_is_kept_and_the_cut_takes_it_off():
    found = the_map()
    assert found.level[80 - 40, 100 + 40] == pytest.approx(3.0)
    assert found.level[80 + 40, 100 - 40] == pytest.approx(0.0)
    assert the_map(cut_m=2.9).level[80 - 40, 100 + 40] == pytest.approx(0.0)


def test_areas_on_the_map_are_those_of_the_place():
    found = the_map()
    assert (found.level > 1).sum() * 0.1**2 == pytest.approx(16.0, rel=0.01)


@pytest.mark.parametrize(("side", "level"), [("south", -2.0), ("east", 6.0)])
def test_from_a_side_the_nearer_edge_is_seen(side, level):
    wall = face([(2, 2, 0), (6, 2, 0), (6, 2, 3), (2, 2, 3)]) if side == "south" else face(
        [(6, 2, 0), (6, 6, 0), (6, 6, 3), (6, 2, 3)])  # fmt: skip
    place = place_of((floor(20.0, 0.0), WHITE), (wall, WHITE))
    found = plan_map(place, Sheet(side, (4.0, 1.5), 0.05, 100, 60))
    assert found.level[30, 50] == pytest.approx(level)


def test_nothing_is_told_where_nothing_is():
    found = plan_map(PLACE, Sheet("above", (100.0, 0.0), 0.1, 20, 20))
    assert np.isnan(found.level).all()
    assert (found.triangle == -1).all()


def test_a_small_lamp_gives_its_candelas_by_the_inverse_square_and_the_cosine():
    lamp = Ball((-4.0, -4.0, 3.0), 0.01)
    points = OPEN + np.array([[0.0, 0.0, 0.0], [1.5, 0.0, 0.0]])
    light = light_on_ground(lamp, points, INDEX, PLACE, CLEAR)
    for point, found in zip(points, light):
        away = np.subtract(lamp.position, point) - np.array([0, 0, 0.03])
        d = np.linalg.norm(away)
        assert found == pytest.approx(away[2] / d / d**2 / (4 * math.pi), rel=1e-3)


def test_a_disc_throws_by_the_cosine_and_nothing_behind_it():
    disc = Disc((-4.0, -4.0, 3.0), (-4.0, -4.0, 0.0), 0.05)
    down = light_on_ground(disc, OPEN, INDEX, PLACE, CLEAR)[0]
    assert down == pytest.approx(1 / math.pi / 2.97**2, rel=1e-3)
    up = attrs.evolve(disc, aim=(-4.0, -4.0, 6.0))
    assert light_on_ground(up, OPEN, INDEX, PLACE, CLEAR)[0] == 0.0


def test_many_lamps_of_an_array_give_as_much_as_their_share():
    one = Ball((-4.0, -4.0, 3.0), 0.01)
    ring = LampArray((-4.0, -4.0, 3.0), (-4.0, -4.0, 0.0), one, width_m=0.02, count=6)
    alone = light_on_ground(one, OPEN, INDEX, PLACE, CLEAR)[0]
    assert light_on_ground(ring, OPEN, INDEX, PLACE, CLEAR)[0] == pytest.approx(alone, rel=1e-3)


def test_shade_and_mist_take_what_they_take():
    under = np.array([[4.0, 4.0, 0.0]])
    assert light_on_ground(Ball((4.0, 4.0, 5.0), 0.01), under, INDEX, PLACE, CLEAR)[0] == 0.0
    clear = light_on_ground(Ball((-4.0, -4.0, 3.0), 0.01), OPEN, INDEX, PLACE, CLEAR)[0]
    mist = Medium(visibility_m=30.0, fall_off_m=1e6)
    misty = light_on_ground(Ball((-4.0, -4.0, 3.0), 0.01), OPEN, INDEX, PLACE, mist)[0]
    assert misty / clear == pytest.approx(math.exp(-mist.extinction_per_m * 2.97), rel=1e-3)


def test_a_sun_lights_by_the_sine_of_its_height_and_not_under_a_roof_or_the_earth():
    sun = Sun(altitude_deg=60.0, azimuth_deg=180.0)
    assert light_on_ground(sun, OPEN, INDEX, PLACE, CLEAR)[0] == pytest.approx(math.sin(math.radians(60.0)), abs=2e-3)
    below = light_on_ground(Sun(altitude_deg=-3.0), OPEN, INDEX, PLACE, CLEAR)[0]
    assert below == 0.0
    shaded = np.array([[4.0, 4.0 + 3 / math.tan(math.radians(60.0)), 0.0]])
    assert light_on_ground(sun, shaded, INDEX, PLACE, CLEAR)[0] == 0.0


def test_a_sky_gives_all_of_itself_in_the_open_and_less_under_a_roof():
    light = light_on_ground(Sky(), np.array([[-15.0, -15.0, 0.0], [4.0, 4.0, 0.0]]), INDEX, PLACE, CLEAR)
    assert light[0] == pytest.approx(1.0, abs=0.03)
    # A roof 4 m wide 3 m above: what is left is one less its form factor, 0.29.
    assert light[1] == pytest.approx(1 - 0.29, abs=0.12)
    assert light_on_ground(Sky(lights=False), OPEN, INDEX, PLACE, CLEAR)[0] == 0.0


def test_a_glowing_material_lights_what_lies_under_it():
    glow = Material("glow", (0.0, 0.0, 0.0), emissive=(1.0, 1.0, 1.0))
    panel = face([(-4.1, -4.1, 3), (-3.9, -4.1, 3), (-3.9, -3.9, 3), (-4.1, -3.9, 3)])
    place = place_of((floor(20.0, 0.0), WHITE), (panel, glow))
    index = RayIndex(place)
    near = light_on_ground(Surface("glow"), OPEN, index, place, CLEAR)[0]
    far = light_on_ground(Surface("glow"), OPEN + np.array([6.0, 0, 0]), index, place, CLEAR)[0]
    assert near > 10 * far > 0
    assert light_on_ground(Surface("no such"), OPEN, index, place, CLEAR)[0] == 0.0


# -- moving and turning ------------------------------------------------------------------------------


def a_group():
    document = lists.add_empty_look(a_document(), "group")
    for n, shape in enumerate((Ball((1.0, 0.0, 2.0)), Disc((0.0, 1.0, 2.0), (0.0, 0.0, 0.0)), Tube((-1.0, 0.0, 2.0)))):
        document = edits.add_source(document, Source(f"g{n}", f"g{n}", shape))
        document = edits.put_in_group(document, f"g{n}", "three")
    document = edits.add_source(document, Source("apart", "apart", Ball((9.0, 0.0, 2.0))))
    return edits.add_source(document, Source("sky", "sky", Sky(), 1.0, "true"))


def test_a_group_s_lamps_are_its_companions_and_nothing_else_is():
    look = a_group().look
    assert companions(look, "g1") == ("g0", "g1", "g2")
    assert companions(look, "apart") == ("apart",)
    assert companions(look, "sky") == () == companions(look, "nobody")


@pytest.mark.parametrize("degrees", [30.0, -145.0, 360.0])
def test_what_is_turned_keeps_its_distances_its_heights_and_its_aim(degrees):
    document = a_group()
    ids = companions(document.look, "g0")
    middle = middle_of(document.look, ids)
    after = turned(document, ids, middle, degrees)
    for one in ids:
        old, new = document.look.source(one).shape, after.look.source(one).shape
        assert math.dist(new.position, middle) == pytest.approx(math.dist(old.position, middle))
        assert math.dist(new.position, new.aim) == pytest.approx(math.dist(old.position, old.aim))
        assert new.position[2] == old.position[2]
    back = turned(after, ids, middle, -degrees)
    for one in ids:
        assert back.look.source(one).shape.position == pytest.approx(document.look.source(one).shape.position)
    assert after.look.source("apart") == document.look.source("apart")


def test_turned_clockwise_what_lies_north_goes_east():
    document = a_group()
    after = turned(document, ("g1",), np.zeros(3), 90.0)
    assert after.look.source("g1").shape.position == pytest.approx((1.0, 0.0, 2.0))
    tube = turned(document, ("g2",), np.zeros(3), 90.0).look.source("g2").shape
    assert tube.bearing_deg == pytest.approx((document.look.source("g2").shape.bearing_deg + 90.0) % 360.0)


def test_a_lamp_moves_with_its_aim_or_without():
    document = a_group()
    offset = np.array([2.0, -1.0, 0.5])
    with_aim = shifted(document, ("g1", "sky"), offset).look.source("g1").shape
    assert with_aim.position == pytest.approx((2.0, 0.0, 2.5))
    assert with_aim.aim == pytest.approx((2.0, -1.0, 0.5))
    without = shifted(document, ("g1",), offset, False).look.source("g1").shape
    assert without.position == with_aim.position
    assert without.aim == document.look.source("g1").shape.aim


# -- a sun that is told what to strike ---------------------------------------------------------------


def test_a_sun_that_strikes_already_stays_and_one_that_does_not_turns_as_little_as_it_can():
    sun = Sun(altitude_deg=40.0, azimuth_deg=180.0)
    up = np.array([0.0, 0.0, 1.0])
    open_there = striking(sun, np.array([-10.0, -10.0, 0.0]), up, INDEX)
    assert open_there.azimuth_deg == pytest.approx(180.0, abs=0.01)
    assert open_there.altitude_deg == pytest.approx(40.0, abs=0.05)
    under = np.array([4.0, 4.5, 0.0])
    turned_sun = striking(Sun(altitude_deg=80.0, azimuth_deg=180.0), under, up, INDEX)
    towards = np.asarray(turned_sun.towards())
    _distance, hit = INDEX.nearest(under + 2e-3 * up, towards)
    assert hit[0] < 0
    assert not turned_sun.follows_hour
    # The roof's nearer edge lies 2.5 m south at 3 m: 50.2 degrees are enough.
    assert turned_sun.altitude_deg == pytest.approx(50.0, abs=2.0)


def test_a_spot_that_no_sky_sees_has_no_sun():
    box = [face([(0, 0, 2), (4, 0, 2), (4, 4, 2), (0, 4, 2)])]
    box += [face([(0, 0, 0), (4, 0, 0), (4, 0, 2), (0, 0, 2)]), face([(0, 4, 0), (4, 4, 0), (4, 4, 2), (0, 4, 2)])]
    box += [face([(0, 0, 0), (0, 4, 0), (0, 4, 2), (0, 0, 2)]), face([(4, 0, 0), (4, 4, 0), (4, 4, 2), (4, 0, 2)])]
    index = RayIndex(place_of((floor(20.0), WHITE), *((part, WHITE) for part in box)))
    assert striking(Sun(), np.array([2.0, 2.0, 0.0]), np.array([0.0, 0.0, 1.0]), index) is None


@pytest.mark.parametrize("direction", [(1.0, 0.0, 0.5), (-0.3, -0.8, 0.2), (0.0, 1.0, 1.0)])
def test_a_sun_comes_from_where_the_sky_was_clicked(direction):
    unit = np.array(direction) / np.linalg.norm(direction)
    assert np.asarray(coming_from(Sun(), unit).towards()) == pytest.approx(unit, abs=2e-3)
