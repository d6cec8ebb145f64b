"""Kinds of source, their amounts and what stands in their way: closed forms, sums of parts, who is lit."""

import math

import attrs
import numpy as np
import pytest
from scipy.integrate import dblquad

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material
from lunar_haze.core.sky.model import Gradient
from lunar_haze.core.sources.amounts import canonical, convert, illuminance_per_lumen, reach_window, units_of
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut, kinds, pattern
from lunar_haze.core.sources.distribution import Distribution, intensity, lumens
from lunar_haze.core.sources.model import (
    Ball,
    Beam,
    Disc,
    IesLamp,
    LampArray,
    LightLinking,
    OvalBeam,
    Rectangle,
    Sky,
    Source,
    Sun,
    Tube,
)
from lunar_haze.core.transport.frame import Emphasis, Frame
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import BLACK, CLEAR, WHITE, down_at, floor, lambert_illuminance, lit, place_of
from tests.places import quad as face

FLOOR = place_of((floor(), WHITE))
LEVEL_TUBE = Tube((0, 0, 2.0), 1.2, 0.008, 90.0, 0.0)
COSINE = Distribution(
    "cosine", tuple(range(0, 91, 5)), (0.0,), tuple(100 * math.cos(math.radians(a)) for a in range(0, 91, 5))
)


def traced(place, camera, specs, passes=64, size=(16, 16)):
    """Images of layers traced together, by their order."""
    frame = Frame(PackedPlace(place), View(camera, *size))
    keys = frame.want([attrs.evolve(s, view=frame.view) for s in specs])
    for _ in range(passes):
        frame.trace(keys)
    images = [frame.image(k) for k in keys]
    frame.place.close()
    return images


def spec(shape, medium=CLEAR, bounces=0, **rest):
    return LayerSpec("test", View(Camera(), 16, 16), shape, medium, bounces, **rest)


def test_a_tube_lights_what_is_below_it_as_the_line_it_is():
    # A Lambertian line of radiance L and radius r at d: E = 2 r L / d (b + sin b cos b), b its half angle.
    half = math.atan(0.6 / 2.0)
    expected = 2 * 0.008 * LEVEL_TUBE.radiance_per_lumen() / 2.0 * (half + math.sin(half) * math.cos(half))
    assert illuminance_per_lumen(LEVEL_TUBE) == pytest.approx(expected, rel=1e-4)
    assert lambert_illuminance(lit(FLOOR, down_at(0, 0), LEVEL_TUBE, passes=256)) == pytest.approx(expected, rel=0.01)


def test_a_measured_lamp_delivers_its_intensity_over_the_square_of_the_distance():
    lamp = IesLamp((0, 0, 3.0), (0, 0, 0), 0.03, 0.0, COSINE)
    expected = 100.0 / lumens(COSINE) / 9.0
    assert illuminance_per_lumen(lamp) == pytest.approx(expected, rel=1e-6)
    assert lambert_illuminance(lit(FLOOR, down_at(0, 0), lamp, passes=64)) == pytest.approx(expected, rel=0.01)
    aside = lambert_illuminance(lit(FLOOR, down_at(3.0, 0), lamp, passes=64))
    assert aside / expected == pytest.approx(math.cos(math.radians(45)) ** 4, rel=0.01), "cosine lamp, cosine law"


def test_all_the_lumens_of_a_source_arrive_on_a_sphere_round_it():
    """Flux from irradiance: the integral over a surrounding sphere, by quadrature of the amounts' own intensities."""
    for distribution in (COSINE, Distribution("up", (90.0, 135.0, 180.0), (0.0, 180.0, 360.0), (5.0, 9.0, 4.0) * 3)):
        flux = dblquad(
            lambda c, g: float(intensity(distribution, math.degrees(g), math.degrees(c))) * math.sin(g), 0, math.pi, 0,
            2 * math.pi, epsabs=1e-3, epsrel=1e-3,
        )[0]  # fmt: skip
        assert lumens(distribution) == pytest.approx(flux, rel=2e-3)
    assert lumens(COSINE) == pytest.approx(100 * math.pi, rel=3e-3)


