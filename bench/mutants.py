"""How many small mistakes the tests find: ``python bench/mutants.py [ROOM ...]``; prints a table and what survived.

cosmic-ray plants the mistakes, one at a time, in copies of the sources, and the tests of the room are run on each. It
is not among the locked packages: ``python -m venv FOLDER`` and ``FOLDER/bin/pip install cosmic-ray==8.7.0``, and name
that folder in COSMIC_RAY. There are some thousand places for a mistake: a sample of them is taken, the same each time.
"""

import json
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
#: How many mistakes are planted in each room, and how long its tests may take on one [s].
SAMPLE, PATIENCE_S = 30, 240.0
#: Each room, and the tests that are its own.
ROOMS = {
    "core/units": "tests/core/test_units.py tests/core/test_units_kept.py tests/core/test_sampling.py tests/core/test_cues.py",
    "core/colour": "tests/core/test_colour.py tests/core/test_ottosson.py",
    "core/document": "tests/core/test_edits.py tests/core/test_cues.py tests/core/test_exposure.py tests/core/test_compare.py "
    "tests/core/test_formats.py tests/core/test_document.py "
    "tests/core/test_finish.py::test_a_step_is_copied_and_pasted_and_nothing_else_is tests/core/test_masks.py",
    "core/plan": "tests/core/test_frames.py tests/core/test_kinds.py tests/core/test_cues.py",
    "core/picture": "tests/core/test_picture.py tests/core/test_frame_mix.py tests/core/test_exposure.py",
    "core/solve": "tests/core/test_solve.py tests/core/test_settle.py tests/core/test_painted.py tests/core/test_openings.py "
    "tests/core/test_match.py tests/core/test_variations.py",
    "service": "tests/service/test_memory.py tests/service/test_part.py tests/service/test_patience.py "
    "tests/service/test_video.py tests/service/test_trust.py",
}
#: Not planted: what only changes annotations (X | None), decorators, and where the compiled loops go wrong anyway.
_LEFT_OUT = ["core/ReplaceBinaryOperator_BitOr_.*", "core/RemoveDecorator"]
#: Files without tests of these rooms: the demo, and what runs in a process of its own.
_NOT_IN = {"service": ("warmup.py", "render_process.py", "farm.py", "compiling.py"), "core/units": ("kernel_cache.py",),
           "core/document": ("gannet_reach.py",)}  # fmt: skip


def _copy(into: Path) -> None:
    """All files of the repository, as they are now."""
    listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    for name in listed.split("\n")[:-1]:
        target = into / name
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(ROOT / name, target, follow_symlinks=False)


def _sampled(session: Path, seed: str) -> int:
    """Leave a sample of the planned mistakes in a session; how many there were."""
    with sqlite3.connect(session) as base:
        # What a filter has left out stands among the results already.
        jobs = [row[0] for row in base.execute(
            "SELECT job_id FROM mutation_specs WHERE job_id NOT IN (SELECT job_id FROM work_results) "
            "ORDER BY module_path, start_pos_row, start_pos_col, operator_name, occurrence"
        )]  # fmt: skip
        kept = random.Random(seed).sample(jobs, min(SAMPLE, len(jobs)))
        base.execute("DELETE FROM work_results")
        for table in ("mutation_specs", "work_items"):
            base.execute(f"DELETE FROM {table} WHERE job_id NOT IN ({','.join('?' * len(kept))})", kept)
    return len(jobs)


def _survivors(session: Path) -> tuple[int, list[str]]:
    """How many mistakes were tried, and those that no test found, a line each."""
    with sqlite3.connect(session) as base:
        rows = base.execute(
            "SELECT module_path, start_pos_row, operator_name, definition_name, test_outcome FROM work_results "
            "JOIN mutation_specs USING (job_id) ORDER BY module_path, start_pos_row"
        ).fetchall()
    lived = [
        f"{path}:{row} {name.split('/')[-1]} in {where}" for path, row, name, where, how in rows if "SURVIVED" in how
    ]
    return len(rows), lived


def _room(room: str, tool: Path, folder: Path) -> tuple[str, int, int, list[str]]:
    work = folder / room.replace("/", "-")
    _copy(work)
    python = ROOT / ".venv" / "bin" / "python"
    left_out = [f"src/lunar_haze/{room}/{name}" for name in _NOT_IN.get(room, ())]
    (work / "mutants.toml").write_text(
        f"[cosmic-ray]\nmodule-path = 'src/lunar_haze/{room}'\ntimeout = {PATIENCE_S}\n"
        f"excluded-modules = {json.dumps(left_out)}\n"
        f"test-command = '{python} -m pytest -x -q -p no:cacheprovider {ROOMS[room]}'\n"
        "[cosmic-ray.distributor]\nname = 'local'\n"
        f"[cosmic-ray.filters.operators-filter]\nexclude-operators = {json.dumps(_LEFT_OUT)}\n"
    )
    environment = {
        **os.environ, "PYTHONPATH": str(work / "src"), "QT_QPA_PLATFORM": "offscreen", "NUMBA_NUM_THREADS": "1",
        # Kernels are kept by file: what a mistake does not touch is not compiled anew.
        "NUMBA_CACHE_DIR": str(work / "kernels"),
    }  # fmt: skip

    def run(*arguments: str) -> None:
        subprocess.run([str(tool / arguments[0]), *arguments[1:]], cwd=work, env=environment, check=True,
                       stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip

    sound = subprocess.run([str(python), "-m", "pytest", "-x", "-q", "--timeout=1800", *ROOMS[room].split()], cwd=work, env=environment,
                           stdout=subprocess.PIPE, text=True)  # fmt: skip
    if sound.returncode:
        return room, 0, 0, ["nothing was planted, since its tests fail as it is:", *sound.stdout.splitlines()[-6:]]
    run("cosmic-ray", "init", "mutants.toml", "session.sqlite")
    run("cr-filter-operators", "session.sqlite", "mutants.toml")
    planned = _sampled(work / "session.sqlite", room)
    run("cosmic-ray", "exec", "mutants.toml", "session.sqlite")
    tried, lived = _survivors(work / "session.sqlite")
    shutil.rmtree(work)
    return room, planned, tried, lived


def main() -> None:
    tool = Path(os.environ.get("COSMIC_RAY", "")) / "bin"
    if not (tool / "cosmic-ray").exists():
        sys.exit("name the venv that holds cosmic-ray in COSMIC_RAY: see the head of this file")
    rooms = sys.argv[1:] or list(ROOMS)
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as hands:
        for done in as_completed([hands.submit(_room, room, tool, Path(folder)) for room in rooms]):
            room, planned, tried, lived = done.result()
            found = tried - len(lived)
            print(f"| {room} | {planned} | {tried} | {found} ({found / max(tried, 1):.0%}) |", flush=True)
            for line in lived:
                print("   lived:", line, flush=True)


if __name__ == "__main__":
    main()
