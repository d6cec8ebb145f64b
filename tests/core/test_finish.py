"""The finish against its papers, closed forms, OpenColorIO's own transforms and a second library."""

import attrs
import colour
import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.spaces import ACESCG_TO_XYZ, LUMINANCE_WEIGHTS, XYZ_TO_ACESCG, luminance
from lunar_haze.core.document.files import load
from lunar_haze.core.document.finish_copy import ONE_MASK, WHOLE, alone, pasted, to_text, with_off, with_step
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish import acescct
from lunar_haze.core.finish.glow import HEIGHT_DEG, Scatter, glowing, layer_scatter, live_scatter, scattered, spread
from lunar_haze.core.finish.grade import graded
from lunar_haze.core.finish.grain import grained_by, grains, noise
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.mask_model import Mask, Region, Stroke
from lunar_haze.core.finish.model import Finish, between
from lunar_haze.core.finish.night import mesopic_share
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.scene_light import in_light
from lunar_haze.core.finish.shelf import SHELF, begun_with, name_of
from lunar_haze.core.finish.steps import FINISH_ROWS, LEANING, MASKS, STEP_NAMES, TABLE
from lunar_haze.core.finish.values import Cdl, Glow, Grade, Grain, Halation, TableFile, Vignette, White
from lunar_haze.core.finish.vignette import gains
from lunar_haze.core.finish.white_balance import CAT16, matrix, white_of
from lunar_haze.core.picture.display import DisplayTable, bake
from lunar_haze.core.picture.views import FALSE_COLOURS, FALSE_LOW, VIEWS, direct
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.service.folders import demo_file

DEMO = demo_file()

TAN = 0.5
EVERYTHING = Finish(
    Glow(0.1), 0.6, White(5000.0, 0.003), Vignette(-1.0, 0.5), Grade(0.2, 1.1, 0.2, 0.2, 0.3),
    Cdl((1.1, 1.0, 0.95), (0.01, 0.0, -0.01), (1.0, 1.05, 1.0), 0.85),
)  # fmt: skip


