"""Contracts on imports, each proved by a planted violation, and what no room may load."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src"


def _lint(folder: Path) -> subprocess.CompletedProcess:
    return subprocess.run(
        [str(Path(sys.executable).parent / "lint-imports"), "--no-cache", "--config", str(ROOT / ".importlinter")],
        cwd=folder, env={"PYTHONPATH": str(folder), "PATH": "/usr/bin:/bin"}, capture_output=True, text=True,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("file", "line", "contract"),
    [
        ("core/units/photometry.py", "import lunar_haze.service.client", "One direction"),
        ("service/client.py", "import lunar_haze.ui.session.session", "One direction"),
        ("cli/main.py", "import lunar_haze.ui.shell.window", "One direction"),
        ("core/colour/spaces.py", "import lunar_haze.core.document.model", "Rooms of the core"),
        ("core/picture/mix.py", "import lunar_haze.core.transport.frame", "Rooms of the core"),
        ("core/newroom/__init__.py", "", "Rooms of the core"),
        ("ui/base/theme.py", "import lunar_haze.ui.session.session", "Rooms of the window"),
        ("ui/session/session.py", "import lunar_haze.ui.picture.bridge", "Rooms of the window"),
        ("ui/picture/bridge.py", "import lunar_haze.ui.facets.column", "Rooms of the window"),
        ("ui/rail/share_rail.py", "import lunar_haze.ui.plan.plan_view", "Rooms of the window"),
        ("ui/facets/column.py", "import lunar_haze.ui.handoff.hand_off", "Rooms of the window"),
        ("ui/handoff/hand_off.py", "import lunar_haze.ui.shell.window", "Rooms of the window"),
        ("ui/newroom/__init__.py", "", "Rooms of the window"),
        ("core/plan/frames.py", "import PySide6.QtCore", "Nothing but the window"),
        ("service/still.py", "import lunar_haze.service.worker", "The window's process"),
        ("core/document/edits.py", "import embreex", "The window's process"),
    ],
)
def test_every_contract_breaks_when_it_is_violated(tmp_path, file, line, contract):
    shutil.copytree(SOURCE / "lunar_haze", tmp_path / "lunar_haze", ignore=shutil.ignore_patterns("__pycache__"))
    target = tmp_path / "lunar_haze" / file
    target.parent.mkdir(exist_ok=True)
    target.write_text((target.read_text() if target.exists() else "") + f"\n{line}\n")
    result = _lint(tmp_path)
    assert result.returncode != 0
    told = result.stdout + result.stderr
    assert any(contract in row and "BROKEN" in row for row in told.splitlines()) or "newroom" in told


def test_the_core_loads_no_qt_and_the_windows_side_no_ray_engine():
    code = (
        "import importlib, pkgutil, sys, lunar_haze.core as core\n"
        "for found in pkgutil.walk_packages(core.__path__, 'lunar_haze.core.'):\n"
        "    importlib.import_module(found.name)\n"
        "print([m for m in sys.modules if m.split('.')[0] in ('PySide6', 'shiboken6')])\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
    code = (
        "import sys, lunar_haze.ui.shell.window, lunar_haze.cli.main, lunar_haze.service.still\n"
        "print([m for m in sys.modules if m.startswith(('embreex', 'pyoidn', 'lunar_haze.core.transport'))])\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_no_file_names_a_path_of_this_machine_or_a_registry():
    import re

    bad = re.compile(r"/work/|pypi\.org|files\.pythonhosted|deb\.debian\.org|registry\.npmjs")
    tracked = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=False).stdout.split(
        "\n"
    )
    for name in tracked:
        path = ROOT / name
        if (
            path.suffix in {".py", ".md", ".toml", ".sh", ".lock", ".haze", ""}
            and path.is_file()
            and path != Path(__file__)
        ):
            assert not bad.search(path.read_text("utf-8", errors="ignore")), name
