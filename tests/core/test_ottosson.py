"""Oklab against its own published pairs, and what turning a hue must keep."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.colour.ottosson2020 import acescg_to_oklab, hue_deg, hue_turned, oklab_to_acescg
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, hex_to_acescg

CHANNEL = st.floats(0.02, 1.0)


@pytest.mark.parametrize(
    ("srgb", "lab"),
    # Published with the paper's reference code: the corners of sRGB.
    [((1, 1, 1), (1.0, 0.0, 0.0)), ((1, 0, 0), (0.6279, 0.2249, 0.1258)), ((0, 1, 0), (0.8664, -0.2339, 0.1795)),
     ((0, 0, 1), (0.4520, -0.0325, -0.3115))],
)  # fmt: skip
def test_the_corners_of_srgb_lie_where_the_paper_has_them(srgb, lab):
    assert acescg_to_oklab(SRGB_TO_ACESCG @ np.array(srgb, float)) == pytest.approx(lab, abs=2e-4)


@given(CHANNEL, CHANNEL, CHANNEL)
def test_there_and_back(r, g, b):
    assert oklab_to_acescg(acescg_to_oklab(np.array([r, g, b]))) == pytest.approx([r, g, b], rel=1e-6, abs=1e-9)


@given(CHANNEL, CHANNEL, CHANNEL, st.floats(-180, 180))
def test_a_turned_hue_keeps_its_luminance_and_never_takes_light_away(r, g, b, degrees):
    rgb = np.array([r, g, b])
    turned = hue_turned(rgb, degrees)
    assert turned @ LUMINANCE_WEIGHTS == pytest.approx(rgb @ LUMINANCE_WEIGHTS, rel=1e-6)
    assert turned.min() >= -1e-9


@pytest.mark.parametrize("degrees", [30.0, -45.0, 180.0])
def test_the_hue_turns_by_what_was_asked(degrees):
    amber = hex_to_acescg("#d9b48f")
    apart = (hue_deg(hue_turned(amber, degrees)) - hue_deg(amber) - degrees + 180) % 360 - 180
    assert apart == pytest.approx(0.0, abs=2.0)
    grey = np.full(3, 0.4)
    assert hue_turned(grey, degrees) == pytest.approx(grey, rel=1e-3)
