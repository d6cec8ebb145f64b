import attrs
import numba as nb
import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import HandOffError, QuantityError
from lunar_haze.core.handoff.deliver import check_output, deliver, source_layers
from lunar_haze.core.handoff.stills import layer_name, write_png
from lunar_haze.core.layers.model import LayerGain, LayerImage, PlaceSpec, View
from lunar_haze.core.picture.display import HIGH, DisplayTable, bake
from lunar_haze.core.picture.mix import Mixer, block_mean, enlarge, share_of
from lunar_haze.core.picture.readings import (
    RIBBON_HIGH,
    RIBBON_LOW,
    air_reading,
    contrast_eaten,
    ribbon,
    shafts,
    stops_of,
)
from lunar_haze.core.picture.views import direct
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import frame_request, gains, layers_of, wanted
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.gain import source_gain
from lunar_haze.core.sources.model import Ball, Beam, Sky, Source, Sun
from lunar_haze.core.units.photometry import MID_GREY

RNG = np.random.default_rng(2)
VIEW = View(Camera(), 24, 12)
PLACE = PlaceSpec("/none.glb", 1.0, "key")


def image(key, scale=1.0):
    return LayerImage(
        key, 4, RNG.random((12, 24, 3), np.float32) * np.float32(scale), RNG.random((12, 24, 3), np.float32)
    )


def gain(key, value, air=1.0):
    return LayerGain(key, (value, value * 0.7, value * 0.3), (value * air,) * 3)


def test_the_mix_is_the_sum_of_layers_times_gains():
    layers = [image("a"), image("b"), image("c")]
    mixer = Mixer()
    mixer.set_layers(layers)
    gs = (gain("a", 2.0), gain("b", 0.5), gain("c", 7.0, 0.0))
    expected = sum(
        i.surface.astype(float) * np.array(g.surface) + i.air.astype(float) * np.array(g.air)
        for i, g in zip(layers, gs)
    )
    np.testing.assert_allclose(mixer.picture(gs), expected, rtol=2e-6)


def test_halving_a_dimmer_halves_the_layer_to_the_bit():
    mixer = Mixer()
    mixer.set_layers([image("a")])
    source = Source("a", "a", Ball(), 812.0, "lm", 0.0, 2714.0)
    dimmed = Source("a", "a", Ball(), 812.0, "lm", -1.0, 2714.0)
    whole, half = (
        mixer.picture((LayerGain("a", tuple(source_gain(s).tolist()), tuple(source_gain(s).tolist())),))
        for s in (source, dimmed)
    )
    np.testing.assert_array_equal(half, whole * np.float32(0.5))


@settings(max_examples=30)
@given(st.lists(st.tuples(st.sampled_from("abc"), st.floats(0, 50)), min_size=1, max_size=12))
def test_mixing_again_in_part_equals_mixing_anew(moves):
    layers = [image(k) for k in "abc"]
    live = Mixer()
    live.set_layers(layers)
    state = {k: gain(k, 1.0) for k in "abc"}
    live.picture(tuple(state.values()))
    for key, value in moves:
        state[key] = gain(key, value)
        seen = live.picture(tuple(state.values()))
    fresh = Mixer()
    fresh.set_layers(layers)
    np.testing.assert_allclose(seen, fresh.picture(tuple(state.values())), rtol=3e-6, atol=1e-6)


def test_silence_is_black_and_no_layer_is_no_picture():
    mixer = Mixer()
    assert mixer.picture(()) is None
    mixer.set_layers([image("a")])
    assert mixer.picture((gain("a", 0.0),)).max() == 0.0
    assert mixer.picture(()).max() == 0.0


def test_shares_are_means_of_blocks():
    layer = image("a")
    np.testing.assert_allclose(
        block_mean(layer.surface, 4), layer.surface.reshape(3, 4, 6, 4, 3).mean((1, 3)), rtol=1e-6
    )
    g = gain("a", 3.0)
    np.testing.assert_allclose(
        share_of(layer, g, 1), layer.surface * np.float32(g.surface) + layer.air * np.float32(g.air), rtol=1e-6
    )


