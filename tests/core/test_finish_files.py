"""The finish handed on: tables and lists that somebody else's reader understands, and stills tagged for their screen."""

import struct

import attrs
import numpy as np
import PyOpenColorIO as ocio
import pytest
from PIL import Image

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.finish import acescct
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.shelf import SHELF
from lunar_haze.core.finish.values import Cdl, Glow, Grade, Grain, White
from lunar_haze.core.handoff.deliver import deliver
from lunar_haze.core.handoff.finish_file import not_in_a_table

POINTWISE = Finish(
    white=White(5200.0, 0.002), grade=Grade(0.3, 1.1, 0.2, 0.3, 0.3), cdl=Cdl((1.1, 1.0, 0.9), saturation=0.8)
)


def picture():
    rng = np.random.default_rng(5)
    return (np.geomspace(0.3, 400.0, 64)[None, :, None] * rng.uniform(0.4, 1.0, (36, 64, 3))).astype(np.float32)


def look_with(finish):
    return Look("a “look” <1>", finish=finish, ev100=6.0)


def test_an_exr_keeps_bare_light_and_its_cube_gives_the_picture_on_screen(tmp_path):
    """Through OpenColorIO's own reader."""
    made = deliver(tmp_path / "still.exr", Shot("s"), look_with(POINTWISE), picture(), None, {})
    assert [p.name for p in made] == ["still.exr", "still.finish.cube", "still.finish.cdl"]
    import OpenEXR

    with OpenEXR.File(str(made[0])) as still:
        assert np.array_equal(still.channels()["RGB"].pixels, picture())
        assert still.header()["lunarHazeFinish"] == "beside it as .cube"
    scale = float(made[1].read_text().split("times ")[1].split(",")[0])
    signal = acescct.encode(picture() * scale).astype(np.float32)
    transform = ocio.FileTransform(src=str(made[1]), interpolation=ocio.INTERP_TETRAHEDRAL)
    ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor().applyRGB(signal)
    screen = finished(picture(), POINTWISE, scale, 0.5)
    assert np.abs(signal - screen).mean() < 0.001
    assert np.abs(signal - screen).max() < 0.02


def test_its_cdl_is_read_by_another_hand(tmp_path):
    _still, _cube, cdl = deliver(tmp_path / "still.exr", Shot("s"), look_with(POINTWISE), picture(), None, {})
    read = ocio.CDLTransform.CreateFromFile(str(cdl), "")
    assert read.getSlope() == pytest.approx(POINTWISE.cdl.slope)
    assert read.getOffset() == pytest.approx(POINTWISE.cdl.offset)
    assert read.getPower() == pytest.approx(POINTWISE.cdl.power)
    assert read.getSat() == pytest.approx(0.8)


def test_what_a_table_cannot_tell_is_named(tmp_path):
    finish = attrs.evolve(POINTWISE, glow=Glow(0.1), night=0.5, grain=Grain(3.0))
    assert not_in_a_table(finish) == ("glow", "night by eye", "grain")
    assert not_in_a_table(SHELF["cold night"]) == ("vignette",)
    made = deliver(tmp_path / "still.exr", Shot("s"), look_with(finish), picture(), None, {})
    assert "# not in it: glow, night by eye, grain" in made[1].read_text()


@pytest.mark.parametrize("finish", [Finish(), attrs.evolve(POINTWISE, muted=True)])
def test_without_a_finish_the_still_is_alone(tmp_path, finish):
    assert len(deliver(tmp_path / "still.exr", Shot("s"), look_with(finish), picture(), None, {})) == 1


def chunks(path):
    data, at, found = path.read_bytes(), 8, {}
    while at < len(data):
        length, name = struct.unpack(">I4s", data[at : at + 8])
        found.setdefault(name.decode(), data[at + 8 : at + 8 + length])
        at += 12 + length
    return found


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize(("screen", "primaries"), [("sRGB", 1), ("Display P3", 12)])
def test_a_png_says_which_screen_it_is_for(tmp_path, bits, screen, primaries):
    path = tmp_path / "still.png"
    deliver(path, Shot("s"), look_with(Finish()), picture(), None, {}, bits, screen=screen)
    found = chunks(path)
    assert list(found)[:2] == ["IHDR", "cICP"]
    assert list(found["cICP"]) == [primaries, 13, 0, 1]
    with Image.open(path) as image:
        image.load()
        assert image.size == (64, 36)


def test_a_part_of_a_still_lies_in_its_frame(tmp_path):
    """A darkened corner and the grain stay where the whole still has them."""
    look = look_with(SHELF["storm"])
    deliver(tmp_path / "whole.png", Shot("s"), look, picture(), None, {}, 16)
    deliver(tmp_path / "part.png", Shot("s"), look, picture(), None, {}, 16, part=(0.0, 0.0, 0.5, 0.5))
    import OpenImageIO as oiio

    whole, part = (oiio.ImageInput.open(str(tmp_path / f"{n}.png")).read_image("uint16") for n in ("whole", "part"))
    assert np.array_equal(whole[:18, :32], part)
