"""From a look to what is rendered: the size of its picture, its layers, and the gain that each is mixed with."""

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Medium, Patches
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import TableFile
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.plan.files import files_of_look, with_content
from lunar_haze.core.plan.frames import (
    MOST_LAYERS,
    airs_of,
    fitted_size,
    frame_request,
    gains,
    layers_of,
    problem_sentences,
    view_of,
    wanted,
)
from lunar_haze.core.plan.sequence import planned_frames
from lunar_haze.core.plan.shares import shares_of, subject_in
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.model import ClearSky, Weather
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.array import Crowd
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut, kinds
from lunar_haze.core.sources.flames import Flame
from lunar_haze.core.sources.flicker import flicker_light
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.sources.model import Ball, Beam, Sky, Source, Sun

PLACE = PlaceSpec("place.obj", 1.0, "p")
SHOT = Shot("s", first_frame=1, last_frame=48, frame=1)
VIEW = view_of(SHOT, (64, 36))


def lamp(name, x=0.0, **changes):
    return Source(name, name, Ball((x, 0.0, 2.0), 0.1), 100.0, "lm", kelvin=3000.0, **changes)


def gain_of(look, source, part=0, view=VIEW):
    key = layers_of(source, look, view, "p")[part].key()
    return next(g for g in gains(look, view, "p") if g.key == key)


# -- size ----------------------------------------------------------------------------------------------------------


@given(st.floats(0.3, 4.0), st.integers(40, 4000), st.integers(40, 3000))
def test_a_picture_is_as_large_as_its_room_allows_in_the_shots_proportions(aspect, width, height):
    shot = attrs.evolve(SHOT, frame_width=round(1000 * aspect), frame_height=1000)
    across, up = fitted_size(shot, width, height)
    assert across % 2 == up % 2 == 0
    assert across <= max(width, 16)
    assert up <= max(height, 16)
    if min(width, height * aspect) > 20 and min(height, width / aspect) > 20:
        assert width - across < 2 or height - up < 2
    if min(across, up) > 16:
        assert across / up == pytest.approx(shot.frame_width / shot.frame_height, rel=4.0 / min(across, up))


# -- gains ---------------------------------------------------------------------------------------------------------


@given(st.floats(-12.0, 6.0), st.floats(1.0, 5000.0))
def test_a_gain_is_the_amount_by_the_dimmer(stops, amount):
    look = Look("l", sources=(lamp("a", dimmer_stops=stops), attrs.evolve(lamp("b", 1.0), amount=amount)))
    one, two = (np.array(gain_of(look, s).surface) for s in look.sources)
    np.testing.assert_allclose(one / two, 100.0 * 2.0**stops / amount, rtol=1e-5)


def test_what_is_muted_or_not_alone_has_no_gain():
    look = Look("l", sources=(lamp("a", muted=True), lamp("b", 1.0, alone=True), lamp("c", 2.0)))
    assert [s.id for s in wanted(look)] == ["b", "c"]
    assert max(gain_of(look, look.sources[1]).surface) > 0.0
    assert max(gain_of(look, look.sources[2]).surface) == 0.0


def test_lamps_that_shine_alike_share_a_layer_and_their_gains_add_up():
    one, two = lamp("a"), lamp("b", dimmer_stops=1.0)
    look = Look("l", sources=(one, two))
    assert len(gains(look, VIEW, "p")) == 1
    alone = np.array(gain_of(Look("l", sources=(one,)), one).surface)
    np.testing.assert_allclose(gain_of(look, one).surface, 3.0 * alone, rtol=1e-6)


def test_matte_highlights_and_air_are_weighed_apart():
    source = lamp("a", matte=0.5, highlights=2.0, air_factor=3.0)
    look = Look("l", sources=(source,))
    plain = np.array(gain_of(Look("l", sources=(lamp("a"),)), lamp("a")).surface)
    matte, shine = (gain_of(look, source, part) for part in (0, 1))
    np.testing.assert_allclose(matte.surface, 0.5 * plain, rtol=1e-6)
    np.testing.assert_allclose(matte.air, 3.0 * plain, rtol=1e-6)
    np.testing.assert_allclose(shine.surface, 2.0 * plain, rtol=1e-6)
    assert shine.air == (0.0, 0.0, 0.0)


@pytest.mark.parametrize("frame", [1, 7, 31])
def test_a_flicker_is_in_the_gain_and_not_in_the_layer(frame):
    source = lamp("a", flicker=Flame(depth=0.4))
    look, view = Look("l", sources=(source,)), view_of(attrs.evolve(SHOT, frame=frame), (64, 36))
    steady = Look("l", sources=(lamp("a"),))
    factor = flicker_light(source.flicker, view.seconds, view.open_s, lamp_kelvin(source, look.weather.atmosphere))
    wanted_gain = np.array(gain_of(steady, lamp("a")).surface) * factor
    np.testing.assert_allclose(gain_of(look, source, view=view).surface, wanted_gain, rtol=1e-6)
    assert layers_of(source, look, view, "p") == layers_of(lamp("a"), steady, VIEW, "p")


