"""Damaged files of every format that is read: ``python bench/fuzz.py [MUTANTS [FORMAT ...]]``, 10,000 by default.

Each must end in a sentence or be read, within five seconds and 1.5 GiB, and never end the process. Documents are
loaded, planned and traced. Processes take some hundreds of mutants each; what a defect was made from is printed.
"""

import json
import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]

from tests.fuzz.mutants import damaged, seeds, take, traced
from tests.fuzz.test_fuzz import FORMATS

from lunar_haze.service.memory import process_bytes
from page import tell

BATCH, SECONDS, MOST_BYTES = 500, 5, 3 << 29


class _HangError(Exception):
    pass


def _hangs(_number: int, _frame: object) -> None:
    raise _HangError(f"longer than {SECONDS} s")


def batch(kind: str, first: int, count: int, folder: Path) -> None:
    """Run mutants ``first`` and so on in this process; tells of each as a line of JSON."""
    good = seeds(folder)
    signal.signal(signal.SIGALRM, _hangs)
    warnings.simplefilter("ignore")
    if kind == "haze":
        # What is loaded once is not the mutant's.
        (folder / "doc.haze").write_bytes(good[kind][0])
        traced(folder / "doc.haze")
    slowest = 0.0
    before = process_bytes()
    for number in range(first, first + count):
        data = damaged(kind, good[kind], number)
        print(json.dumps({"at": number}), flush=True)
        started = time.perf_counter()
        signal.alarm(SECONDS)
        try:
            take(kind, data, folder)
            if kind == "haze":
                traced(folder / "doc.haze")
        except BaseException as error:
            print(json.dumps({"number": number, "defect": f"{type(error).__name__}: {str(error)[:160]}"}), flush=True)
        finally:
            signal.alarm(0)
        slowest = max(slowest, time.perf_counter() - started)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10
    print(json.dumps({"slowest": slowest, "grown": max(peak - before, 0)}), flush=True)


def of_format(kind: str, mutants: int) -> tuple[str, ...]:
    """A row of the table: what became of all mutants of a format."""
    defects, slowest, grown, started = [], 0.0, 0, time.time()
    first = 0
    while first < mutants:
        with tempfile.TemporaryDirectory() as folder:
            arguments = [kind, str(first), str(min(BATCH, mutants - first)), folder]
            code = f"import sys; sys.argv[0] = {str(ROOT / 'bench')!r}; sys.path[:0] = [{str(ROOT / 'bench')!r}]; "
            code += "from pathlib import Path; from fuzz import batch; "
            code += "batch(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), Path(sys.argv[4]))"
            done = subprocess.run(
                [sys.executable, "-c", code, *arguments], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
                env=os.environ | {"XDG_CACHE_HOME": folder, "XDG_STATE_HOME": folder},
            )  # fmt: skip
        last = first
        for told in map(json.loads, done.stdout.splitlines()):
            last = told.get("at", last)
            if "defect" in told:
                defects.append(f"{kind} {told['number']}: {told['defect']}")
            slowest, grown = max(slowest, told.get("slowest", 0.0)), max(grown, told.get("grown", 0))
        if done.returncode:
            defects.append(f"{kind} {last}: the process ended with {done.returncode}")
            first = last + 1
        else:
            first += BATCH
    for defect in defects:
        print(f"  {defect}", flush=True)
    over = ["memory"] if grown > MOST_BYTES else []
    return (
        kind, f"{mutants:,}", str(len(defects)), f"{slowest:.2f} s", f"{grown >> 20:,} MiB",
        f"{time.time() - started:.0f} s", *over,
    )  # fmt: skip


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    rows = [of_format(kind, count) for kind in sys.argv[2:] or FORMATS]
    heads = ("format", "mutants", "defects", "slowest", "memory grown by", "took")
    bars = "Bars: no defect (a traceback, a crash), 5 s, 1.5 GiB."
    tell("Damaged files", f"Made by `.venv/bin/python bench/fuzz.py`. {bars}", rows, heads)
