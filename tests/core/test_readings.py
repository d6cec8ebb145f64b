"""Readings on pictures whose answers are known: sums, levels, ratios, outlines, palettes and causes."""

import attrs
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, luminance, srgb_encode
from lunar_haze.core.readings.causes import causes
from lunar_haze.core.readings.edges import edge_of
from lunar_haze.core.readings.levels import Latitude, levels, stops, waveform
from lunar_haze.core.readings.look_reading import read
from lunar_haze.core.readings.outline import outline
from lunar_haze.core.readings.palette import hue_word, palette
from lunar_haze.core.readings.ratios import ratios
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Share, Shares

WARM, COOL, WHITE = (1.0, 0.6, 0.3), (0.3, 0.6, 1.0), (1.0, 1.0, 1.0)
H, W = 54, 96
GREY = 0.18


def disc(radius=16, at=(27, 48)):
    y, x = np.mgrid[0:H, 0:W]
    return (y - at[0]) ** 2 + (x - at[1]) ** 2 < radius**2


def share(name, light, role="", rgb=WHITE):
    colour = np.array(rgb) / luminance(np.array(rgb))
    return Share(name, name, role, (np.broadcast_to(light, (H, W))[..., None] * colour).astype(np.float32))


def screen_of(shares):
    """A plain screen: exposed light as sRGB, without a view."""
    exposed = np.clip(shares.picture * shares.scale, 0, 1) @ ACESCG_TO_SRGB.T
    return np.clip(srgb_encode(np.clip(exposed, 0, 1)) * 255 + 0.5, 0, 255).astype(np.uint8)


def many(count, seed=3):
    rng = np.random.default_rng(seed)
    roles = ("key", "fill", "rim", "", "background")
    return tuple(share(f"s{k}", rng.random((H, W)) * 10.0 ** rng.uniform(-2, 2), roles[k % 5], rng.random(3) + 0.1)
                 for k in range(count))  # fmt: skip


