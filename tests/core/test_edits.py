"""Edits of a document: each changes what it says, and nothing else; what a new document begins with."""

import itertools
import math

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Bank
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document import cue_edits, edits, unknown
from lunar_haze.core.document.compare import blended
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.light_colours import levelled, with_light_of
from lunar_haze.core.document.model import Cue, Document, Group, Look, PlaceRef, Shot
from lunar_haze.core.document.rows import AIR, facets_of
from lunar_haze.core.document.start import establishing_camera
from lunar_haze.core.document.white import white_kept
from lunar_haze.core.errors import QuantityError, SkyError
from lunar_haze.core.finish.values import White
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.model import ClearSky, Gradient
from lunar_haze.core.sources.amounts import canonical, units_of
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.model import Ball, Disc, Sky, Source, Sun
from lunar_haze.core.units.curve import Key
from tests.places import WHITE, place_of


def two_lamps():
    a = Source("a", "warm", Ball((0, 0, 2)), 100.0, "lm", -1.0, 2000.0, role="key")
    b = Source("b", "cool", Disc((1, 0, 2), (0, 0, 0)), 5.0, "lx", 0.0, 9000.0, matte=0.5)
    return Document(PlaceRef(), (Shot("s"),), (Look("l", sources=(a, b)),), (), "s", "l")


def test_each_facet_can_be_copied_by_itself():
    document = two_lamps()
    cool = document.look.source("b")
    pasted = edits.paste_facet(document, "a", cool, "colour").look.source("a")
    assert (pasted.kelvin, pasted.amount, pasted.role) == (9000.0, 100.0, "key")
    shaped = edits.paste_facet(document, "a", cool, "shape").look.source("a")
    assert isinstance(shaped.shape, Disc)
    assert shaped.shape.position == (0, 0, 2), "it stays where it stands"
    assert edits.paste_facet(document, "a", cool, "acts on").look.source("a").matte == 0.5
    assert edits.paste_facet(document, "a", cool, "amount").look.source("a").unit == "lx"
    sun = edits.add_source(document, Source("s", "sun", Sun(), 1.0, "true"))
    with pytest.raises(QuantityError, match="another unit"):
        edits.paste_facet(sun, "s", document.look.source("a"), "amount")


def test_a_group_is_balanced_as_one():
    document = edits.put_in_group(edits.put_in_group(two_lamps(), "a", "quay"), "b", "quay")
    assert [g.name for g in document.look.groups] == ["quay"]
    dimmed = edits.change_group(document, "quay", dimmer_stops=-2.0)
    assert [s.dimmer_stops for s in dimmed.look.balanced()] == [-3.0, -2.0]
    assert [s.dimmer_stops for s in dimmed.look.sources] == [-1.0, 0.0], "its own dimmer stays"
    assert edits.change_group(document, "quay", muted=True).look.active() == frozenset()
    third = edits.add_source(document, Source("c", "other", Ball()))
    assert edits.change_group(third, "quay", alone=True).look.active() == {"a", "b"}
    renamed = edits.change_group(document, "quay", name="pier")
    assert {s.group for s in renamed.look.sources} == {"pier"}
    empty = edits.put_in_group(edits.put_in_group(document, "a", ""), "b", "")
    assert empty.look.groups == ()


def test_cards_come_change_and_go():
    document = edits.add_card(edits.add_card(two_lamps(), Card("f", "flag")), Card("g", "flag"))
    assert [c.name for c in document.look.cards] == ["flag", "flag 2"]
    wider = edits.change_card(document, "f", width_m=3.0)
    assert wider.look.cards[0].width_m == 3.0
    assert [c.id for c in edits.remove_card(wider, "f").look.cards] == ["g"]


def test_only_an_amount_needs_its_unit():
    """A lamp told in lumens has a colour that any source can take."""
    document = edits.add_source(two_lamps(), Source("s", "sun", Sun(), 1.0, "true"))
    cool, sun = document.look.expect("b"), document.look.expect("s")
    for facet, names in edits.FACETS.items():
        if facet in ("amount", "shape"):
            continue
        pasted = edits.paste_facet(document, "s", cool, facet).look.expect("s")
        for field in attrs.fields(Source):
            of = cool if field.name in names else sun
            assert getattr(pasted, field.name) == getattr(of, field.name), (facet, field.name)
    assert edits.paste_facet(document, "nobody", cool, "colour") is document


