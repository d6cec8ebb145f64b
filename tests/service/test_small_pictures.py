"""What a new view shows first: small layers laid out large, that can be balanced at once."""

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.sources.model import Sun
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


def test_another_look_in_other_air_is_seen_by_the_edges_of_its_own_air(tmp_path):
    """From a clear day to fog the stand-in had the day's edges: half of the fog's light was missing for seconds."""
    (tmp_path / "dark.mtl").write_text("newmtl tar\nKd 0.03 0.03 0.03\n")
    path = interrupted.write_yard(tmp_path / "yard.obj")
    path.write_text("mtllib dark.mtl\nusemtl tar\n" + path.read_text())
    bench = interrupted.Bench(place_spec(PlaceRef(str(path))), tmp_path / "layers")
    bench.want(attrs.evolve(bench.request([Sun(50.0, 150.0)], Medium(), SIZE, 4), denoise=True))
    bench.finish()
    fog, lamps = Medium(visibility_m=8.0), [Sun(12.0, 40.0), *interrupted.lamps()[:2]]
    asked = attrs.evolve(bench.request(lamps, fog, SIZE, 4), denoise=True)
    bench.want(asked)
    told, small = bench.ear.heard, None
    while not any(isinstance(m, Published) and (m.request_id, m.passes > 0) == (asked.id, True) for m in told):
        bench.worker.turn(None)
        if isinstance(told[-1], Cleaned) and (told[-1].request_id, told[-1].passes) == (asked.id, 0):
            small = bench.worker.layout.board.clean.copy()
    assert small is not None
    bench.finish()
    # Below the middle lies the tar, with as much fog before it as elsewhere.
    below, true = small[SIZE[1] // 2 :].mean(), bench.worker.layout.board.clean[SIZE[1] // 2 :].mean()
    assert below == pytest.approx(true, rel=0.15)
