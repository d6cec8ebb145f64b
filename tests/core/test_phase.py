"""Phase functions: normalised, drawn true to themselves, and what the fit for droplets promises."""

import math

import attrs
import numba as nb
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.special import eval_legendre

from lunar_haze.core.air.draine2003 import draine
from lunar_haze.core.air.jendersie2023 import LARGEST_UM, SMALLEST_UM, droplets
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.air.phase import blended, henyey_greenstein, medium_phase
from lunar_haze.core.air.presets import PRESETS, name_of

f32 = np.float32


@nb.njit
def _draine(c, g, a):
    return draine(c, g, a)


@nb.njit
def _hg(c, g):
    return henyey_greenstein(c, g)


@nb.njit
def _of(medium, c):
    return medium_phase(medium, c)


def over_sphere(p):
    """Integral of a function of the cosine over the sphere.

    By trapezoids between numbers that single precision can tell apart: straight ahead they are
    what limits the peak, not the function.
    """
    off = np.concatenate([np.geomspace(1e-8, 1.0, 40_000), [0.0]])
    cosines = np.unique(np.concatenate([1 - off, off - 1]).astype(f32))
    values = np.array([p(c) for c in cosines], float)
    return 2 * math.pi * np.trapezoid(values, cosines.astype(float))


@pytest.mark.parametrize("g", [-0.99, -0.5, 0.0, 0.3, 0.8, 0.95])
@pytest.mark.parametrize("alpha", [0.0, 1.0, 12.0])
def test_draine_is_normalised(g, alpha):
    assert over_sphere(lambda c: float(_draine(f32(c), f32(g), f32(alpha)))) == pytest.approx(1.0, abs=1e-4)


def test_draine_holds_its_two_ends():
    for c in np.linspace(-1, 1, 9):
        assert _draine(f32(c), f32(0.6), f32(0.0)) == pytest.approx(float(_hg(f32(c), f32(0.6))), rel=1e-5)
        rayleigh = 3 / (16 * math.pi) * (1 + c * c)
        assert _draine(f32(c), f32(0.0), f32(1.0)) == pytest.approx(rayleigh, rel=1e-5)


@pytest.mark.parametrize("diameter", [5.0, 8.0, 15.0, 30.0, 50.0])
def test_droplets_are_normalised_and_throw_onward(diameter):
    medium = Medium(100.0, droplet_um=diameter).pack()
    assert over_sphere(lambda c: float(_of(medium, f32(c)))) == pytest.approx(1.0, abs=1e-4)
    mean_cosine = over_sphere(lambda c: float(c) * float(_of(medium, f32(c))))
    # Mie theory: water droplets of fog have an asymmetry of about 0.85 to 0.88.
    assert 0.78 < mean_cosine < 0.92


def test_larger_droplets_have_a_sharper_glory_of_forward_light():
    ahead = [float(_of(Medium(100.0, droplet_um=d).pack(), f32(1.0))) for d in (5.0, 12.0, 25.0, 50.0)]
    assert ahead == sorted(ahead)
    assert ahead[0] > 50 * float(_of(Medium(100.0, droplet_um=5.0).pack(), f32(-0.2)))


@given(st.floats(0.1, 200.0))
def test_any_diameter_gives_a_sound_blend(diameter):
    blend = droplets(diameter)
    assert 0.0 < blend.g_hg < 1.0
    assert 0.0 < blend.g_draine < 1.0
    assert 0.0 < blend.draine_share < 1.0
    assert blend.alpha > 0.0
    assert droplets(min(max(diameter, SMALLEST_UM), LARGEST_UM)) == blend


def test_by_hand_it_is_henyey_greenstein_and_its_moments_are_powers_of_g():
    medium = Medium(50.0, anisotropy=0.7).pack()
    for order in (1, 2, 3):
        moment = (
            2 * math.pi * quad(lambda c, n=order: eval_legendre(n, c) * float(_of(medium, f32(c))), -1, 1, limit=200)[0]
        )
        assert moment == pytest.approx(0.7**order, abs=2e-4)


def test_the_extremes_are_finite():
    for g in (-0.99, 0.99):
        medium = Medium(50.0, anisotropy=g).pack()
        values = [float(_of(medium, f32(c))) for c in (-1.0, -0.999, 0.0, 0.999, 1.0)]
        assert np.isfinite(values).all()
        assert min(values) > 0
    assert not Medium(math.inf, droplet_um=9.0).pack()[0]


def test_presets_are_told_by_name_until_they_are_changed():
    for name, medium in PRESETS.items():
        assert name_of(medium) == name
        if name != "clear":
            assert name_of(attrs.evolve(medium, base_m=0.777)) == "custom"


def test_a_blend_is_the_mean_of_its_lobes():
    @nb.njit
    def mixed(c):
        return blended(c, f32(0.9), f32(0.3), f32(5.0), f32(0.25))

    for c in (-0.7, 0.1, 0.95):
        expected = 0.75 * float(_hg(f32(c), f32(0.9))) + 0.25 * float(_draine(f32(c), f32(0.3), f32(5.0)))
        assert mixed(f32(c)) == pytest.approx(expected, rel=1e-5)