def test_of_many_one_is_changed_and_the_others_stay():
    banks = tuple(Bank(centre=(float(n), 0.0, 1.0)) for n in range(4))
    for number in range(4):
        changed = edits.with_one(banks, number, turn_deg=30.0)
        assert [b.turn_deg for b in changed] == [30.0 * (n == number) for n in range(4)]
        assert [b.centre for b in changed] == [b.centre for b in banks]


def test_groups_of_two_looks_are_blended_by_stops():
    one, two = (
        Look("l", groups=(Group("quay", stops), Group("own" + name))) for name, stops in (("a", -4.0), ("b", 2.0))
    )
    mixed = blended(one, two, 0.25)
    assert [(g.name, g.dimmer_stops) for g in mixed.groups] == [("quay", pytest.approx(-2.5)), ("owna", 0.0)]


def test_a_bank_that_is_not_there_has_no_facets():
    document = edits.change_medium(two_lamps(), banks=(Bank(centre=(0, 0, 1)), Bank(centre=(5, 0, 1))))
    for bank in (0, 1):
        facets = facets_of(document, AIR, bank)
        assert facets["bank middle east"].read(document) == 5.0 * bank
    moved = facets_of(document, AIR, 1)["bank middle east"].write(document, 7.0)
    assert [b.centre[0] for b in moved.look.medium.banks] == [0.0, 7.0]
    for bank in (-1, 2):
        assert not any(facet.section == "bank" for facet in facets_of(document, AIR, bank).values())


def test_the_same_light_is_told_in_another_unit_and_nothing_else_changes():
    document = two_lamps()
    lamp = document.look.expect("a")
    assert edits.change_unit(document, "a", "lm") == document
    for unit in units_of(lamp.shape):
        told = edits.change_unit(document, "a", unit).look.expect("a")
        assert told.unit == unit
        assert canonical(told.shape, told.amount, unit) == pytest.approx(100.0)
        assert attrs.evolve(told, amount=lamp.amount, unit=lamp.unit) == lamp
    assert edits.change_unit(document, "nobody", "cd") is document


def test_a_source_goes_to_another_place_in_the_row():
    document = edits.add_source(edits.add_source(two_lamps(), Source("c", "c", Ball())), Source("d", "d", Ball()))
    for index, row in ((0, "cabd"), (1, "acbd"), (3, "abdc"), (99, "abdc"), (-5, "cabd")):
        assert "".join(s.id for s in edits.move_source(document, "c", index).look.sources) == row
    assert edits.move_source(document, "nobody", 0) is document


def test_banks_come_change_and_go_and_their_cues_with_them():
    document = two_lamps()
    for x in range(3):
        document = edits.add_bank(document, Bank(centre=(float(x), 0.0, 1.0)))
    for number in range(3):
        document = with_key(document, AIR, "bank visibility", 10.0 + number, (number,))
    changed = edits.change_bank(document, 1, turn_deg=20.0)
    assert [b.turn_deg for b in changed.look.medium.banks] == [0.0, 20.0, 0.0]
    less = edits.remove_bank(document, 1)
    assert [b.centre[0] for b in less.look.medium.banks] == [0.0, 2.0]
    assert [(c.part, c.keys[0].value) for c in less.look.cues] == [((0,), 10.0), ((1,), 12.0)]


def test_a_camera_is_changed_at_the_end_of_its_move_that_is_on_screen_and_a_lens_at_both():
    ends = attrs.evolve(Camera(), position=(0.0, -9.0, 2.0))
    document = Document(
        PlaceRef(), (Shot("s", ends=ends, first_frame=1, last_frame=20, frame=20),), (Look("l"),), (), "s", "l"
    )
    other = attrs.evolve(Camera(), position=(5.0, 5.0, 5.0))
    at_end = edits.change_camera(document, other).shot
    assert (at_end.camera, at_end.ends) == (Camera(), other)
    at_start = edits.change_camera(edits.change_shot(document, frame=1), other).shot
    assert (at_start.camera, at_start.ends) == (other, ends)
    longer = edits.with_lens(document, lambda camera: attrs.evolve(camera, focal_mm=85.0)).shot
    assert (longer.camera.focal_mm, longer.ends.focal_mm) == (85.0, 85.0)
    assert longer.ends.position == ends.position


