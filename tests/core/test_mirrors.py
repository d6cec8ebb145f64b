"""Smooth surfaces in live answers: what they show, and that they follow it."""

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material
from lunar_haze.core.sources.model import Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.mirrors import change_mirrored, mirrors_of
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import WHITE, floor, place_of

WATER = Material("water", (0.02, 0.02, 0.02), 0.0, 0.05)
SIZE = 64, 36
#: Level, so that the horizon lies across the middle.
LEVEL = View(Camera((0.0, -10.0, 1.5), (0.0, 0.0, 1.5), 28.0), *SIZE)


def frame_of(material, view=LEVEL):
    frame = Frame(PackedPlace(place_of((floor(400.0), material))), view)
    frame.add_guides(4)
    return frame


def test_level_water_shows_the_sky_as_far_above_the_horizon_as_it_lies_below():
    mirrors = mirrors_of(frame_of(WATER))
    row, column = np.divmod(mirrors.pixels, SIZE[0])
    shown_row, shown_column = np.divmod(mirrors.shows, SIZE[0])
    assert len(mirrors.pixels) > 0.4 * SIZE[0] * SIZE[1]
    assert np.abs(row + shown_row - (SIZE[1] - 1)).max() <= 1
    assert np.abs(column - shown_column).max() <= 1
    # Fresnel: the flatter it is seen, the more it mirrors.
    assert mirrors.share[row < 20].mean() > mirrors.share[row > 30].mean()


def test_what_is_rough_mirrors_nothing():
    assert mirrors_of(frame_of(WHITE)).pixels.size == 0


@pytest.mark.parametrize("factor", [0.5, 1.0, 3.0])
def test_water_follows_what_it_shows_and_nothing_else_does(factor):
    mirrors = mirrors_of(frame_of(WATER))
    clean = np.ones((SIZE[0] * SIZE[1], 3), np.float32)
    air = np.zeros_like(clean)
    out = clean.copy()
    out[: len(out) // 2] *= np.float32(factor)
    before = out.copy()
    change_mirrored(mirrors, clean, air, air, out)
    others = np.setdiff1d(np.arange(len(out)), mirrors.pixels)
    np.testing.assert_array_equal(out[others], before[others])
    moved = out[mirrors.pixels] - 1
    if factor == 1.0:
        np.testing.assert_allclose(moved, 0, atol=1e-6)
    else:
        shows_sky = mirrors.shows < len(out) // 2
        assert (np.sign(moved[shows_sky]) == np.sign(factor - 1)).all()
        assert (np.abs(moved) <= abs(factor - 1) + 1e-5).all()


def test_mist_mirrored_in_water_comes_nearer_to_what_refinement_finds():
    """Water under moonlit mist that thickens: what it mirrors grows paler, not only darker behind the air."""
    thin, thick = Medium(120.0, fall_off_m=6.0), Medium(60.0, fall_off_m=6.0)
    moon = Sun(40.0, 30.0, follows_hour=False)
    # From above, so that there is little mist before the water.
    view = View(Camera((0.0, -3.0, 1.5), (0.0, 0.0, 1.2), 28.0), *SIZE)
    frame = frame_of(WATER, view)
    before, after = (LayerSpec("water", view, moon, m, 2) for m in (thin, thick))
    pictures, gains = [], []
    for spec in (before, after):
        key = frame.want([spec])[0]
        for _ in range(96):
            frame.trace([key])
        image = frame.image(key)
        pictures.append(image.surface + image.air)
        gains.append([LayerGain(key, (1.0,) * 3, (1.0,) * 3)])
    live, answer = LiveAir(), np.empty_like(pictures[0])
    live.gather(frame, [after], 6, 60.0)
    for _ in range(8):
        live.gather(frame, [after], 6, 60.0)
    # Of the thin mist alone there are sums to answer from.
    frame.restart(after.key())
    live.remember(frame, [before], gains[0], pictures[0])
    frame.want([after])
    assert live.mixed_answer(frame, [after], gains[1], answer)
    rows = slice(24, 36)
    without = answer.copy()
    surfaces = attrs.evolve(mirrors_of(frame), share=np.zeros(mirrors_of(frame).pixels.size, np.float32))
    live._mirrors = frame, surfaces
    assert live.mixed_answer(frame, [after], gains[1], without)
    error, plain = (abs(p[rows].mean() / pictures[1][rows].mean() - 1) for p in (answer, without))
    assert error < 0.5 * plain
    assert error < 0.1
