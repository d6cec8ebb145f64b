"""Small things that everything stands on: rows' bounds, kept memory, digests of files, the smooth step, written numbers."""

import hashlib
import math
import mmap
import os
from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.units.content import content_digest, digest_or_none, read_regular
from lunar_haze.core.units.memory import Pool, on_lines
from lunar_haze.core.units.quantity import UNITS, format_quantity, parse_quantity
from lunar_haze.core.units.row import row
from lunar_haze.core.units.smooth import smoothstep

# -- rows ---------------------------------------------------------------------------------------------


class Held(NamedTuple):
    n: float = 1.0


@pytest.mark.parametrize(
    ("bounds", "taken", "refused"),
    [
        # Even rows: wider by as much again, but not below zero where they end there.
        ({"floor": 0.0, "ceiling": 10.0}, [0.0, 10.0, 20.0], [-0.1, 20.1, math.nan, math.inf]),
        ({"floor": -5.0, "ceiling": 10.0}, [-20.0, 25.0], [-20.1, 25.1]),
        ({"floor": 2.0, "ceiling": 10.0}, [2.0, 18.0], [1.9, 18.1]),
        # Whole numbers are held to theirs.
        ({"floor": 1.0, "ceiling": 8.0, "whole": True}, [1.0, 8.0], [0.0, 9.0]),
        # Ratios go down a million times; lengths have no end.
        ({"floor": 0.5, "ceiling": 64.0, "ratio": True}, [0.5e-6, 64.0], [0.4e-6, 64.1]),
        ({"floor": 0.01, "ceiling": 5.0, "ratio": True, "unit": "m"}, [1e-8, 5.0, 1e9], [0.9e-8, -1.0]),
    ],
)
def test_a_row_says_what_it_does_not_take(bounds, taken, refused):
    told = row("number", "number", "n", bounds.pop("unit", ""), 1.0, 4.0, 2.0, **bounds)
    assert [told.fault_of(Held(value)) for value in taken] == [""] * len(taken)
    for value in refused:
        said = told.fault_of(Held(value))
        assert "number" in said
        assert f"{told.floor:g} to {told.ceiling:g}" in said


def test_a_row_without_end_takes_none_and_writes_none():
    far = row("reach", "reach", "n", "m", 1.0, 100.0, 10.0, ratio=True, floor=0.1, ceiling=1e4, endless=True)
    assert far.fault_of(Held(math.inf)) == ""


# -- numbers as they are typed and shown --------------------------------------------------------------


@pytest.mark.parametrize("unit", sorted(UNITS))
def test_every_unit_reads_as_itself_and_is_a_multiple_of_its_own_kind(unit):
    assert parse_quantity(f"3 {unit}", unit, 0.0) == pytest.approx(3.0)
    kind, times = UNITS[unit]
    if kind in UNITS and UNITS[kind][0] == kind:
        assert parse_quantity(f"3 {unit}", kind, 0.0) == pytest.approx(3.0 * times / UNITS[kind][1])


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [("12 klx", "lx", 12_000.0), ("5 mlx", "lx", 0.005), ("2 klm", "lm", 2000.0), ("3 kcd", "cd", 3000.0),
     ("2 kcd/m2", "cd/m2", 2000.0), ("1.5 cd/m²", "cd/m2", 1.5), ("7 cm", "m", 0.07), ("7 mm", "m", 0.007), ("2 km", "m", 2000.0)],
)  # fmt: skip
def test_trade_units_are_what_they_say(typed, unit, value):
    assert parse_quantity(typed, unit, 0.0) == pytest.approx(value)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [(0.0, "m", "0 m"), (9_999.0, "lx", "9\u2009999 lx"), (10_000.0, "lx", "10.0 klx"), (123_456.0, "lm", "123 klm"),
     (-12_000.0, "cd", "-12.0 kcd"), (999.9, "m", "1\u2009000 m"), (1000.0, "m", "1.00 km"), (100.0, "K", "100 K"),
     (99.9, "K", "99.9 K"), (10.0, "m", "10.0 m"), (9.99, "m", "9.99 m"), (0.095, "m", "0.10 m"), (0.0941, "m", "0.094 m"),
     (45.0, "°", "45.0°"), (50.0, "%", "50.0%"), (20_000.0, "K", "20\u2009000 K"), (2.0, "", "2.00")],
)  # fmt: skip
def test_numbers_are_shown_with_three_figures(value, unit, text):
    assert format_quantity(value, unit) == text


