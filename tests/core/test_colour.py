import warnings

import numpy as np
import pytest

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.colour import spaces
from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg, planckian_uv, warmed
from lunar_haze.core.colour.mccamy1992 import kelvin_of


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


@pytest.mark.parametrize("name", ["sRGB", "Display P3", "ITU-R BT.2020", "Adobe RGB (1998)"])
def test_any_primaries_go_to_acescg_as_a_second_library_has_it(name):
    space = colour.RGB_COLOURSPACES[name]
    chromaticities = (*space.primaries.ravel().tolist(), *np.asarray(space.whitepoint).tolist())
    acescg = colour.RGB_COLOURSPACES["ACEScg"]
    wanted = colour.matrix_RGB_to_RGB(space, acescg, chromatic_adaptation_transform="Bradford")
    np.testing.assert_allclose(spaces.primaries_to_acescg(chromaticities), wanted, atol=4e-4)
    assert spaces.primaries_to_acescg(chromaticities) @ np.ones(3) == pytest.approx(1.0, abs=2e-4), "white is white"


@pytest.mark.parametrize(
    "chromaticities",
    [(0.64, 0.33, 0.3, 0.6, 0.15, 0.06), (0.64, 0.0, 0.3, 0.6, 0.15, 0.06, 0.31, 0.33), (0.3,) * 8,
     (float("nan"), 0.33, 0.3, 0.6, 0.15, 0.06, 0.31, 0.33)],
)  # fmt: skip
def test_what_are_no_primaries_is_refused(chromaticities):
    with pytest.raises(ValueError, match=r"primaries|span no colours"):
        spaces.primaries_to_acescg(chromaticities)


@pytest.mark.parametrize("kelvin", [2856.0, 3500.0, 5000.0, 6500.0])
def test_the_temperature_of_a_black_bodys_colour_is_its_own(kelvin):
    assert kelvin_of(3.0 * kelvin_to_acescg(kelvin)) == pytest.approx(kelvin, rel=0.01)
    rgb = np.array([0.7, 0.5, 0.3])
    xyz = spaces.ACESCG_TO_XYZ @ rgb
    assert kelvin_of(rgb) == pytest.approx(
        float(colour.temperature.xy_to_CCT_McCamy1992(xyz[:2] / xyz.sum())), rel=1e-3
    )


def test_a_deep_colour_is_told_as_the_warmest_or_the_coolest():
    assert kelvin_of(np.array([1.0, 0.05, 0.0])) == 1700.0
    for deep_red in ([1.0, 0.0, 0.0], [1.0, 0.1, 0.02], [1.0, 0.0, 0.1]):
        assert kelvin_of(np.array(deep_red)) == 1700.0
    for deep_blue in ([0.1, 0.2, 1.0], [0.0, 0.0, 1.0], [0.05, 0.02, 1.0]):
        assert kelvin_of(np.array(deep_blue)) == 15000.0


@given(st.floats(0.0, 1.0))
def test_from_red_over_white_to_blue_a_colour_is_ever_cooler(share):
    def between(t):
        red, white, blue = np.array([1.0, 0.0, 0.0]), np.ones(3), np.array([0.0, 0.0, 1.0])
        return red + 2 * t * (white - red) if t < 0.5 else white + (2 * t - 1) * (blue - white)

    assert kelvin_of(between(min(share + 0.02, 1.0))) >= kelvin_of(between(share)) - 1e-6


@given(st.floats(1000.0, 15000.0), st.floats(-500.0, 500.0))
def test_warmer_is_more_mired(kelvin, mired):
    wanted = 1e6 / kelvin + mired
    assert warmed(kelvin, mired) == pytest.approx(
        min(max(1e6 / max(wanted, 1e-9), 1000.0), 15000.0) if wanted > 0 else 15000.0
    )


def test_a_colour_is_written_as_bright_as_it_can_be():
    white = spaces.SRGB_TO_ACESCG @ np.ones(3)
    assert spaces.acescg_to_hex(7.0 * white) == "#ffffff"
    assert spaces.acescg_to_hex(spaces.SRGB_TO_ACESCG @ np.array([0.5, 0.25, 0.0])) == "#ffbc00"
    assert spaces.acescg_to_hex(np.zeros(3)) == "#000000"


def test_what_lies_outside_the_gamut_goes_towards_its_grey_no_further_than_it_must():
    rgb = np.array([1.0, -0.2, 0.4])
    held = spaces.desaturate_into_gamut(rgb)
    assert held.min() == pytest.approx(0.0, abs=1e-12)
    assert spaces.luminance(held) == pytest.approx(spaces.luminance(rgb))
    grey = spaces.luminance(rgb)
    turned = (held - grey) / (rgb - grey)
    assert turned == pytest.approx(turned[0])
    inside = np.array([0.1, 0.2, 0.3])
    assert spaces.desaturate_into_gamut(inside) is inside