@pytest.fixture(scope="module")
def light():
    """A dusk of sorts (90, 160, 3) [cd/m2]: a sky that fades, dark ground, some small lamps."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:90, 0:160] / 90.0
    sky = np.exp(-3.0 * y)[..., None] * np.array([30.0, 22.0, 26.0]) * (0.6 + 0.4 * x[..., None])
    picture = np.where(y[..., None] < 0.6, sky, 0.4 * sky * rng.random((90, 160, 1)))
    picture[rng.random((90, 160)) < 0.002] = (9000.0, 5200.0, 2100.0)
    return picture.astype(np.float32)


@pytest.fixture(scope="module")
def finisher():
    return Finisher()


def by_eye(picture, strength):
    return in_light(picture, Finish(night=strength), 1.0, TAN)


def grey(level):
    return np.full((16, 16, 3), level, np.float32)


# -- nothing on ---------------------------------------------------------------------------------------


def test_without_steps_everything_is_the_same_bit_for_bit(light, finisher):
    assert in_light(light, Finish(), 1.0, TAN) is light
    assert graded(light, Grade(), Cdl()) is light
    plain = DisplayTable(bake())
    assert np.array_equal(finisher.show(light, Finish(), 0.02, TAN), plain.show(light, 0.02))
    assert np.array_equal(finished(light, Finish(), 0.02, TAN), direct(light * np.float32(0.02)))


def test_muted_it_is_the_view_alone(light, finisher):
    import attrs

    muted = attrs.evolve(EVERYTHING, muted=True, view="ACES 1.3")
    assert np.array_equal(finished(light, muted, 0.02, TAN), direct(light * np.float32(0.02), "ACES 1.3"))


@pytest.mark.parametrize("name", [*SHELF, "everything"])
def test_live_and_still_agree(light, finisher, name):
    finish = SHELF.get(name, EVERYTHING)
    live = finisher.show(light, finish, 0.02, TAN, dither=False)[..., 2::-1].astype(float)
    still = finished(light, finish, 0.02, TAN) * 255.0
    assert live.mean() == pytest.approx(still.mean(), rel=0.005)
    assert np.percentile(np.abs(live - still), 99) < 3.0


# -- encoding, CDL, tone ------------------------------------------------------------------------------


def converted(values, source, target):
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v4.0.0_aces-v2.0_ocio-v2.5")
    out = np.ascontiguousarray(values, np.float32).copy()
    config.getProcessor(source, target).getDefaultCPUProcessor().applyRGB(out)
    return out


def test_the_encoding_is_the_academys():
    values = np.repeat(np.concatenate([[-0.01, 0.0, 0.0078125], np.geomspace(1e-4, 200.0, 60)])[:, None], 3, 1)
    encoded = acescct.encode(values)
    assert encoded == pytest.approx(converted(values, "ACEScg", "ACEScct"), abs=2e-6)
    assert acescct.decode(encoded) == pytest.approx(values, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize(
    "cdl",
    [
        Cdl((1.2, 1.0, 0.8)),
        Cdl(offset=(0.05, 0.0, -0.04)),
        Cdl(power=(1.3, 1.0, 0.7)),
        Cdl(saturation=0.4),
        Cdl((1.3, 0.9, 1.1), (-0.05, 0.02, 0.1), (0.8, 1.2, 1.1), 1.5),
    ],
)
def test_the_cdl_is_the_ascs_by_another_hand(cdl):
    exposed = np.random.default_rng(3).random((400, 3)).astype(np.float32) ** 4 * 20.0
    theirs = ocio.CDLTransform()
    theirs.setSlope(cdl.slope)
    theirs.setOffset(cdl.offset)
    theirs.setPower(cdl.power)
    theirs.setSat(cdl.saturation)
    theirs.setStyle(ocio.CDL_ASC)
    signal = converted(exposed, "ACEScg", "ACEScct")
    ocio.Config.CreateRaw().getProcessor(theirs).getDefaultCPUProcessor().applyRGB(signal)
    ours = acescct.encode(graded(exposed, Grade(), cdl))
    # Where our light is at the largest that the encoding has, so is theirs.
    assert np.minimum(ours, 1.0) == pytest.approx(np.minimum(signal, 1.0), abs=1e-4)


@given(
    st.floats(0.3, 3.0),
    st.floats(-1.0, 1.0),
    st.floats(-1.0, 1.0),
    st.lists(st.floats(1e-4, 100.0), min_size=2, max_size=9),
)
def test_tone_keeps_mid_grey_black_and_the_order_of_light(contrast, toe, shoulder, levels):
    grade = Grade(contrast=contrast, toe=toe, shoulder=shoulder)
    rising = np.sort(np.array([0.0, MID_GREY, *levels]))
    toned = graded(rising[:, None].repeat(3, 1), grade, Cdl())[:, 0]
    assert toned[0] == 0.0
    assert toned[np.searchsorted(rising, MID_GREY)] == pytest.approx(MID_GREY, rel=1e-9)
    assert (np.diff(toned) >= -1e-12).all()


def test_contrast_is_the_slope_at_grey_and_exposure_whole_stops():
    step = 2.0**0.01
    for grade in (Grade(contrast=1.4), Grade(contrast=1.4, toe=0.8, shoulder=0.8)):
        around = graded(np.full((2, 3), MID_GREY) * [[1 / step], [step]], grade, Cdl())[:, 0]
        assert np.log2(around[1] / around[0]) / 0.02 == pytest.approx(1.4, rel=0.02)
    assert graded(np.full((1, 3), 0.05), Grade(exposure=1.0), Cdl()) == pytest.approx(0.1)


def test_a_toe_lifts_shadows_and_a_shoulder_holds_lights():
    dark, bright = np.full((1, 3), MID_GREY / 16), np.full((1, 3), MID_GREY * 16)
    assert graded(dark, Grade(toe=0.5), Cdl())[0, 0] > dark[0, 0] > graded(dark, Grade(toe=-0.5), Cdl())[0, 0]
    held, spread = (graded(bright, Grade(shoulder=s), Cdl())[0, 0] for s in (0.5, -0.5))
    assert held < bright[0, 0] < spread
    assert graded(dark, Grade(shoulder=0.5), Cdl()) == pytest.approx(dark)


def test_a_split_tone_keeps_luminance_and_leans_either_end_its_own_way():
    grade = Grade(split=0.8, shadows=(0.3, 0.5, 0.8), lights=(0.8, 0.5, 0.3))
    levels = np.array([0.01, MID_GREY, 4.0])[:, None].repeat(3, 1)
    toned = graded(levels, grade, Cdl())
    assert luminance(toned) == pytest.approx(luminance(levels), rel=1e-6)
    assert toned[0, 2] > toned[0, 0]
    assert toned[2, 0] > toned[2, 2]


# -- white balance ------------------------------------------------------------------------------------


def test_the_adaptation_is_cat16_by_another_hand():
    there, here = ACESCG_TO_XYZ @ kelvin_to_acescg(3200.0), ACESCG_TO_XYZ @ np.ones(3)
    theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(there, here, transform="CAT16")
    assert pytest.approx(colour.adaptation.CHROMATIC_ADAPTATION_TRANSFORMS["CAT16"], abs=1e-6) == CAT16
    assert matrix(White(3200.0)) == pytest.approx(XYZ_TO_ACESCG @ theirs @ ACESCG_TO_XYZ, abs=1e-5)


@given(st.floats(2000.0, 12_000.0), st.floats(-0.03, 0.03))
def test_light_of_a_white_is_drawn_as_grey_as_the_views_own_white(kelvin, duv):
    balanced = matrix(White(kelvin, duv)) @ kelvin_to_acescg(kelvin, duv)
    # Close to the usual white, which changes nothing, a white lies between its black body and that of the view.
    near = abs(1e6 / kelvin - 1e6 / 6000.0) < 22.0 and abs(duv) < 0.015
    assert balanced / luminance(balanced) == pytest.approx(np.ones(3), abs=0.06 if near else 2e-3)


@given(
    st.sampled_from([(1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (0.0, 0.4, 1.0)]), st.floats(2000.0, 12_000.0)
)
def test_no_colour_becomes_less_than_no_light(colour, kelvin):
    light = np.full((4, 6, 3), colour, np.float32)
    assert in_light(light, Finish(white=White(kelvin)), 1.0, 0.5).min() >= 0.0


@given(st.floats(5000.0, 7500.0), st.floats(-0.01, 0.01))
def test_there_is_no_step_beside_the_usual_white(kelvin, duv):
    here, beside = matrix(White(kelvin, duv)), matrix(White(kelvin * 1.001, duv + 1e-5))
    assert np.abs(here - beside).max() < 2e-3


@pytest.mark.parametrize(("kelvin", "duv"), [(2300.0, 0.0), (3200.0, 0.01), (5600.0, -0.008), (9000.0, 0.02)])
def test_a_picked_colour_gives_its_temperature_and_tint(kelvin, duv):
    found = white_of(kelvin_to_acescg(kelvin, duv) * 37.0)
    assert found.kelvin == pytest.approx(kelvin, rel=0.004)
    assert found.tint_duv == pytest.approx(duv, abs=2e-4)


def test_black_has_no_white():
    with pytest.raises(ValueError, match="black"):
        white_of(np.zeros(3))


# -- night --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("level", "share"), [(5.0, 1.0), (1.0, 0.767), (0.1, 0.4336), (0.01, 0.1002), (0.001, 0.0)])
def test_day_vision_takes_part_as_the_commission_has_it(level, share):
    """CIE 191: where scotopic and photopic luminance are one, m = 0.767 + 0.3334 log10 L."""
    assert mesopic_share(level) == pytest.approx(share, abs=1e-3)


@pytest.mark.parametrize("level", [100.0, 1.0, 0.1, 0.001])
def test_grey_stays_as_bright_as_it_is_at_every_level(level):
    assert luminance(by_eye(grey(level), 1.0)) == pytest.approx(level, rel=2e-3)


def test_by_day_nothing_changes_and_by_night_no_colour_is_left():
    chart = np.array([[[0.4, 0.05, 0.04], [0.06, 0.3, 0.05], [0.05, 0.06, 0.4], [0.3, 0.3, 0.3]]], np.float32)
    day = (chart / chart.mean() * 100.0).astype(np.float32)
    assert by_eye(day, 1.0) is day
    night = by_eye((chart / chart.mean() * 1e-3).astype(np.float32), 1.0)
    xyz = night @ ACESCG_TO_XYZ.T
    assert xyz[..., 0] / xyz.sum(-1) == pytest.approx(0.25, abs=2e-3)
    assert xyz[..., 1] / xyz.sum(-1) == pytest.approx(0.25, abs=2e-3)


def test_reds_darken_before_blues():
    """Purkinje's shift."""
    red, blue = np.array([0.4, 0.05, 0.04]), np.array([0.05, 0.06, 0.4])
    both = np.stack([red / luminance(red), blue / luminance(blue)])[None].repeat(8, 0).astype(np.float32) * 0.01
    seen = luminance(by_eye(both, 1.0))[0]
    assert seen[0] < 0.01 < seen[1]


