"""Grading tables: read and applied as OpenColorIO does, and what is wrong with a file said in words."""

import contextlib

import numpy as np
import pytest

from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.tables import applied, read_table
from lunar_haze.core.finish.values import TableFile
from lunar_haze.core.picture.views import direct

CORNERS = [f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1)]
IDENTITY = "LUT_3D_SIZE 2\n" + "\n".join(CORNERS) + "\n"
SWAPPED = "LUT_3D_SIZE 2\n" + "\n".join(" ".join(reversed(line.split())) for line in CORNERS) + "\n"
SQUARES = "LUT_1D_SIZE 1025\n" + "".join(f"{(i / 1024) ** 2:.8f} " * 3 + "\n" for i in range(1025))


def written(folder, text, name="table.cube"):
    path = folder / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def values(count=200):
    return np.random.default_rng(2).random((count, 3)).astype(np.float32)


def test_one_that_changes_nothing_changes_nothing(tmp_path):
    table = read_table(written(tmp_path, IDENTITY))
    assert applied(values(), table) == pytest.approx(values(), abs=1e-6)


def test_tables_of_one_and_three_dimensions_do_what_they_say(tmp_path):
    swapped = applied(values(), read_table(written(tmp_path, SWAPPED, "swap.cube")))
    assert swapped == pytest.approx(values()[:, ::-1], abs=1e-6)
    squares = applied(values(), read_table(written(tmp_path, SQUARES, "squares.cube")))
    assert squares == pytest.approx(values() ** 2, abs=1e-5)


def test_a_domain_is_the_tables_own(tmp_path):
    wide = read_table(written(tmp_path, "DOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n" + IDENTITY))
    assert applied(values(), wide) == pytest.approx(values() / 2, abs=1e-6)


def test_its_strength_is_how_much_of_it_is_taken(tmp_path):
    import attrs

    table = read_table(written(tmp_path, SWAPPED))
    half = applied(values(), attrs.evolve(table, strength=0.5))
    assert half == pytest.approx((values() + values()[:, ::-1]) / 2, abs=1e-6)
    untouched = values()
    assert applied(untouched, attrs.evolve(table, strength=0.0)) is untouched


@pytest.mark.parametrize("space", ["log", "screen"])
def test_live_and_still_have_it_alike(tmp_path, space):
    finish = Finish(table=read_table(written(tmp_path, SQUARES), space))
    light = np.geomspace(0.002, 4.0, 160)[None, :, None].repeat(3, 2).repeat(20, 0).astype(np.float32)
    still = finished(light, finish, 1.0, 0.5)
    live = Finisher().show(light, finish, 1.0, 0.5, dither=False)[..., 2::-1] / 255.0
    assert np.abs(live - still).max() < 0.012
    if space == "screen":
        assert still == pytest.approx(direct(light) ** 2, abs=1e-5)


def test_a_table_that_changed_on_disk_is_read_again(tmp_path):
    path = written(tmp_path, IDENTITY)
    first = applied(values(), read_table(path))
    written(tmp_path, SWAPPED)
    assert applied(values(), read_table(path)) == pytest.approx(first[:, ::-1], abs=1e-6)


BROKEN = {
    "empty": "",
    "no size": "0 0 0\n1 1 1\n",
    "size of nothing": "LUT_3D_SIZE 0\n",
    "size of one": "LUT_3D_SIZE 1\n0 0 0\n",
    "negative size": "LUT_3D_SIZE -3\n0 0 0\n",
    "endless size": "LUT_3D_SIZE 100000\n0 0 0\n",
    "too short": "\n".join(IDENTITY.splitlines()[:-1]),
    "too long": IDENTITY + "1 1 1\n",
    "words": IDENTITY.replace("1 1 1", "one two three"),
    "two numbers": IDENTITY.replace("1 1 1", "1 1"),
    "nan": IDENTITY.replace("1 1 1", "nan nan nan"),
    "inf": IDENTITY.replace("1 1 1", "1 inf 1"),
    "huge numbers": IDENTITY.replace("1 1 1", "1e30 1e30 1e30"),
    "domain turned round": "DOMAIN_MIN 1 1 1\nDOMAIN_MAX 0 0 0\n" + IDENTITY,
    "domain of nothing": "DOMAIN_MIN 0 0 0\nDOMAIN_MAX 0 0 0\n" + IDENTITY,
    "domain of words": "DOMAIN_MIN a b c\n" + IDENTITY,
    "noise": bytes(range(256)) * 40,
}


@pytest.mark.parametrize("kind", BROKEN)
def test_broken_ones_are_told_in_words(tmp_path, kind):
    with pytest.raises(PictureError, match=r"table\.cube") as told:
        read_table(written(tmp_path, BROKEN[kind]))
    assert "\n" not in str(told.value)
    assert len(str(told.value)) < 300


def test_a_file_that_is_none_is_told(tmp_path):
    with pytest.raises(PictureError, match="is not there"):
        read_table(tmp_path / "gone.cube")
    with pytest.raises(PictureError, match=r"\.cube"):
        read_table(written(tmp_path, IDENTITY, "table.txt"))
    with (tmp_path / "large.cube").open("wb") as large:
        large.truncate(200 << 20)
    with pytest.raises(PictureError, match="larger than 64"):
        read_table(tmp_path / "large.cube")


