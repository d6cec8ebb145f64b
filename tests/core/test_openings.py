"""Light through openings: maps and guides change the grain and never the mean."""

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Bank, Medium, Patches
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.model import Gradient
from lunar_haze.core.sources.model import Ball, Beam, Disc, Sky, Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.source_row import GUIDED, MAP
from tests.live_alone import live_layer
from tests.places import BLACK, WHITE, floor, place_of
from tests.places import quad as face

MIST = Medium(visibility_m=25.0, fall_off_m=1e4, top_m=8.0, anisotropy=0.4)
EVEN = Sky(Gradient((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)), follows_hour=False)


def _room():
    """A dark room of 6 x 6 x 4 m with a slatted wall to the east."""
    slats = [(face([(3, y, 0), (3, y + 0.3, 0), (3, y + 0.3, 4), (3, y, 4)]), BLACK) for y in np.arange(-3.0, 3.0, 0.5)]
    walls = [
        face([(-3, -3, 0), (-3, 3, 0), (-3, 3, 4), (-3, -3, 4)]),
        face([(-3, -3, 0), (3, -3, 0), (3, -3, 4), (-3, -3, 4)]),
        face([(-3, 3, 0), (3, 3, 0), (3, 3, 4), (-3, 3, 4)]),
        face([(-3, -3, 4), (3, -3, 4), (3, 3, 4), (-3, 3, 4)]),
    ]
    return place_of((floor(40.0), WHITE), *((w, WHITE) for w in walls), *slats)


def _passes(shape, guided: bool, count: int = 24, medium=MIST):
    view = View(Camera((-2.6, -2.6, 1.6), (1.0, 1.0, 1.5), 18.0), 48, 27)
    frame = Frame(PackedPlace(_room()), view)
    if guided:
        frame.add_guides(1)
    keys = frame.want([LayerSpec("room", view, shape, medium, 1)])
    sums = [np.zeros((frame.pixels, 6))]
    for _ in range(count):
        frame.trace(keys)
        surface, air = frame.sums_of(frame.sums[keys[0]])
        sums.append(np.concatenate([surface, air], 1).astype(float))
    rows = frame._pack().rows
    frame.place.close()
    return np.diff(np.array(sums), axis=0), rows


@pytest.mark.parametrize("shape", [Sun(35.0, 80.0), EVEN], ids=["sun", "sky"])
def test_drawing_through_openings_keeps_the_mean_and_lessens_the_grain(shape):
    plain, _rows = _passes(shape, False, 48)
    guided, rows = _passes(shape, True, 48)
    assert rows[0, MAP] >= 0 if isinstance(shape, Sun) else rows[0, GUIDED] > 0
    columns = slice(3, 6)
    means = [p[:, :, columns].mean((1, 2)) for p in (plain, guided)]
    error = np.hypot(*(m.std() / np.sqrt(len(m)) for m in means))
    assert means[1].mean() == pytest.approx(means[0].mean(), abs=4 * error + 0.004 * means[0].mean())
    grain = [p[:, :, columns].var(0).mean() for p in (plain, guided)]
    assert grain[1] < 0.8 * grain[0]


def test_surfaces_lit_through_openings_keep_their_mean():
    plain, guided = (_passes(EVEN, g, 48)[0][:, :, :3].mean((1, 2)) for g in (False, True))
    error = np.hypot(*(m.std() / np.sqrt(len(m)) for m in (plain, guided)))
    assert guided.mean() == pytest.approx(plain.mean(), abs=4 * error + 0.004 * plain.mean())


def test_in_the_open_nothing_is_guided():
    view = View(Camera((0.0, -9.0, 2.0), (0.0, 0.0, 1.0)), 48, 27)
    frame = Frame(PackedPlace(place_of((floor(40.0), WHITE))), view)
    frame.add_guides(1)
    frame.want([LayerSpec("open", view, s, MIST, 1) for s in (Sun(35.0, 80.0), EVEN)])
    rows = frame._pack().rows
    frame.place.close()
    assert rows[0, MAP] < 0
    assert rows[1, GUIDED] == 0


BANK = Bank("b", centre=(0.0, 1.0, 1.5), size=(5.0, 5.0, 3.0), visibility_m=10.0)