def test_half_the_strength_is_half_the_way(light):
    dim = light * np.float32(1e-3)
    half = (dim + by_eye(dim, 1.0)) / 2
    assert by_eye(dim, 0.5) == pytest.approx(half, rel=1e-3, abs=1e-7)


# -- glow and vignette --------------------------------------------------------------------------------


def test_glow_loses_no_light_and_even_light_stays_even(light):
    for size in (0.5, 1.0, 3.0):
        assert glowing(light, Glow(0.3, size), Halation()).sum((0, 1)) == pytest.approx(light.sum((0, 1)), rel=1e-3)
    assert glowing(grey(7.0), Glow(0.5), Halation()) == pytest.approx(7.0, rel=1e-4)


def lamp(height, x=0.5, y=0.5):
    """A lamp of the same light at any size of picture, its middle at a share of the frame; sub-pixel places blend."""
    width = height * 16 // 9
    picture = np.zeros((height, width, 3), np.float32)
    column, row = x * width - 0.5, y * height - 0.5
    i, j = int(np.floor(column)), int(np.floor(row))
    for dj, di in ((0, 0), (0, 1), (1, 0), (1, 1)):
        weight = (di * (column - i) or (1 - di) * (1 - column + i)) * (dj * (row - j) or (1 - dj) * (1 - row + j))
        picture[j + dj, i + di] += weight * height**2
    return picture


