import warnings

import numpy as np
import pytest

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.colour import spaces
from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg, planckian_uv


def test_matrices_are_those_of_the_standard():
    acescg = colour.RGB_COLOURSPACES["ACEScg"]
    np.testing.assert_allclose(spaces.ACESCG_TO_XYZ, acescg.matrix_RGB_to_XYZ, atol=2e-6)
    srgb = colour.RGB_COLOURSPACES["sRGB"]
    reference = colour.matrix_RGB_to_RGB(srgb, acescg, chromatic_adaptation_transform="Bradford")
    np.testing.assert_allclose(spaces.SRGB_TO_ACESCG, reference, atol=3e-4)
    assert spaces.LUMINANCE_WEIGHTS.sum() == pytest.approx(1.0, abs=1e-6)


@pytest.mark.parametrize("kelvin", [1000, 1850, 2700, 4000, 6500, 10000, 15000])
def test_black_bodies_lie_on_the_planckian_locus(kelvin):
    # Wyman-free reference: Planck's law under the CIE 1931 observer.
    spectrum = colour.sd_blackbody(kelvin, colour.SpectralShape(360, 780, 1))
    xyz = colour.sd_to_XYZ(spectrum, colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"])
    u, v = colour.UCS_to_uv(colour.XYZ_to_UCS(xyz))
    np.testing.assert_allclose(planckian_uv(kelvin), (u, v), atol=6e-4)


@given(st.floats(500, 40000), st.floats(-0.1, 0.1))
def test_a_lamps_colour_has_luminance_one_and_takes_no_light_away(kelvin, duv):
    rgb = kelvin_to_acescg(kelvin, duv)
    assert spaces.luminance(rgb) == pytest.approx(1.0, abs=1e-6)
    assert rgb.min() >= -1e-9


def test_warm_is_red_and_cool_is_blue():
    warm, cool = kelvin_to_acescg(2000), kelvin_to_acescg(12000)
    assert warm[0] > 1 > warm[2]
    assert cool[0] < 1 < cool[2]


@given(st.tuples(*[st.integers(0, 255)] * 3))
def test_hex_colours_survive_the_way_in_and_out(channels):
    text = "#{:02x}{:02x}{:02x}".format(*channels)
    rgb = spaces.hex_to_acescg(text)
    linear = spaces.ACESCG_TO_SRGB @ rgb
    back = np.round(spaces.srgb_encode(linear) * 255).astype(int)
    assert tuple(back) == channels


def test_encoding_handles_arrays_and_nan():
    x = np.array([[0.0, 0.001], [0.5, np.nan]])
    y = spaces.srgb_encode(x)
    np.testing.assert_allclose(spaces.srgb_decode(y)[:1], x[:1], atol=1e-12)
    assert np.isnan(y[1, 1])
