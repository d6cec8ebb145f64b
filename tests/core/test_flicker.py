"""Flickers against what is published of them: spectra, means, times; and the same light from the same seed."""

import attrs
import numpy as np
import pytest
from scipy.signal import welch

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import from_json, load, to_json
from lunar_haze.core.sources.contacts import FailingTube, LooseContact
from lunar_haze.core.sources.flames import C2_OVER_LAMBDA, Flame, rate_hz, spectrum
from lunar_haze.core.sources.flicker import FLICKERS, STEADY, flicker_light, turned
from lunar_haze.core.sources.flicker_kinds import flicker_kinds, flicker_tagged
from lunar_haze.core.sources.model import Ball, Beam
from lunar_haze.core.sources.screen_video import MOST_SERIES, FilmedScreen
from lunar_haze.core.sources.screens import ScreenLight
from lunar_haze.core.sources.storms import BETWEEN_S, Storm, flash, flash_light
from lunar_haze.core.sources.turning import Beacon, Headlamps
from lunar_haze.service.folders import demo_file

LUMA = np.array([0.2722287, 0.6740818, 0.0536895])


def level(flicker, seconds, kelvin=1850.0):
    return flicker.light(np.asarray(seconds, float), kelvin) @ LUMA


@pytest.mark.parametrize("kind", flicker_kinds(), ids=lambda k: k.name)
def test_the_same_seed_is_the_same_light_from_any_moment(kind):
    flicker = kind.value()
    moments = np.linspace(0.0, 70.0, 200)
    whole = flicker.light(moments, 1850.0)
    np.testing.assert_array_equal(flicker.light(moments[::-1], 1850.0)[::-1], whole)
    for i in (0, 57, 199):
        np.testing.assert_allclose(flicker.light(moments[i : i + 1], 1850.0)[0], whole[i], rtol=1e-12)
    assert np.isfinite(whole).all()
    assert whole.min() >= 0.0
    if hasattr(flicker, "seed") and kind.name != "lightning":
        assert not np.array_equal(attrs.evolve(flicker, seed=2).light(moments, 1850.0), whole)


def test_every_kind_is_declared_with_a_tag_of_its_own():
    assert {k.value for k in flicker_kinds()} == set(FLICKERS)
    assert all(flicker_tagged(k.tag) is k for k in flicker_kinds())


# -- flames ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(("diameter", "hz"), [(0.02, 10.6), (0.1, 4.74), (1.0, 1.5)])
def test_a_flame_flickers_as_often_as_cetegen_and_ahmed_measured(diameter, hz):
    assert rate_hz(diameter) == pytest.approx(hz, rel=0.01)
    rate = 16 * hz
    course = np.log(Flame(diameter, 0.2, 0.0).level(np.arange(0, 600 / hz * 4, 1 / rate)))
    frequencies, power = welch(course, rate, nperseg=2048)
    near = frequencies > hz / 2
    assert frequencies[near][np.argmax(power[near])] == pytest.approx(hz, rel=0.1)


def test_over_the_line_turbulence_falls_by_five_thirds():
    hz = rate_hz(0.02)
    frequencies = np.geomspace(6 * hz, 30 * hz, 40)
    slope = np.polyfit(np.log(frequencies), np.log(spectrum(frequencies, 0.02)), 1)[0]
    assert slope == pytest.approx(-5 / 3, abs=0.03)


def test_the_course_of_a_flame_has_the_spectrum_it_is_made_from():
    flame, rate = Flame(0.02, 0.2, 0.0), 400.0
    both = [np.log(attrs.evolve(flame, seed=s).level(np.arange(0, 120, 1 / rate))) for s in range(1, 9)]
    frequencies, powers = welch(np.array(both), rate, nperseg=512)
    power, wanted = powers.mean(0) / 0.2**2, spectrum(np.maximum(frequencies, 0.1), 0.02)
    for low, high in ((1.0, 4.0), (8.0, 13.0), (14.0, 40.0)):
        band = (frequencies > low) & (frequencies < high)
        assert power[band].sum() == pytest.approx(wanted[band].sum(), rel=0.25)


@pytest.mark.parametrize("depth", [0.1, 0.3, 0.6])
def test_a_flame_of_ten_lumen_gives_ten_lumen_over_time(depth):
    moments = np.arange(0, 600, 1 / 60)
    for seed in (1, 2, 3):
        assert 10.0 * Flame(depth=depth, colour=0.0, seed=seed).level(moments).mean() == pytest.approx(10.0, rel=0.01)
    mean = level(Flame(depth=depth, colour=1.0), moments).mean()
    assert 10.0 * mean == pytest.approx(10.0, rel=0.01)


