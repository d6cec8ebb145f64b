"""The film of a screen: what PyAV reads of films that were made here, and what is no film."""

import contextlib
import os
import resource
from fractions import Fraction

import av
import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.errors import PictureError
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.flicker import flicker_light
from lunar_haze.core.sources.model import Source
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.service.movie import write_film
from lunar_haze.service.video import read_screen

GREYS = (30, 90, 200, 120, 60, 240)


def film(tmp_path, colours, rate=25.0, name="film.mp4", size=(64, 36)):
    stills = []
    for number, colour in enumerate(colours):
        path = tmp_path / f"{number:03d}.png"
        Image.new("RGB", size, tuple(colour)).save(path)
        stills.append(path)
    write_film(tmp_path / name, stills, rate, "sRGB")
    return tmp_path / name


@pytest.mark.parametrize("name", ["film.mp4", "film.webm"])
def test_the_light_of_a_film_is_that_of_its_pictures(tmp_path, name):
    found = read_screen(film(tmp_path, [(g,) * 3 for g in GREYS], name=name))
    wanted = srgb_decode(np.array(GREYS) / 255.0)
    wanted = wanted / wanted.mean()
    levels = np.array(found.series) @ LUMINANCE_WEIGHTS
    assert levels == pytest.approx(wanted, rel=0.06, abs=0.02)
    assert levels.mean() == pytest.approx(1.0, abs=1e-3)
    assert found.rate == pytest.approx(25.0)
    assert found.name == name


def test_its_colour_goes_along(tmp_path):
    found = read_screen(film(tmp_path, [(220, 40, 40), (40, 40, 220), (40, 40, 220)]))
    red, blue = np.array(found.series[0]), np.array(found.series[1])
    assert red[0] > 3 * red[2]
    assert blue[2] > 3 * blue[0]
    told = srgb_decode(np.array([220, 40, 40]) / 255.0) @ SRGB_TO_ACESCG.T
    assert red / red[0] == pytest.approx(told / told[0], abs=0.06)


def test_frames_come_when_they_are_due_and_round_again(tmp_path):
    screen = FilmedScreen(((0.5, 0.5, 0.5), (1.0, 1.0, 1.0), (1.5, 1.5, 1.5)), rate=10.0)
    for number in range(9):
        assert screen.light(np.array([number / 10.0]), 5000.0)[0, 0] == screen.series[number % 3][0]
    assert screen.light(np.array([-0.05]), 5000.0)[0, 0] == 1.5
    assert FilmedScreen(screen.series, 10.0, start_s=0.1).light(np.array([0.0]), 5000.0)[0, 0] == 1.0
    half = FilmedScreen(screen.series, 10.0, depth=0.5).light(np.array([0.0]), 5000.0)[0, 0]
    assert half == pytest.approx(0.75)
    over = flicker_light(screen, 0.0, 0.3, 5000.0)
    assert over == pytest.approx([1.0] * 3, abs=0.02)


def test_without_a_film_it_is_steady():
    assert (FilmedScreen().light(np.linspace(0, 9, 20), 5000.0) == 1.0).all()


@pytest.mark.parametrize(("kind", "said"), [
    ("gone", "is not there"), ("words", "no video"), ("black", "black"), ("sound", "no moving picture"),
    ("folder", r"cannot be read|no video"), ("torn", "no video")])  # fmt: skip
def test_what_is_no_film_is_said(tmp_path, kind, said):
    path = tmp_path / "it.mp4"
    if kind == "words":
        path.write_text("once upon a time " * 50)
    elif kind == "black":
        path = film(tmp_path, [(0, 0, 0)] * 4)
    elif kind == "sound":
        path = tmp_path / "it.wav"
        with av.open(str(path), "w") as file:
            stream = file.add_stream("pcm_s16le", rate=8000)
            frame = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), "s16", "mono")
            frame.rate, frame.time_base = 8000, Fraction(1, 8000)
            file.mux(stream.encode(frame))
            file.mux(stream.encode(None))
    elif kind == "folder":
        path.mkdir()
    elif kind == "torn":
        path.write_bytes(film(tmp_path, [(99, 99, 99)] * 9, name="whole.mp4").read_bytes()[:600])
    with pytest.raises(PictureError, match=said) as refused:
        read_screen(path)
    assert path.name in str(refused.value)


def test_a_pipe_is_not_waited_for(tmp_path):
    path = tmp_path / "pipe.mp4"
    os.mkfifo(path)
    with pytest.raises(PictureError, match="not an ordinary file"):
        read_screen(path)


def test_names_that_other_readers_would_follow_are_plain_names(tmp_path):
    """A list of films, a pattern of numbers, a second file by a bar: none is looked at."""
    good = film(tmp_path, [(g,) * 3 for g in GREYS])
    for name, text in {
        "list.mp4": f"#EXTM3U\n#EXTINF:1,\n{good}\n#EXT-X-ENDLIST\n", "cat.mp4": f"ffconcat version 1.0\nfile {good.name}\n",
        "sdp.mp4": "v=0\no=- 0 0 IN IP4 127.0.0.1\nm=video 9 RTP/AVP 96\n",
    }.items():  # fmt: skip
        (tmp_path / name).write_text(text)
        with pytest.raises(PictureError, match="no video"):
            read_screen(tmp_path / name)
    odd = tmp_path / "concat:film.mp4|%03d.mp4"
    odd.write_bytes(good.read_bytes())
    assert read_screen(odd).series == read_screen(good).series


def test_a_tall_thin_film_takes_no_memory_to_speak_of(tmp_path):
    path = tmp_path / "thin.avi"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 2, 16_384, "bgra"
        for grey in (40, 200):
            frame = av.VideoFrame.from_ndarray(np.full((16_384, 2, 4), grey, np.uint8), "bgra")
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    levels = np.array(read_screen(path).series) @ LUMINANCE_WEIGHTS
    assert levels[1] > 5 * levels[0]
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


def test_a_film_of_any_rate_is_saved_and_opened_again(tmp_path):
    """A film of 1,200 frames a second was taken, saved, and made its look unreadable."""
    path = tmp_path / "quick.mkv"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("ffv1", rate=1200)
        stream.width, stream.height, stream.pix_fmt = 32, 32, "bgra"
        for grey in GREYS:
            file.mux(stream.encode(av.VideoFrame.from_ndarray(np.full((32, 32, 4), grey, np.uint8), "bgra")))
        file.mux(stream.encode(None))
    screen = read_screen(path)
    assert screen.rate == pytest.approx(1200.0)
    lamp = Source("a", "screen", Ball((0.0, 0.0, 1.0)), flicker=screen)
    document = Document(shots=(Shot("s"),), looks=(Look("l", sources=(lamp,)),), current_shot="s", current_look="l")
    save(document, tmp_path / "a.haze")
    found, notes = load(tmp_path / "a.haze")
    assert not notes
    assert found.looks == document.looks


def test_a_damaged_film_is_told_in_words(tmp_path):
    path = film(tmp_path, [(g,) * 3 for g in GREYS], name="a.webm")
    good = path.read_bytes()
    rng = np.random.default_rng(5)
    for _ in range(60):
        data = bytearray(good)
        for at in rng.integers(0, min(len(data), 700), int(rng.integers(1, 30))):
            data[at] = int(rng.integers(256))
        (tmp_path / "b.mkv").write_bytes(data)
        with contextlib.suppress(PictureError):
            read_screen(tmp_path / "b.mkv")
