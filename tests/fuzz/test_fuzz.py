"""A hundred damaged files of each format: a sentence or a picture, never a traceback or a hang."""

import signal
import warnings

import pytest

from tests.fuzz.mutants import damaged, seeds, take

MUTANTS = 100
FORMATS = (
    "glb", "gltf", "obj", "mtl", "ply", "exr", "hdr", "png", "jpg", "ies", "haze", "journal", "settings", "cache", "tables", "cube", "clf", "spi1d", "spi3d", "mp4", "mkv", "avi", "parcel", "list",
)  # fmt: skip


@pytest.fixture(scope="module")
def good(tmp_path_factory):
    return seeds(tmp_path_factory.mktemp("seeds"))


class _HangError(Exception):
    pass


def _hangs(_number, _frame):
    raise _HangError


@pytest.mark.parametrize("kind", FORMATS)
def test_damaged_files_end_in_a_sentence(good, kind, tmp_path):
    before = signal.signal(signal.SIGALRM, _hangs)
    defects = []
    try:
        for number in range(MUTANTS):
            data = damaged(kind, good[kind], number)
            signal.alarm(5)
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    take(kind, data, tmp_path)
            except BaseException as error:
                defects.append(f"{number}: {type(error).__name__}: {str(error)[:100]}")
            finally:
                signal.alarm(0)
    finally:
        signal.signal(signal.SIGALRM, before)
    assert not defects, "\n".join(defects)