@given(st.integers(1, 9), st.integers(1, 9), st.sampled_from([1, 2, 3, 5, 2.5, 1.75]))
def test_enlarged_a_picture_is_drawn_straight_between_its_pixels(rows, columns, factor):
    rng = np.random.default_rng(rows * 10 + columns)
    small = rng.random((rows, columns, 3), np.float32)
    out = np.empty((round(rows * factor), round(columns * factor), 3), np.float32)
    enlarge(small, out)
    down, across = (
        (np.arange(big) + 0.5) * few / big - 0.5 for big, few in zip(out.shape, small.shape[:2])
    )  # fmt: skip
    # Past the middle of the outermost pixels it goes on as they are.
    for c in range(3):
        along = np.array([np.interp(across, np.arange(columns), row) for row in small[..., c]])
        straight = np.array([np.interp(down, np.arange(rows), column) for column in along.T]).T
        np.testing.assert_allclose(out[..., c], straight, atol=2e-6)


@given(st.floats(-10.0, 10.0), st.floats(0.01, 100.0))
def test_stops_are_counted_from_mid_grey(stops, scale):
    light = np.full((1, 1, 3), MID_GREY * 2.0**stops / scale, np.float32)
    assert stops_of(light, scale)[0, 0] == pytest.approx(stops, abs=1e-4)
    assert stops_of(np.zeros((1, 1, 3), np.float32), scale)[0, 0] == -np.inf


# -- display ----------------------------------------------------------------------------------------


def test_the_baked_view_matches_opencolorio(tmp_path):
    table = DisplayTable(bake(tmp_path))
    exposed = (2.0 ** RNG.uniform(-9, 5, (64, 64, 1)) * RNG.uniform(0.3, 1.0, (64, 64, 3))).astype(np.float32)
    shown = table.show(exposed, 1.0, dither=False)[..., 2::-1].astype(float)
    truth = direct(exposed) * 255
    difference = np.abs(shown - truth)
    assert difference.mean() < 0.6
    assert np.quantile(difference, 0.999) < 2.5
    assert np.array_equal(bake(tmp_path), table.table)


def test_a_damaged_table_on_disk_is_baked_again(tmp_path):
    good = bake(tmp_path)
    (file,) = tmp_path.iterdir()
    file.write_bytes(b"torn")
    assert np.array_equal(bake(tmp_path), good)


def test_greys_stay_neutral_and_the_view_never_turns_back():
    table = DisplayTable(bake())
    greys = np.repeat((2.0 ** np.linspace(-8, 7, 256)).astype(np.float32)[None, :, None], 3, 2)
    shown = table.show(greys, 1.0, dither=False)[0].astype(int)
    assert (np.ptp(shown[:, :3], axis=1) <= 2).all()
    assert (np.diff(shown[:, 1]) >= 0).all()
    assert shown[-1, 1] > 245


def test_dither_breaks_bands_and_keeps_the_mean():
    table = DisplayTable(bake())
    ramp = np.repeat(np.linspace(0.0102, 0.0106, 400, dtype=np.float32)[None, :, None], 200, 0).repeat(3, 2)
    plain, dithered = (table.show(ramp, 1.0, dither=d)[..., 1].astype(float) for d in (False, True))
    assert len(np.unique(plain[0])) <= 3
    assert dithered.mean() == pytest.approx(direct(ramp)[..., 1].mean() * 255, abs=0.08)
    assert len(np.unique(dithered[:, 200])) >= 2


def test_strange_light_never_breaks_the_display():
    table = DisplayTable(bake())
    strange = np.array([[[-1.0, 0.0, 1e30], [np.inf, 1.0, 0.0]]], np.float32)
    assert table.show(strange, 1.0).shape == (1, 2, 4)
    assert np.isfinite(direct(np.array([[[np.nan, -5.0, 2.0**HIGH * 4]]], np.float32))).all()