def spread_out(picture):
    return scattered(picture, Glow(1.0), Halation())


def test_glow_falls_evenly_to_all_sides():
    height = 181
    wide = spread_out(lamp(height, 0.5, 0.5))[..., 0]
    middle = np.unravel_index(np.argmax(wide), wide.shape)
    # Not so far that what is mirrored at the edges takes part.
    for far in (5, 15, 30):
        across = [wide[middle[0] + far, middle[1]], wide[middle[0] - far, middle[1]], wide[middle[0], middle[1] + far],
                  wide[middle[0], middle[1] - far]]  # fmt: skip
        slant = wide[middle[0] + round(far * 0.6), middle[1] + round(far * 0.8)]
        assert np.ptp(across) < 0.02 * np.mean(across)
        assert slant == pytest.approx(np.mean(across), rel=0.06)


def test_glow_is_the_same_share_of_the_frame_at_every_size():
    """Light that lies farther than a share of the frame's height from a lamp."""

    def shares(height):
        wide = spread_out(lamp(height))[..., 0]
        rows, columns = np.mgrid[0 : wide.shape[0], 0 : wide.shape[1]] + 0.5
        far = np.hypot(rows - wide.shape[0] / 2, columns - wide.shape[1] / 2) / height
        return np.array([wide[far > limit].sum() / wide.sum() for limit in (0.05, 0.1, 0.3)])

    small, large = shares(180), shares(1080)
    assert small == pytest.approx(large, abs=0.01)


def test_a_lamp_that_moves_by_less_than_a_pixel_does_not_flicker():
    height, width, glows = 180, 320, []
    rows, columns = np.mgrid[0:height, 0:width] + 0.5
    for step in range(8):
        x, y = 0.5 + step / 8 / width, 0.5 + step / 16 / height
        wide = spread_out(lamp(height, x, y))[..., 0]
        about = 1.0 / (1.0 + np.exp(10.0 - np.hypot(columns - x * width, rows - y * height)))
        glows.append((wide * about).sum())
    assert np.ptp(glows) < 0.01 * np.mean(glows)


