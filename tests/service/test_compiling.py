"""The program says so when a kernel is compiled while it runs."""

import numba as nb

from lunar_haze.service.compiling import tell_compiling


@nb.njit
def _inner(x):
    return x + 1


@nb.njit
def _outer(x):
    return _inner(x) * 2


def test_what_is_compiled_is_told_once_and_its_end_as_well():
    told = []
    end = tell_compiling(told.append)
    try:
        assert _outer(3) == 8
        assert told == [True, False]
        assert _outer(4) == 10
        assert told == [True, False]
    finally:
        end()
    _outer(2.5)
    assert told == [True, False]
