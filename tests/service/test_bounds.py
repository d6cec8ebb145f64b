"""No kernel of the finish reads or writes past the end of an array; `bench/bounds.py` looks at all kernels."""

import subprocess
import sys
from pathlib import Path

BENCH = Path(__file__).parents[2] / "bench" / "bounds.py"


def test_the_kernels_of_the_finish_stay_within_their_arrays():
    named = ("the finish and the display", "what sees what")
    done = subprocess.run(
        [sys.executable, str(BENCH), *named], capture_output=True, text=True, timeout=300, check=False
    )
    assert done.returncode == 0, done.stderr[-2000:]
    assert all(f"{name}: within bounds" in done.stdout for name in named)


def test_a_step_that_there_is_not_is_told():
    done = subprocess.run(
        [sys.executable, str(BENCH), "nothing"], capture_output=True, text=True, timeout=300, check=False
    )
    assert done.returncode != 0
    assert "there is no step nothing" in done.stderr
