"""Fixtures for all tests: no test linking the user's own folders."""

import os
from pathlib import Path

import pytest
from hypothesis import settings

from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.tables import keep_tables_in, tables_of

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

# Kernels that are not compiled yet take seconds at their first call: no example has to be quick.
settings.register_profile("patient", deadline=None)
settings.load_profile("patient")

ROOT = Path(__file__).resolve().parents[1]
DEMO = ROOT / "demo" / "gannet-reach.haze"


@pytest.fixture(scope="session")
def _sky_tables(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The clear air's tables, made once for all tests and their render processes."""
    folder = tmp_path_factory.mktemp("sky")
    keep_tables_in(folder)
    tables_of(Atmosphere())
    return folder


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch, _sky_tables: Path) -> None:
    base = tmp_path_factory.mktemp("home")
    cache = base / "xdg_cache_home" / "lunar-haze"
    cache.mkdir(parents=True)
    (cache / "sky").symlink_to(_sky_tables)
    for name in ("XDG_CACHE_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(base / name.lower()))


@pytest.fixture
def demo() -> Path:
    """The demo document that ships with the program."""
    return DEMO
