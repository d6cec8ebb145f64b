"""The yard, and what makes its pictures, once for all laws."""

import pytest

from tests.laws.keys import Darkroom
from tests.laws.laws import Studio
from tests.strategies.yard import write_yard


@pytest.fixture(scope="session")
def yard(tmp_path_factory):
    return write_yard(tmp_path_factory.mktemp("yard"))


@pytest.fixture(scope="session")
def studio(tmp_path_factory):
    return Studio(tmp_path_factory.mktemp("layers"))


@pytest.fixture(scope="session")
def darkroom(yard):
    return Darkroom(yard)
