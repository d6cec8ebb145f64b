"""Match: a balance planted in a reference comes back, what cannot come near is said."""

import time

import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.values import White
from lunar_haze.core.finish.white_balance import matrix
from lunar_haze.core.picture.reference import read_reference
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.solve.match import MIRED_SPAN, SURE, _Distance, _fitted, _View, match
from lunar_haze.core.solve.tints import factor

H, W = 54, 96


def show(picture, scale):
    """A plain view: exposed light through a shoulder, gamma 2.2."""
    light = np.maximum(picture * scale, 0.0)
    return np.rint(np.clip(light / (light + 0.6), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)


def a_look(count=6, seed=0):
    """Distinct sources: each lights a part of the frame of its own in a colour of its own, over a dim sky."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:H, 0:W]
    sources = [
        Share("sky", "sky", "fill", np.broadcast_to(0.05 * np.array([0.4, 0.6, 1.0]), (H, W, 3)).astype(np.float32))
    ]
    for n in range(count - 1):
        at = rng.uniform(8, H - 8), (n + 0.5 + rng.uniform(-0.2, 0.2)) * W / (count - 1)
        pool = np.exp(-((y - at[0]) ** 2 + (x - at[1]) ** 2) / (2 * rng.uniform(8, 16) ** 2))
        colour = rng.uniform(0.15, 1.0, 3)
        sources.append(Share(f"s{n}", f"source {n}", "", (pool[..., None] * colour * 0.5).astype(np.float32)))
    return Shares(tuple(sources), 1.0)


def planted(shares, seed):
    rng = np.random.default_rng(500 + seed)
    moves = {s.id: float(rng.uniform(-2, 2)) for s in shares.sources}
    seen = shares.mixed(moves)
    return moves, show(seen.picture, seen.scale)


def test_dimmers_that_are_planted_come_back_where_they_are_sure():
    good, total = 0, 0
    for seed in range(4):
        shares = a_look(6, seed)
        moves, reference = planted(shares, seed)
        found = match(shares, reference, show, with_exposure=False)
        assert found.after < 0.25 * found.before
        got = dict(found.moves)
        for source in shares.sources:
            if found.sigma[source.id] < 0.15:
                total += 1
                good += abs(got.get(source.id, 0.0) - moves[source.id]) < 0.3
    assert total >= 16
    assert good >= 0.9 * total


def planted_in_colour(shares, seed):
    """Colour temperatures of all but the first source, hidden dimmers and changes of colour, and their picture."""
    rng = np.random.default_rng(800 + seed)
    kelvins = {s.id: float(rng.uniform(2500.0, 7000.0)) for s in shares.sources[1:]}
    moves = {s.id: float(rng.uniform(-1.5, 1.5)) for s in shares.sources}
    mireds = {i: float(rng.uniform(-45.0, 45.0)) for i in kelvins}
    lights = [
        s.light * 2.0 ** moves[s.id] * (factor(kelvins[s.id], mireds[s.id]) if s.id in kelvins else 1.0)
        for s in shares.sources
    ]
    return kelvins, moves, mireds, show(np.sum(lights, 0).astype(np.float32), shares.scale)


@pytest.mark.parametrize("seed", range(3))
def test_dimmers_and_colours_that_are_planted_come_back_where_they_are_sure(seed):
    shares = a_look(6, seed)
    kelvins, moves, mireds, reference = planted_in_colour(shares, seed)
    alone = match(shares, reference, show, with_exposure=False)
    found = match(shares, reference, show, with_exposure=False, kelvins=kelvins)
    assert found.after < 0.15 * found.before
    assert found.after < 0.7 * alone.after, "colours bring it nearer than dimmers alone"
    dimmers, warmer = dict(found.moves), dict(found.mireds)
    sure = [i for i in kelvins if found.sigma[i] < SURE]
    assert len(sure) >= 3
    assert all(abs(dimmers.get(i, 0.0) - moves[i]) < 0.3 for i in sure)
    assert np.mean([abs(warmer.get(i, 0.0) - mireds[i]) < 12.0 for i in sure]) >= 0.75
    assert all(abs(m) <= MIRED_SPAN + 1e-6 for m in warmer.values())


def test_what_may_not_change_its_colour_keeps_it():
    shares = a_look(5, 2)
    _moves, reference = planted(shares, 2)
    found = match(shares, reference, show, held=frozenset({"s1"}), kelvins={"s0": 3000.0, "s1": 3000.0})
    assert {i for i, _mired in found.mireds} <= {"s0"}


@pytest.mark.parametrize(("kelvin", "duv"), [(4800.0, 0.0), (7200.0, -0.006), (5200.0, 0.008)])
def test_a_white_balance_that_is_planted_comes_back(kelvin, duv):
    shares = a_look(6, 1)
    moves = {s.id: 0.4 * (-1) ** n for n, s in enumerate(shares.sources)}
    light = shares.mixed(moves).picture @ matrix(White(kelvin, duv)).T.astype(np.float32)
    reference = show(light, shares.scale)
    found = match(shares, reference, show, with_exposure=False, with_white=True)
    assert found.after < 0.15 * found.before
    assert 1e6 / found.white.kelvin == pytest.approx(1e6 / kelvin, abs=12.0)
    assert found.white.tint_duv == pytest.approx(duv, abs=0.003)
    assert match(shares, reference, show, with_exposure=False).white is None


def test_the_white_balance_that_there_is_counts():
    shares = a_look(5, 3)
    white = White(4600.0, 0.003)
    reference = show(shares.picture @ matrix(white).T.astype(np.float32), shares.scale)
    found = match(shares, reference, show, white=white)
    assert found.before < 0.01
    assert found.white is None


def test_a_reference_of_the_look_itself_moves_nothing():
    shares = a_look()
    found = match(shares, show(shares.picture, 1.0), show)
    assert max((abs(m) for _i, m in found.moves), default=0.0) < 0.1
    assert abs(found.exposure) < 0.1


def test_held_sources_and_exposure_stay():
    shares = a_look()
    _moves, reference = planted(shares, 3)
    found = match(shares, reference, show, frozenset({"s1", "sky"}), with_exposure=False)
    assert not {"s1", "sky"} & set(dict(found.moves))
    assert found.exposure == 0.0


def test_brightness_alone_is_exposure_where_it_may_move():
    shares = a_look()
    reference = show(shares.picture, 4.0)
    found = match(shares, reference, show)
    got = dict(found.moves)
    lift = [found.exposure + got.get(s.id, 0.0) for s in shares.sources]
    assert np.median(lift) == pytest.approx(2.0, abs=0.35)
    assert found.after < 0.2 * found.before


def test_of_a_reference_whose_light_lies_elsewhere_tone_and_colours_are_met():
    """The same pools of light, the frame turned about: no balance puts them where they are there."""
    shares = a_look(4, 5)
    kelvins, _moves, _mireds, reference = planted_in_colour(shares, 5)
    turned = np.ascontiguousarray(np.rot90(reference, 2))
    here = match(shares, reference, show, kelvins=kelvins, with_exposure=False)
    there = match(shares, turned, show, kelvins=kelvins, with_white=True)
    assert not here.elsewhere
    assert there.elsewhere
    assert "other parts of the frame" in there.words
    assert there.after < 0.75 * there.before

    def lightness(picture):
        return np.sort(picture.astype(float).mean(2).ravel())

    def apart(stops):
        moved = shares.mixed({s.id: dict(stops).get(s.id, 0.0) for s in shares.sources})
        return np.abs(lightness(show(moved.picture, 2.0**there.exposure)) - lightness(turned)).mean()

    start = np.abs(lightness(show(shares.picture, 1.0)) - lightness(turned)).mean()
    assert apart(there.moves) < 0.7 * start


def even(*rgb):
    return np.full((H, W, 3), rgb, np.float32)


STEPPED = np.repeat(np.where(np.arange(W)[None, :, None] < W // 2, 0.03, 0.9), H, 0)


@pytest.mark.parametrize(("own", "reference", "words"), [
    (even(0.02, 0.05, 0.4), even(0.8, 0.3, 0.03), "it stays cooler"),
    (even(0.8, 0.3, 0.03), even(0.02, 0.05, 0.4), "it stays warmer"),
    (even(0.2, 0.28, 0.2), even(0.2, 0.2, 0.2), "it stays greener"),
    (even(0.2, 0.2, 0.2), np.repeat(STEPPED, 3, 2), ("its darks stay lighter", "its lights stay darker")),
    (even(0.2, 0.2, 0.2), np.concatenate([even(0.4, 0.2, 0.05)[:, : W // 2], even(0.1, 0.2, 0.6)[:, W // 2 :]], 1),
     "its colours stay closer together"),
])  # fmt: skip
def test_what_cannot_come_near_is_said_and_why(own, reference, words):
    """Of one even light no dusk of two hues is made, no night with lamps, and no orange of blue."""
    shares = Shares((Share("a", "a", "", own),), 1.0)
    found = match(shares, show(reference.astype(np.float32), 1.0), show)
    assert found.after > 0.5 * found.before
    assert found.remains in ((words,) if isinstance(words, str) else words)
    assert found.words.endswith(f"{found.remains} than in the reference, whatever these sources do")


def test_of_what_is_met_nothing_more_is_said():
    shares = a_look(4)
    found = match(shares, show(shares.picture, 2.0), show)
    assert found.remains == ""
    assert found.words.endswith("is gone")


def test_the_gradient_is_that_of_the_distance():
    shares = a_look(4)
    lights = np.stack([s.light[::6, ::6] for s in shares.sources]).astype(float)
    count = len(lights)
    goal = screen_lab(show(shares.mixed({"s0": 1.5}).picture[::6, ::6], 1.3)).reshape(-1, 3)
    cells = np.arange(goal.shape[0]) % 5
    kelvins = (3000.0, None, 5200.0, 4000.0)
    distance = _Distance(lights.reshape(count, -1, 3), goal, _View(show), cells, 1.0, kelvins)
    x = np.array([0.3, -0.4, 0.6, 0.2, -0.1, 0.5, 0.0, -1.2, 0.8, 0.7, -0.6])
    _value, slope = distance(x)
    for k in range(len(x)):
        step = np.zeros(len(x))
        # Colours of black bodies are kept to five places of Duv: a smaller step of the white balance is none.
        step[k] = 1e-4 if k < len(x) - 2 else 0.02
        numeric = (distance(x + step)[0] - distance(x - step)[0]) / (2 * step[k])
        assert slope[k] == pytest.approx(numeric, rel=0.03, abs=6e-5)


def test_it_is_quick_and_stops_when_told():
    shares = a_look(16, 2)
    _moves, reference = planted(shares, 2)
    started = time.perf_counter()
    match(shares, reference, show)
    assert time.perf_counter() - started < 20
    stopped = match(shares, reference, show, stopped=lambda: True)
    assert stopped.moves == ()


@pytest.mark.parametrize("size", [(54, 96), (400, 300), (9, 2000), (8, 8)])
def test_a_reference_of_any_size_is_fitted(size):
    picture = np.full((*size, 3), 77, np.uint8)
    fitted = _fitted(picture, 27, 48)
    assert fitted.shape == (27, 48, 3)
    assert (np.abs(fitted.astype(int) - 77) <= 1).all()


# -- files -------------------------------------------------------------------------------------------


def save(path, mode="RGB", size=(64, 48), **how):
    rng = np.random.default_rng(1)
    channels = {"RGB": 3, "RGBA": 4, "L": 1, "CMYK": 4}[mode]
    data = rng.integers(20, 230, (size[1], size[0], channels), np.uint8)
    Image.fromarray(data[..., 0] if channels == 1 else data, mode).save(path, **how)
    return path


@pytest.mark.parametrize(
    ("name", "mode", "words"),
    [("a.png", "RGB", ""), ("a.jpg", "RGB", ""), ("a.tif", "RGB", ""), ("grey.png", "L", ""),
     ("alpha.png", "RGBA", "transparent"), ("print.jpg", "CMYK", "CMYK"), ("print.tif", "CMYK", "CMYK")],
)  # fmt: skip
def test_ordinary_pictures_are_read(tmp_path, name, mode, words):
    found = read_reference(save(tmp_path / name, mode))
    assert found.pixels.shape == (48, 64, 3)
    assert words in " ".join(found.remarks)


def test_sixteen_bits_an_animation_and_a_wide_one_are_read(tmp_path):
    deep = np.full((40, 60), 32768, np.uint16)
    Image.fromarray(deep).save(tmp_path / "deep.png")
    assert abs(int(read_reference(tmp_path / "deep.png").pixels[0, 0, 0]) - 127) <= 1
    frames = [Image.new("RGB", (40, 30), (200, 10 * k, 0)) for k in range(3)]
    frames[0].save(tmp_path / "moves.webp", save_all=True, append_images=frames[1:], duration=40)
    assert "animated" in read_reference(tmp_path / "moves.webp").remarks[0]
    Image.new("RGB", (30_000, 40), (90, 80, 70)).save(tmp_path / "wide.png")
    with pytest.raises(PictureError, match="too few"):
        read_reference(tmp_path / "wide.png")


@pytest.mark.parametrize("kind", ["gone", "folder", "one pixel", "black", "text", "torn", "suffix"])
def test_what_is_no_reference_is_said(tmp_path, kind):
    path = tmp_path / ("a.gif" if kind == "suffix" else "a.png")
    if kind == "folder":
        path.mkdir()
    elif kind == "one pixel":
        Image.new("RGB", (1, 1), (9, 9, 9)).save(path)
    elif kind == "black":
        Image.new("RGB", (40, 40)).save(path)
    elif kind == "text":
        path.write_text("not a picture at all")
    elif kind == "torn":
        path.write_bytes(save(tmp_path / "b.png").read_bytes()[:900])
    elif kind == "suffix":
        path.write_bytes(b"GIF89a")
    with pytest.raises(PictureError) as refused:
        read_reference(path)
    assert path.name in str(refused.value)


def test_a_picture_of_too_many_pixels_is_told_before_it_is_read(tmp_path):
    """It failed in the log only."""
    import struct
    import zlib

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", 20_000, 20_000, 8, 2, 0, 0, 0)
    path = tmp_path / "vast.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"")) + chunk(b"IEND", b"")
    )
    with pytest.raises(PictureError, match="too many"):
        read_reference(path)


def test_formats_that_start_other_programs_are_no_pictures(tmp_path):
    path = tmp_path / "a.png"
    path.write_text("%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 40 40\n%%EndComments\nshowpage\n")
    with pytest.raises(PictureError, match="no picture"):
        read_reference(path)
