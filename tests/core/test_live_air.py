"""Live answers to edits of the air: what they stand on, and how near they come to what takes over from them."""

import attrs
import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from lunar_haze.core.air.medium import Bank, Medium, Patches
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.model import Ball, Sun
from lunar_haze.core.transport.air_integral import highest_cosine
from lunar_haze.core.transport.clean_base import stand_on
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import BLACK, WHITE, floor, place_of
from tests.places import quad as face

MIST = Medium(40.0, fall_off_m=4.0)
light = arrays(np.float32, 24, elements=st.floats(0, 100, width=32))


def upon(*pictures: np.ndarray) -> np.ndarray:
    out = np.empty_like(pictures[0])
    stand_on(*pictures, out)
    return out


directions = arrays(np.float64, 3, elements=st.floats(-1, 1)).filter(lambda d: np.linalg.norm(d) > 0.1)


@given(directions, directions, arrays(np.float64, 3, elements=st.floats(-9, 9)))
def test_no_point_of_a_ray_lies_nearer_the_axis_of_a_lamp_than_is_told(ray, axis, lamp):
    ray, axis = ray / np.linalg.norm(ray), axis / np.linalg.norm(axis)
    along = lamp @ ray
    apart = float(np.linalg.norm(along * ray - lamp))
    assume(apart > 1e-3)
    told = highest_cosine(np.float32((along * ray - lamp) @ axis), np.float32(ray @ axis), np.float32(apart))
    points = (along + np.tan(np.linspace(-1.5707, 1.5707, 4001)) * apart)[:, None] * ray - lamp
    seen = (points @ axis / np.linalg.norm(points, axis=1)).max()
    assert seen <= told + 1e-4
    if (along * ray - lamp) @ axis > 1e-3:  # on the lit side it is reached
        assert told == pytest.approx(seen, abs=1e-3)


@given(light, light, light)
def test_an_answer_without_a_change_is_the_picture_itself(clean, surface, air):
    assert np.allclose(upon(clean, surface, air, surface, air), clean, rtol=1e-4, atol=1e-5)


@given(light, light, st.floats(0.1, 8))
def test_twice_the_light_is_twice_the_picture(surface, air, factor):
    factor = np.float32(factor)
    clean = surface + air
    assert np.allclose(upon(clean, surface, air, factor * surface, factor * air), factor * clean, rtol=1e-3, atol=1e-4)


@given(light, light)
def test_mist_that_comes_into_clear_air_is_added(surface, air):
    nothing = np.zeros_like(air)
    assert np.allclose(upon(surface, surface, nothing, 0.5 * surface, air), 0.5 * surface + air, rtol=1e-3, atol=1e-4)


@given(light, light, light, light, light)
def test_answers_are_no_less_than_nothing_and_no_more_than_mist_can_lift(clean, s0, a0, s1, a1):
    found = upon(clean, s0, a0, s1, a1)
    assert (found >= 0).all()
    assert (found <= a1 + 30.001 * clean).all()


@pytest.fixture(scope="module")
def hall():
    """A walled floor in mist under a lamp and a sun, refined, with a picture of it remembered."""
    view = View(Camera((-8.0, -8.0, 2.0), (0.0, 2.0, 1.2), 28.0), 96, 54)
    wall = face([(-6, 6, 0), (8, 6, 0), (8, 6, 5), (-6, 6, 5)])
    posts = [(face([(x, 1, 0), (x + 0.4, 1, 0), (x + 0.4, 1, 4), (x, 1, 4)]), BLACK) for x in np.arange(-3.0, 3.0, 1.5)]
    frame = Frame(PackedPlace(place_of((floor(40.0), WHITE), (wall, WHITE), *posts)), view)
    frame.add_guides(4)
    specs = [LayerSpec("hall", view, s, MIST, 2) for s in (Sun(35.0, 80.0), Ball((0.5, 3.0, 2.5), 0.1))]
    keys = frame.want(specs)
    for _ in range(64):
        frame.trace(keys)
    live = LiveAir()
    for _ in range(8):
        live.gather(frame, specs, 4, 60.0)
    yield frame, specs, live
    frame.place.close()


def gains_of(keys):
    return [LayerGain(k, (1.0, 0.9, 0.8), (0.7, 0.8, 0.9)) for k in keys]


def mixed(frame, keys):
    total = np.zeros((54, 96, 3), np.float32)
    for gain in gains_of(keys):
        image = frame.image(gain.key)
        total += image.surface * np.float32(gain.surface) + image.air * np.float32(gain.air)
    return total


@pytest.mark.parametrize(
    "edit",
    [{"visibility_m": 28.0}, {"patches": Patches(0.5)}, {"banks": (Bank(centre=(0.0, 3.0, 1.0)),)}],
    ids=["thicker", "patchy", "a bank"],
)
def test_what_the_live_way_does_not_follow_comes_from_the_picture_it_stands_on(hall, edit):
    frame, specs, live = hall
    keys = frame.want(specs)
    # The mean of many passes stands for a picture free of grain.
    live.remember(frame, specs, gains_of(keys), mixed(frame, keys))
    changed = [attrs.evolve(s, medium=attrs.evolve(MIST, **edit)) for s in specs]
    keys = frame.want(changed)
    upon_it, bare = np.empty((2, 54, 96, 3), np.float32)
    assert live.mixed_answer(frame, changed, gains_of(keys), upon_it)
    assert live.stands_on_clean
    live.clear()
    for _ in range(8):
        live.gather(frame, specs, 4, 60.0)
    assert live.mixed_answer(frame, changed, gains_of(keys), bare)
    assert not live.stands_on_clean
    for _ in range(64):
        frame.trace(keys)
    refined = mixed(frame, keys)

    def off(picture):
        blocks = [np.sqrt(p).reshape(9, 6, 16, 6, 3).mean((1, 3)) for p in (picture, refined)]
        return np.sqrt(np.mean((blocks[0] - blocks[1]) ** 2)) / blocks[1].mean()

    assert off(upon_it) < 0.02
    assert off(upon_it) < 1.1 * off(bare)


def test_other_layers_do_not_stand_on_a_picture_without_them(hall):
    frame, specs, live = hall
    for _ in range(8):
        live.gather(frame, specs, 4, 60.0)
    keys = frame.want(specs)
    live.remember(frame, specs[:1], gains_of(keys[:1]), mixed(frame, keys[:1]))
    changed = [attrs.evolve(s, medium=attrs.evolve(MIST, visibility_m=30.0)) for s in specs]
    out = np.empty((54, 96, 3), np.float32)
    assert live.mixed_answer(frame, changed, gains_of(frame.want(changed)), out)
    assert not live.stands_on_clean