def test_a_vignette_is_the_lenss_own_and_by_hand():
    own = gains(90, 160, Vignette(0.0, 1.0), TAN)
    row, column = 10, 20
    x, y = (column + 0.5 - 80) / 80 * TAN, (row + 0.5 - 45) / 80 * TAN
    assert own[row, column] == pytest.approx(np.cos(np.arctan(np.hypot(x, y))) ** 4, rel=1e-5)
    by_hand = gains(900, 1600, Vignette(-2.0, 0.0), TAN)
    assert np.log2(by_hand[0, 0]) == pytest.approx(-2.0, abs=0.02)
    assert by_hand[450, 800] == pytest.approx(1.0, abs=1e-4)


# -- grain --------------------------------------------------------------------------------------------


def test_grain_keeps_the_mean_and_is_strongest_in_the_middle_tones(finisher):
    def spread(level):
        flat, grain = np.full((400, 600, 3), level, np.float32), Finish(view="unrendered", grain=Grain(6.0))
        still = 255.0 * finished(flat, grain, 1.0, TAN)[..., 2]
        live = finisher.show(flat, grain, 1.0, TAN, dither=False)[..., 0].astype(float)
        # The still's to the code: half of one is lost by rounding.
        assert live == pytest.approx(still, abs=1.01)
        assert np.all(finisher.show(flat, grain, 1.0, TAN)[..., 3] == 255)
        return live

    middle = spread(0.214)
    assert middle.mean() == pytest.approx(127.5, abs=0.7)
    assert middle.std() == pytest.approx(6.0, rel=0.06)
    assert spread(0.01).std() < middle.std()


def test_grain_keeps_to_the_frame_and_to_its_seed():
    dark, bright = np.full((90, 160, 3), 0.4, np.float32), np.full((90, 160, 3), 0.6, np.float32)
    shape = dark.shape[:2]
    laid = [grained_by(Grain(8.0), *shape)(p, 0)[..., 0] - p[..., 0] for p in (dark, bright)]
    assert np.corrcoef(laid[0].ravel(), laid[1].ravel())[0, 1] > 0.999
    other = grained_by(Grain(8.0, seed=2), *shape)(dark, 0)[..., 0] - dark[..., 0]
    assert abs(np.corrcoef(laid[0].ravel(), other.ravel())[0, 1]) < 0.05
    whole = grained_by(Grain(8.0), *shape)(dark, 0)
    assert np.array_equal(whole[32:64], grained_by(Grain(8.0), *shape)(dark[32:64], 32))


@pytest.mark.parametrize("level", [2e-7, 0.003, 0.2, 0.997])
def test_grain_stays_within_black_and_white(level):
    rows = np.full((64, 96, 3), level, np.float32)
    made = grained_by(Grain(12.0), 64, 96)(rows, 0)
    assert made.dtype == np.float32
    assert made.min() >= 0.0
    assert made.max() <= 1.0


@pytest.mark.parametrize("strength", [1.0, 12.0, 64.0])
def test_grain_neither_lifts_black_nor_lowers_white(finisher, strength):
    for level in (0.0, 0.01, 0.5, 0.99, 1.0):
        signal = np.full((200, 300, 3), level, np.float32)
        laid = grained_by(Grain(strength), 200, 300)(signal, 0)
        assert laid.min() >= 0.0
        assert laid.max() <= 1.0
        assert laid.mean() == pytest.approx(level, abs=0.1 / 255)


def test_grain_repeats_nowhere_and_its_channels_differ():
    found = grains(1, 2.0, 700, 1300)
    assert np.abs(np.corrcoef(found[:, :512, 0].ravel(), found[:, 512:1024, 0].ravel())[0, 1]) < 0.02
    for one, other in ((0, 1), (1, 2), (0, 2)):
        assert 0.4 < np.corrcoef(found[..., one].ravel(), found[..., other].ravel())[0, 1] < 0.6
    np.testing.assert_allclose(found.std((0, 1)), 1.0, atol=0.02)


def test_grain_has_its_size_in_thousandths_of_the_height():
    """The width of its self-correlation, at half its height."""

    def width(height):
        grains = noise(1, 8.0 / 1000 * height)
        power = np.abs(np.fft.fft2(grains)) ** 2
        lag = np.real(np.fft.ifft2(power))[0, :60] / (grains**2).sum()
        return np.interp(0.5, lag[:40][::-1], np.arange(40)[::-1]) / height

    assert width(540) == pytest.approx(width(1080), rel=0.1)


