"""The denoiser's guides behind air: what is left of them, and what that does to fine things far in mist."""

import math

import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material
from lunar_haze.core.transport.faded import faded, transmittances
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import CLEAR, place_of, quad

WALL = quad([(-50, 20, -50), (50, 20, -50), (50, 20, 50), (-50, 20, 50)])
VIEW = View(Camera((0, 0, 0), (0, 20, 0), 200.0), 16, 10)
EVEN = Medium(visibility_m=40.0, base_m=1000.0)


@pytest.fixture(scope="module")
def frame():
    made = Frame(PackedPlace(place_of((WALL, Material("red", (0.8, 0.1, 0.1))))), VIEW)
    made.add_guides(2)
    return made


def test_transmittance_is_that_of_the_way_to_what_is_seen(frame):
    left = transmittances(EVEN, frame.camera, frame.guides.depth)
    assert left.shape == (10, 16)
    np.testing.assert_allclose(left, math.exp(-3.912 / 40.0 * 20.0), rtol=0.02)


def test_clear_air_leaves_guides_as_they_are_and_thick_mist_none(frame):
    albedo, normal = frame.guide_images(CLEAR)
    np.testing.assert_allclose(albedo[5, 8], (0.8, 0.1, 0.1), atol=1e-5)
    gone, flat = frame.guide_images(Medium(visibility_m=0.5, base_m=1000.0))
    np.testing.assert_allclose(gone, 1.0, atol=1e-5)
    np.testing.assert_allclose(flat, 0.0, atol=1e-5)
    some, _ = frame.guide_images(EVEN)
    share = math.exp(-3.912 / 2)
    np.testing.assert_allclose(some[5, 8], np.array([0.8, 0.1, 0.1]) * share + 1 - share, rtol=0.02)
    np.testing.assert_array_equal(frame.guide_images(CLEAR)[1], normal)


def test_a_share_of_none_is_nothing_and_of_all_the_guide_itself():
    albedo, normal = np.full((2, 2, 3), 0.3, np.float32), np.full((2, 2, 3), 0.5, np.float32)
    for share, expected in ((0.0, 1.0), (1.0, 0.3)):
        found, turned = faded(albedo, normal, np.full((2, 2), share, np.float32))
        np.testing.assert_allclose(found, expected)
        np.testing.assert_allclose(turned, 0.5 * share)
