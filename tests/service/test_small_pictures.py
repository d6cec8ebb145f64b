"""What a new view shows first: small layers laid out large, that can be balanced at once."""

import attrs
import numpy as np
import pytest

from lunar_haze.service.protocol import Balance, Cleaned, Published
from tests.service import interrupted

SIZE = (384, 216)


def stand_ins(bench, denoise):
    """Surface and air together of each stand-in (h, w, 3) that is told of first."""
    request = bench.request(interrupted.lamps(), interrupted.MIST, SIZE, 4)
    bench.want(attrs.evolve(request, denoise=denoise))
    while not any(isinstance(m, Published) and m.layers for m in bench.ear.heard):
        bench.worker.turn(None)
    told = next(m for m in bench.ear.heard if isinstance(m, Published) and m.layers)
    assert {at.passes for at in told.layers} == {0}
    found = {image.key: image.surface + image.air for image in bench.worker.layout.images()}
    bench.kill()
    return found


def roughness(picture):
    """How much pixels a small pixel apart differ, over their mean."""
    step = SIZE[0] // 96
    tone = picture.mean(2)
    return np.abs(np.diff(tone, 2, axis=1)[:, ::step]).mean() / tone.mean()


def test_each_layer_by_itself_is_without_grain_and_keeps_its_light(bench):
    """A dimmer that was raised while they showed brought their grain up: squares all over the picture."""
    raw, clean = stand_ins(bench, False), stand_ins(bench, True)
    assert raw.keys() == clean.keys()
    assert len(raw) > 1
    for key in raw:
        assert roughness(clean[key]) < 0.6 * roughness(raw[key]), key
        assert clean[key].mean() == pytest.approx(raw[key].mean(), rel=0.25)


def test_a_balance_that_comes_before_any_light_is_not_answered_with_the_dark(bench):
    """A dimmer moved and let go while the first picture was awaited: a picture of no layers was called clean."""
    for size in (SIZE, interrupted.SIZE):
        request = attrs.evolve(bench.request(interrupted.lamps(), interrupted.MIST, size, 4), denoise=True)
        bench.want(request)
        dimmed = tuple(attrs.evolve(g, surface=(1.0,) * 3, air=(1.0,) * 3) for g in request.gains)
        bench.worker.turn(Balance(7, dimmed, True))
        while not any(isinstance(m, Cleaned) and m.mix_id == 7 for m in bench.ear.heard):
            bench.worker.turn(None)
            if isinstance(bench.ear.heard[-1], Cleaned):
                assert bench.worker.layout.board.clean.mean() > 0.01
        bench.kill()