@pytest.mark.parametrize("arrangement", ["ring", "row", "grid"])
def test_a_rig_gives_what_its_lamps_give_one_by_one(arrangement):
    rig = LampArray((0.2, 0, 2.0), (0, 0, 0), Disc(radius_m=0.1), arrangement, 6, 1.6, 0.9, 20.0)
    members = rig.members()
    assert len({m.position for m in members}) == 6
    whole = lambert_illuminance(lit(FLOOR, down_at(0.3, 0.1), rig, passes=400))
    each = [lambert_illuminance(lit(FLOOR, down_at(0.3, 0.1), m, passes=64)) for m in members]
    assert whole == pytest.approx(sum(each) / 6, rel=0.01)
    assert illuminance_per_lumen(rig) == pytest.approx(
        lambert_illuminance(lit(FLOOR, down_at(0, 0), rig, passes=400)) / math.cos(math.atan(0.1)), rel=0.02
    )


def test_rigs_and_tubes_light_the_air_as_their_parts_do():
    mist = Medium(visibility_m=20.0, fall_off_m=1e4, top_m=1e4)
    camera = Camera((0, -6, 1.5), (0, 0, 1.5), 24.0)
    rig = LampArray((0, 0, 2.0), (0, 0, 0), Ball(radius_m=0.02), "row", 3, 2.0)
    whole, *each = traced(FLOOR, camera, [spec(rig, mist), *(spec(m, mist) for m in rig.members())], 150, (24, 14))
    assert whole.air.mean() == pytest.approx(sum(i.air.mean() for i in each) / 3, rel=0.03)


def test_reach_ends_a_lamp_smoothly():
    lamp = Ball((0, 0, 2.0), 0.02, reach_m=4.0)
    free = attrs.evolve(lamp, reach_m=math.inf)
    near, open_near = (lambert_illuminance(lit(FLOOR, down_at(0, 0), x)) for x in (lamp, free))
    assert near / open_near == pytest.approx(reach_window(2.0, 4.0), rel=1e-3)
    assert lambert_illuminance(lit(FLOOR, down_at(3.6, 0), lamp)) == 0.0
    steps = np.array([reach_window(d, 4.0) for d in np.linspace(0, 5, 500)])
    assert (np.diff(steps) <= 0).all()
    assert np.abs(np.diff(steps)).max() < 0.02


SHAPES = [
    Ball((1, 2, 3), 0.1), LEVEL_TUBE, Disc((0, 0, 3), (1, 0, 0)), Rectangle((0, 1, 2)), Beam((0, 0, 4), (1, 1, 0)),
    IesLamp((0, 0, 3), (1, 0, 0), distribution=COSINE), LampArray((0, 0, 3), (0, 0, 0), Disc(radius_m=0.1)),
    Sun(30.0, 10.0), Ball((0, 0, 2), 0.1, reach_m=9.0),
]  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: type(s).__name__)
def test_amounts_convert_there_and_back(shape):
    units = units_of(shape)
    for unit in units:
        source = Source("a", "a", shape, 123.0, unit)
        for other in units:
            told = convert(source, other)
            assert canonical(shape, told, other) == pytest.approx(canonical(shape, 123.0, unit), rel=1e-9)
            assert convert(Source("a", "a", shape, told, other), unit) == pytest.approx(123.0, rel=1e-9)


# -- what a source acts on ------------------------------------------------------------------------------------------

GLOSSY = Material("glossy", (0.5, 0.3, 0.2), 0.0, 0.25)


