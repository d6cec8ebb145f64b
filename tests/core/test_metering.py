"""Metering: what is lit decides; blacks, lamps in frame and grain do not."""

import attrs
import numpy as np
import pytest

from lunar_haze.core.document import lists
from lunar_haze.core.document.exposure import NIGHT_EV100, hour_ev100
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.picture.metering import Meters, meter
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.units.photometry import ev100_of_luminance, exposure_scale

SIZE = (180, 320)


def _grey(light):
    """A picture (h, w, 3) of luminance (h, w) [cd/m2]."""
    return np.repeat(np.asarray(light, np.float32)[..., None], 3, axis=2)


def test_an_even_picture_lands_on_grey_however_it_is_metered():
    picture = _grey(np.full(SIZE, 37.0))
    everywhere = np.ones(SIZE, bool)
    for meters in Meters:
        found = meter(picture, everywhere, meters)
        assert exposure_scale(found.ev100) * 37.0 == pytest.approx(0.18, rel=1e-5)


@pytest.mark.parametrize("level", [1e-4, 1.0, 5000.0])
def test_a_reading_scales_with_the_light(level):
    light = np.geomspace(1.0, 20.0, SIZE[1])[None] * np.ones((SIZE[0], 1))
    one, other = meter(_grey(light)), meter(_grey(light * level))
    assert other.ev100 - one.ev100 == pytest.approx(np.log2(level), abs=1e-4)


@pytest.mark.parametrize("dark", [0.0, 1e-9, 1e-5, 1e-3])
def test_what_is_dark_round_a_lit_part_stays_dark(dark):
    """A lamp's pool in a black set: the pool is exposed, not the black."""
    light = np.full(SIZE, dark)
    light[60:120, 100:200] = 2.0
    assert meter(_grey(light)).ev100 == pytest.approx(ev100_of_luminance(2.0), abs=1e-3)
    # A reading of the whole makes day of it, as every meter does.
    assert meter(_grey(light), meters=Meters.WHOLE).ev100 < ev100_of_luminance(2.0) - 2.0


def test_a_lamp_in_frame_and_grain_decide_nothing():
    light = np.ones(SIZE)
    light[40:52, 100:112] = 1e6
    assert meter(_grey(light)).ev100 == pytest.approx(ev100_of_luminance(1.0), abs=0.01)
    grain = np.ones(SIZE)
    grain[::2, ::2] = 3.0
    assert meter(_grey(grain)).ev100 == pytest.approx(ev100_of_luminance(1.5), abs=0.01)


@pytest.mark.parametrize("lit_share", [1.0, 0.3, 0.05])
def test_a_noisy_picture_reads_as_the_clean_one(lit_share):
    """Black speckle of a first pass set the exposure to -21 EV."""
    rng = np.random.default_rng(5)
    smooth = np.geomspace(0.02, 2.0, SIZE[1])[None] * np.ones((SIZE[0], 1))
    noisy = np.where(rng.random(SIZE) < lit_share, smooth / lit_share, 0.0)
    assert meter(_grey(noisy)).ev100 == pytest.approx(meter(_grey(smooth)).ev100, abs=1 / 3)


@pytest.mark.parametrize("night", [1e-8, 0.01, 1.0])
def test_the_lit_side_of_the_subject_decides_as_a_spot_meter_does(night):
    light = np.full(SIZE, night)
    subject = np.zeros(SIZE, bool)
    subject[40:140, 140:180] = True
    light[subject] = 0.02
    light[40:140, 160:180] = 6.0
    found = meter(_grey(light), subject)
    assert found.what == "lit side of the subject"
    assert found.ev100 == pytest.approx(ev100_of_luminance(6.0), abs=0.25)


def test_a_silhouette_is_left_dark_unless_the_subject_is_asked_for():
    light = np.full(SIZE, 100.0)
    subject = np.zeros(SIZE, bool)
    subject[40:140, 140:180] = True
    light[subject] = 0.1
    assert meter(_grey(light), subject).ev100 == pytest.approx(ev100_of_luminance(100.0), abs=0.01)
    assert meter(_grey(light), subject, Meters.SUBJECT).ev100 == pytest.approx(ev100_of_luminance(0.1), abs=0.01)


@pytest.mark.parametrize("light", [0.0, 1e-9, 5e-7])
def test_a_black_picture_asks_for_nothing(light):
    picture = _grey(np.full(SIZE, light))
    for meters in Meters:
        assert meter(picture, np.ones(SIZE, bool), meters) is None
    assert meter(_grey(np.ones(SIZE)), None, Meters.SUBJECT) is None


def _document(**changes):
    look = Look("now", **changes)
    shot = Shot("wide", Camera((0, -5, 1.6), (0, 0, 1.6)))
    return Document(PlaceRef("place.glb"), (shot,), (look,), (), "wide", "now")


def test_a_new_look_starts_exposed_for_its_hour():
    document = _document(hour_h=12.5, ev100=-8.0)
    by_hour = [hour_ev100(attrs.evolve(document.look, hour_h=hour), document.place.site) for hour in (0.5, 6.5, 12.5)]
    assert by_hour[0] == NIGHT_EV100
    assert by_hour[0] <= by_hour[1] < by_hour[2]
    # Sunny 16: f/16 at 1/100 s and ISO 100, for what is lit by a clear noon.
    assert by_hour[2] == pytest.approx(14.6, abs=1.0)
    assert lists.add_empty_look(document, "black").look.ev100 == by_hour[2]
