"""Floating dust: where motes are, what light falls on them, and what the lens makes of them."""

import math

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.finish.dust import blur_px, dusted, motes_of
from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Dust, Glow
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.layers.motes import DRIFT_M, FAR_M, NEAR_M, Floating, LitMotes, Motes, floating
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material
from lunar_haze.core.sources.model import Ball, Beam, Sky, Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.mote_light import ALBEDO, LOBE, mote_light
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import floor, place_of, quad

CLEAR = Medium(visibility_m=1e7)
ASPECT = 16 / 9


def volume(camera):
    """What the lens sees between the nearest and the farthest mote [m3], by quadrature."""
    tx = camera.tan_half_width
    ty = tx / ASPECT
    x, y = np.meshgrid((np.arange(400) + 0.5) / 200 - 1, (np.arange(400) + 0.5) / 200 - 1)
    solid = (4 * tx * ty / 160_000) / (1 + (x * tx) ** 2 + (y * ty) ** 2) ** 1.5
    return solid.sum() * (FAR_M**3 - NEAR_M**3) / 3


# -- where they are -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "camera", [Camera(), Camera((40.0, -7.3, 2.2), (41.0, -3.0, 9.0), 18.0), Camera(focal_mm=85.0)]
)
def test_as_many_motes_are_seen_as_the_view_has_room_for(camera):
    motes = Motes(60.0)
    found = floating(motes, camera, ASPECT).at
    wanted = 60.0 * volume(camera)
    assert len(found) == pytest.approx(wanted, abs=4.0 * math.sqrt(wanted))
    at = camera.project(found, 160, 90)
    assert ((at[:, 0] >= 0) & (at[:, 0] <= 160) & (at[:, 1] >= 0) & (at[:, 1] <= 90)).all()
    far = np.linalg.norm(found - np.asarray(camera.position), axis=1)
    assert far.min() > NEAR_M - 1e-5
    assert far.max() < FAR_M + 1e-5


def test_they_stay_where_they_are_when_the_camera_moves():
    camera = Camera()
    aside = attrs.evolve(camera, position=(0.4, -7.0, 1.9))
    here, there = (floating(Motes(40.0), each, ASPECT).at for each in (camera, aside))
    at = aside.project(here, 160, 90)
    far = np.linalg.norm(here - np.asarray(aside.position), axis=1)
    both = (
        (at[:, 0] > 1)
        & (at[:, 0] < 159)
        & (at[:, 1] > 1)
        & (at[:, 1] < 89)
        & (far > NEAR_M + 0.01)
        & (far < FAR_M - 0.01)
    )
    assert both.sum() > 50
    nearest = [np.abs(there - one).sum(1).min() for one in here[both]]
    assert max(nearest) < 1e-5


def test_they_drift_slowly_about_their_spots():
    camera = Camera()
    first, later, much = (floating(Motes(40.0, s), camera, ASPECT).at for s in (0.0, 1 / 24, 60.0))
    step = np.array([np.linalg.norm(later - one, axis=1).min() for one in first])
    # All but those that leave the view.
    assert np.quantile(step, 0.97) < DRIFT_M * 2 * math.pi / 6.0 / 24 * math.sqrt(3)
    assert np.median(step) > 1e-5
    away = np.array([np.linalg.norm(much - one, axis=1).min() for one in first])
    assert np.quantile(away, 0.95) < 2 * DRIFT_M * math.sqrt(3)


def test_the_same_motes_at_another_moment_are_where_they_are_found_there():
    camera = Camera()
    here, there = (floating(Motes(40.0, s), camera, ASPECT) for s in (1.0, 4.5))
    went = here.after(4.5)
    assert (went.bright == here.bright).all()
    nearest = np.array([np.abs(there.at - one).sum(1).min() for one in went.at])
    # All but those that have left the view.
    assert (nearest < 1e-5).mean() > 0.95
    np.testing.assert_allclose(went.after(1.0).at, here.at, atol=1e-5)
    assert np.linalg.norm(went.at - here.at, axis=1).max() <= 2 * DRIFT_M * math.sqrt(3) + 1e-6


def test_few_are_bright_and_each_stays_as_bright_as_it_is():
    camera = Camera()
    here, there = (floating(Motes(60.0), each, ASPECT) for each in (camera, attrs.evolve(camera, aim=(0.3, 0.0, 1.4))))
    assert here.bright.mean() == pytest.approx(1.0, abs=5.0 * float(here.bright.std()) / math.sqrt(len(here.bright)))
    assert np.median(here.bright) < 0.85 < 1.0 < here.bright.max() / 4
    for n in range(0, len(here.at), 97):
        same = np.abs(there.at - here.at[n]).sum(1) < 1e-6
        assert (there.bright[same] == here.bright[n]).all()