# -- views --------------------------------------------------------------------------------------------


def test_false_colours_are_whole_stops(finisher):
    for stop in range(-6, 6):
        for near in (-0.4, 0.0, 0.4):
            level = MID_GREY * 2.0 ** (stop + near)
            wanted = FALSE_COLOURS[stop - FALSE_LOW]
            still = finished(grey(level), Finish(view="false colour"), 1.0, TAN)
            assert np.array_equal(np.rint(still[0, 0] * 255), wanted), (stop, near)
            live = finisher.show(grey(level), Finish(view="false colour"), 1.0, TAN)[0, 0]
            assert np.array_equal(live[2::-1], wanted), (stop, near)
    assert len({tuple(c) for c in FALSE_COLOURS}) == len(FALSE_COLOURS)
    # Brighter light has lighter colours up to the last but one; what is past the top stands out.
    assert np.ptp(FALSE_COLOURS[7]) == 0


@pytest.mark.parametrize("view", [v for v in VIEWS if v != "false colour"])
def test_views_are_kept_in_tables_of_their_own(view, finisher):
    exposed = np.geomspace(0.001, 8.0, 400)[None, :, None].repeat(3, 2).astype(np.float32)
    table = finisher.show(exposed, Finish(view=view), 1.0, TAN, dither=False)[..., 2::-1]
    still = direct(exposed, view) * 255.0
    # Where a view cuts off without a roll-off a table rounds the corner.
    before = still < 240.0 if view == "unrendered" else still < 256.0
    assert np.abs(table - still)[before].max() < 1.6


def test_display_p3_shows_the_same_grey_and_other_numbers_for_colours():
    red = np.full((1, 1, 3), 0.1, np.float32) * np.array([3.0, 0.4, 0.2], np.float32)
    for view in ("ACES 2.0", "ACES 1.3", "unrendered"):
        greys = [direct(grey(MID_GREY), view, screen)[0, 0] for screen in ("sRGB", "Display P3")]
        assert greys[0] == pytest.approx(greys[1], abs=2e-3)
        srgb, p3 = (direct(red, view, screen)[0, 0] for screen in ("sRGB", "Display P3"))
        assert p3[0] < srgb[0]


# -- the value ----------------------------------------------------------------------------------------


def test_between_two_finishes_every_number_goes_its_way():
    one, two = Finish(), EVERYTHING
    half = between(one, two, 0.5)
    assert half.grade.exposure == pytest.approx(0.1)
    assert half.white.kelvin == pytest.approx(np.sqrt(6000.0 * 5000.0))
    assert all(row.read(between(one, two, 1.0)) == pytest.approx(row.read(two)) for row in FINISH_ROWS)
    assert all(row.read(between(one, two, 0.0)) == pytest.approx(row.read(one)) for row in FINISH_ROWS)


def test_a_finish_of_the_shelf_knows_its_name_until_it_is_changed():
    import attrs

    for name in SHELF:
        begun = begun_with(name, Finish(view="ACES 1.3"))
        assert begun.view == "ACES 1.3"
        assert name_of(begun) == name
        assert name_of(attrs.evolve(begun, night=0.123)) == ""
    assert name_of(Finish()) == ""


def test_usual_numbers_are_those_of_the_rows():
    assert all(row.read(Finish()) == row.usual for row in FINISH_ROWS)
    assert luminance(np.ones(3)) == pytest.approx(LUMINANCE_WEIGHTS.sum())


# -- steps off, alone, copied -------------------------------------------------------------------------


def test_a_step_that_is_off_is_as_if_it_were_not_there(light):
    for step in ("tone", "white balance", "glow", "vignette", "CDL", LEANING):
        off = attrs.evolve(EVERYTHING, off=(step,))
        assert np.array_equal(
            finished(light, off, 0.02, TAN), finished(light, with_step(EVERYTHING, Finish(), step), 0.02, TAN)
        ), step
    assert with_off(with_off(EVERYTHING, "glow", True), "glow", False) == EVERYTHING
    assert attrs.evolve(EVERYTHING, off=STEP_NAMES).in_force == Finish()