# -- readings ---------------------------------------------------------------------------------------


def test_the_ribbon_counts_every_pixel_once():
    picture = (2.0 ** RNG.uniform(-14, 12, (40, 50, 1)) * np.ones(3)).astype(np.float32)
    reading = ribbon(picture, 0.18)
    assert reading.cells.sum() + reading.below + reading.above == pytest.approx(1.0)
    one = ribbon(np.full((4, 4, 3), 0.18, np.float32), 1.0)
    assert one.cells[-RIBBON_LOW] == 1.0
    assert len(one.cells) == RIBBON_HIGH - RIBBON_LOW + 1
    assert ribbon(np.zeros((4, 4, 3), np.float32), 1.0).below == 1.0


# -- plan -------------------------------------------------------------------------------------------


def a_look(**changes):
    sources = (
        Source("sun", "sun", Sun(), 50000.0, "lx"), Source("sky", "sky", Sky(), 9000.0, "lx"),
        Source("lamp", "lamp", Ball((1, 2, 3)), 800.0, "lm"),
    )  # fmt: skip
    return Look("x", sources=sources, **changes)


def keys_of(look, shot=None):
    return [s.key() for s in frame_request(1, PLACE, shot or Shot("s"), look, (64, 36)).layers]


def test_balance_needs_no_new_layers():
    look = a_look()
    sun, sky, lamp = look.sources
    changed = attrs.evolve(
        look, sources=(attrs.evolve(sun, dimmer_stops=-3.0, gel=(1, 0.5, 0.2)), attrs.evolve(sky, kelvin=4000.0), attrs.evolve(lamp, amount=5.0)),
        stops=2.0, ev100=4.0, hour_h=3.0,
    )  # fmt: skip
    assert keys_of(changed) == keys_of(look)
    assert gains(changed, VIEW, "k") != gains(look, VIEW, "k")


def test_moving_one_lamp_restarts_that_layer_and_no_other():
    look = a_look()
    moved = attrs.evolve(look, sources=(*look.sources[:2], attrs.evolve(look.sources[2], shape=Ball((1, 2, 4)))))
    before, after = keys_of(look), keys_of(moved)
    assert before[:2] == after[:2]
    assert before[2] != after[2]
    assert set(keys_of(attrs.evolve(look, medium=Medium(visibility_m=100.0)))).isdisjoint(before)
    assert set(keys_of(look, Shot("s", Camera((0, 0, 9))))).isdisjoint(before)


def test_what_is_heard_comes_first_and_the_muted_is_not_computed():
    sun, sky, lamp = a_look().sources
    look = attrs.evolve(a_look(), sources=(sun, attrs.evolve(sky, muted=True), attrs.evolve(lamp, alone=True)))
    assert [s.id for s in wanted(look)] == ["lamp", "sun"]
    by_key = {g.key: g for g in gains(look, VIEW, "k")}
    assert max(by_key[layers_of(sun, look, VIEW, "k")[0].key()].surface) == 0.0
    assert min(by_key[layers_of(lamp, look, VIEW, "k")[0].key()].surface) > 0.0


def test_two_sources_of_one_shape_share_a_layer_and_add_up():
    lamp = a_look().sources[2]
    twice = attrs.evolve(a_look(), sources=(lamp, attrs.evolve(lamp, id="b", amount=200.0)))
    assert len(keys_of(twice)) == 1
    (g,) = gains(twice, VIEW, "k")
    np.testing.assert_allclose(g.surface, 1000.0, rtol=1e-6)


def test_units_a_source_does_not_take_are_refused():
    with pytest.raises(QuantityError, match="lx"):
        canonical(Sun(), 1.0, "lm")
    assert canonical(Beam(), 100.0, "lm") == 100.0


# -- hand-off ---------------------------------------------------------------------------------------


