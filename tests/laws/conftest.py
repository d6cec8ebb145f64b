"""The yard, and what makes its pictures, once for all laws."""

from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.rays import RayIndex
from tests.laws.keys import Darkroom
from tests.laws.laws import Studio
from tests.strategies.yard import write_yard

#: How many documents a law is tried on, the same ones each time.
some = settings(max_examples=60, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))


@pytest.fixture(scope="session")
def yard(tmp_path_factory):
    return write_yard(tmp_path_factory.mktemp("yard"))


@pytest.fixture(scope="session")
def studio(tmp_path_factory):
    return Studio(tmp_path_factory.mktemp("layers"))


@pytest.fixture(scope="session")
def darkroom(yard):
    return Darkroom(yard)


@pytest.fixture(scope="session")
def rays(yard):
    place = yard.place
    return RayIndex(load_place(Path(place.path), place.scale, place.scene))
