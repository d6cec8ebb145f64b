"""A kernel of other sources is never run: numba alone would run one whose callee has changed."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import lunar_haze
from lunar_haze.core.units import kernel_cache

PACKAGE = Path(lunar_haze.__file__).parent


@pytest.fixture
def copied(tmp_path, monkeypatch):
    """A copy of the core's sources in whose fingerprint the module believes."""
    shutil.copytree(PACKAGE / "core", tmp_path / "core", ignore=shutil.ignore_patterns("__pycache__"))
    monkeypatch.setattr(kernel_cache, "_CORE", tmp_path / "core")
    return tmp_path / "core"


@pytest.mark.parametrize(
    "name", ["transport/lamp_lobes.py", "transport/source_row.py", "units/fast_math.py", "air/kernels.py"]
)
def test_what_kernels_call_and_read_counts(copied, name):
    before = kernel_cache.fingerprint()
    path = copied / name
    path.write_text(path.read_text() + "\n# another state\n")
    assert kernel_cache.fingerprint() != before


@pytest.mark.parametrize("name", ["document/edits.py", "solve/watch.py", "air/rows.py"])
def test_what_they_do_not_read_does_not(copied, name):
    before = kernel_cache.fingerprint()
    path = copied / name
    path.write_text(path.read_text() + "\n# another state\n")
    assert kernel_cache.fingerprint() == before


def test_numba_keeps_its_kernels_there():
    code = (
        "import lunar_haze, numba; from numba.core import config;"
        "print(config.CACHE_DIR == str(lunar_haze.KERNELS), lunar_haze.KERNELS)"
    )
    clean = {k: v for k, v in os.environ.items() if k != "NUMBA_CACHE_DIR"}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=clean)
    assert done.stdout.split()[0] == "True"
    assert kernel_cache.fingerprint() in done.stdout


def _aged(folder, names):
    for age, name in enumerate(names):
        (folder / name).mkdir(parents=True)
        os.utime(folder / name, (1000 - age, 1000 - age))


def test_old_kernels_go_but_for_the_newest(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    root = kernel_cache.kernels_root()
    digests = [f"{age}" * 24 for age in range(6)]
    _aged(root, [*digests, "kept by hand"])
    kernel_cache.forget_old_kernels(root / digests[5])
    assert sorted(p.name for p in root.iterdir()) == sorted([*digests[:3], digests[5], "kept by hand"])
    kernel_cache.forget_old_kernels(root / "none" / "k")


def test_nothing_is_deleted_beside_a_folder_that_the_user_has_named(tmp_path, monkeypatch):
    """NUMBA_CACHE_DIR may lie among anything: a home's other folders are nobody's old kernels."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    _aged(tmp_path / "home", ["documents", "pictures", "a" * 24, "b" * 24, "c" * 24, "d" * 24, "numba"])
    before = sorted((tmp_path / "home").iterdir())
    kernel_cache.forget_old_kernels(tmp_path / "home" / "numba")
    assert sorted((tmp_path / "home").iterdir()) == before