def test_a_place_turned_or_elsewhere_takes_the_suns_of_all_looks_along():
    sun, own = (
        Source("s", "sun", Sun(), 1.0, "true"),
        Source("o", "own", Sun(30.0, 100.0, follows_hour=False), 1.0, "true"),
    )
    looks = (Look("l", sources=(sun, own), hour_h=12.0), Look("m", sources=(sun,), hour_h=9.0))
    document = Document(PlaceRef(), (Shot("s"),), looks, (), "s", "l")
    here, there = (edits.change_site(document, latitude_deg=lat, altitude_m=800.0) for lat in (52.0, 20.0))
    for number in range(2):
        one, two = (d.looks[number].expect("s").shape for d in (here, there))
        assert two.altitude_deg > one.altitude_deg + 5.0
    assert there.looks[0].expect("o") == own
    assert {look.weather.atmosphere.altitude_m for look in there.looks} == {800.0}
    turned = edits.change_site(here, north_deg=90.0)
    one, two = (d.look.expect("s").shape for d in (here, turned))
    assert two.altitude_deg == pytest.approx(one.altitude_deg)


def test_a_colour_is_held_back_in_the_sky_that_was_told_and_in_one_that_follows_the_hour_by_its_weather():
    own, follows = (Source(i, i, Sky(ClearSky(), follows_hour=f), 1.0, "true") for i, f in (("o", False), ("f", True)))
    document = Document(PlaceRef(), (Shot("s"),), (Look("l", sources=(own, follows)),), (), "s", "l")
    document = edits.change_heavens(document, hour_h=12.0)
    blue = (0.2, 0.3, 1.0)
    first = edits.hold_back(document, "o", blue).look
    assert first.expect("o").shape.dome.weather.grade.hold == blue
    assert first.expect("o").shape.dome.weather.grade.hold_share == 0.5
    assert first.expect("f") == document.look.expect("f")
    second = edits.hold_back(document, "f", blue).look
    assert second.weather.grade.hold == second.expect("f").shape.dome.weather.grade.hold == blue
    assert second.expect("o") == document.look.expect("o")
    with pytest.raises(SkyError, match="nothing to hold back"):
        edits.hold_back(edits.change_shape(document, "o", dome=Gradient()), "o", blue)


def test_the_white_balance_goes_along_with_the_key_where_it_is_to():
    follows = edits.change_finish(two_lamps(), white=White(5000.0), white_follows=True)
    warmer = edits.change_source(follows, "a", kelvin=2500.0)
    mired = 1e6 / white_kept(follows, warmer).look.finish.white.kelvin
    assert mired == pytest.approx(1e6 / 5000.0 + 1e6 / 2500.0 - 1e6 / 2000.0, abs=0.01)
    # Not where it is not to, for a lamp that is no key, or where a hand was at it in the same act.
    alone = edits.change_finish(follows, white_follows=False)
    assert white_kept(alone, edits.change_source(alone, "a", kelvin=2500.0)).look.finish.white == White(5000.0)
    assert white_kept(follows, edits.change_source(follows, "b", kelvin=2500.0)).look.finish.white == White(5000.0)
    both = edits.change_finish(warmer, white=White(6000.0))
    assert white_kept(follows, both).look.finish.white == White(6000.0)
    # Nor for a key that was not there before, or had no colour temperature.
    bare = edits.remove_source(follows, "a")
    assert white_kept(bare, follows).look.finish.white == White(5000.0)
    own = edits.change_source(follows, "a", kelvin=None)
    assert white_kept(own, warmer).look.finish.white == White(5000.0)


def test_a_pin_is_taken_away_by_itself():
    document = edits.add_pin(edits.add_pin(two_lamps()), "other")
    assert [pin.name for pin in document.pins] == ["l", "other"]
    assert [pin.name for pin in edits.remove_pin(document, document.pins[0].id).pins] == ["other"]


colours = st.tuples(*[st.floats(1e-3, 50.0)] * 3)


@given(colours)
def test_a_gel_keeps_the_level_and_the_colour(rgb):
    gel = np.array(levelled(np.array(rgb)))
    assert gel @ LUMINANCE_WEIGHTS == pytest.approx(1.0)
    np.testing.assert_allclose(gel / gel.max(), np.array(rgb) / max(rgb), rtol=1e-9)