# -- the smooth step ----------------------------------------------------------------------------------


@given(st.floats(-3.0, 3.0))
def test_the_smooth_step_rises_from_nothing_to_one_and_is_even_about_its_middle(share):
    value = float(smoothstep(np.array(share)))
    assert 0.0 <= value <= 1.0
    assert value + float(smoothstep(np.array(1.0 - share))) == pytest.approx(1.0)
    assert value == (0.0 if share <= 0 else 1.0 if share >= 1 else pytest.approx(3 * share**2 - 2 * share**3))
    assert smoothstep(np.array([0.25], np.float32)).dtype == np.float32


# -- memory -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("shape", [(3,), (5, 7), (64, 3)])
def test_arrays_begin_on_a_line_of_memory_and_are_zeros(shape):
    for dtype in (np.float32, np.float64, np.int32):
        made = [on_lines(shape, dtype) for _ in range(5)]
        assert all(a.ctypes.data % 64 == 0 for a in made)
        assert all(a.shape == shape and a.dtype == dtype and not a.any() for a in made)


@settings(max_examples=30)
@given(st.integers(1, 3 * mmap.PAGESIZE // 4), st.integers(2, 5), st.data())
def test_a_slot_that_is_given_back_is_zeros_and_its_neighbours_stay(size, slots, data):
    pool = Pool(slots, (size,))
    assert not pool.array.any()
    pool.array[...] = np.arange(1, slots + 1, dtype=np.float32)[:, None]
    gone = data.draw(st.integers(0, slots - 1))
    pool.give_back(gone)
    for slot in range(slots):
        assert (pool.array[slot] == (0.0 if slot == gone else slot + 1)).all()
    more = pool.enlarged(slots + 2, {0, slots - 1})
    assert more.array.shape == (slots + 2, size)
    assert np.array_equal(more.array[0], pool.array[0])
    assert np.array_equal(more.array[slots - 1], pool.array[slots - 1])
    assert not more.array[slots:].any()


# -- digests ------------------------------------------------------------------------------------------


def test_a_digest_is_that_of_the_bytes_and_follows_them(tmp_path):
    file = tmp_path / "a"
    file.write_bytes(os.urandom((4 << 20) + 17))
    assert content_digest(file) == hashlib.blake2b(file.read_bytes(), digest_size=16).hexdigest()
    assert content_digest(str(file)) == digest_or_none(file)
    first = content_digest(file)
    file.write_bytes(b"other")
    assert content_digest(file) == hashlib.blake2b(b"other", digest_size=16).hexdigest() != first


def test_what_is_no_file_has_no_digest(tmp_path):
    os.mkfifo(tmp_path / "pipe")
    for path in (tmp_path, tmp_path / "gone", tmp_path / "pipe", "a\0b", ""):
        assert digest_or_none(path) == ""
    for path in (tmp_path, tmp_path / "pipe", "a\0b"):
        with pytest.raises(OSError, match=r"ordinary file|its name is none|Is a directory"):
            read_regular(path)


def test_no_more_is_read_than_is_asked_for(tmp_path):
    file = tmp_path / "a"
    file.write_bytes(b"x" * 3000)
    assert read_regular(file) == file.read_bytes() == read_regular(file, 3000)
    with pytest.raises(OSError, match="larger than 0 MiB"):
        read_regular(file, 2999)
    with open(tmp_path / "large", "wb") as large:
        large.truncate((4 << 30) + 1)
    with pytest.raises(OSError, match="larger than 4,096 MiB"):
        read_regular(tmp_path / "large")
