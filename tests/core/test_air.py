import math

import attrs
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from lunar_haze.core.air import fog, kernels
from lunar_haze.core.air.medium import Bank, Medium, optical_depth
from lunar_haze.core.air.phase import henyey_greenstein
from lunar_haze.core.air.sight import metres_seen

heights = st.floats(-20, 60)
media = st.builds(
    Medium,
    visibility_m=st.floats(5, 5000),
    base_m=st.floats(-2, 6),
    fall_off_m=st.floats(0.5, 80),
    top_m=st.floats(8, 50),
)
points = st.tuples(st.floats(-100, 100), st.floats(-100, 100), heights).map(np.array)


def _sigma(medium, z):
    if z > medium.top_m:
        return 0.0
    return medium.extinction_per_m * math.exp(-max(z - medium.base_m, 0) / medium.fall_off_m)


@settings(max_examples=60)
@given(media, points, points)
def test_optical_depth_is_the_integral_of_extinction(medium, a, b):
    length = float(np.linalg.norm(b - a))
    kinks = [
        (z - a[2]) / (b[2] - a[2])
        for z in (medium.base_m, medium.top_m)
        if abs(b[2] - a[2]) > 1e-9 and 0 < (z - a[2]) / (b[2] - a[2]) < 1
    ]
    truth, _ = quad(lambda t: _sigma(medium, a[2] + t * (b[2] - a[2])) * length, 0, 1, points=kinks or None, limit=200)
    assert float(optical_depth(medium, a, b)) == pytest.approx(truth, rel=1e-3, abs=1e-6)


@given(media, points, points, st.floats(0.05, 0.95))
def test_transmittance_composes_along_a_path(medium, a, b, share):
    middle = a + share * (b - a)
    whole = optical_depth(medium, a, b)
    assert float(optical_depth(medium, a, middle) + optical_depth(medium, middle, b)) == pytest.approx(
        float(whole), rel=1e-4, abs=1e-6
    )
    assert float(optical_depth(medium, b, a)) == pytest.approx(float(whole), rel=1e-4, abs=1e-6)


@given(media, heights, st.floats(-1, 1), st.floats(0.001, 0.98))
def test_distance_in_fog_inverts_optical_depth(medium, z, dz, share):
    f = np.float32
    packed = medium.pack()
    total = fog.fog_depth(packed, f(z), f(dz), f(2000))
    if total < 1e-4:
        return
    # Past that no light is left: along the level the closed form is a straight line, which strays over kilometres.
    depth = f(min(total * share, 40.0))
    t = fog.distance_in_fog(packed, f(z), f(dz), depth)
    assert fog.fog_depth(packed, f(z), f(dz), f(t)) == pytest.approx(depth, rel=0.02, abs=2e-4)


def test_depth_takes_arrays_of_any_shape():
    medium = Medium(visibility_m=100.0)
    a = np.zeros((2, 3, 3))
    b = np.ones((2, 3, 3))
    assert optical_depth(medium, a, b).shape == (2, 3)
    assert (optical_depth(Medium(), a, b) == 0).all()


def test_koschmieder_leaves_two_per_cent_of_contrast_at_the_visibility():
    medium = Medium(visibility_m=250.0, base_m=10.0)
    depth = optical_depth(medium, np.array([0.0, 0, 1]), np.array([250.0, 0, 1]))
    assert math.exp(-float(depth)) == pytest.approx(0.02, rel=1e-3)


@pytest.mark.parametrize("g", [-0.9, -0.3, 0.0, 0.5, 0.9])
def test_the_phase_function_is_normalised_and_has_mean_cosine_g(g):
    f = np.float32
    total, _ = quad(lambda c: 2 * math.pi * henyey_greenstein(f(c), f(g)), -1, 1, limit=400)
    mean, _ = quad(lambda c: 2 * math.pi * c * henyey_greenstein(f(c), f(g)), -1, 1, limit=400)
    assert total == pytest.approx(1.0, abs=2e-4)
    assert mean == pytest.approx(g, abs=3e-4)


def test_light_is_thrown_on_where_g_is_positive():
    f = np.float32
    assert henyey_greenstein(f(1), f(0.6)) > 20 * henyey_greenstein(f(-1), f(0.6))


@pytest.mark.parametrize("visibility", [math.inf, 0.0, 1e-9, 1e12])
def test_extreme_visibilities_stay_finite(visibility):
    packed = attrs.evolve(Medium(), visibility_m=visibility).pack()
    assert np.isfinite(packed).all()
    assert 0.0 <= kernels.transmittance(packed, *(np.float32(c) for c in (3, 4, 1, 0.8, 0.59, 0.1, 100))) <= 1.0


def test_one_sees_as_far_as_the_visibility_says_and_into_a_bank_no_farther_than_it_lets():
    level = (0.0, 1.0, 0.0)
    assert metres_seen(Medium(120.0, base_m=50.0), (0.0, 0.0, 1.0), level) == pytest.approx(120.0, rel=1e-2)
    assert metres_seen(Medium(), (0.0, 0.0, 1.0), level) == math.inf
    # Out of thinning fog, upwards, there is sky to be seen.
    assert metres_seen(Medium(60.0, fall_off_m=2.0), (0.0, 0.0, 1.0), (0.0, 0.0, 1.0)) == math.inf
    bank = Bank(kind="box", centre=(0.0, 30.0, 1.0), size=(20.0, 20.0, 20.0), visibility_m=8.0, softness=0.0)
    assert metres_seen(Medium(banks=(bank,)), (0.0, 0.0, 1.0), level) == pytest.approx(28.0, abs=0.4)