@given(colours, st.floats(2000.0, 9000.0))
def test_the_light_of_a_source_takes_the_colour_that_is_asked_for(rgb, kelvin):
    document = edits.change_source(two_lamps(), "a", kelvin=kelvin)
    after = with_light_of(document, "a", np.array(rgb), Atmosphere()).look.expect("a")
    light = source_colour(after, Atmosphere())
    np.testing.assert_allclose(light / light.max(), np.array(rgb) / max(rgb), rtol=2e-3)
    assert (after.kelvin, after.amount, after.dimmer_stops) == (kelvin, 100.0, -1.0)


frames_apart = st.lists(st.integers(1, 6), min_size=2, max_size=9)


@given(frames_apart, st.integers(0, 12), st.integers(0, 2**31))
def test_keys_that_vary_never_pass_one_another(steps, by, seed):
    frames = np.cumsum(steps).tolist()
    cue = Cue("rim", "dimmer", tuple(Key(float(frame), float(n)) for n, frame in enumerate(frames)))
    varied = cue_edits.varied(cue, frames[0], frames[-1], 0.0, by, seed)
    assert [key.value for key in varied.keys] == [key.value for key in cue.keys]
    now = [key.frame for key in varied.keys]
    assert frames[0] <= now[0]
    assert now[-1] <= frames[-1]
    assert max(abs(a - b) for a, b in zip(now, frames, strict=True)) <= by
    assert all(a < b for a, b in itertools.pairwise(now))
    # Nor does one go where the next one stood.
    assert all(a < b for a, b in zip(now, frames[1:]))


json_values = st.recursive(
    st.integers() | st.text(max_size=3),
    lambda v: st.dictionaries(st.text("abc", min_size=1, max_size=2), v, max_size=3),
    max_leaves=6,
)


@given(json_values, json_values)
def test_what_is_not_known_comes_back_where_it_was(look, source):
    """Fields of a later version, in the look, in a source, in a value within it."""
    taken = {
        "looks": [{"name": "dusk", "sources": [{"id": "a", "shape": {"kind": "ball"}}, {"id": "b"}], "notes": [1, 2]}]
    }
    given = {
        "looks": [
            {"name": "dusk", "mood": look, "notes": [1, 2],
             "sources": [{"id": "a", "shape": {"kind": "ball", "fins": source}}, {"id": "b", "glint": look}]}
        ]
    }  # fmt: skip
    kept = unknown.not_known(given, taken)
    assert len(kept) == 3
    # The sources have changed their order since.
    taken["looks"][0]["sources"].reverse()
    unknown.put_back(taken, kept)
    given["looks"][0]["sources"].reverse()
    assert taken == given
    gone = {"looks": [{"name": "dawn", "sources": []}]}
    unknown.put_back(gone, kept)
    assert gone == {"looks": [{"name": "dawn", "sources": []}]}


def test_what_is_known_is_not_written_over():
    data = {"looks": [{"name": "dusk", "mood": "mine"}]}
    unknown.put_back(data, [(["looks", {"name": "dusk"}, "mood"], "theirs")])
    assert data["looks"][0]["mood"] == "mine"


@pytest.mark.parametrize("extent", [(10, 10, 10), (100, 40, 2), (3, 3, 30), (8, 60, 5)])
def test_a_place_without_cameras_is_seen_as_large_as_the_frame_allows(extent):
    """It stood twice as far off as it need."""
    x, y, z = extent
    points = np.array([(i, j, k) for i in (0, x) for j in (0, y) for k in (0, z)], np.float32)
    place = place_of(((points[[0, 4, 6, 2]], np.array([[0, 1, 2], [0, 2, 3]], np.uint32)), WHITE),
                     ((points[[1, 5, 7, 3]], np.array([[0, 1, 2], [0, 2, 3]], np.uint32)), WHITE))  # fmt: skip
    camera = establishing_camera(place)
    eye, (side, up, forward) = np.array(camera.position), (np.asarray(a) for a in camera.axes())
    seen = points - eye
    k = camera.focal_mm / 18.0 / (seen @ forward)
    across, above = (seen @ side) * k, (seen @ up) * k * 16 / 9
    assert max(np.abs(across).max(), np.abs(above).max()) <= 1.0
    assert max(np.ptp(across), np.ptp(above)) / 2 > 0.9
    # From the south-east, and down on it as one stands on a hill: a tower was seen from almost straight above.
    assert eye[0] > 0.5 * x
    assert eye[1] < 0.5 * y
    assert 10.0 < math.degrees(math.asin(-forward[2])) < 25.0