@pytest.mark.parametrize(
    "shape",
    [Ball((0.5, 0.5, 1.5), 0.2), Sky(Gradient((0.2, 0.4, 0.9), (0.9, 0.8, 0.7)), follows_hour=False)],
    ids=["lamp", "sky"],
)
def test_matte_and_highlights_add_up_to_the_whole(shape):
    wall = face([(-2, 1, 0), (2, 1, 0), (2, 1, 3), (-2, 1, 3)])
    place = place_of((floor(), GLOSSY), (wall, WHITE))
    camera = Camera((0.3, -2, 1.2), (0, 0.6, 0.2), 30.0)
    mist = Medium(visibility_m=30.0)
    whole, matte, shine = (
        traced(place, camera, [spec(shape, mist, 2, part=p)], 24, (24, 16))[0] for p in ("all", "matte", "highlights")
    )
    assert matte.surface + shine.surface == pytest.approx(whole.surface, rel=2e-3, abs=1e-5)
    assert matte.air + shine.air == pytest.approx(whole.air, rel=1e-3, abs=1e-7)
    assert shine.surface.mean() > 0.01 * whole.surface.mean()


def test_highlights_of_a_mirror_are_all_there_is():
    place = place_of((floor(), Material("mirror", (1, 1, 1), 1.0, 0.05)))
    _whole, matte, shine = traced(
        place,
        Camera((0, -3, 1), (0, 0, 0), 35.0),
        [spec(Ball((0, 2, 1), 0.3), part=p) for p in ("all", "matte", "highlights")],
        8,
    )
    assert matte.surface.max() == 0.0
    assert shine.surface.max() > 0.0


def test_a_source_lights_what_it_is_told_to_light_and_nothing_else():
    left, right = (
        face([(-2, -1, 0), (0, -1, 0), (0, 1, 0), (-2, 1, 0)]),
        face([(0, -1, 0), (2, -1, 0), (2, 1, 0), (0, 1, 0)]),
    )
    place = place_of((left, WHITE), (right, WHITE))
    lamp = Ball((0, 0, 2.0), 0.1)
    camera = Camera((0, -0.01, 5), (0, 0, 0), 60.0)
    told = (LightLinking(), LightLinking("only", ("part 0",)), LightLinking("but", ("part 0",)))
    everything, only, but = (traced(place, camera, [spec(lamp, linking=t)])[0] for t in told)
    half = everything.surface.shape[1] // 2
    assert only.surface[:, half + 1 :].max() == 0.0
    assert but.surface[:, : half - 1].max() == 0.0
    assert only.surface + but.surface == pytest.approx(everything.surface, rel=1e-4, abs=1e-7)


def test_the_lens_sees_a_lamp_only_if_told_to():
    lamp = Ball((0, 0, 1.0), 0.3)
    camera = Camera((0, -4, 1.0), (0, 0, 1.0), 50.0)
    hidden, shown = traced(
        place_of((floor(z=-5), BLACK)), camera, [spec(lamp), spec(attrs.evolve(lamp, seen=True))], 16
    )
    assert hidden.surface.max() < 1e-12
    assert shown.surface.max() == pytest.approx(lamp.radiance_per_lumen(), rel=1e-4)


# -- cards and gates ------------------------------------------------------------------------------------------------


def test_a_flag_shades_the_floor_and_is_not_seen_itself():
    lamp, flag = Ball((0, 0, 4.0), 0.02), Card("f", "flag", (0, 0, 2.0), (0, 0, 0), 1.0, 1.0, reflectance=(0, 0, 0))
    for at, shaded in (((0.5, 0.0), True), ((1.4, 0.0), False), ((0.0, -0.9), True), ((0.0, 1.3), False)):
        camera = down_at(*at, height=3.5)
        bare, flagged = (traced(FLOOR, camera, [spec(lamp, cards=c)], 16)[0].surface.mean() for c in ((), (flag,)))
        assert flagged == pytest.approx(0.0 if shaded else bare, abs=1e-9, rel=1e-3)


