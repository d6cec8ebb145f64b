"""Photographed skies: what they are of, how much light they have, and whether their brightest spot is a sun."""

import math

import numpy as np
import pytest

from lunar_haze.core.document.checks import check_numbers
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.panorama import Photograph
from lunar_haze.core.sky.photograph_kinds import KINDS, NAMES
from tests.strategies.photographs import twenty


@pytest.fixture(scope="module")
def photographs():
    return twenty()


def read(made, pixels=None):
    pixels = made.pixels if pixels is None else pixels
    clipped = made.encoding == "display" and bool((pixels >= 0.98).any())
    return Photograph(pixels, pixels.shape[1], pixels.shape[0], made.encoding, (), 0.0, clipped)


def test_twenty_photographs_of_six_kinds(photographs):
    assert len(photographs) == 20
    assert {made.kind for made in photographs} == set(NAMES)
    found = [read(made) for made in photographs]
    wrong = [made.name for made, photograph in zip(photographs, found) if photograph.kind.name != made.kind]
    assert len(wrong) <= 2, wrong
    off = [m.name for m, p in zip(photographs, found) if abs(math.log2(p.level_lx / m.level_lx)) > 1.0]
    assert len(off) <= 2, off
    assert [p.has_sun for p in found] == [m.has_sun for m in photographs]


@pytest.mark.parametrize("scale", [1e-3, 30.0])
def test_what_light_has_no_unit_is_told_alike_at_every_scale_and_turned_any_way(photographs, scale):
    for made in photographs:
        if made.encoding == "linear":
            other = read(made, np.roll(made.pixels, 50, 1) * np.float32(scale))
            assert other.kind is read(made).kind, made.name
            assert other.level_lx == pytest.approx(read(made).level_lx, rel=0.05)


def test_a_windows_light_is_offered_as_no_sun(photographs):
    rooms = [read(made) for made in photographs if made.kind == "room"]
    assert rooms
    assert not any(photograph.has_sun for photograph in rooms)


def test_a_kind_that_is_none_is_told():
    check_numbers(Panorama(sky_kind=KINDS[0].name))
    with pytest.raises(ValueError, match="no kind of photographed sky"):
        check_numbers(Panorama(sky_kind="cheese"))