def test_a_flame_s_depth_is_the_spread_of_its_light():
    course = np.log(Flame(depth=0.3, colour=0.0).level(np.arange(0, 300, 1 / 60)))
    assert course.std() == pytest.approx(0.3, rel=0.1)


def test_a_brighter_flame_is_warmer_in_kelvin_by_wien():
    """d ln L / d ln T = c2 / (lambda T): twelve to fourteen for a candle."""
    assert pytest.approx(14.0, abs=0.2) == C2_OVER_LAMBDA / 1850
    flame = Flame(depth=0.4, colour=1.0)
    moments = np.arange(0, 20, 1 / 50)
    light = flame.light(moments, 1850.0)
    bright = flame.level(moments) > 1.5
    blue_share = light[:, 2] / light.sum(1)
    assert blue_share[bright].mean() > blue_share[~bright].mean()


# -- lamps that fail --------------------------------------------------------------------------------


@pytest.mark.parametrize("share", [0.3, 0.6, 0.9])
def test_a_tube_burns_the_share_of_the_time_that_it_is_told(share):
    lit = level(FailingTube(lit_share=share), np.arange(0, 1200, 1 / 50)) > 0.5
    assert lit.mean() == pytest.approx(share, abs=0.13)


def test_a_tube_strikes_as_often_as_it_is_told_and_is_cold_and_dim_then():
    moments = np.arange(0, 1200, 1 / 400)
    tube = FailingTube(lit_share=0.3, strikes_hz=2.0)
    light = tube.light(moments, 4000.0)
    lit = light @ LUMA > 0.5
    strikes = np.flatnonzero(lit[1:] & ~lit[:-1]) + 1
    failing = (~lit).mean() * 1200
    assert len(strikes) / failing == pytest.approx(2.0, rel=0.35)
    warm = lit & (light @ LUMA > 0.99)
    assert (light[strikes, 2] / light[strikes, 0]).mean() > (light[warm, 2] / light[warm, 0]).mean()
    assert (light[strikes] @ LUMA).mean() < 0.9
    ends = light[~lit]
    assert (ends[:, 0] > ends[:, 2]).all()


def test_a_contact_that_is_open_lets_a_filament_cool_and_a_closed_one_is_steady():
    contact = LooseContact(bursts_per_min=20.0, depth=1.0)
    course = level(contact, np.arange(0, 120, 1 / 500))
    assert (course > 0.99).mean() > 0.5
    assert course.min() < 0.5
    # Nothing jumps: a filament follows within some hundredths of a second.
    assert np.abs(np.diff(course)).max() < 1 / 500 / 0.06 * 1.05
    assert level(attrs.evolve(contact, depth=0.0), [1.0, 5.0]) == pytest.approx([1.0, 1.0])


# -- screens ----------------------------------------------------------------------------------------


def test_a_screen_cuts_as_often_as_films_do_and_keeps_its_mean():
    screen = ScreenLight(shot_s=4.0, depth=0.6, colour=0.0)
    moments = np.arange(0, 7200, 1 / 12)
    course = level(screen, moments)
    assert course.mean() == pytest.approx(1.0, rel=0.06)
    cuts = np.flatnonzero(np.abs(np.diff(np.log(course))) > 0.12)
    assert 7200 / (len(cuts) + 1) == pytest.approx(4.0, rel=0.3)


# -- lightning --------------------------------------------------------------------------------------


def test_flashes_have_the_strokes_that_are_measured():
    """Rakov and Uman 2003: three to five strokes, sixty milliseconds apart in the geometric mean."""
    strokes = [flash(1, n) for n in range(2000)]
    assert 3.0 <= np.mean([len(s) for s in strokes]) <= 5.0
    apart = np.concatenate([np.diff(s[:, 0]) for s in strokes])
    assert np.exp(np.log(apart).mean()) == pytest.approx(BETWEEN_S, rel=0.05)
    later = np.concatenate([s[1:, 1] for s in strokes])
    assert np.median(later) == pytest.approx(0.5, rel=0.1)
    glowing = np.mean([(s[:, 3] > 0).any() for s in strokes])
    assert glowing == pytest.approx(0.35, abs=0.04)


def test_a_flash_peaks_at_its_strokes_and_is_dark_before_and_after():
    strokes = flash(3, 0)
    assert flash_light(strokes, np.array([-0.001]))[0] == 0.0
    assert flash_light(strokes, np.array([0.0]))[0] == pytest.approx(1.0, rel=0.2)
    assert flash_light(strokes, np.array([3.0]))[0] < 1e-3


