"""Numbers that change over the frames: curves through keys, documents in step with them, and edits of ranges."""

import itertools
import math
from pathlib import Path

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from lunar_haze.core.document import cue_edits, cues, edits, mask_edits
from lunar_haze.core.document.cues import (
    CueSheet,
    at_frame,
    can_be_keyed,
    cue_of,
    cues_of,
    followed,
    seen_at,
    with_cue,
    with_key,
    without_cue,
    without_key,
)
from lunar_haze.core.document.files import from_json, load, to_json
from lunar_haze.core.document.model import Cue
from lunar_haze.core.document.rows import AIR, CAMERA, DAY, FINISH, facets_of, targets_of
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.layers import model
from lunar_haze.core.layers.model import PlaceSpec, digest
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.core.sources.turning import Beacon
from lunar_haze.core.units.curve import (
    EASED,
    EASINGS,
    LINEAR,
    PLAIN,
    RATIO,
    RECIPROCAL,
    SCALES,
    SMOOTH,
    STEP,
    Key,
    value_at,
)

numbers = st.floats(0.01, 1000.0)
keys = st.lists(
    st.tuples(st.integers(-50, 200), numbers, st.sampled_from(EASINGS), st.sampled_from(EASINGS)),
    min_size=1, max_size=8, unique_by=lambda k: k[0],
).map(lambda found: tuple(Key(float(f), v, i, o) for f, v, i, o in sorted(found)))  # fmt: skip


@given(keys, st.sampled_from(SCALES))
def test_a_curve_goes_through_its_keys(found, scale):
    for key in found:
        assert value_at(found, key.frame, scale) == key.value
    assert value_at(found, found[0].frame - 7.5, scale) == found[0].value
    assert value_at(found, found[-1].frame + 7.5, scale) == found[-1].value


@given(keys, st.sampled_from(SCALES))
def test_a_curve_never_overshoots_and_keeps_its_direction_between_keys(found, scale):
    for left, right in itertools.pairwise(found):
        frames = np.linspace(left.frame, right.frame, 33)
        values = [value_at(found, f, scale) for f in frames]
        low, high = sorted((left.value, right.value))
        assert min(values) >= low * (1 - 1e-9)
        assert max(values) <= high * (1 + 1e-9)
        steps = np.diff(values) * (1 if right.value >= left.value else -1)
        assert steps.min() >= -1e-9 * max(abs(high), 1.0)


def test_a_step_holds_a_line_is_straight_and_ease_rests():
    def between(easing, frame):
        return value_at((Key(0, 0.0, easing, easing), Key(10, 1.0, easing, easing)), frame)

    assert between(STEP, 9.999) == 0.0
    assert between(LINEAR, 2.5) == pytest.approx(0.25)
    assert between(EASED, 5.0) == pytest.approx(0.5)
    assert between(EASED, 0.01) < 0.01 * 0.01
    assert between(SMOOTH, 2.5) == pytest.approx(between(EASED, 2.5))


def test_smooth_keys_bend_without_a_corner():
    found = (Key(0, 0.0), Key(10, 3.0), Key(30, 5.0), Key(35, 9.0))
    for key in found[1:-1]:
        before = (value_at(found, key.frame) - value_at(found, key.frame - 1e-4)) / 1e-4
        after = (value_at(found, key.frame + 1e-4) - value_at(found, key.frame)) / 1e-4
        assert before == pytest.approx(after, rel=1e-3)


def test_a_smooth_curve_is_near_a_library_s_monotone_one():
    """SciPy's PCHIP (Fritsch and Butland 1984) has other slopes at keys; both are monotone and lie close together."""
    found = (Key(0, 1.0), Key(12, 2.0), Key(20, 2.5), Key(40, 8.0), Key(52, 8.5))
    other = PchipInterpolator([k.frame for k in found], [k.value for k in found])
    frames = np.linspace(12, 40, 200)
    apart = np.abs([value_at(found, f) - other(f) for f in frames])
    assert apart.max() < 0.35


