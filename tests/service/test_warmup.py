"""What the warm-up compiles is all that a hand on the finish ever runs: nothing is compiled in mid-work."""

import itertools

import numpy as np
import pytest
from numba.core import event

from lunar_haze.core.finish.glow import HALF_FROM
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.steps import STEPS
from lunar_haze.service.warmup import is_warm


@pytest.mark.skipif(
    not is_warm(), reason="kernels are not compiled yet; the command that runs all tests compiles first"
)
def test_no_two_numbers_of_the_finish_are_compiled_for_in_mid_work():
    light = np.full((HALF_FROM, 48, 3), 0.02, np.float32)
    light[HALF_FROM // 2, 20:24] = 1e4
    finisher = Finisher()
    rows = [row for step in STEPS for row in step.rows]
    with event.install_recorder("numba:compile") as recorder:
        for one, two in itertools.combinations(rows, 2):
            finish = two.written(one.written(Finish(), one.high), two.high if two.high != two.usual else two.low)
            finisher.show(light, finish, 50.0, 0.5)
    ours = {e.data["dispatcher"].py_func for _time, e in recorder.buffer if e.is_start}
    assert not sorted(f.__name__ for f in ours if f.__module__.startswith("lunar_haze"))