def test_past_the_most_lamps_of_a_colour_are_one_layer_with_all_their_light():
    sources = tuple(
        lamp(f"n{n}", float(n), dimmer_stops=float(n % 5) - 2.0, gel=(1.0, 0.5, 0.2) if n % 2 else (1.0, 1.0, 1.0))
        for n in range(MOST_LAYERS + 41)
    )
    look = Look("l", sources=sources)
    request = frame_request(1, PLACE, SHOT, look, (64, 36))
    assert len(request.layers) == MOST_LAYERS + 2
    crowds = [spec for spec in request.layers if isinstance(spec.shape, Crowd)]
    given_by = {g.key: np.array(g.surface) for g in request.gains}
    one = np.array(gain_of(Look("l", sources=(sources[2],)), sources[2]).surface) / 2.0 ** sources[2].dimmer_stops
    for spec, odd in zip(sorted(crowds, key=lambda c: c.shape.lamps[0].position[0]), (0, 1), strict=True):
        members = [s for n, s in enumerate(sources) if n >= MOST_LAYERS and n % 2 == odd]
        levels = np.array([canonical(s.shape, s.amount, s.unit) * 2.0**s.dimmer_stops for s in members])
        np.testing.assert_allclose(spec.shape.shares, levels / levels.sum(), rtol=1e-6)
        assert sum(spec.shape.shares) == pytest.approx(1.0)
        colour = np.array(members[0].gel)
        np.testing.assert_allclose(given_by[spec.key()], one * colour * levels.sum() / 100.0, rtol=1e-5)
    silent = attrs.evolve(look, sources=tuple(attrs.evolve(s, muted=True) for s in sources))
    assert all(not any(g.surface) for g in frame_request(1, PLACE, SHOT, silent, (64, 36)).gains)


# -- layers --------------------------------------------------------------------------------------------------------


def test_a_layer_is_the_same_whatever_its_gain_and_another_in_other_air():
    look = Look("l", sources=(lamp("a"),))
    key = layers_of(lamp("a"), look, VIEW, "p")[0].key()
    for other in (lamp("b", dimmer_stops=3.0), lamp("c", gel=(2.0, 1.0, 1.0)), lamp("d", muted=True)):
        assert layers_of(other, look, VIEW, "p")[0].key() == key
    assert layers_of(lamp("a", 0.01), look, VIEW, "p")[0].key() != key
    misty = attrs.evolve(look, medium=Medium(visibility_m=80.0))
    assert layers_of(lamp("a"), misty, VIEW, "p")[0].key() != key
    assert layers_of(lamp("a"), look, VIEW, "another place")[0].key() != key


def test_air_that_drifts_is_another_at_each_moment_and_can_be_held():
    look = Look("l", sources=(lamp("a"),), medium=Medium(visibility_m=80.0, patches=Patches(contrast=0.5)))
    later = attrs.evolve(VIEW, seconds=2.0)

    def key(view, air_s=None):
        return layers_of(lamp("a"), look, view, "p", air_s)[0].key()

    assert key(VIEW) != key(later)
    assert key(later, 0.0) == key(VIEW)
    assert {g.key for g in gains(look, later, "p", 0.0)} == {key(VIEW)}
    request = frame_request(1, PLACE, attrs.evolve(SHOT, frame=25), look, (64, 36))
    assert request.medium.patches.drifted_s == pytest.approx(1.0)
    assert (request.view.seconds, request.view.open_s) == (0.0, 0.0)
    assert (request.part, request.part_alone, request.live, request.denoise) == (None, False, True, True)


def test_who_gives_no_light_is_told_by_name():
    source, other = lamp("quay lamp"), lamp("rim", 4.0)
    look = Look("l", sources=(source, other))
    key = layers_of(source, look, VIEW, "p")[0].key()
    assert problem_sentences(look, VIEW, "p", {key: "its file is gone"}) == [
        "“quay lamp” gives no light: its file is gone"
    ]
    assert problem_sentences(look, VIEW, "p", {"": "a pattern is gone", "x": "odd"}) == [
        "a card is left out: a pattern is gone",
        "“a source” gives no light: odd",
    ]


def test_the_air_of_every_clear_sky_is_needed_but_of_muted_ones():
    dusty = ClearSky(weather=Weather(Atmosphere(visibility_km=9.0)))
    skies = (
        Source("a", "a", Sky(ClearSky()), 1.0, "true"),
        Source("b", "b", Sky(dusty), 1.0, "true"),
        Source("c", "c", Sun(), 1.0, "true"),
    )
    assert airs_of(Look("l", sources=skies)) == [ClearSky().weather.atmosphere, dusty.weather.atmosphere]
    muted = (attrs.evolve(skies[0], muted=True), *skies[1:])
    assert airs_of(Look("l", sources=muted)) == [dusty.weather.atmosphere]


# -- files ---------------------------------------------------------------------------------------------------------


