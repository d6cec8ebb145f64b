"""While frames are played the light waits to be refined, and afterwards it is as if it had never waited."""

import numpy as np

from lunar_haze.service.protocol import Finished, Hold, Published
from tests.service import interrupted

PASSES = 12


def finished(bench):
    """Every layer's light when all is done."""
    while not bench.worker.idle:
        bench.worker.turn(None)
    assert isinstance([m for m in bench.ear.heard if isinstance(m, Published | Finished)][-1], Finished)
    job = bench.worker._job
    return [job.frame.image(key).surface.copy() for key in job.keys]


def begun(bench):
    bench.want(bench.request(interrupted.lamps(), interrupted.MIST, interrupted.SIZE, PASSES))
    return bench.worker._job


def test_what_has_light_waits_and_goes_on_where_it_was(bench, yard, tmp_path):
    other = interrupted.Bench(yard, tmp_path / "others")
    begun(other)
    unbroken = finished(other)
    job = begun(bench)
    while job.level() < 3:
        bench.worker.turn(None)
    bench.worker.turn(Hold(True))
    for _ in range(20):
        if bench.worker.idle:
            break
        bench.worker.turn(None)
    assert bench.worker.idle
    assert 3 <= job.level() < PASSES
    bench.worker.turn(Hold(False))
    assert not bench.worker.idle
    for light, same in zip(finished(bench), unbroken, strict=True):
        np.testing.assert_array_equal(light, same)


def test_what_has_no_light_yet_gets_its_first_pass(bench):
    bench.worker.turn(Hold(True))
    job = begun(bench)
    assert not bench.worker.idle
    while not bench.worker.idle:
        bench.worker.turn(None)
    assert not job.missing()
    assert job.level() < PASSES
    assert any(isinstance(m, Published) for m in bench.ear.heard)