def test_one_step_alone_and_all_again():
    only = alone(EVERYTHING, "glow", STEP_NAMES)
    assert only.in_force == Finish(glow=EVERYTHING.glow)
    assert alone(only, "glow", STEP_NAMES) == EVERYTHING


@pytest.mark.parametrize("step", STEP_NAMES)
def test_a_step_is_copied_and_pasted_and_nothing_else_is(step):
    mask = Mask("m", "corner", (Region("strokes", strokes=(Stroke(((0.1, 0.2), (0.3, 0.2)), 0.04),)),), stops=-1.0)
    given = attrs.evolve(EVERYTHING, masks=(mask,), table=TableFile("a.cube", "d", 0.5), star=1.0, ghosts=2.0)
    document = load(DEMO)[0]
    found, told = pasted(document, to_text(given, step))
    assert told == step
    now, before = found.look.finish, document.look.finish
    assert with_step(now, before, step) == with_step(before, before, step) or step == MASKS
    if step == MASKS:
        assert now.masks[0].regions == mask.regions
        assert now.masks[0].id != mask.id
    elif step == TABLE:
        assert now.table == given.table
    else:
        for row in FINISH_ROWS:
            assert row.read(now) == row.read(given if row.section == step else before), row.name


def test_a_mask_and_a_whole_finish_are_pasted(light):
    mask = Mask("m", "corner", stops=-1.0)
    document = load(DEMO)[0]
    count = len(document.look.finish.masks)
    once, _step = pasted(document, to_text(Finish(masks=(mask,)), ONE_MASK))
    twice, _step = pasted(once, to_text(Finish(masks=(mask,)), ONE_MASK))
    names = [m.name for m in twice.look.finish.masks[count:]]
    assert names == ["corner", "corner 2"]
    whole, _step = pasted(document, to_text(EVERYTHING, WHOLE))
    assert whole.look.finish == EVERYTHING


NO_FINISH = ("", "a letter", "[]", "{}", '{"lunar-haze finish": "glow"}', "[" * 5000,
             '{"lunar-haze finish": "no such step", "finish": {}}',
             '{"lunar-haze finish": "glow", "finish": {"night": NaN}}')  # fmt: skip


@pytest.mark.parametrize("text", NO_FINISH)
def test_what_is_no_finish_is_refused_in_words(text):
    with pytest.raises(FinishError, match=r"copied|no step"):
        pasted(load(DEMO)[0], text)


# -- the live picture ---------------------------------------------------------------------------------


@pytest.mark.parametrize("saturation", [1.0, 0.6, 1.4])
@pytest.mark.parametrize("split", [0.0, 0.7])
@pytest.mark.parametrize("view", ["ACES 2.0", "unrendered"])
def test_a_live_grade_is_a_stills(light, finisher, saturation, split, view):
    """Before the same table of the view: all that may differ is how a curve is read between its nodes."""
    grade = Grade(0.4, 1.2, 0.3, -0.2, split)
    cdl = Cdl((1.1, 1.0, 0.95), (0.01, 0.0, -0.01), (1.0, 1.05, 1.0), saturation)
    wanted = finisher.view(view).show(graded(light * 0.02, grade, cdl).astype(np.float32), 1.0, dither=False)
    finish = Finish(view=view, grade=grade, cdl=cdl)
    found = finisher.show(light, finish, 0.02, TAN, dither=False)
    assert np.abs(found.astype(int) - wanted).max() <= 1
    assert (found != wanted).mean() < 0.02
    # Once it stays as it is the grade lies in the table, between whose nodes more is guessed.
    again = [finisher.show(light, finish, 0.02, TAN, dither=False) for _ in range(2)]
    assert np.array_equal(*again)
    away = np.abs(again[0].astype(int) - wanted)
    assert away.mean() < 0.35
    assert np.quantile(away, 0.99) <= 4
    assert away.max() <= 16


def large(light):
    return np.repeat(np.repeat(light, 5, 0), 5, 1)[:432] * np.float32(0.01)


