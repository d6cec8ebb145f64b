"""A frame's work shared out: all shares together are the frame that one machine makes, to the bit."""

import os
import signal

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.finish.mask_model import Mask
from lunar_haze.core.plan.sequence import planned_frames
from lunar_haze.service.farm import most_shares, shares_of
from lunar_haze.service.sequence import FrameMaker, SequenceSpec
from lunar_haze.service.still_share import share_of

SIZE, PASSES = (96, 54), 2


@given(st.integers(0, 300), st.integers(0, 64), st.integers(1, 40))
def test_no_worker_stands_idle_where_a_frame_can_be_cut(frames, workers, most):
    counts = shares_of(frames, workers, most)
    assert len(counts) == frames
    assert all(1 <= count <= most for count in counts)
    if workers and frames % workers:
        rest = frames % workers
        whole, cut = counts[: frames - rest], counts[frames - rest :]
        assert set(whole) <= {1}
        # Each of the last ones gets a share of a frame, or frames cannot be cut as far.
        assert sum(cut) >= workers or set(cut) == {most}
    else:
        assert set(counts) <= {1}


def test_small_frames_are_not_cut_into_crumbs():
    assert most_shares((32, 18)) == 1
    assert most_shares((1920, 1080)) > 64


@pytest.fixture
def spec(demo, tmp_path):
    found = attrs.evolve(load(demo)[0], current_look="lamplit wait", current_shot="Waiting")
    found = edits.change_shot(found, first_frame=1, last_frame=2, frame=1, ends=None)
    # A lamp that moves from frame to frame is a layer of each frame's own, beside those that they share.
    moved = with_key(with_key(found, "rim", "elevation", 20.0, frame=1), "rim", "elevation", 60.0, frame=2)
    finish = attrs.evolve(moved.look.finish, masks=(Mask("half", "half", stops=-1.0),))
    masked = edits.change_look(moved, finish=finish)
    return SequenceSpec(
        masked, "Waiting", "lamplit wait", 1, 2, tmp_path / "####.exr", SIZE, passes=PASSES, layers=True
    )


@pytest.mark.timeout(300)
def test_shares_joined_are_the_frame_of_one_machine_to_the_bit(spec, tmp_path):
    count = 3
    place = place_spec(spec.document.place)
    plans = planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise)
    assert plans[0].base.layers
    assert len(plans[0].request.layers) > len(plans[0].base.layers)
    alone, one, other = FrameMaker(spec, place), FrameMaker(spec, place), FrameMaker(spec, place)
    try:
        for plan in plans:
            whole = alone.still(plan, lambda: False)
            # Two machines take turns; one that holds all of what frames stand on uses it for its share.
            makers = [one, other, one]
            shares = [
                share_of(makers[k].still(plan, lambda: False, (k, count)), with_layers=True) for k in range(count)
            ]
            assert sum(len(share.looked.pixels) for share in shares) == SIZE[0] * SIZE[1]
            together = other.joined(plan, shares)
            for name in ("beauty", "clean", "owner", "distance"):
                np.testing.assert_array_equal(getattr(together, name), getattr(whole, name), name)
            assert list(together.layers) == list(whole.layers)
            for key, image in whole.layers.items():
                np.testing.assert_array_equal(together.layers[key].surface, image.surface)
                np.testing.assert_array_equal(together.layers[key].air, image.air)
            assert together.clean.max() > 0
            for still, name in ((whole, "whole"), (together, "together")):
                (tmp_path / name).mkdir(exist_ok=True)
                alone.hand_over(plan, still, tmp_path / name / f"{plan.frame}.png")
            pictures = [np.asarray(Image.open(tmp_path / name / f"{plan.frame}.png")) for name in ("whole", "together")]
            np.testing.assert_array_equal(*pictures)
    finally:
        for maker in (alone, one, other):
            maker.close()


@pytest.mark.timeout(300)
def test_a_machine_that_holds_all_of_what_frames_share_uses_it_for_a_share(spec):
    place = place_spec(spec.document.place)
    first, second = planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise)
    maker, fresh = FrameMaker(spec, place), FrameMaker(spec, place)
    try:
        maker.still(first, lambda: False)
        known = share_of(maker.still(second, lambda: False, (1, 2)), with_layers=False)
        new = share_of(fresh.still(second, lambda: False, (1, 2)), with_layers=False)
        assert known.layers == ()
        np.testing.assert_array_equal(known.beauty, new.beauty)
        np.testing.assert_array_equal(known.looked.albedo, new.looked.albedo)
        # And the other way round: who holds a share alone makes the whole of it anew. So does who has made some of it.
        whole, again = fresh.still(second, lambda: False), maker.still(second, lambda: False)
        np.testing.assert_array_equal(whole.clean, again.clean)
    finally:
        maker.close()
        fresh.close()


@pytest.mark.timeout(300)
def test_a_frame_in_whose_midst_the_render_process_dies_is_the_same_to_the_bit(spec):
    place = place_spec(spec.document.place)
    first, second = planned_frames(spec.on_screen, place, spec.frames, spec.size, 24, spec.denoise)
    maker, fresh = FrameMaker(spec, place), FrameMaker(spec, place)
    asked = 0

    def kills():
        # Asked whenever something is told: by then the frame's own layers are under way.
        nonlocal asked
        asked += 1
        if asked == 3:
            os.kill(maker._stills._client.process_id, signal.SIGKILL)
        return False

    try:
        maker.still(first, lambda: False)
        broken = maker.still(second, kills)
        assert maker._stills.restarts == 1
        np.testing.assert_array_equal(broken.clean, fresh.still(second, lambda: False).clean)
    finally:
        maker.close()
        fresh.close()