def test_ratios_are_drawn_in_stops_and_temperatures_in_mired():
    line = (Key(0, 1.0, LINEAR, LINEAR), Key(10, 16.0, LINEAR, LINEAR))
    assert value_at(line, 5, RATIO) == pytest.approx(4.0)
    warm = (Key(0, 2000.0, LINEAR, LINEAR), Key(10, 8000.0, LINEAR, LINEAR))
    assert 1e6 / value_at(warm, 5, RECIPROCAL) == pytest.approx((500 + 125) / 2)
    clearing = (Key(0, 100.0, LINEAR, LINEAR), Key(10, math.inf, LINEAR, LINEAR))
    assert value_at(clearing, 5, RECIPROCAL) == pytest.approx(200.0)
    assert value_at(clearing, 10, RECIPROCAL) == math.inf
    through_zero = (Key(0, 0.0, LINEAR, LINEAR), Key(10, 4.0, LINEAR, LINEAR))
    assert value_at(through_zero, 5, RATIO) == pytest.approx(2.0)


# -- documents ------------------------------------------------------------------------------------


@pytest.fixture
def document(demo):
    found = load(demo)[0]
    found = attrs.evolve(found, current_look="lamplit wait", current_shot="Waiting")
    return edits.change_shot(found, first_frame=1, last_frame=48, frame=1, ends=None)


def _lamp(document):
    return next(s for s in document.look.sources if "lantern" in s.name)


def test_a_keyed_number_has_what_its_curve_has_at_the_frame_on_screen(document):
    lamp = _lamp(document).id
    keyed = with_key(document, lamp, "dimmer", 0.0, frame=1)
    keyed = with_key(keyed, lamp, "dimmer", -4.0, frame=48)
    keyed = with_cue(keyed, cue_edits.eased(cue_of(keyed, lamp, "dimmer"), (1.0, 48.0), LINEAR))
    there = at_frame(keyed, 24)
    assert there.shot.frame == 24
    assert there.look.expect(lamp).dimmer_stops == pytest.approx(-4.0 * 23 / 47)


def test_going_to_a_frame_is_the_same_from_anywhere(document):
    lamp = _lamp(document).id
    for target, row, values in (
        (lamp, "dimmer", (0.0, -3.0)), ("rim", "azimuth", (350.0, 20.0)), ("rim", "elevation", (10.0, 60.0)),
        (lamp, "colour temperature", (1900.0, 3000.0)), (AIR, "visibility", (200.0, 40.0)),
        (CAMERA, "exposure", (5.0, 3.0)), (CAMERA, "focus distance", (2.0, 9.0)), (FINISH, "glow", (0.0, 0.3)),
        (DAY, "hour", (20.0, 22.5)), (lamp, "gel red", (1.0, 0.4)), (lamp, "muted", (0.0, 1.0)),
    ):  # fmt: skip
        for frame, value in zip((1, 48), values):
            document = with_key(document, target, row, value, frame=frame)
    straight = at_frame(document, 31)
    wandered = document
    for frame in (40, 2, 17, 48, 1, 31):
        wandered = at_frame(wandered, frame)
    for target, row in {(c.target, c.row) for c in cues_of(document)}:
        facets = facets_of(straight, target)
        assert facets_of(wandered, target)[row].read(wandered) == pytest.approx(facets[row].read(straight), rel=1e-9)
    # The shorter way round: through north.
    assert facets_of(straight, "rim")["azimuth"].read(straight) < 20.0


def test_the_lens_follows_its_cue_while_the_camera_moves(document):
    moving = edits.change_shot(document, ends=attrs.evolve(document.shot.camera, position=(3.0, -5.0, 2.0)))
    keyed = with_key(with_key(moving, CAMERA, "focus distance", 2.0, frame=1), CAMERA, "focus distance", 8.0, frame=48)
    assert keyed.shot.cues
    assert not keyed.look.cues
    for frame in (1, 20, 48):
        there = at_frame(keyed, frame)
        assert there.shot.seen_from.focus_m == pytest.approx(there.shot.cues[0].at(frame))


def test_a_hand_on_a_keyed_number_sets_a_key(document):
    lamp = _lamp(document).id
    keyed = at_frame(with_key(document, lamp, "dimmer", 0.0, frame=1), 20)
    edited = followed(keyed, edits.change_source(keyed, lamp, dimmer_stops=-2.0))
    assert [(k.frame, k.value) for k in cue_of(edited, lamp, "dimmer").keys] == [(1.0, 0.0), (20.0, -2.0)]
    other = followed(keyed, edits.change_source(keyed, lamp, kelvin=2500.0))
    assert other.look.cues == keyed.look.cues


