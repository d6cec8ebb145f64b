"""A part of the frame goes ahead of the rest and farther, or is computed alone; its light is the light of the whole."""

from pathlib import Path

import attrs
import numpy as np
import pytest

from lunar_haze.core.layers.model import pixels_of
from lunar_haze.core.place.load import load_place
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.job import PART_TIMES
from lunar_haze.service.protocol import Published
from lunar_haze.service.still import compute
from tests.service import interrupted

#: In a corner: the pixels about it that are computed along leave some of so small a picture out.
PART = (0.0, 0.0, 0.3, 0.6)
PASSES = 6


def counts(bench):
    """Samples of each tile of the first layer, in the part and out of it."""
    job = bench.worker._job
    layer = job.frame.sums[job.keys[0]]
    inside = job.frame.tiles_within(PART)
    return layer.counts[inside], layer.counts[~job.part]


def test_it_goes_ahead_once_the_whole_picture_is_there_and_farther_than_the_rest(bench):
    bench.want(bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, PASSES, PART))
    seen_ahead = False
    while not bench.worker.idle:
        bench.worker.turn(None)
        inside, outside = counts(bench)
        if inside.min() > 1:
            assert outside.min() >= 1, "the rest has been there before"
        seen_ahead |= inside.min() >= 2 * max(outside.max(), 1)
    inside, outside = counts(bench)
    assert seen_ahead
    assert inside.min() == PART_TIMES * PASSES
    assert outside.min() == PASSES
    told = [e for e in bench.ear.heard if isinstance(e, Published)]
    assert max(e.part_passes for e in told) == PART_TIMES * PASSES == told[-1].part_target
    assert told[-1].passes == PASSES


def test_dropped_it_leaves_the_light_as_it_was_and_what_it_has_gained(bench, yard):
    place = PackedPlace(load_place(Path(yard.path)))
    reference = interrupted.undisturbed(place)
    place.close()
    bench.want(bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, 12, PART))
    bench.steps(60)
    bench.want(bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, 12))
    layers = bench.finish()
    tile, whole = interrupted.worst(layers, reference, bench)
    assert tile < 5.5
    assert whole < 5.0


def test_alone_nothing_else_is_computed(bench):
    request = bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, PASSES, PART)
    bench.want(attrs.evolve(request, part_alone=True, live=False))
    while not bench.worker.idle:
        bench.worker.turn(None)
    inside, outside = counts(bench)
    assert inside.min() == PASSES
    assert outside.max() == 0


@pytest.mark.workers
def test_a_still_of_a_part_is_that_part_of_the_still(bench):
    request = attrs.evolve(bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, 96), live=False)
    whole = compute(request)
    alone = compute(attrs.evolve(request, part=PART, part_alone=True))
    left, top, right, bottom = pixels_of(PART, *interrupted.SIZE)
    here, there = (still.beauty[top:bottom, left:right] for still in (alone, whole))
    assert here.mean() == pytest.approx(there.mean(), rel=0.02)
    # Both are noisy; where the one is bright the other is.
    assert np.corrcoef(here.ravel(), there.ravel())[0, 1] > 0.8


def test_parts_are_whole_pixels_within_the_frame():
    assert pixels_of((0.0, 0.0, 1.0, 1.0), 96, 54) == (0, 0, 96, 54)
    assert pixels_of((0.999, 0.999, 0.9999, 0.9999), 96, 54) == (95, 53, 96, 54)
    assert pixels_of((-1.0, 0.5, 2.0, 0.5), 96, 54) == (0, 27, 96, 28)