def test_none_are_none():
    assert len(floating(Motes(0.0), Camera(), ASPECT).at) == 0
    assert motes_of(Dust(), 3.0) is None
    assert motes_of(Dust(5.0), 3.0) == Motes(5.0, 3.0)


# -- their light --------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def frame():
    wall = quad([(-5.0, 2.0, 0.0), (5.0, 2.0, 0.0), (5.0, 2.0, 4.0), (-5.0, 2.0, 4.0)])
    place = PackedPlace(place_of((floor(), Material("floor")), (wall, Material("wall"))))
    yield Frame(place, View(Camera((0.0, -5.0, 2.0), (0.0, 0.0, 1.5)), 32, 18))
    place.close()


def spec(frame, shape, medium=CLEAR):
    return LayerSpec("dust", frame.view, shape, medium, 0)


def thrown(light_from, mote, eye):
    """Henyey and Greenstein's lobe between the ways in and out, times the albedo."""
    to_eye = (eye - mote) / np.linalg.norm(eye - mote)
    onward = (mote - light_from) / np.linalg.norm(mote - light_from)
    g, cosine = float(LOBE), float(onward @ to_eye)
    return float(ALBEDO) * (1 - g * g) / (4 * math.pi * (1 + g * g - 2 * g * cosine) ** 1.5)


def test_a_lamps_light_is_its_closed_form(frame):
    lamp = np.array([1.0, -2.0, 2.5])
    motes = np.array([[0.0, -3.5, 2.0], [0.5, -3.0, 2.4], [-0.8, -3.0, 1.4]], np.float32)
    eye = np.asarray(frame.view.camera.position)
    (found,) = mote_light(frame, [spec(frame, Ball(tuple(lamp), 0.02))], motes)
    # One lumen, to all sides.
    wanted = [thrown(lamp, m, eye) / (4 * math.pi) / ((lamp - m) ** 2).sum() for m in motes]
    assert found.mean(1) == pytest.approx(wanted, rel=0.02)


def test_the_sun_gives_its_illuminance_and_mist_takes_from_it(frame):
    sun = Sun(azimuth_deg=180.0, altitude_deg=50.0)
    motes = np.array([[0.3, -3.0, 2.0]], np.float32)
    clear, misty = mote_light(
        frame, [spec(frame, sun), spec(frame, sun, Medium(visibility_m=30.0, fall_off_m=1e6))], motes
    )
    assert clear.max() > 0.0
    assert misty.max() < 0.7 * clear.max()


def test_what_is_hidden_from_a_lamp_is_dark(frame):
    behind = np.array([[0.0, 4.0, 1.0]], np.float32)
    (found,) = mote_light(frame, [spec(frame, Ball((0.0, -2.0, 1.0)))], behind)
    assert found.max() == 0.0, "the wall stands between"


def test_a_motes_light_does_not_depend_on_its_company(frame):
    motes = floating(Motes(3.0), frame.view.camera, ASPECT).at
    (whole,), (some,) = (mote_light(frame, [spec(frame, Sky())], each) for each in (motes, motes[5:9]))
    np.testing.assert_array_equal(whole[5:9], some)


def test_a_beam_shows_the_motes_in_it_alone(frame):
    motes = floating(Motes(60.0), frame.view.camera, ASPECT).at
    beam = Beam((2.0, -3.0, 2.0), (-2.0, -3.0, 2.0), cone_deg=12.0, edge=0.1)
    (found,) = mote_light(frame, [spec(frame, beam)], motes)
    along = motes - np.array([2.0, -3.0, 2.0], np.float32)
    angle = np.degrees(np.arccos(-along[:, 0] / np.linalg.norm(along, axis=1)))
    assert (found[angle < 5.0].max(1) > 0).all()
    # Near the lens light lies beside the cone: it comes from all of a glass 12 cm wide.
    assert found[angle > 6.5 + np.degrees(np.arctan(0.06 / np.linalg.norm(along, axis=1)))].max() == 0.0
    assert (angle < 5.0).sum() > 3


def test_an_even_sky_lights_them_by_all_of_its_sides(frame):
    (found,) = mote_light(frame, [spec(frame, Sky())], np.array([[0.0, -4.0, 3.0]], np.float32))
    assert np.isfinite(found).all()
    assert found.min() > 0.0


