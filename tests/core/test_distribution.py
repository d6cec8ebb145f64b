"""IES files: what they tell, and the many ways in which they are broken."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.errors import SourceError
from lunar_haze.core.sources.distribution import (
    Distribution,
    axial_candela,
    intensity,
    lumens,
    parse_ies,
    read_ies,
)

GAMMA = (0, 15, 30, 45, 60, 75, 90)
COSINE = tuple(round(500 * math.cos(math.radians(g)), 4) for g in GAMMA)


def ies(
    verticals=GAMMA,
    horizontals=(0,),
    rows=(COSINE,),
    head="1 1000 1",
    kind=1,
    ballast="1 1 50",
    tilt="NONE",
    first="IESNA:LM-63-2002",
):
    lines = [first, "[TEST] made by a test", "[MANUFAC] nobody", f"TILT={tilt}"]
    if tilt == "INCLUDE":
        lines += ["1", "3", "0 45 90", "1.0 0.9 0.8"]
    lines += [f"{head} {len(verticals)} {len(horizontals)} {kind} 2 0.1 0.1 0", ballast]
    lines += [" ".join(map(str, verticals)), " ".join(map(str, horizontals)), *(" ".join(map(str, r)) for r in rows)]
    return "\n".join(lines)


def test_a_cosine_lamp_emits_pi_times_its_axial_intensity():
    lamp, notes = parse_ies(ies(), "lamp.ies")
    assert notes == [] or "add up" in notes[0]
    assert axial_candela(lamp) == 500.0
    fine, _notes = parse_ies(
        ies(tuple(range(91)), (0,), ([500 * math.cos(math.radians(g)) for g in range(91)],)), "f.ies"
    )
    assert lumens(fine) == pytest.approx(math.pi * 500, rel=1e-3)
    even = Distribution("even", (0.0, 180.0), (0.0,), (10.0, 10.0))
    assert lumens(even) == pytest.approx(4 * math.pi * 10, rel=1e-6)


def test_factors_are_multiplied_in():
    plain, _n = parse_ies(ies(), "a.ies")
    twice, _n = parse_ies(ies(head="1 1000 2"), "a.ies")
    weak, _n = parse_ies(ies(ballast="0.5 1 50"), "a.ies")
    assert lumens(twice) == pytest.approx(2 * lumens(plain))
    assert lumens(weak) == pytest.approx(0.5 * lumens(plain))


@pytest.mark.parametrize(
    ("horizontals", "mirror"),
    [
        ((0, 45, 90), lambda c: min(c % 180, 180 - c % 180)),
        ((0, 90, 180), lambda c: min(c, 360 - c)),
        ((0, 120, 240, 360), None),
    ],
)
def test_symmetric_files_are_laid_out_over_the_whole_circle(horizontals, mirror):
    rows = [tuple(v * (1 + k) for v in COSINE) for k in range(len(horizontals))]
    if mirror is None:
        rows[-1] = rows[0]
    lamp, _notes = parse_ies(ies(horizontals=horizontals, rows=rows), "lamp.ies")
    for c in (10.0, 100.0, 190.0, 280.0, 350.0):
        told = float(intensity(lamp, np.array(30.0), np.array(c)))
        at = mirror(c) if mirror else c
        expected = np.interp(at, horizontals, [r[2] for r in rows])
        assert told == pytest.approx(expected, rel=1e-6)


def test_files_are_read_as_they_are_found_in_the_wild():
    plain, _n = parse_ies(ies(), "a.ies")
    commas = ies().replace("0 15 30", "0, 15,30")
    assert parse_ies(commas, "a.ies")[0].candela == plain.candela
    assert parse_ies(ies().replace("\n", "\r\n"), "a.ies")[0].candela == plain.candela
    wrapped = ies().replace(" 433.0127", "\n433.0127")
    assert parse_ies(wrapped, "a.ies")[0].candela == plain.candela
    assert parse_ies(ies(first=""), "a.ies")[0].candela == plain.candela, "the oldest files have no first line"
    tilted, notes = parse_ies(ies(tilt="INCLUDE"), "a.ies")
    assert tilted.candela == plain.candela
    assert "tilt table" in notes[0]
    assert "tilt file" in parse_ies(ies(tilt="LAMP.TLT"), "a.ies")[1][0]
    assert "left out" in parse_ies(ies() + "\n 7 8 9", "a.ies")[1][0]
    negative, notes = parse_ies(ies(rows=((*COSINE[:-1], -4),)), "a.ies")
    assert min(negative.candela) == 0.0
    assert "below zero" in notes[0]


BROKEN = {
    "empty": ("", "is empty"),
    "no tilt": ("IESNA:LM-63-2002\n1 2 3", "no TILT line"),
    "cut off": (ies()[:-30], "ends too early"),
    "a word among numbers": (ies().replace("15 30", "15 thirty"), "thirty"),
    "not a number": (ies().replace("15 30", "15 nan"), "nan"),
    "infinite": (ies().replace("15 30", "15 1e999"), "1e999"),
    "angles that fall": (ies(verticals=(0, 30, 15, 45, 60, 75, 90)), "does not rise"),
    "angles out of range": (ies(verticals=(0, 15, 30, 45, 60, 75, 290)), "0 to 180"),
    "horizontals from nowhere": (ies(horizontals=(30, 60), rows=(COSINE, COSINE)), "begin at 30"),
    "type B": (ies(kind=2), "type B"),
    "no light": (ies(rows=((0,) * 7,)), "no light"),
    "absurd counts": (ies().replace(" 7 1 1 2 ", " 70000 1 1 2 "), "damaged"),
    "a picture": ("\x89PNG\r\n\x1a\n" + "\x00" * 64, "no TILT line"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_file_says_what_is_wrong_and_where(name):
    text, words = BROKEN[name]
    with pytest.raises(SourceError, match=words) as caught:
        parse_ies(text, "lamp.ies")
    assert "lamp.ies" in str(caught.value)


def test_a_file_that_is_not_there_or_no_file_says_so(tmp_path):
    with pytest.raises(SourceError, match="not there"):
        read_ies(tmp_path / "none.ies")
    with pytest.raises(SourceError, match="folder"):
        read_ies(tmp_path)
    large = tmp_path / "large.ies"
    large.write_bytes(b"x" * (9 << 20))
    with pytest.raises(SourceError, match="8 MB"):
        read_ies(large)
    good = tmp_path / "good lamp.ies"
    good.write_text(ies(), encoding="latin-1")
    assert read_ies(good)[0].name == "good lamp"


@given(st.text(max_size=400))
def test_no_text_whatever_brings_it_down(text):
    try:
        parse_ies("TILT=NONE\n" + text, "any.ies")
    except SourceError:
        pass