def test_layers_in_the_exr_add_up_to_its_beauty(tmp_path):
    look = a_look()
    specs = {layers_of(s, look, VIEW, "k")[0].key(): s for s in look.sources}
    layers = {k: image(k, 30.0) for k in specs}
    mixer = Mixer()
    mixer.set_layers(list(layers.values()))
    beauty = mixer.picture(gains(look, VIEW, "k"))
    path = tmp_path / "a.exr"
    deliver(path, Shot("s"), look, beauty, beauty * np.float32(0.9), source_layers(look, VIEW, "k", layers))
    read = oiio.ImageInput.open(str(path))
    names = list(read.spec().channelnames)
    pixels = read.read_image("float")
    assert {name.split(".")[0] for name in names} == {"R", "G", "B", "sun", "sky", "lamp"}
    assert read.spec().getattribute("lunarHazeLook") == "x"
    for channel in "RGB":
        total = sum(pixels[..., names.index(f"{n}.{channel}")] for n in ("sun", "sky", "lamp"))
        np.testing.assert_allclose(total, pixels[..., names.index(channel)], rtol=3e-6)
    # What is handed on is free of grain, its layers along with it.
    np.testing.assert_array_equal(pixels[..., names.index("R")], beauty[..., 0] * np.float32(0.9))


@pytest.mark.parametrize("bits", [8, 16])
def test_pngs_are_read_back_by_another_reader(tmp_path, bits):
    display = np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[None, :, None], 16, 0).repeat(3, 2)
    write_png(tmp_path / "a.png", display, bits)
    read = oiio.ImageInput.open(str(tmp_path / "a.png"))
    assert str(read.spec().format) == f"uint{bits}"
    np.testing.assert_allclose(read.read_image("float")[..., :3], display, atol=1.01 / (2**bits - 1) + 1e-6)


def test_layer_names_are_plain_and_unlike():
    taken = set()
    assert [layer_name(n, taken) for n in ("jetty lamps", "jetty-lamps", "ÄÖ", "")] == [
        "jetty_lamps",
        "jetty_lamps_2",
        "source",
        "source_2",
    ]


def test_stills_that_cannot_be_written_are_told(tmp_path):
    with pytest.raises(HandOffError, match="kind of still"):
        check_output(tmp_path / "a.jpg")
    with pytest.raises(HandOffError, match="not a folder"):
        check_output(tmp_path / "no" / "a.png")
    (tmp_path / "d.png").mkdir()
    with pytest.raises(HandOffError, match="folder"):
        write_png(tmp_path / "d.png", np.zeros((4, 4, 3), np.float32))


def test_parallel_mixing_and_display_equal_the_serial_ones():
    table = DisplayTable(bake())
    big = LayerImage("a", 1, RNG.random((90, 160, 3), np.float32), RNG.random((90, 160, 3), np.float32))
    threads = nb.get_num_threads()
    results = []
    for count in (1, threads):
        nb.set_num_threads(count)
        mixer = Mixer()
        mixer.set_layers([big])
        picture = mixer.picture((gain("a", 3.0),))
        results.append((picture, table.show(picture, 0.7), block_mean(picture, 5)))
    nb.set_num_threads(threads)
    for serial, parallel in zip(*results):
        np.testing.assert_array_equal(serial, parallel)


def test_the_reading_of_the_mist_is_its_share_of_the_light():
    rng = np.random.default_rng(2)
    lamp = rng.random((6, 8, 3)), 3.0 * np.ones((6, 8, 3))
    sky = np.ones((6, 8, 3)), np.zeros((6, 8, 3))
    inside = np.zeros((6, 8), bool)
    inside[2:4, 3:5] = True
    reading = air_reading({"lamp": lamp, "sky": sky}, inside)
    light = luminance(lamp[0][inside]).mean() + 1.0
    assert reading.share == pytest.approx(3.0 / (3.0 + light), rel=1e-6)
    assert (reading.most, reading.most_share) == ("lamp", 1.0)
    assert air_reading({"lamp": (np.zeros((2, 2, 3)),) * 2}) is None
    assert air_reading({"sky": sky}).share == 0.0