def test_another_frame_shot_or_look_brings_the_numbers_along(document):
    lamp = _lamp(document).id
    keyed = with_key(with_key(document, lamp, "dimmer", 0.0, frame=1), lamp, "dimmer", -5.0, frame=48)
    gone = followed(keyed, edits.change_shot(keyed, frame=48))
    assert gone.look.expect(lamp).dimmer_stops == -5.0
    elsewhere = followed(gone, attrs.evolve(gone, current_look="blue hour"))
    back = followed(elsewhere, edits.change_shot(attrs.evolve(elsewhere, current_look="lamplit wait"), frame=1))
    assert back.look.expect(lamp).dimmer_stops == 0.0
    shot, look = seen_at(back, "Waiting", "lamplit wait", 48)
    assert (shot.frame, look.expect(lamp).dimmer_stops) == (48, -5.0)


def test_keys_and_cues_go(document):
    lamp = _lamp(document).id
    keyed = with_key(with_key(document, lamp, "dimmer", 1.0, frame=1), lamp, "dimmer", 2.0, frame=10)
    one = without_key(keyed, cue_of(keyed, lamp, "dimmer"), 10)
    assert len(cue_of(one, lamp, "dimmer").keys) == 1
    assert not cues_of(without_key(one, cue_of(one, lamp, "dimmer"), 1))
    assert not cues_of(without_cue(keyed, cue_of(keyed, lamp, "dimmer")))
    assert not cues_of(edits.remove_source(keyed, lamp))


def test_cues_of_banks_and_masks_stay_with_theirs_when_others_go(document):
    for name in ("one", "two"):
        document = mask_edits.add_mask(document, name, Region())
    keyed = with_key(document, FINISH, "mask exposure", -1.0, (1, 0), frame=5)
    gone = mask_edits.remove_mask(keyed, 0)
    assert [c.part for c in gone.look.cues] == [(0, 0)]
    assert at_frame(gone, 5).look.finish.masks[0].stops == -1.0
    assert not mask_edits.remove_mask(gone, 0).look.cues


def test_what_cannot_change_over_frames_is_refused(document):
    with pytest.raises(DocumentError, match="cannot change"):
        with_key(document, CAMERA, "last frame", 12.0)
    assert not can_be_keyed(CAMERA, facets_of(document, CAMERA)["shutter"])


def test_every_number_that_can_be_keyed_takes_two_keys(document):
    """Whatever is a row can be a cue (but frames, the camera's move and what follows from others)."""
    for target in targets_of(document).values():
        for name, facet in facets_of(document, target).items():
            if not can_be_keyed(target, facet):
                continue
            value = facet.read(document)
            keyed = with_key(with_key(document, target, name, value, frame=1), target, name, value, frame=9)
            there = at_frame(keyed, 5)
            assert facets_of(there, target)[name].read(there) == pytest.approx(value, rel=1e-6, abs=1e-6), (
                target,
                name,
            )


def test_cues_and_rate_outlast_a_file(document, tmp_path):
    lamp = _lamp(document).id
    keyed = with_key(with_key(document, lamp, "dimmer", 0.5, frame=3), AIR, "visibility", math.inf, frame=9)
    keyed = edits.set_rate(edits.change_source(keyed, lamp, flicker=Flame(depth=0.3, seed=7)), 25.0)
    back, notes = from_json(to_json(keyed, None), tmp_path, "x")
    assert back == keyed
    assert not notes
    assert {s.rate for s in back.shots} == {25.0}


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('"scale": "plain"', '"scale": "odd"', "no scale"),
        ('"into": "smooth"', '"into": "wobbly"', "no easing"),
        ('"frame": 9.0', '"frame": -9.0', "order"),
        ('"rate": 24.0', '"rate": 0.0', "frame rate"),
        ('"rate": 24.0', '"rate": 1000.0', "frame rate"),
        ('"kind": "flame"', '"kind": "wildfire"', "no kind of flicker"),
    ],
)
def test_damaged_cues_are_told_and_kept_aside(document, tmp_path, old, new, said):
    lamp = _lamp(document).id
    keyed = with_key(with_key(document, lamp, "dimmer", 0.5, frame=3), lamp, "dimmer", 1.5, frame=9)
    keyed = edits.change_source(keyed, lamp, flicker=Flame())
    # One look and one shot among others: the rest of the document opens.
    text = to_json(keyed, None)
    assert old in text
    _back, notes = from_json(text.replace(old, new, 1), tmp_path, "x")
    assert any(said in note for note in notes)


