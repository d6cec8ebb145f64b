"""Passes go where they change the picture: how much each layer matters under its gains."""

import itertools

import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerGain, LayerImage, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.urgency import LEAST, passes_due, standings
from tests.places import WHITE, floor, place_of

VIEW = View(Camera((0.0, -5.0, 2.0), (0.0, 0.0, 0.5)), 64, 36)


@pytest.fixture
def frame():
    """Four layers: three of even light, 6, 3 and 0.001 cd/m2 half of it air, and one without a pass."""
    frame = Frame(PackedPlace(place_of((floor(), WHITE))), VIEW)
    specs = [LayerSpec("p", VIEW, Ball((0.0, 0.0, 1.0 + n), 0.1), Medium(), 1) for n in range(4)]
    for key, light in zip(frame.want(specs), (6.0, 3.0, 0.001)):
        half = np.full((36, 64, 3), light / 2, np.float32)
        frame.put(key, LayerImage(key, 2, half, half))
    yield frame
    frame.place.close()


def gains_of(frame, *factors):
    return tuple(LayerGain(key, (f,) * 3, (f,) * 3) for key, f in zip(frame.sums, factors))


def test_a_layer_matters_by_its_light_under_its_gain(frame):
    keys = list(frame.sums)
    found = standings(frame, gains_of(frame, 1.0, 1.0, 1.0, 0.0))
    assert [found[k].emphasis.share for k in keys] == pytest.approx([6 / 9, 3 / 9, 0.001 / 9, 0.0], rel=0.01)
    assert [found[k].weight for k in keys] == pytest.approx([1.0, 0.5, LEAST, 0.0], rel=0.01)
    dimmed = standings(frame, gains_of(frame, 0.25, 1.0, 1.0, 0.0))
    assert [dimmed[k].weight for k in keys[:2]] == pytest.approx([0.5, 1.0], rel=0.01)


def test_what_has_no_pass_yet_matters_and_so_does_all_of_a_dark_picture(frame):
    keys = list(frame.sums)
    found = standings(frame, gains_of(frame, 1.0, 1.0, 1.0, 2.0))
    assert (found[keys[3]].weight, found[keys[3]].emphasis.share) == (1.0, 0.25)
    for key in keys[:3]:
        frame.restart(key)
    dark = standings(frame, gains_of(frame, 1.0, 1.0, 1.0, 1.0))
    assert {dark[key].weight for key in keys} == {1.0}


def test_passes_that_are_due_grow_with_the_level_and_the_weight():
    assert passes_due(16, 1.0) == 16
    assert passes_due(16, 0.0) == 1
    table = [[passes_due(level, weight) for level in range(1, 65)] for weight in (0.0, 0.1, 0.3, 0.7, 1.0)]
    for row in table:
        assert row == sorted(row)
    # What is silent gets the pass of its card, not before the picture has some, and the least share from then on.
    assert table[0][:4] == [0, 0, 0, 1]
    assert table[0][-1] == 64 * LEAST
    for few, more in itertools.pairwise(table):
        assert all(a <= b for a, b in zip(few, more, strict=True))