# -- what the lens makes of them ----------------------------------------------------------------------

CAMERA = Camera((0.0, 0.0, 0.0), (0.0, 10.0, 0.0), focal_mm=35.0, f_number=2.0, focus_m=2.0)
SIZE = (540, 960)


def one_at(*place):
    spot, still = np.array([place], np.float32), np.zeros((1, 3), np.float32)
    return Floating(spot, np.ones(1, np.float32), spot, still + 10.0, still)


def laid(picture, dust, motes, light, distance):
    """The motes lit by one source, over what lies at one distance."""
    gain = LayerGain("one", (0.0,) * 3, (1.0,) * 3)
    seen = np.full(picture.shape[:2], distance)
    return dusted(picture, Finish(dust=dust), CAMERA, LitMotes(motes, {"one": light}), (gain,), seen)


def black():
    return np.zeros((*SIZE, 3), np.float32)


@pytest.mark.parametrize("depth", [0.4, 1.0, 2.0, 5.0])
def test_a_motes_light_is_all_there_however_far_out_of_focus(depth):
    dust, light = Dust(1.0, 16.0), np.array([[30.0, 20.0, 10.0]], np.float32)
    made = laid(black(), dust, one_at(0.0, depth, 0.0), light, 99.0)
    pixel = (2 * CAMERA.tan_half_width / 960) ** 2
    wanted = light[0] * 16.0 * math.pi * 50e-6**2 / depth**2 / pixel
    assert made.sum((0, 1)) == pytest.approx(wanted, rel=1e-3)
    # As wide as the circle of confusion of a thin lens: |d - f| over d f, times the aperture.
    wide = 35e-3 / 2.0 / 2.0 * abs(1 / depth - 1 / 2.0) * 960 / (2 * CAMERA.tan_half_width)
    assert blur_px(CAMERA, np.array(depth), 960) == pytest.approx(wide)
    covered = (made[..., 0] > 0).sum()
    if depth == 2.0:
        assert covered == 4
    else:
        assert math.pi * wide**2 <= covered <= math.pi * (wide + 1.2) ** 2


def test_a_picture_of_another_size_has_the_same_light():
    dust, at = Dust(1.0, 16.0), one_at(0.1, 1.0, 0.05)
    light = np.ones((1, 3), np.float32)
    sums = []
    for height, width in ((270, 480), (1080, 1920)):
        empty = np.zeros((height, width, 3), np.float32)
        sums.append(laid(empty, dust, at, light, 99.0).mean())
    assert sums[0] == pytest.approx(sums[1], rel=1e-3)


def test_motes_behind_what_the_lens_sees_are_hidden():
    at, light = one_at(0.0, 3.0, 0.0), np.ones((1, 3), np.float32)
    picture = black()
    assert laid(picture, Dust(1.0), at, light, 2.5) is picture
    assert laid(picture, Dust(1.0), at, light, 3.5).max() > 0.0
    assert picture.max() == 0.0


def test_they_are_dimmed_with_their_sources():
    at = one_at(0.0, 2.0, 0.0)
    lit = LitMotes(at, {"a": np.ones((1, 3), np.float32), "b": np.full((1, 3), 10.0, np.float32)})
    distance, finish = np.full(SIZE, 99.0), Finish(dust=Dust(1.0))

    def sums(*gains):
        told = tuple(LayerGain(key, (9.0,) * 3, air) for key, air in gains)
        return dusted(black(), finish, CAMERA, lit, told, distance).sum((0, 1))

    one = sums(("a", (1.0,) * 3))
    assert sums(("a", (2.0, 1.0, 0.5)), ("b", (0.0,) * 3)) == pytest.approx(one * [2.0, 1.0, 0.5], rel=1e-4)
    assert sums(("a", (1.0,) * 3), ("b", (0.5,) * 3)) == pytest.approx(one * 6.0, rel=1e-4)
    assert sums(("not lit yet", (1.0,) * 3)).max() == 0.0
    off = attrs.evolve(finish, off=("floating dust",))
    assert dusted(black(), off, CAMERA, lit, (LayerGain("a", (1.0,) * 3, (1.0,) * 3),), distance).max() == 0.0


def test_glow_is_of_the_dust_too():
    assert layer_scatter(Finish(Glow(0.1), dust=Dust(5.0)), 540) is None
    assert layer_scatter(Finish(Glow(0.1), dust=Dust(5.0), off=("floating dust",)), 540) is not None
