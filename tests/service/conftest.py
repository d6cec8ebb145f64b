"""A place of a few faces, and a worker under scripts (see `interrupted`)."""

import pytest

from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.document.start import place_spec
from tests.service import interrupted


@pytest.fixture(scope="session")
def yard(tmp_path_factory):
    return place_spec(PlaceRef(str(interrupted.write_yard(tmp_path_factory.mktemp("place") / "yard.obj"))))


@pytest.fixture
def bench(yard, tmp_path):
    return interrupted.Bench(yard, tmp_path / "layers")
