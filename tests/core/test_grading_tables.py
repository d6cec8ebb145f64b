"""Grading tables: read and applied as OpenColorIO does, and what is wrong with a file said in words."""

import numpy as np
import pytest

from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish, TableFile
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.tables import applied, read_table
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