def test_the_penumbra_of_a_flag_is_as_wide_as_geometry_makes_it():
    # A lamp 0.4 m wide, its flag's edge half way down: the shadow's edge is as wide as the lamp.
    lamp = Rectangle((0, 0, 4.0), (0, 0, 0), 0.4, 0.4)
    flag = Card("f", "flag", (-5.0, 0, 2.0), (-5.0, 0, 0), 10.0, 10.0, reflectance=(0, 0, 0))
    bare = lambert_illuminance(lit(FLOOR, down_at(0, 0), lamp))

    def at(x):
        return traced(FLOOR, down_at(x, 0), [spec(lamp, cards=(flag,))], 64)[0].surface.mean() * math.pi / bare

    assert at(-0.22) == pytest.approx(0.0, abs=1e-3)
    assert at(0.0) == pytest.approx(0.5, abs=0.02)
    assert at(0.1) == pytest.approx(0.75, abs=0.03)
    assert at(0.22) > 0.98


def test_a_pale_card_gives_light_back():
    lamp = Beam((0, -3.0, 1.0), (0, 3.0, 1.0), 0.05, 10.0)
    card = Card("c", "bounce", (0, 3.0, 1.0), (0, 0, 1.0), 2.0, 2.0)
    camera = down_at(0, 1.5)
    dark, pale = (
        traced(FLOOR, camera, [spec(lamp, bounces=1, cards=(attrs.evolve(card, reflectance=(r, r, r)),))], 400)[
            0
        ].surface.mean()
        for r in (0.0, 0.9)
    )
    assert pale > 5 * max(dark, 1e-12)


def test_a_cut_out_card_lets_its_open_share_through():
    lamp = Sun(90.0, 0.0, follows_hour=False)
    card = Card(
        "c", "slats", (0, 0, 2.0), (0, 0, 0), 4.0, 4.0, reflectance=(0, 0, 0), cutout=CutOut("slats", 12.0, 0.3)
    )
    image = traced(FLOOR, Camera((0, -1e-3, 1.5), (0, 0, 0), 18.0), [spec(lamp, cards=(card,))], 16, (64, 64))[0]
    free = traced(FLOOR, Camera((0, -1e-3, 1.5), (0, 0, 0), 18.0), [spec(lamp)], 4, (64, 64))[0]
    assert image.surface.mean() / free.surface.mean() == pytest.approx(0.3, abs=0.04)
    assert image.surface.max() > 0.9 * free.surface.max(), "light between the slats is whole"
    assert image.surface.min() < 0.1 * free.surface.max(), "and there is shade under them"


@pytest.mark.parametrize("kind", [k for k in kinds() if k != "picture"])
def test_cut_outs_are_open_by_about_their_share(kind):
    for share in (0.3, 0.6):
        image = pattern(CutOut(kind, 6.0, share))
        assert image.shape == (256, 256)
        assert 0.0 <= image.min() <= 0.05
        assert 0.95 <= image.max() <= 1.0
        if kind in ("slats", "grid", "leaves", "ragged holes"):
            assert image.mean() == pytest.approx(share, abs=0.05)
    more, less = (pattern(CutOut(kind, 6.0, s)).mean() for s in (0.8, 0.3))
    assert more > less
    assert np.array_equal(pattern(CutOut(kind, 6.0, 0.5, 10.0, 3)), pattern(CutOut(kind, 6.0, 0.5, 10.0, 3)))


def test_shutters_cut_a_beam_from_their_side():
    open_beam = Beam((0, 0, 4.0), (0, 0, 0), 0.01, 40.0, 0.1, gate_m=0.5)
    x = 4 * math.tan(math.radians(20)) * 0.5
    # Looking from the lamp along its axis with its level side first: what lies where is found, not assumed.
    spots = {(sx, sy): down_at(sx * x, sy * x) for sx, sy in ((1, 0), (-1, 0), (0, 1), (0, -1))}
    shut = [attrs.evolve(open_beam, shutters=tuple(0.8 if i == j else 0.0 for j in range(4))) for i in range(4)]
    dark = []
    for beam in shut:
        levels = {at: lambert_illuminance(lit(FLOOR, camera, beam, 16)) for at, camera in spots.items()}
        gone = [at for at, level in levels.items() if level == 0.0]
        assert len(gone) == 1, "one shutter darkens one side"
        dark += gone
    assert set(dark) == set(spots), "each its own"


