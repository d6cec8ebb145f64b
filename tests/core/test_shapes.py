"""Arrays are checked where Python calls compiled functions: what would be read past its end is refused in words."""

import numba as nb
import numpy as np
import pytest

from lunar_haze.core.finish import kernels, one_pass
from lunar_haze.core.units.shapes import ShapeError, check, entry


@entry(a="h w 3 f4", b="h w f4 | 1 1 f4")
@nb.njit
def _first(a, b, scale):
    return a[0, 0, 0] * b[0, 0] * scale


def test_what_fits_is_computed():
    a = np.full((4, 5, 3), 2.0, np.float32)
    assert _first(a, np.full((4, 5), 3.0, np.float32), 2.0) == 12.0
    assert _first(a, np.full((1, 1), 3.0, np.float32), 2.0) == 12.0


@pytest.mark.parametrize(
    ("a", "b"),
    [
        (np.zeros((4, 5, 4), np.float32), np.zeros((4, 5), np.float32)),
        (np.zeros((4, 5, 3)), np.zeros((4, 5), np.float32)),
        (np.zeros((4, 5, 3), np.float32), np.zeros((5, 4), np.float32)),
        (np.zeros((4, 10, 3), np.float32)[:, ::2], np.zeros((4, 5), np.float32)),
        ([[[1.0]]], np.zeros((4, 5), np.float32)),
    ],
    ids=["width", "type", "other side", "strided", "a list"],
)
def test_what_does_not_is_refused_by_name(a, b):
    with pytest.raises(ShapeError, match=r"_first: [ab] is"):
        _first(a, b, 1.0)


def test_a_form_for_no_argument_is_refused_at_import():
    with pytest.raises(ValueError, match="no arguments c"):
        entry(c="h f4")(_first.kernel)


def test_strided_arrays_are_taken_where_a_form_says_so():
    check("it", {"a": np.zeros((4, 10), np.float32)[:, ::2]}, {"a": "h w f4 any"})


def test_the_finish_refuses_a_mask_of_another_size():
    light = np.zeros((8, 9, 3), np.float32)
    with pytest.raises(ShapeError, match="out is"):
        kernels.bright_part(light, np.float32(1.0), np.zeros((8, 8, 3), np.float32), np.zeros((8, 9), bool))
    with pytest.raises(ShapeError, match="out is"):
        one_pass.couple_rows(None, light, np.zeros((8, 9, 4), np.float32))
