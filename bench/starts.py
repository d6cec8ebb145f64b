"""``./start`` where it is hard: ``python bench/starts.py``. Each case is made in a copy of the checkout and its venv.

The command that is started is ``info`` on the demo document, which needs no screen. Root and the network are needed:
one case is run without a network, others install packages.
"""

import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "bench"))

from page import table, write


def _started(
    start: Path, cwd: Path, arguments: tuple[str, ...], before: tuple[str, ...] = (), **env: str
) -> tuple[bool, str]:
    done = subprocess.run(
        [*before, str(start), *arguments], cwd=cwd, capture_output=True, text=True, env=os.environ | env, timeout=1500
    )
    said = [line for line in (done.stdout + done.stderr).splitlines() if line.startswith("lunar haze:")]
    worked = done.returncode == 0 and "golden hour" in done.stdout
    last = (done.stderr.strip().splitlines() or [""])[-1]
    return worked, "; ".join(said) or ("" if worked else last)


def cases(folder: Path) -> list[tuple[str, ...]]:
    """Rows: case, whether it worked, what was said."""
    here = folder / "lunar haze"
    shutil.copytree(ROOT, here, symlinks=True, ignore=shutil.ignore_patterns(".git", ".venv", ".mypy_cache"))
    shutil.copytree((ROOT / ".venv").resolve(), here / ".venv", symlinks=True)
    info = ("info", "demo/gannet-reach.haze")
    rows = []

    def row(case: str, *how, **env: str) -> None:
        started = time.time()
        worked, said = _started(*how, **env)
        said = re.sub(re.escape(str(folder)), "...", said).replace("|", "/")
        rows.append((case, "works" if worked else "stops", said or "nothing", f"{time.time() - started:.0f} s"))
        print("  " + " | ".join(rows[-1]), flush=True)

    row("in a copied folder, its venv of elsewhere", here / "start", here, info)
    row("again", here / "start", here, info)
    moved = folder / "moved to"
    here.rename(moved)
    row("in a moved folder", moved / "start", moved, info)
    link = folder / "link"
    link.symlink_to(moved / "start")
    elsewhere = folder / "elsewhere"
    elsewhere.mkdir()
    shutil.copy(moved / "demo" / "gannet-reach.haze", elsewhere / "mine.haze")
    shutil.copy(moved / "demo" / "gannet-reach.glb", elsewhere)
    row("through a link, from another folder, with a relative file", link, elsewhere, ("info", "mine.haze"))
    row("offline, with all installed", moved / "start", moved, info, ("unshare", "-n"))
    (moved / ".venv" / "lunar-haze-home").write_text("another Python")
    row("after Python was upgraded", moved / "start", moved, info)
    shutil.rmtree(moved / ".venv" / "lib" / "python3.11" / "site-packages" / "pip")
    row("without pip, with all installed", moved / "start", moved, info)
    (moved / ".venv" / "bin" / "python").unlink()
    row("with a broken venv", moved / "start", moved, info)
    shutil.rmtree(moved / ".venv")
    row("offline, with nothing installed", moved / "start", moved, info, ("unshare", "-n"))
    row("with a Python that is too old or none", moved / "start", moved, info, LUNAR_HAZE_PYTHON="/usr/bin/python2")
    return rows


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        found = cases(Path(name))
    heads = ("case", "outcome", "what is said", "took")
    if sys.argv[1:]:
        print(table(found, heads))
    else:
        write("Starts", "Made by `.venv/bin/python bench/starts.py`: `./start info` where it is hard.", found, heads)