def test_a_larger_lens_softens_what_stands_in_the_gate():
    def edge(radius):
        beam = Beam((0, 0, 4.0), (0, 0, 0), radius, 60.0, 0.02, cutout=CutOut("slats", 2.0, 0.5), gate_m=1.0)
        image = traced(FLOOR, Camera((0, -1e-3, 3.9), (0, 0, 0), 30.0), [spec(beam)], 64, (48, 48))[0]
        lane = image.surface[12:36, 12:36, 0]
        lane = lane / lane.max()
        return float(((lane > 0.15) & (lane < 0.85)).mean())

    assert edge(0.12) > 2 * edge(0.01)


# -- many lamps, and the lens -----------------------------------------------------------------------------------------


def test_choosing_among_many_lamps_keeps_the_mean_of_every_layer():
    lamps = [Ball((-3 + 0.6 * i, 0.3 * (i % 3), 1.0 + 0.1 * i), 0.05) for i in range(12)]
    mist = Medium(visibility_m=40.0)
    camera = Camera((0, -4, 1.5), (0, 0, 0.5), 24.0)
    frame = Frame(PackedPlace(FLOOR), View(camera, 24, 14))
    keys = frame.want([attrs.evolve(spec(s, mist, 1), view=frame.view) for s in lamps])
    gains = {k: (1.0 if i == 3 else 0.01) for i, k in enumerate(keys)}
    emphasis = {k: Emphasis(LayerGain(k, (g,) * 3, (g,) * 3), g) for k, g in gains.items()}
    for _ in range(700):
        frame.trace(keys, emphasis=emphasis)
    chosen = [frame.image(k) for k in keys]
    frame.place.close()
    plain = traced(FLOOR, camera, [spec(s, mist, 1) for s in lamps], 100, (24, 14))
    surface, air = (
        [getattr(a, part).mean() / getattr(b, part).mean() for a, b in zip(chosen, plain)]
        for part in ("surface", "air")
    )
    assert np.mean(surface) == pytest.approx(1.0, abs=0.02)
    assert np.mean(air) == pytest.approx(1.0, abs=0.02)
    assert surface[3] == pytest.approx(1.0, abs=0.02), "the one that counts is the surest"
    assert max(surface) < 1.15
    assert min(surface) > 0.85


def test_a_lens_blurs_as_its_circle_of_confusion_says():
    # A far bright panel against black, focus at half its distance: blur disc diameter c = A |d - f| / f at the panel.
    panel = face([(-2, 8, -3), (0, 8, -3), (0, 8, 5), (-2, 8, 5)])
    glow = Material("glow", (0, 0, 0), 0.0, 1.0, emissive=(1.0, 1.0, 1.0), double_sided=True)
    place = place_of((panel, glow), (floor(z=-9), BLACK))
    from lunar_haze.core.sources.model import Surface

    camera = Camera((0, 0, 1), (0, 4, 1), 200.0, f_number=200.0 / 1000 / 0.4)
    assert camera.aperture_radius_m == pytest.approx(0.2)
    assert camera.sharp_at_m == pytest.approx(4.0)

    def profile(cam):
        image = traced(place, cam, [spec(Surface("glow"))], 200, (96, 8))[0].surface[..., 0].mean(0)
        return image / image.max()

    sharp, soft = profile(attrs.evolve(camera, f_number=0.0)), profile(camera)
    metres = 8 * camera.tan_half_width * 2 / 96

    def width(p):
        return ((p > 0.02) & (p < 0.98)).sum() * metres

    assert width(sharp) < 7 * metres
    assert width(soft) == pytest.approx(0.4, abs=0.06), "at the edge that lies in the frame"
    assert width(profile(attrs.evolve(camera, focus_m=8.0))) < 7 * metres, "in focus it is sharp"