def test_an_even_veil_eats_the_contrast_that_it_adds_to():
    surface = np.zeros((20, 30, 3), np.float32)
    surface[:, ::2] = 2.0
    veil = np.full_like(surface, 3.0)
    # Deviation stays, the mean goes from one to four.
    assert contrast_eaten(surface, veil) == pytest.approx(0.75, abs=1e-5)
    assert contrast_eaten(surface, np.zeros_like(surface)) == pytest.approx(0.0, abs=1e-6)
    inside = np.zeros((20, 30), bool)
    inside[:, 10:20] = True
    veil[:, :10] = 100.0
    assert contrast_eaten(surface, veil, inside) == pytest.approx(0.75, abs=1e-5)


def test_shafts_are_found_where_they_are_and_as_strong_as_they_are():
    surface, air = np.full((90, 160, 3), 1.0, np.float32), np.full((90, 160, 3), 0.5, np.float32)
    assert shafts(air, surface + air).strength < 1e-3
    air[10:30, 110:150:8] += 1.0
    air[10:30, 111:150:8] += 1.0
    found = shafts(air, surface + air)
    assert 0.68 < found.x < 0.95
    assert found.y < 0.4
    # A quarter of the columns are one above the rest: 2.5 and 1.5 where their mean would make 1.75.
    assert found.strength == pytest.approx(0.25 * 0.75 / 2.5 + 0.75 * 0.25 / 1.75, rel=0.1)
    assert shafts(np.zeros_like(air), np.zeros_like(air)) is None


def test_a_speck_of_grain_is_no_shaft_and_a_line_one_pixel_wide_is():
    air = np.full((90, 160, 3), 0.5, np.float32)
    air[20, 30] = 500.0
    assert shafts(air, air + 1.0).strength < 1e-3
    air[50:80, 120] = 2.0
    found = shafts(air, air + 1.0)
    assert 0.65 < found.x < 0.85
    assert found.y > 0.5
    assert found.strength < 1.0


def test_shafts_are_found_beside_a_band_brighter_than_all_else():
    for seed in range(60):
        air = np.zeros((120, 230, 3), np.float32)
        air[40:60] = np.random.default_rng(seed).uniform(0, 10.0 ** (seed % 5), (20, 230, 1))
        found = shafts(air, air)
        assert 0.1 < found.strength <= 1.0
        assert 0.2 < found.y < 0.65


@pytest.mark.parametrize("name", ["RGB", "denoised", "rgb", "A", "R", "Denoised"])
def test_a_source_s_layer_is_never_taken_for_a_channel_of_the_still(tmp_path, name):
    """A source of that name replaced the picture itself."""
    taken: set[str] = set()
    first, second = layer_name(name, taken), layer_name(name, taken)
    assert first.lower() not in ("rgb", "denoised", "a", "r")
    assert first != second


def test_a_still_says_its_colours_units_time_frame_and_program(tmp_path):
    import OpenEXR

    path = tmp_path / "a.exr"
    look = Look("dusk", 18.5, "2024-08-21")
    deliver(path, Shot("s", frame=3, last_frame=9), look, np.ones((4, 4, 3), np.float32), None, {})
    header = OpenEXR.File(str(path)).header()
    assert header["colorInteropID"] == "lin_ap1_scene"
    assert header["chromaticities"][:2] == pytest.approx((0.713, 0.293))
    assert header["whiteLuminance"] == 1.0
    assert "cd/m2" in header["lunarHazeUnits"]
    assert header["lunarHazeTime"] == "2024-08-21 18:30 local time"
    assert header["lunarHazeFrame"] == "3 of 1 to 9"
    assert header["software"].startswith("Lunar Haze")