def test_a_table_that_has_gone_is_told_when_it_is_needed(tmp_path):
    finish = Finish(table=TableFile(str(tmp_path / "gone.cube"), "digest"))
    with pytest.raises(PictureError, match=r"gone\.cube"):
        finished(np.ones((4, 4, 3), np.float32), finish, 1.0, 0.5)


CLF = """<?xml version="1.0" encoding="UTF-8"?>
<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="a" compCLFversion="3">
{steps}
</ProcessList>
"""
STEP = '<Range inBitDepth="32f" outBitDepth="32f"><minInValue>0</minInValue><minOutValue>0</minOutValue></Range>'


@pytest.mark.parametrize("name", ["a.clf", "a.cube", "a.spi1d"])
@pytest.mark.parametrize(
    "reference",
    [
        '<Reference path="{}" inBitDepth="32f" outBitDepth="32f"/>', '<x:Reference xmlns:x="urn:AMPAS:CLF:v3.0" path="{}"/>',
        '<reference alias="{}"/>',
    ],
)  # fmt: skip
def test_what_a_table_refers_to_is_not_read(tmp_path, name, reference):
    """A table that named a pipe hung the window for good."""
    import os

    pipe = tmp_path / "pipe.clf"
    os.mkfifo(pipe)
    text = CLF.format(steps=STEP + reference.format(pipe))
    with pytest.raises(PictureError, match="refers to other files"):
        read_table(written(tmp_path, text, name))
    doctype = text.replace("?>", '?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/hostname">]>', 1)
    with pytest.raises(PictureError, match="refers to other files"):
        read_table(written(tmp_path, doctype.replace(reference.format(pipe), "&a;"), name))
    # Another encoding hides it.
    with pytest.raises(PictureError):
        read_table(written(tmp_path, text.encode("utf-16"), name))


def test_a_table_that_came_to_refer_to_others_after_it_was_chosen_is_not_followed(tmp_path):
    path = written(tmp_path, CLF.format(steps=STEP), "a.clf")
    table = read_table(path)
    written(tmp_path, CLF.format(steps=STEP + '<Reference path="/dev/zero"/>'), "a.clf")
    with pytest.raises(PictureError, match="refers to other files"):
        applied(values(), table)


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.clf", CLF.format(steps=STEP * 60_000)),
        ("a.cube", "\n" * 400_000 + IDENTITY), ("b.cube", " " * 400_000 + IDENTITY),
        ("c.cube", "DOMAIN_MIN" + " " * 200_000 + "\n" + IDENTITY), ("d.cube", "#" + "nan " * 200_000 + "\n" + IDENTITY),
        ("e.cube", "# nan\n" * 100_000 + IDENTITY), ("f.cube", "LUT_3D_SIZE 2\n" * 100_000 + IDENTITY),
        ("g.cube", "LUT_3D_SIZE 100000\n0 0 0\n"), ("h.cube", "LUT_1D_SIZE 2000000000\n0 0 0\n"),
        ("a.spi1d", "Version 1\nFrom 0 1\nLength 2000000000\nComponents 1\n{\n0\n}\n"),
        ("a.spi3d", "SPILUT 1.0\n3 3\n90000 90000 90000\n0 0 0 0 0 0\n"),
        ("b.clf", CLF.format(steps='<LUT3D inBitDepth="32f" outBitDepth="32f"><Array dim="90000 90000 90000 3">0</Array></LUT3D>')),
        ("i.cube", "\n" * 3_000_000),
    ],
)  # fmt: skip
def test_a_table_is_judged_in_no_time_whatever_it_says(tmp_path, name, text):
    import resource
    import time

    path = written(tmp_path, text, name)
    began, before = time.perf_counter(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with contextlib.suppress(PictureError):
        read_table(path)
    assert time.perf_counter() - began < 2.0
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 400_000


def test_a_large_table_is_tried_elsewhere_first(tmp_path, monkeypatch):
    from lunar_haze.service import table_trial

    good = np.random.default_rng(0).random((33**3, 3))
    text = (
        "LUT_3D_SIZE 33\n"
        + ("# " + "x" * 998 + "\n") * 3000
        + "\n".join("{:.6f} {:.6f} {:.6f}".format(*row) for row in good)
    )
    path = written(tmp_path, text, "large.cube")
    assert table_trial.tried_table(path) == read_table(path)
    bad = written(tmp_path, text.replace("LUT_3D_SIZE 33", "LUT_3D_SIZE 34"), "bad.cube")
    with pytest.raises(PictureError, match=r"bad\.cube"):
        table_trial.tried_table(bad)
    slow = written(tmp_path, text + "\n# another", "slow.cube")
    monkeypatch.setattr(table_trial, "SECONDS", 0.01)
    with pytest.raises(PictureError, match="takes longer"):
        table_trial.tried_table(slow)


def test_a_file_of_any_size_is_told_at_once(tmp_path):
    import time

    path = tmp_path / "vast.cube"
    with path.open("wb") as stream:
        stream.write(IDENTITY.encode())
        stream.truncate(1 << 40)
    began = time.perf_counter()
    with pytest.raises(PictureError, match="larger than 64 MiB"):
        read_table(path)
    with pytest.raises(PictureError, match="larger than 64 MiB"):
        applied(values(), TableFile(str(path)))
    assert time.perf_counter() - began < 1.0
