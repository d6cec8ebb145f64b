"""Fixtures for all tests: no test touches the user's own folders."""

import os
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

ROOT = Path(__file__).resolve().parents[1]
DEMO = ROOT / "demo" / "gannet-reach.haze"


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    base = tmp_path_factory.mktemp("home")
    for name in ("XDG_CACHE_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(base / name.lower()))


@pytest.fixture
def demo() -> Path:
    """The demo document that ships with the program."""
    return DEMO