@pytest.mark.parametrize(
    ("medium", "within"),
    [
        (attrs.evolve(MIST, visibility_m=200.0, banks=(BANK,)), 0.12),
        (Medium(banks=(BANK,)), 0.12),
        (attrs.evolve(MIST, patches=Patches(0.5, 3.0)), 0.12),
        (attrs.evolve(MIST, multiple=1.0), 0.3),
    ],
    ids=["bank in fog", "bank alone", "patches", "many scatterings"],
)
@pytest.mark.parametrize("shape", [Sun(35.0, 80.0), Ball((0.5, 2.0, 2.5), 0.1)], ids=["sun", "ball"])
def test_the_live_way_is_near_in_mist_of_every_kind(medium, within, shape):
    view = View(Camera((-8.0, -8.0, 2.0), (0.0, 2.0, 1.2), 28.0), 96, 54)
    posts = [(face([(x, 1, 0), (x + 0.4, 1, 0), (x + 0.4, 1, 4), (x, 1, 4)]), BLACK) for x in np.arange(-3.0, 3.0, 1.0)]
    frame = Frame(PackedPlace(place_of((floor(40.0), BLACK), *posts)), view)
    frame.add_guides(1)
    spec = LayerSpec("live", view, shape, medium, 1)
    keys = frame.want([spec])
    for _ in range(48):
        frame.trace(keys)
    refined = frame.image(keys[0]).air.reshape(-1, 3).mean(1).reshape(54, 96)
    live = live_layer(frame, spec, 3, 30.0).mean(1).reshape(54, 96)
    frame.place.close()
    assert live.mean() == pytest.approx(refined.mean(), rel=within)
    blocks = [p.reshape(9, 6, 12, 8).mean((1, 3)).ravel() for p in (live, refined)]
    assert np.corrcoef(*blocks)[0, 1] > 0.95


def test_the_whole_picture_at_once_is_the_sum_of_its_layers():
    view = View(Camera((-8.0, -8.0, 2.0), (0.0, 2.0, 1.2), 28.0), 96, 54)
    # Before the sky a post ends what its columns see into, beside others that see on.
    posts = [
        (face([(x, -2, 0), (x + 0.9, -2, 0), (x + 0.9, -2, 6), (x, -2, 6)]), BLACK) for x in np.arange(-9.0, 6.0, 2.6)
    ]
    frame = Frame(PackedPlace(place_of((floor(40.0), WHITE), *posts)), view)
    frame.add_guides(1)
    shapes = (
        Sun(35.0, 80.0), EVEN, Ball((0.5, 2.0, 2.0), 0.1), Ball((-4.0, -1.0, 1.0), 0.05), Ball((-9.0, -9.5, 2.0), 0.1),
        Beam(position=(-5.0, 4.0, 5.0), aim=(1.0, 1.0, 0.0), cone_deg=12.0), Disc((4.0, 4.0, 3.0), (0.0, 0.0, 1.0)),
    )  # fmt: skip
    specs = [LayerSpec("sum", view, s, MIST, 1) for s in shapes]
    frame.trace(frame.want(specs))
    live = LiveAir()
    for _ in range(10):
        live.gather(frame, specs, 1, 60.0)
    thicker = attrs.evolve(MIST, visibility_m=12.0)
    changed = [attrs.evolve(s, medium=thicker) for s in specs]
    keys = frame.want(changed)
    gains = [LayerGain(k, (0.5 + i, 0.3, 0.2), (1.0, 0.4, 0.1 * i)) for i, k in enumerate(keys)]
    room = {k: np.empty((2, 54, 96, 3), np.float32) for k in keys}
    assert live.answer(frame, dict(zip(keys, changed)), lambda k: (room[k][0], room[k][1]))
    one_by_one = sum(room[g.key][0] * np.float32(g.surface) + room[g.key][1] * np.float32(g.air) for g in gains)
    at_once = np.empty((54, 96, 3), np.float32)
    assert live.mixed_answer(frame, changed, gains, at_once)
    frame.place.close()
    # Between columns a lamp's light is read a little differently away from it.
    assert np.abs(at_once - one_by_one).max() < 0.06 * one_by_one.max()
    assert np.sqrt(np.mean((at_once - one_by_one) ** 2)) < 0.01 * one_by_one.mean()