# -- sums --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("count", [4, 96])
def test_leaving_a_source_out_is_the_picture_without_it(count):
    shares = Shares(many(count), 1.0, disc())
    for gone in (0, count // 2, count - 1):
        id_ = shares.sources[gone].id
        without = shares.mixed({id_: -np.inf})
        rest = Shares(tuple(s for s in shares.sources if s.id != id_), 1.0, disc())
        np.testing.assert_allclose(without.picture, rest.picture, rtol=2e-5, atol=1e-5)
        np.testing.assert_allclose(without.luminance, rest.luminance, rtol=2e-5, atol=1e-5)


@pytest.mark.parametrize("count", [4, 96])
def test_every_share_is_its_part_of_the_whole(count):
    found = ratios(Shares(many(count), 1.0, disc()))
    assert sum(p.of_frame for p in found.parts) == pytest.approx(1.0)
    assert sum(p.of_subject for p in found.parts) == pytest.approx(1.0)


@given(st.dictionaries(st.sampled_from(["s0", "s1", "s2", "s3"]), st.floats(-6, 6), max_size=4))
@settings(max_examples=30)
def test_region_sums_scale_with_the_dimmers(moves):
    before, after = Shares(many(4), 1.0, disc()), Shares(many(4), 1.0, disc()).mixed(moves)
    gain = np.array([2.0 ** moves.get(s.id, 0.0) for s in before.sources])
    for a, b in zip(attrs.astuple(after.sums, recurse=False), attrs.astuple(before.sums, recurse=False)):
        np.testing.assert_allclose(a, b * gain, rtol=1e-4)


# -- levels ------------------------------------------------------------------------------------------


def test_stops_are_counted_from_mid_grey():
    assert stops(np.array([GREY, 2 * GREY, GREY / 4]), 1.0) == pytest.approx([0, 1, -2], abs=1e-5)
    assert stops(np.array([GREY]), 4.0) == pytest.approx([2.0], abs=1e-5)
    assert np.isfinite(stops(np.zeros(3), 1.0)).all()


def test_over_under_and_spread_of_a_ramp():
    ramp = GREY * 2.0 ** np.linspace(-8, 6, 1400)[None].repeat(4, 0)
    found = levels(ramp, 1.0, Latitude(-6.0, 4.0))
    assert found.over == pytest.approx(2 / 14, abs=2e-3)
    assert found.under == pytest.approx(2 / 14, abs=2e-3)
    assert found.spread == pytest.approx(14 * 0.96, abs=0.02)


def test_a_grey_picture_has_no_spread_and_black_is_under():
    assert levels(np.full((H, W), GREY), 1.0, Latitude()).spread == pytest.approx(0.0, abs=1e-6)
    assert levels(np.zeros((H, W)), 1.0, Latitude()).under == 1.0


def test_the_waveform_has_all_of_each_column_and_light_above():
    light = np.full((H, W), GREY)
    light[:, W // 2 :] *= 8
    found = waveform(light, 1.0)
    np.testing.assert_allclose(found.sum(0), 1.0, rtol=1e-5)
    assert found[:, 0].argmax() > found[:, -1].argmax()


# -- ratios ------------------------------------------------------------------------------------------


def test_key_to_fill_is_key_and_fill_over_fill():
    shares = Shares((share("k", 3.0, "key"), share("f", 1.0, "fill"), share("r", 9.0, "rim")), 1.0, disc())
    found = ratios(shares)
    assert found.key_to_fill == pytest.approx(4.0, rel=1e-5)
    assert found.rim_to_key == pytest.approx(3.0, rel=1e-5)
    assert found.key == "k"


def test_without_a_key_the_strongest_leads_and_the_sky_fills():
    found = ratios(Shares((share("sky", 1.0), share("lamp", 7.0)), 1.0, disc()))
    assert found.key == "lamp"
    assert found.key_to_fill == pytest.approx(8.0, rel=1e-5)


def test_the_subject_lies_over_the_rest_by_its_stops():
    light = np.where(disc(), 4.0, 1.0)
    assert ratios(Shares((share("a", light),), 1.0, disc())).subject_stops == pytest.approx(2.0, abs=1e-5)
    assert ratios(Shares((share("a", light),), 1.0, None)).subject_stops is None


def test_warm_is_the_share_of_warm_light():
    found = ratios(Shares((share("w", 3.0, "", WARM), share("c", 1.0, "", COOL)), 1.0))
    assert found.warm == pytest.approx(0.75, rel=1e-4)


def test_a_black_picture_has_no_ratio_and_breaks_nothing():
    found = ratios(Shares((share("a", 0.0), share("b", 0.0)), 1.0, disc()))
    assert (found.key_to_fill, found.warm, found.subject_stops) == (None, None, None)


# -- outline -----------------------------------------------------------------------------------------


def screen_with(inside, outside, where):
    picture = np.empty((H, W, 3), np.uint8)
    picture[...] = outside
    picture[where] = inside
    return screen_lab(picture)


def test_a_light_disc_before_a_dark_ground_stands_out_all_round():
    found = outline(edge_of(disc()), screen_with(200, 30, disc()))
    assert found.stands_out == 1.0
    assert found.words == "reads"


def test_the_same_value_and_hue_merge_and_hue_alone_tells_apart():
    assert outline(edge_of(disc()), screen_with(90, 90, disc())).stands_out == 0.0
    # Two colours of one luminance (0.2126 r + 0.7152 g + 0.0722 b in linear light).
    assert outline(edge_of(disc()), screen_with((150, 80, 60), (60, 100, 170), disc())).stands_out > 0.95


def test_half_lost_is_told_as_half():
    lost, found = screen_with(120, 120, disc()), screen_with(120, 20, disc())
    lost[:, : W // 2] = found[:, : W // 2]
    assert outline(edge_of(disc()), lost).stands_out == pytest.approx(0.5, abs=0.06)


def test_there_is_no_outline_where_the_subject_fills_or_leaves_the_frame():
    assert outline(edge_of(np.ones((H, W), bool)), screen_with(90, 90, disc())) is None
    assert outline(edge_of(np.zeros((H, W), bool)), screen_with(90, 90, disc())) is None
    half = np.zeros((H, W), bool)
    half[:, :40] = True
    points = outline(edge_of(half), screen_with(200, 20, half)).points
    assert (points[:, 1] == 39).all(), "the frame's edge is no outline"


# -- palette -----------------------------------------------------------------------------------------


def test_one_flat_colour_is_one_hue():
    found = palette(screen_with((150, 80, 60), (150, 80, 60), disc()))
    assert found.relation.startswith("one hue")
    assert sum(s.area for s in found.swatches) == pytest.approx(1.0)


def test_greys_are_greys():
    ramp = np.repeat(np.linspace(0, 255, W)[None, :, None], H, 0).repeat(3, 2).astype(np.uint8)
    assert palette(screen_lab(ramp)).relation == "greys"


def test_two_opposed_hues_are_told_so():
    found = palette(screen_with((230, 140, 40), (20, 50, 110), disc(24)))
    assert found.relation.startswith("opposed")
    assert "orange" in found.relation
    assert "blue" in found.relation


def test_a_small_accent_is_found_apart_with_its_area():
    spot = disc(5, (10, 12))
    found = palette(screen_with((230, 60, 40), (40, 60, 90), spot))
    accent = found.swatches[-1]
    assert accent.area == pytest.approx(spot[::2, ::2].mean())
    assert (accent.where == spot[::2, ::2]).mean() > 0.99
    assert hue_word(accent.hue_deg) in ("red", "orange", "pink")


def test_the_palette_does_not_jump_when_a_dimmer_moves_a_little():
    shares = Shares(many(4), 0.02)
    before = palette(screen_lab(screen_of(shares)))
    after = palette(screen_lab(screen_of(shares.mixed({"s1": 0.03}))))
    a, b = (np.array([s.lab for s in p.swatches[:6]]) for p in (before, after))
    assert np.abs(a - b).max() < 0.02


# -- causes ------------------------------------------------------------------------------------------


def told(shares, is_night=False, latitude=None):
    latitude = latitude or Latitude()
    edge = outline(shares.edge, screen_lab(screen_of(shares)))
    whole = levels(shares.luminance, shares.scale, latitude)
    return {c.kind: c for c in causes(shares, ratios(shares), edge, whole, latitude, is_night)}


def test_a_picture_that_is_fine_is_quiet():
    ramp = GREY * 2.0 ** np.linspace(-5, 1.5, W)[None].repeat(H, 0)
    lit = np.where(disc(), GREY * 2.0**1.5, ramp * 0.5)
    shares = Shares((share("key", lit * 0.7, "key"), share("sky", lit * 0.3, "fill")), 1.0, disc(8, (27, 30)))
    lit[disc(8, (27, 30))] = GREY
    found = told(Shares((share("key", lit * 0.7, "key"), share("sky", lit * 0.3, "fill")), 1.0, None))
    assert not found, found
    assert shares.subject is not None


def test_flat_names_the_source_that_flattens():
    contrast = np.where(np.mgrid[0:H, 0:W][1] < W // 2, GREY * 8, GREY / 8)
    shares = Shares((share("lamp", contrast, "key"), share("veil", GREY * 8)), 0.3)
    found = told(shares)["flat"]
    assert found.source_id == "veil"
    assert "veil" in found.sentence
    better = levels(shares.mixed(dict(found.remedy.dimmers)).luminance, 0.3, Latitude())
    assert better.spread > levels(shares.luminance, 0.3, Latitude()).spread


def test_clipped_names_the_lamp_and_its_remedy_brings_it_down():
    hot = np.where(disc(), GREY * 2.0**7, GREY / 30)
    shares = Shares((share("lamp", hot), share("sky", GREY / 3)), 1.0)
    found = told(shares)["clipped"]
    assert found.source_id == "lamp"
    assert found.figure == pytest.approx(disc().mean(), rel=0.02)
    assert levels(shares.mixed(dict(found.remedy.dimmers)).luminance, 1.0, Latitude()).over < found.figure


def test_a_black_subject_is_crushed_and_more_exposure_is_proposed():
    shares = Shares((share("lamp", np.where(disc(), GREY / 2**8, GREY)),), 1.0, disc())
    found = told(shares)["crushed"]
    assert found.remedy.exposure > 0


def test_a_subject_like_what_is_behind_it_merges_and_its_rim_is_raised():
    rim = np.where(disc() & ~disc(13), GREY * 0.05, 0.0)
    shares = Shares((share("sky", GREY), share("edge", rim, "rim")), 1.0, disc())
    found = told(shares)["merged"]
    assert found.source_id == "edge"
    assert dict(found.remedy.dimmers)["edge"] > 0


def test_a_subject_in_the_dark_names_what_lights_the_background():
    shares = Shares((share("wall", np.where(disc(), GREY / 16, GREY * 2)), share("sky", GREY / 40)), 1.0, disc())
    found = told(shares)["dark subject"]
    assert found.source_id == "wall"
    assert found.figure < -2.5


def test_what_nobody_sees_is_named_and_muted_at_once():
    shares = Shares((share("sun", GREY), share("glim", GREY * 1e-4), share("glow", GREY * 1e-4)), 1.0)
    found = told(shares)["unseen"]
    assert set(found.remedy.mute) == {"glim", "glow"}
    assert "glim and glow" in found.sentence
    without = shares.mixed(dict.fromkeys(found.remedy.mute, -np.inf))
    assert np.abs(np.log2(without.luminance / shares.luminance)).max() < 0.06


def test_a_small_glint_counts_as_seen():
    glint = np.where(disc(4), GREY * 4, 0.0)
    assert "unseen" not in told(Shares((share("sun", GREY), share("eye light", glint)), 1.0))


def test_one_source_drowns_and_a_cast_is_told_by_its_source():
    shares = Shares((share("sun", 50.0, "", WARM), share("a", 1.0), share("b", 1.0)), 0.004)
    found = told(shares)
    assert found["drowned"].source_id == "sun"
    assert found["cast"].source_id == "sun"
    assert "warmer" in found["cast"].sentence


def test_a_night_that_is_light_everywhere_is_told_and_a_day_is_not():
    ramp = GREY * 2.0 ** np.linspace(-2, 3, W)[None].repeat(H, 0)
    assert "everywhere" in told(Shares((share("moon", ramp),), 1.0), is_night=True)
    assert "everywhere" not in told(Shares((share("sun", ramp),), 1.0))


def test_black_is_one_sentence():
    black = Shares((share("a", 0.0),), 1.0)
    found = causes(black, ratios(black), None, levels(black.luminance, 1.0, Latitude()), Latitude())
    assert [c.kind for c in found] == ["black"]


def test_all_readings_come_at_once_and_worst_first():
    shares = Shares(many(8), 0.01, disc())
    found = read(shares, screen_of(shares), Latitude())
    weights = [c.weight for c in found.causes]
    assert weights == sorted(weights, reverse=True)
    assert found.outline is not None
    assert 5 <= len(found.palette.swatches) <= 8
