"""Exposure as a camera: one triple, moved by hand alone."""

import math

import attrs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.document import edits
from lunar_haze.core.document.exposure import TRIPLE_ROWS, f_stop, placed_at, shutter_s
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.document.rows import CAMERA, facets_of
from lunar_haze.core.place.camera import LEAST_F_NUMBER, Camera
from lunar_haze.core.units.photometry import MID_GREY, exposure_scale


def document(f_number=0.0, **look):
    shot = Shot("s", Camera(f_number=f_number))
    return Document(PlaceRef(), (shot,), (Look("l", **look),), (), "s", "l")


def rows():
    return {row.name: row for row in TRIPLE_ROWS}


@given(st.floats(-6, 18), st.floats(1.0, 22.0), st.floats(50, 25_600))
def test_the_triple_is_the_meters_equation(ev100, stop, iso):
    one = document(ev100=ev100, f_stop=stop, iso=iso)
    assert math.log2(f_stop(one) ** 2 / shutter_s(one)) - math.log2(one.look.iso / 100) == pytest.approx(ev100)


def test_sunny_sixteen():
    """At f/16 in sun a film is exposed for about one over its ISO: EV 15 at ISO 100."""
    sunny = document(ev100=15.0, f_stop=16.0, iso=100.0)
    assert shutter_s(sunny) == pytest.approx(1 / 128, rel=1e-6)


@pytest.mark.parametrize(
    ("name", "value", "brighter"),
    [("f-stop", 2.8 * math.sqrt(2), -1.0), ("f-stop", 1.4, 2.0), ("ISO", 1600.0, 1.0), ("ISO", 400.0, -1.0)],
)
def test_one_number_moves_the_exposure_and_leaves_the_others(name, value, brighter):
    before = document(ev100=8.0)
    after = rows()[name].written(before, value)
    assert after.look.ev100 == pytest.approx(8.0 - brighter)
    assert shutter_s(after) == pytest.approx(shutter_s(before)), "the shutter stays"
    assert rows()[name].read(after) == pytest.approx(value)


def test_the_shutter_moves_the_exposure():
    before = document(ev100=8.0)
    after = rows()["shutter"].written(before, 2 * shutter_s(before))
    assert after.look.ev100 == pytest.approx(7.0)
    assert (after.look.f_stop, after.look.iso) == (before.look.f_stop, before.look.iso)


def test_a_lens_with_an_aperture_is_stopped_down_and_one_without_stays_a_pinhole():
    lens = rows()["f-stop"].written(document(f_number=4.0, ev100=8.0), 8.0)
    assert lens.shot.camera.f_number == 8.0
    assert lens.look.ev100 == pytest.approx(10.0)
    assert rows()["f-stop"].written(document(ev100=8.0), 8.0).shot.camera.f_number == 0.0


def test_the_lens_row_blurs_and_leaves_the_exposure():
    """Nothing changes the exposure unasked: opening the lens for its blur is met by the shutter."""
    before = document(f_number=4.0, ev100=8.0)
    after = facets_of(before, CAMERA)["f-number"].write(before, 2.0)
    assert after.look.ev100 == 8.0
    assert shutter_s(after) == pytest.approx(shutter_s(before) / 4)


@given(st.floats(1e-4, 1e5), st.floats(-4, 4), st.floats(-3, 3))
def test_a_luminance_is_placed_where_it_is_asked(luminance, stops, compensation):
    placed = placed_at(document(stops=compensation), luminance, stops)
    scale = exposure_scale(placed.look.ev100, placed.look.stops)
    assert math.log2(luminance * scale / MID_GREY) == pytest.approx(stops, abs=1e-3)


def test_black_is_exposed_for_by_nobody():
    before = document()
    assert placed_at(before, 0.0, 0.0) is before
    assert edits.with_look(before, attrs.evolve(before.look)) == before


def test_no_lens_opens_wider_than_light_can_come_in():
    """A number typed far too small made an opening of many kilometres, and the picture failed."""
    wide, least = (Camera(focal_mm=50.0, f_number=number) for number in (1e-300, LEAST_F_NUMBER))
    assert wide.aperture_radius_m == least.aperture_radius_m == pytest.approx(0.05)
    assert wide.plain() == least.plain() == least