@pytest.mark.parametrize("finish", [
    Finish(), Finish(Glow(0.2), 0.7, White(5000.0), Vignette(-1.0)), Finish(Glow(0.2)), Finish(night=1.0),
    Finish(white=White(5000.0)), Finish(vignette=Vignette(-2.0)), Finish(Glow(0.1), halation=Halation(0.2)),
    Finish(halation=Halation(0.2), night=0.5), Finish(Glow(0.2), acuity=1.0), Finish(Glow(0.2), dark_noise=1.0),
    Finish(Glow(0.1), star=1.0, ghosts=3.0)])  # fmt: skip
def test_one_pass_is_all_steps_in_turn(light, finisher, finish):
    """The moving picture reads each pixel once; a still takes each step by itself."""
    picture, scale = large(light), 2.0
    wanted = finisher.view(finish.view).show(in_light(picture, finish, scale, TAN), scale, dither=False)
    found = finisher.show(picture, finish, scale, TAN, dither=False)
    away = np.abs(found.astype(int) - wanted)[..., :3]
    # Glow comes from a picture of half the size: what is one lamp's pixel here is four there.
    scatters = finish.glow.strength or finish.halation.strength
    assert away.mean() < (1.0 if scatters else 0.01)
    assert found[..., :3].mean() == pytest.approx(wanted[..., :3].mean(), rel=5e-3 if scatters else 1e-4)


@pytest.mark.parametrize("finish", [
    Finish(Glow(0.3, 2.0)), Finish(Glow(0.1), halation=Halation(0.2)), Finish(halation=Halation(0.4), night=0.5)])  # fmt: skip
def test_scattered_light_of_parts_is_that_of_their_sum(light, finisher, finish):
    picture = large(light)
    scatter = layer_scatter(finish, len(picture))
    part = picture * np.random.default_rng(2).random(picture.shape).astype(np.float32)
    parts = scatter(picture - part) + scatter(part)
    found = finisher.show(picture, finish, 2.0, TAN, dither=False, scattered=parts)
    wanted = finisher.show(picture, finish, 2.0, TAN, dither=False)
    assert np.abs(found.astype(int) - wanted).max() <= 1


def test_layers_scatter_by_themselves_only_where_glow_comes_first():
    mask = Mask("m", "corner", (Region(),), stops=-1.0)
    assert live_scatter(Finish(), 540) is None
    assert live_scatter(Finish(Glow(0.1)), 240) is None
    for before in (Finish(Glow(0.1), masks=(mask,)), Finish(Glow(0.1), star=1.0), Finish(Glow(0.1), ghosts=1.0)):
        assert layer_scatter(before, 540) is None
        assert live_scatter(before, 540) is not None
    assert layer_scatter(Finish(Glow(0.1), star=1.0, off=("starburst and ghosts",)), 540) is not None
    # A hand on the glow's strength needs nothing scattered again.
    assert (
        layer_scatter(Finish(Glow(0.1)), 540) == layer_scatter(Finish(Glow(0.2)), 540) == Scatter(Glow(1.0), Halation())
    )
    assert layer_scatter(Finish(Glow(0.1, 2.0)), 540) != layer_scatter(Finish(Glow(0.1)), 540)


# -- what papers say --------------------------------------------------------------------------------


def test_what_is_picked_as_neutral_is_as_grey_as_the_views_white():
    rng = np.random.default_rng(4)
    for light in (*rng.uniform(0.7, 1.3, (20, 3)), np.ones(3), kelvin_to_acescg(2900.0), kelvin_to_acescg(6000.0)):
        made = matrix(white_of(light)) @ light
        assert made / made[1] == pytest.approx((1.0, 1.0, 1.0), abs=2e-3)
    assert white_of(np.ones(3)) == White()


def test_the_glow_of_a_lamp_falls_as_its_paper_has_it():
    height, width = 540, 960
    light = np.zeros((height, width, 3), np.float32)
    light[270, 480] = 1e6
    # So small that what the mirrored edges send back is nothing.
    made = scattered(light, Glow(1.0, 0.25), Halation())[270, 480:, 1]
    degrees = np.arange(len(made)) * HEIGHT_DEG / 0.25 / height
    for near, far in ((1.0, 4.0), (1.0, 8.5), (4.0, 12.0)):
        i, j = (int(np.argmin(np.abs(degrees - each))) for each in (near, far))
        assert made[j] / made[i] == pytest.approx(spread(degrees[j]) / spread(degrees[i]), rel=0.04)