def test_a_storm_has_the_rate_that_it_is_told():
    storm = Storm(at_s=-1.0, per_min=6.0)
    course = level(storm, np.arange(0, 3600, 0.004))
    lit = course > 0.02
    begins = np.flatnonzero(lit[1:] & ~lit[:-1])
    flashes = 1 + np.count_nonzero(np.diff(begins) * 0.004 > 1.5)
    assert flashes / 60 == pytest.approx(6.0, rel=0.2)
    assert not level(Storm(at_s=-1.0, per_min=0.0), [0.0, 1.0]).any()
    assert level(Storm(at_s=1.0), [1.0])[0] == pytest.approx(1.0, rel=0.2)


def test_what_the_shutter_sees_is_the_mean_while_it_is_open():
    storm = Storm(at_s=0.0)
    short, long = (flicker_light(storm, 0.0, open_s, 6000.0)[0] for open_s in (0.002, 1 / 48))
    assert 0.0 < long < short
    assert flicker_light(STEADY, 3.0, 1 / 48, 2000.0) == pytest.approx([1.0, 1.0, 1.0])


# -- lamps that turn ----------------------------------------------------------------------------------


def test_a_beacon_comes_round_and_keeps_its_distance_and_height():
    beam = Beam((1.0, 2.0, 3.0), (5.0, 2.0, 1.0))
    beacon = Beacon(rpm=15.0)
    back = turned(beam, beacon, 4.0)
    assert back.aim == pytest.approx(beam.aim)
    quarter = turned(beam, beacon, 1.0)
    # A quarter turn clockwise: from east to south.
    assert quarter.aim == pytest.approx((1.0, -2.0, 1.0))
    ball = Ball((0.0, 0.0, 1.0))
    assert turned(ball, beacon, 1.0) == ball


def test_headlamps_sweep_past_their_aim_and_are_gone_between():
    lamps = Headlamps(sweep_deg=80.0, pass_s=2.0, every_s=5.0)
    assert level(lamps, [1.0, 3.0, 6.0]) == pytest.approx([1.0, 0.0, 1.0])
    assert lamps.turned_deg(1.0) == pytest.approx(0.0, abs=1e-6)
    assert lamps.turned_deg(0.0) == pytest.approx(-40.0)
    speeds = np.diff([lamps.turned_deg(t) for t in np.linspace(0, 2, 21)])
    assert speeds.argmax() in (9, 10)
    assert speeds.min() > 0


def test_a_film_of_ten_minutes_comes_back_from_the_file():
    """Its frames were more than a file's lists could hold: the look was set aside when it was opened."""
    document = load(demo_file())[0]
    film = FilmedScreen(tuple((1.0, 1.0 + n / MOST_SERIES, 1.0) for n in range(MOST_SERIES)), name="long.mp4")
    source = document.look.sources[0]
    filmed = edits.change_source(document, source.id, flicker=film)
    again, notes = from_json(to_json(filmed, None), demo_file().parent, "film.haze")
    assert notes == []
    assert again.look.source(source.id).flicker == film


@pytest.mark.parametrize("share", [0.05, 0.3, 0.6, 0.95, 1.0])
@pytest.mark.parametrize("strikes_hz", [0.5, 2.5, 20.0])
def test_a_tube_is_lit_for_its_share_to_the_moment(share, strikes_hz):
    tube = FailingTube(share, strikes_hz, seed=3)
    lit = level(tube, (np.arange(200_000) + 0.5) / 200_000 * 60.0, 4000.0) > 0.3
    assert lit.mean() == pytest.approx(share, abs=2e-3)


def test_what_a_shutter_sees_of_a_flash_is_its_integral_whatever_the_phase_of_its_strokes():
    storm = Storm(0.5, 12.0, seed=2)
    frames = 0.3 + np.arange(24) / 48.0
    for open_s in (1 / 48, 1 / 200, 1 / 2000):
        for second in frames:
            fine = storm.light(second + (np.arange(40_000) + 0.5) / 40_000 * open_s, 0.0).mean()
            assert storm.exposed(second, open_s, 0.0)[1] == pytest.approx(fine, rel=2e-3, abs=1e-7)
    # Frames that lie side by side have all of the light, over the end of a block as well.
    parts = sum(storm.exposed(59.0 + k / 24, 1 / 24, 0.0)[1] for k in range(48)) / 24
    assert parts == pytest.approx(2.0 * storm.exposed(59.0, 2.0, 0.0)[1], rel=1e-9)
    assert storm.exposed(0.5, 0.0, 0.0)[1] == pytest.approx(storm.light(np.array([0.5]), 0.0)[0, 1])


def test_one_flash_in_six_has_a_single_stroke():
    counts = np.array([len(flash(seed, number)) for seed in (1, 2) for number in range(1500)])
    assert 0.15 <= (counts == 1).mean() <= 0.20
    assert 3.0 <= counts.mean() <= 5.0