@pytest.mark.parametrize("shape", [Ball((0, 0, 3.0), 0.05, aim=(0, 0, 0)), Disc((0, 0, 3.0), (0, 0, 0), 0.3),
                                   LampArray((0, 0, 3.0), (0, 0, 0))])  # fmt: skip
@pytest.mark.parametrize("reach", [0.5, 2.9, 3.0, 3.1, 100.0])
def test_a_level_in_lux_stays_within_reason_whatever_the_reach(shape, reach):
    """A reach shorter than the way to the aim made a lamp of 1e14 lm."""
    lamp = attrs.evolve(shape.lamp, reach_m=reach) if isinstance(shape, LampArray) else None
    near = attrs.evolve(shape, lamp=lamp) if lamp is not None else attrs.evolve(shape, reach_m=reach)
    assert canonical(near, 200.0, "lx") == pytest.approx(canonical(shape, 200.0, "lx"), rel=1e-6)


@pytest.mark.parametrize(
    ("wide", "narrow", "turn"), [(60.0, 20.0, 0.0), (30.0, 30.0, 0.0), (70.0, 25.0, 90.0), (20.0, 50.0, 30.0)]
)
def test_an_oval_beam_gives_its_lumens_to_its_oval(wide, narrow, turn):
    """All that it emits arrives on the floor, within its two angles, half at its edge."""
    lamp = OvalBeam(
        (0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 0.02, edge=0.3, gate_m=50.0, cone_deg=wide, narrow_deg=narrow, turn_deg=turn
    )
    # Lumens by the closed form: intensity over rings about the axis, which points down.
    step, turns = math.radians(75.0) / 300, (np.arange(60) + 0.5) * 2 * math.pi / 60
    flux = 0.0
    for angle in (np.arange(300) + 0.5) * step:
        flat = math.sin(angle)
        directions = np.stack([flat * np.cos(turns), flat * np.sin(turns), np.full(60, -math.cos(angle))], 1)
        flux += sum(lamp.relative_intensity(d) for d in directions) * 2 * math.pi / 60 * flat * step
    assert lamp.radiance_per_lumen() * lamp.area_m2() * flux == pytest.approx(1.0, rel=0.01)
    # Half the axial luminance at either angle (the cosines of lamp and profile aside).
    side, up, axis = lamp.frame()
    for way, angle in ((side, wide), (up, narrow)):
        half = math.radians(angle) / 2
        direction = math.cos(half) * axis + math.sin(half) * way
        assert lamp.relative_intensity(direction) / math.cos(half) == pytest.approx(0.5, abs=1e-6)


def test_an_oval_beam_on_the_floor_is_as_its_value_says():
    lamp = OvalBeam((0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 0.02, edge=0.3, gate_m=50.0, cone_deg=60.0, narrow_deg=20.0)
    side, up, _axis = lamp.frame()
    for way, far in ((side, 0.0), (side, 1.2), (side, 2.6), (up, 0.5), (up, 1.1)):
        point = np.array(lamp.aim) + far * way
        image = lit(place_of((floor(), WHITE)), down_at(float(point[0]), float(point[1])), lamp)
        towards = np.subtract(point, lamp.position)
        distance = float(np.linalg.norm(towards))
        direction = towards / distance
        intensity = lamp.radiance_per_lumen() * lamp.area_m2() * lamp.relative_intensity(direction)
        expected = intensity * abs(direction[2]) / distance**2
        assert lambert_illuminance(image) == pytest.approx(expected, rel=0.03, abs=2e-4)