def test_a_layer_knows_what_its_pictures_hold_and_the_look_names_its_files(tmp_path):
    picture, table = tmp_path / "leaves.png", tmp_path / "look.cube"
    picture.write_bytes(b"one")
    leaves = CutOut("picture", path=str(picture))
    beam = attrs.evolve(lamp("a"), shape=Beam((0, 0, 2), aim=(0, 1, 0), cutout=leaves))
    slats = attrs.evolve(lamp("b"), shape=Beam((1, 0, 2), aim=(0, 1, 0), cutout=CutOut("slats", path="left over")))
    card = Card("c", "card", cutout=leaves)
    look = Look("l", sources=(beam, slats, lamp("d", 3.0)), finish=Finish(table=TableFile(str(table))))
    assert list(files_of_look(look)) == [picture, table]
    assert list(files_of_look(attrs.evolve(look, cards=(card,)))) == [picture, picture, table]
    assert list(files_of_look(Look("l", sources=(lamp("a"),)))) == []

    def keys(look):
        return [layers_of(source, look, VIEW, "p")[0].key() for source in look.sources]

    carded = attrs.evolve(look, cards=(card,))
    before, before_card = keys(look), keys(carded)
    picture.write_bytes(b"another")
    after, after_card = keys(look), keys(carded)
    assert [a == b for a, b in zip(before, after, strict=True)] == [False, True, True]
    for kind in set(kinds()) - {"picture"}:
        drawn = Beam((1, 0, 2), aim=(0, 1, 0), cutout=CutOut(kind))
        assert with_content(drawn) == drawn, kind
    assert not any(a == b for a, b in zip(before_card, after_card, strict=True))


# -- shares --------------------------------------------------------------------------------------------------------


def test_the_shares_add_up_to_the_picture():
    source, other, off = lamp("a", highlights=0.5), lamp("b", 4.0, dimmer_stops=-2.0), lamp("c", 8.0, muted=True)
    look = Look("l", sources=(source, other, off))
    rng = np.random.default_rng(3)
    layers = {
        g.key: (rng.random((4, 6, 3), np.float32), rng.random((4, 6, 3), np.float32)) for g in gains(look, VIEW, "p")
    }
    found = shares_of(look, VIEW, "p", layers.get, None)
    assert [share.name for share in found.sources] == ["a", "b"]
    total = sum(
        np.array(g.surface) * layers[g.key][0] + np.array(g.air) * layers[g.key][1] for g in gains(look, VIEW, "p")
    )
    np.testing.assert_allclose(sum(share.light for share in found.sources), total, rtol=1e-5)
    missing = layers_of(other, look, VIEW, "p")[0].key()
    assert shares_of(look, VIEW, "p", lambda key: None if key == missing else layers[key], None) is None
    assert shares_of(Look("l", sources=(off,)), VIEW, "p", layers.get, None) is None


def test_a_subject_is_where_its_objects_are_seen():
    owner = np.full((9, 14), -1, np.int32)
    owner[4:, 6:] = 1
    inside = subject_in(owner, ("pier", "coat"), ("coat",), 2)
    assert inside.shape == (4, 7)
    assert inside.sum() == 2 * 4
    assert inside[2:, 3:].all()
    assert subject_in(owner[:8, :13], ("pier", "coat"), ("coat",), 3).shape == (2, 4)
    assert subject_in(owner, ("pier", "coat"), ("pier",), 2) is None
    assert subject_in(owner, ("pier", "coat"), (), 2) is None


# -- sequences -----------------------------------------------------------------------------------------------------


def test_frames_that_differ_by_balance_share_their_layers_and_others_do_not():
    look = Look("l", sources=(lamp("a"), lamp("b", 5.0)))
    document = Document(PlaceRef(), (SHOT,), (look,), (), "s", "l")
    for frame, stops in ((1, -3.0), (48, 0.0)):
        document = with_key(document, "a", "dimmer", stops, frame=frame)
    balanced = planned_frames(document, PLACE, (1, 2, 48), (64, 36))
    assert {(plan.request.passes, plan.request.denoise, plan.request.live) for plan in balanced} == {(64, True, False)}
    assert len({plan.base_name for plan in balanced}) == 1
    assert all(plan.request.layers == balanced[0].request.layers for plan in balanced)
    assert len({plan.request.gains for plan in balanced}) == 3
    assert len({plan.name for plan in balanced}) == 3
    for frame, x in ((1, 0.0), (48, 3.0)):
        document = with_key(document, "b", "position east", x, frame=frame)
    moved = planned_frames(document, PLACE, (1, 2, 48), (64, 36))
    # What stays is shared, what moves is each frame's own.
    assert [len(plan.base.layers) for plan in moved] == [1, 1, 1]
    assert len({plan.request.layers[-1] for plan in moved}) == 3
    assert all(plan.request.layers[0] == moved[0].base.layers[0] for plan in moved)
    again = planned_frames(document, PLACE, (1, 2, 48), (64, 36))
    assert [plan.name for plan in again] == [plan.name for plan in moved]