def test_five_hundred_keys_on_forty_numbers_are_read_in_a_millisecond(document):
    import time

    rng = np.random.default_rng(3)
    count = 0
    for target in targets_of(document).values():
        for name, facet in facets_of(document, target).items():
            if count < 40 and can_be_keyed(target, facet) and not facet.row.endless:
                low, high = max(facet.row.low, facet.row.floor), min(facet.row.high, facet.row.ceiling)
                found = tuple(Key(float(f), float(rng.uniform(low, high))) for f in range(1, 53, 4))
                document = with_cue(document, Cue(target, name, found, RATIO if facet.row.ratio else PLAIN))
                count += 1
    assert sum(len(c.keys) for c in cues_of(document)) >= 500
    sheet = CueSheet(document)
    taken = []
    for frame in range(1, 49):
        began = time.perf_counter()
        sheet.values(frame + 0.5)
        taken.append(time.perf_counter() - began)
    assert sorted(taken)[len(taken) // 2] < 1e-3


# -- ranges ---------------------------------------------------------------------------------------

PULSE = Cue("lamp", "dimmer", (Key(1, 0.0), Key(5, -4.0), Key(9, 0.0), Key(30, -1.0)))


def _told(cue):
    return [(k.frame, k.value) for k in cue.keys]


def test_keys_move_and_land_on_others():
    assert _told(cue_edits.moved(PULSE, (5.0,), 2)) == [(1, 0), (7, -4), (9, 0), (30, -1)]
    assert _told(cue_edits.moved(PULSE, (5.0,), 4)) == [(1, 0), (9, -4), (30, -1)]


def test_a_range_is_copied_stretched_and_repeated():
    copied = cue_edits.pasted(PULSE, cue_edits.within(PULSE, 1, 9), 40)
    assert _told(copied)[-3:] == [(40, 0), (44, -4), (48, 0)]
    assert _told(cue_edits.stretched(PULSE, 1, 9, 2.0)) == [(1, 0), (9, -4), (17, 0), (38, -1)]
    again = cue_edits.repeated(PULSE, 1, 9, 2)
    assert _told(again) == [(1, 0), (5, -4), (9, 0), (13, -4), (17, 0), (21, -4), (25, 0), (30, -1)]
    with pytest.raises(DocumentError, match="stretched"):
        cue_edits.stretched(PULSE, 1, 9, 0.0)
    with pytest.raises(DocumentError, match="too many"):
        cue_edits.repeated(PULSE, 1, 9, 10_000)


def test_keys_vary_by_chance_the_same_for_a_seed():
    one, same, other = (cue_edits.varied(PULSE, 1, 9, 0.2, 2, seed) for seed in (4, 4, 5))
    assert one == same != other
    assert _told(one)[-1] == (30, -1)
    frames = [k.frame for k in one.keys]
    assert frames == sorted(set(frames))
    assert all(1 <= f <= 9 for f in frames[:-1])
    spread = [cue_edits.varied(PULSE, 1, 9, 0.2, 0, seed).keys[1].value for seed in range(300)]
    assert np.mean(spread) == pytest.approx(-4.0, abs=0.15)
    assert np.std(spread) == pytest.approx(0.8, rel=0.2)


def test_a_flicker_becomes_keys_of_the_same_light(document):
    lamp = _lamp(document).id
    flickering = edits.change_source(document, lamp, flicker=Flame(depth=0.4, colour=0.0))
    baked = cue_edits.baked(flickering, lamp)
    from lunar_haze.core.plan.frames import gains, view_of

    for frame in (1, 13, 48):
        both = []
        for found in (flickering, baked):
            there = at_frame(found, frame)
            both.append({g.key: g.surface for g in gains(there.look, view_of(there.shot, (96, 54)), "p")})
        assert both[0].keys() == both[1].keys()
        for key, gain in both[0].items():
            assert both[1][key] == pytest.approx(gain, rel=2e-3)
    with pytest.raises(DocumentError, match="azimuth"):
        cue_edits.baked(edits.change_source(document, "rim", flicker=Beacon()), "rim")


def test_the_demo_has_one_rate(demo: Path):
    assert len({s.rate for s in load(demo)[0].shots}) == 1


# -- past midnight ----------------------------------------------------------------------------------


@pytest.fixture
def through_the_night(demo):
    document = attrs.evolve(load(demo)[0], current_look="moonlit mist")
    document = edits.change_shot(document, first_frame=1, last_frame=48, frame=1, ends=None)
    moon = next(s for s in document.look.sources if s.name == "moon")
    document = edits.change_shape(document, moon.id, follows_hour=True)
    document = with_key(document, DAY, "hour", 23.5, frame=1)
    return at_frame(with_key(document, DAY, "hour", 0.5, frame=48))


def test_an_hour_keyed_over_midnight_goes_on_into_the_next_day(through_the_night):
    first_day = through_the_night.look.date
    sheet = CueSheet(through_the_night)
    hours = [sheet.at(frame).look.hour_h for frame in range(1, 49)]
    assert hours[0] == 23.5
    assert hours[-1] == 24.5
    assert all(later > before for before, later in itertools.pairwise(hours))
    assert sheet.at(48).look.clock_h == 0.5
    assert (first_day, sheet.at(1).look.day, sheet.at(48).look.day) == ("2024-08-21", "2024-08-21", "2024-08-22")
    # The moon goes on without a step, and back at the first frame all is as it was.
    moons = [next(s for s in sheet.at(f).look.sources if s.name == "moon").shape for f in range(1, 49)]
    places = [(moon.azimuth_deg, moon.altitude_deg) for moon in moons]
    steps = [math.dist(one, other) for one, other in itertools.pairwise(places)]
    assert 0.0 < max(steps) < 2.5 * (sum(steps) / len(steps))
    assert at_frame(at_frame(through_the_night, 48), 1) == through_the_night


def test_a_hand_at_a_keyed_hour_keys_it_the_short_way_round(through_the_night):
    late = at_frame(through_the_night, 48)
    moved = followed(late, edits.set_hour(late, late.look.hour_h + 0.75))
    assert cue_of(moved, DAY, "hour").keys[-1].value == pytest.approx(25.25)
    assert moved.look.date == late.look.date
    typed = followed(late, facets_of(late, DAY)["hour"].write(late, 1.25))
    assert cue_of(typed, DAY, "hour").keys[-1].value == pytest.approx(25.25)
    assert typed.look.hour_h == pytest.approx(25.25)


def test_bearings_of_every_row_go_the_short_way(demo):
    document = attrs.evolve(load(demo)[0], current_look="moonlit mist")
    document = edits.change_shot(document, first_frame=1, last_frame=9, frame=1, ends=None)
    for target in targets_of(document).values():
        for facet in facets_of(document, target).values():
            if facet.row.period and facet.row.unit == "°":
                keyed = with_key(
                    with_key(document, target, facet.name, 350.0, frame=1), target, facet.name, 10.0, frame=9
                )
                assert cue_of(keyed, target, facet.name).at(5.0) % 360.0 == pytest.approx(0.0, abs=1e-6), facet.name


def test_a_move_costs_what_it_moves_however_many_cues_there_are(demo):
    """A drag among many keyed lamps asks for the facets of the lamp that is dragged, and hashes no layer anew."""
    document = attrs.evolve(load(demo)[0], current_look="lamplit wait", current_shot="Waiting")
    document = edits.change_shot(document, first_frame=1, last_frame=100, frame=10, ends=None)
    lamps = tuple(Source(f"x{i}", f"x{i}", Ball((0.1 * i, 0.0, 2.0)), 100.0, "lm") for i in range(64))
    document = edits.change_look(document, sources=lamps)
    for i in range(40):
        for frame in (1, 50, 100):
            document = with_key(document, f"x{i}", "dimmer", float(frame % 7) - 3.0, frame=frame)
    document = at_frame(document, 10)
    place = PlaceSpec("yard", 1.0, "yard")
    frame_request(1, place, document.shot, document.look, (960, 540))
    moved = followed(document, edits.change_source(document, "x3", dimmer_stops=-1.25))
    assert cue_of(moved, "x3", "dimmer").at(10.0) == -1.25
    asked, hashed = [], []

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(
            cues, "facets_of", lambda d, target, *where: (asked.append(target), facets_of(d, target, *where))[1]
        )
        patch.setattr(model, "digest", lambda value: (hashed.append(value), digest(value))[1])
        again = followed(moved, edits.change_source(moved, "x3", dimmer_stops=-1.5))
        frame_request(2, place, again.shot, again.look, (960, 540))
    assert set(asked) == {"x3"}
    assert not hashed
