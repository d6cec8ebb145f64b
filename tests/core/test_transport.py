"""Physics of the layers: closed forms, conservation, linearity."""

import math

import attrs
import numba as nb
import numpy as np
import pytest
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from scipy.integrate import quad

from lunar_haze.core.air.medium import Bank, Medium, Patches
from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material, Texture
from lunar_haze.core.sky.clouds import mean_sun_share
from lunar_haze.core.sky.dome import dome_map
from lunar_haze.core.sky.lat_long import illuminance_lx, map_directions
from lunar_haze.core.sky.model import CLOUDS, ClearSky, CloudLayer, Gradient, Weather
from lunar_haze.core.sources.beam import beam_cone_integral_sr
from lunar_haze.core.sources.model import Ball, Beam, Disc, Rectangle, Sky, Sun, Surface
from lunar_haze.core.transport.air_grid import new_grid
from lunar_haze.core.transport.embree import SOLID, RayScene, aligned, intersect, occluded, ray_buffer
from lunar_haze.core.transport.frame import Emphasis, Frame
from lunar_haze.core.transport.ggx import energy_tables
from lunar_haze.core.transport.lights import Lit, pack_lights
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.starfield import star_picture
from lunar_haze.core.transport.view import pixel_tiles
from lunar_haze.core.transport.view_air import ViewAir, ViewPixels
from tests.live_alone import live_layer
from tests.places import BLACK, CLEAR, WHITE, down_at, floor, lambert_illuminance, lit, place_of
from tests.places import quad as face

FLOOR = place_of((floor(), WHITE))


def test_inverse_square_law():
    near = lambert_illuminance(lit(FLOOR, down_at(0, 0), Ball((0, 0, 2.0), 0.01)))
    far = lambert_illuminance(lit(FLOOR, down_at(0, 0), Ball((0, 0, 4.0), 0.01)))
    assert near / far == pytest.approx(4.0, rel=0.005)
    # One lumen evenly over the sphere.
    assert near == pytest.approx(1 / (4 * math.pi * 4.0), rel=0.005)


def test_cosine_law():
    above = lambert_illuminance(lit(FLOOR, down_at(0, 0), Ball((0, 0, 3.0), 0.01)))
    for degrees in (30, 60):
        aside = 3.0 * math.tan(math.radians(degrees))
        slanted = lambert_illuminance(lit(FLOOR, down_at(aside, 0), Ball((0, 0, 3.0), 0.01), passes=128))
        assert slanted / above == pytest.approx(math.cos(math.radians(degrees)) ** 3, rel=0.005)


@pytest.mark.parametrize(
    "shape",
    [
        Disc((0, 0, 1.5), (0, 0, 0), 0.8), Disc((0, 0, 3), (0, 0, 0), 0.2), Rectangle((0, 0, 1.2), (0, 0, 0), 1.6, 0.9),
        Rectangle((0, 0, 3), (0, 0, 0), 0.5, 2.0), Ball((0, 0, 2), 0.5),
    ],
)  # fmt: skip
def test_lamps_agree_with_closed_forms_on_their_axis(shape):
    expected = shape.radiance_per_lumen() * shape.illuminance_per_radiance(shape.position[2])
    assert lambert_illuminance(lit(FLOOR, down_at(0, 0), shape, passes=256)) == pytest.approx(expected, rel=0.01)


def test_a_beam_puts_its_axial_intensity_on_its_aim_and_nothing_beyond_its_edge():
    beam = Beam((0, 0, 4), (0, 0, 0), 0.02, 30.0, 0.2)
    centre = lambert_illuminance(lit(FLOOR, down_at(0, 0), beam))
    assert centre == pytest.approx(1 / beam_cone_integral_sr(*beam.half_angles_rad()) / 16, rel=0.01)
    assert lambert_illuminance(lit(FLOOR, down_at(4 * math.tan(math.radians(20)), 0), beam)) == 0.0


def test_a_glowing_surface_lights_like_the_rectangle_it_is():
    glow = Material("glow", (0, 0, 0), 0.0, 1.0, (1.0, 1.0, 1.0))
    panel = face([(-0.5, -0.5, 2), (-0.5, 0.5, 2), (0.5, 0.5, 2), (0.5, -0.5, 2)])  # front down
    place = place_of((floor(), WHITE), (panel, glow))
    lamp = Rectangle((0, 0, 2.0), (0, 0, 0), 1.0, 1.0)
    expected = lamp.illuminance_per_radiance(2.0)
    assert lambert_illuminance(lit(place, down_at(0, 0, 1.0), Surface("glow"), passes=256)) == pytest.approx(
        expected, rel=0.01
    )


def test_the_sun_gives_its_lux_to_what_faces_it():
    for altitude in (90.0, 30.0):
        got = lambert_illuminance(lit(FLOOR, down_at(0, 0), Sun(altitude, 120.0)))
        assert got == pytest.approx(math.sin(math.radians(altitude)), rel=0.005)


def test_the_sky_puts_one_lux_on_level_ground():
    image = lit(FLOOR, down_at(0, 0), Sky(ClearSky(35.0, 200.0)), passes=400)
    assert float(luminance(image.surface).mean()) * math.pi == pytest.approx(1.0, rel=0.01)
    directions, solid_angle = map_directions(256, 512)
    sky = luminance(dome_map(ClearSky(-5.0, 90.0))).astype(float)
    assert (sky * np.maximum(directions[..., 2], 0) * solid_angle).sum() == pytest.approx(1.0, rel=1e-4)


@pytest.mark.parametrize(("metallic", "roughness"), [(0.0, 1.0), (0.0, 0.3), (1.0, 0.4), (1.0, 0.9)])
def test_white_furnace(metallic, roughness):
    """A white surface under an even sky returns the sky, whatever its gloss."""
    material = Material("white", (1.0, 1.0, 1.0), metallic, roughness)
    shell = Material("shell", (0, 0, 0), 0.0, 1.0, (1.0, 1.0, 1.0), double_sided=True)
    s = 40.0
    faces = [
        [(-s, -s, -s), (s, -s, -s), (s, s, -s), (-s, s, -s)], [(-s, -s, s), (-s, s, s), (s, s, s), (s, -s, s)],
        [(-s, -s, -s), (-s, -s, s), (s, -s, s), (s, -s, -s)], [(-s, s, -s), (s, s, -s), (s, s, s), (-s, s, s)],
        [(-s, -s, -s), (-s, s, -s), (-s, s, s), (-s, -s, s)], [(s, -s, -s), (s, -s, s), (s, s, s), (s, s, -s)],
    ]  # fmt: skip
    corners = np.concatenate([np.array(f, np.float32) for f in faces])
    triangles = np.concatenate([np.array([[0, 1, 2], [0, 2, 3]]) + 4 * i for i in range(6)]).astype(np.uint32)
    place = attrs.evolve(
        place_of((floor(1.0), material), ((corners[:4], triangles[:2]), shell)),
        positions=np.concatenate([floor(1.0)[0], corners]),
        normals=np.tile(np.float32([0, 0, 1]), (28, 1)),
        uvs=np.zeros((28, 2), np.float32),
        triangles=np.concatenate([floor(1.0)[1], triangles + 4]).astype(np.uint32),
        material_of=np.array([0] * 2 + [1] * 12, np.int32),
        object_of=np.zeros(14, np.int32),
    )
    camera = Camera((2.0, 0.0, 2.5), (0.0, 0.0, 0.0), 1500.0)
    image = lit(place, camera, Surface("shell"), passes=300, size=(24, 24))
    assert float(image.surface.mean()) == pytest.approx(1.0, abs=0.005)


def test_energy_tables_never_gain_energy():
    table, mean = energy_tables()
    total = table[..., :2].sum(-1)
    assert (total <= 1.0005).all()
    assert (total > 0).all()
    assert ((table[..., 2] > 0) & (table[..., 2] <= total)).all()
    # Schlick's reflectance of a smooth coat, averaged over the cosine: F0 + (1 - F0) / 21.
    assert mean[0] == pytest.approx(0.04 + 0.96 / 21, rel=0.005)
    assert (np.diff(mean) < 1e-4).all()


def test_bounced_light_only_adds_and_converges_to_the_closed_form_of_a_sphere():
    """Inside an even white enclosure each bounce multiplies by the albedo: 1 + a + a^2 ..."""
    grey = Material("grey", (0.5, 0.5, 0.5), 0.0, 1.0)
    walls = [
        face([(-5, -5, 0), (5, -5, 0), (5, 5, 0), (-5, 5, 0)]), face([(-5, -5, 5), (-5, 5, 5), (5, 5, 5), (5, -5, 5)]),
    ]  # fmt: skip
    place = place_of(*[(w, grey) for w in walls])
    means = [float(lit(place, down_at(0, 0), Ball((1, 0, 2.5), 0.1), 64, b).surface.mean()) for b in range(4)]
    steps = np.diff(means)
    assert (steps > 0).all()
    assert steps[1] < 0.7 * steps[0]
    assert steps[2] < 0.7 * steps[1]


def test_doubling_the_light_doubles_nothing_but_the_gain_and_layers_are_per_unit():
    small = lit(FLOOR, down_at(0, 0), Ball((0, 0, 3), 0.02), passes=32)
    large = lit(FLOOR, down_at(0, 0), Ball((0, 0, 3), 0.2), passes=32)
    # A lumen is a lumen whatever the size of the ball.
    assert lambert_illuminance(small) == pytest.approx(lambert_illuminance(large), rel=0.005)


def test_cut_outs_and_tinted_glass_let_light_through():
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:, :32, 3] = 255  # one half solid, one half open
    leaf = Material("leaf", (1, 1, 1), 0.0, 1.0, alpha_cutoff=0.5, base_texture=0)
    card = face([(-1, -1, 1), (1, -1, 1), (1, 1, 1), (-1, 1, 1)])
    place = place_of((floor(), WHITE), (card, leaf), textures=(Texture("leaf", pixels, True),))
    lamp = Ball((0, 0, 40.0), 0.001)
    under_solid = lit(place, down_at(-0.5, 0, 0.5), lamp).surface.mean()
    under_open = lit(place, down_at(0.5, 0, 0.5), lamp).surface.mean()
    assert under_solid == 0.0
    bare = lit(FLOOR, down_at(0.5, 0, 0.5), lamp).surface.mean()
    assert under_open == pytest.approx(bare, rel=1e-3)
    glass = Material("glass", (0.9, 0.5, 0.1), clear=1.0, roughness=0.05)
    tinted = lit(place_of((floor(), WHITE), (card, glass)), down_at(0.2, 0, 0.5), lamp).surface.mean((0, 1))
    ratio = tinted / bare
    assert ratio[0] / ratio[2] == pytest.approx(9.0, rel=0.01)
    mirrored = 2 * 0.04 / 1.04
    assert ratio[1] == pytest.approx(0.5 * (1 - mirrored), rel=0.01)


@pytest.mark.parametrize("scale", [1.0, -3e4, 1e12, np.inf, np.nan])
def test_texture_coordinates_repeat_however_far_out_they_are(scale):
    pixels = np.full((8, 4, 4), 255, np.uint8)
    board = Material("board", (0.5, 0.5, 0.5), 0.0, 1.0, base_texture=0)
    place = place_of((floor(), board), textures=(Texture("board", pixels, True),))
    plain = place_of((floor(), attrs.evolve(board, base_texture=-1)))
    with np.errstate(invalid="ignore"):
        place = attrs.evolve(place, uvs=np.float32(scale) * place.uvs)
    lamp = Ball((0, 0, 3.0), 0.02)
    seen, bare = (lit(p, down_at(0, 0), lamp, passes=4).surface.mean() for p in (place, plain))
    assert seen == pytest.approx(bare, rel=1e-3)


def test_something_in_between_throws_a_shadow():
    blocker = face([(-0.2, -0.2, 1), (0.2, -0.2, 1), (0.2, 0.2, 1), (-0.2, 0.2, 1)])
    place = place_of((floor(), WHITE), (blocker, BLACK))
    assert lit(place, down_at(0, 0, 0.9), Ball((0, 0, 3), 0.02)).surface.max() == 0.0


MIST = Medium(visibility_m=40.0, fall_off_m=1e6, top_m=1e5, base_m=1e4, albedo=(0.8, 0.8, 0.8), anisotropy=0.4)


def _airlight_of_a_point(distance_m: float, aside_m: float, medium: Medium, g: float) -> float:
    """Single scattering of one lumen at (0, aside) along a ray of that length through x = -d/2 .. d/2."""
    sigma, albedo = medium.extinction_per_m, medium.albedo[0]

    def integrand(t: float) -> float:
        x = t - distance_m / 2
        r = math.hypot(x, aside_m)
        cos_theta = -x / r  # between the way back to the lamp and the way on
        phase = (1 - g * g) / (4 * math.pi * (1 + g * g - 2 * g * cos_theta) ** 1.5)
        return sigma * albedo * phase * math.exp(-sigma * (t + r)) / (4 * math.pi * r * r)

    return quad(integrand, 0, distance_m, points=[distance_m / 2], limit=400)[0]


def test_homogeneous_airlight_of_a_lamp_agrees_with_quadrature():
    wall = face([(10, -30, -30), (10, 30, -30), (10, 30, 30), (10, -30, 30)])
    place = place_of((wall, BLACK))
    camera = Camera((-10.0, 0.0, 0.0), (10.0, 0.0, 0.0), 20000.0)
    image = lit(place, camera, Ball((0.0, 1.0, 0.0), 0.01), passes=400, medium=MIST)
    truth = _airlight_of_a_point(20.0, 1.0, MIST, 0.4)
    assert float(image.air.mean()) == pytest.approx(truth, rel=0.01)


def test_homogeneous_airlight_of_the_sun_has_a_closed_form():
    wall = face([(10, -300, -30), (10, 300, -30), (10, 300, 300), (10, -300, 300)])
    medium = attrs.evolve(MIST, fall_off_m=1e5, base_m=0.0, top_m=30.0)
    camera = Camera((-10.0, 0.0, 1.0), (10.0, 0.0, 1.0), 20000.0)
    image = lit(place_of((wall, BLACK)), camera, Sun(90.0, 0.0), passes=200, medium=medium)
    sigma = medium.extinction_per_m
    phase = (1 - 0.16) / (4 * math.pi * (1 + 0.16) ** 1.5)
    truth = 0.8 * phase * (1 - math.exp(-20 * sigma)) * math.exp(-sigma * 29.0)
    assert float(image.air.mean()) == pytest.approx(truth, rel=0.01)


def test_no_mist_is_identity_and_mist_takes_light_from_surfaces():
    lamp = Ball((0, 0, 3), 0.05)
    clear = lit(FLOOR, down_at(0, 0), lamp)
    assert clear.air.max() == 0.0
    misty = lit(FLOOR, down_at(0, 0), lamp, medium=MIST)
    expected = math.exp(-MIST.extinction_per_m * 6.0)  # lamp to floor to lens, three metres each
    assert misty.surface.mean() / clear.surface.mean() == pytest.approx(expected, rel=0.01)


@pytest.mark.parametrize(
    "shape",
    [Sun(40.0, 90.0), Ball((5.0, 4.0, 2.5), 0.1), Beam((4.0, 6.0, 4.0), (0, 3, 0), 0.06), Sky(ClearSky(30.0, 90.0))],
)
def test_live_air_agrees_with_refined_air(shape):
    """Through a slatted wall, so that shafts must stand in the same place."""
    slats = [
        (face([(1.5, y, 0), (1.5, y + 0.5, 0), (1.5, y + 0.5, 5), (1.5, y, 5)]), BLACK)
        for y in np.arange(-6.0, 12.0, 1.0)
    ]
    place = place_of((floor(), WHITE), *slats)
    view = View(Camera((-5.0, -6.0, 2.0), (0.0, 2.0, 1.0), 28.0), 192, 108)
    medium = Medium(visibility_m=60.0, anisotropy=0.3, fall_off_m=8.0)
    spec = LayerSpec("live", view, shape, medium, 0)
    frame = Frame(PackedPlace(place), view)
    frame.add_guides(1)
    keys = frame.want([spec])
    for _ in range(100):
        frame.trace(keys)
    refined = frame.image(keys[0]).air.reshape(-1, 3).mean(1).reshape(108, 192)
    live = live_layer(frame, spec, 4, 40.0).mean(1).reshape(108, 192)
    assert live.mean() == pytest.approx(refined.mean(), rel=0.03)
    # The same shafts: blocks of pixels rise and fall together.
    blocks = [p.reshape(18, 6, 24, 8).mean((1, 3)).ravel() for p in (live, refined)]
    assert np.corrcoef(*blocks)[0, 1] > 0.97


def test_the_same_pixels_whatever_the_threads_and_parts():
    """Parallel results equal serial ones, and a pass is the sum of its parts, to the bit."""
    place = PackedPlace(place_of((floor(), WHITE), (face([(1, -2, 0), (1, 2, 0), (1, 2, 3), (1, -2, 3)]), BLACK)))
    view = View(Camera((-3, -4, 2), (0, 0, 1), 24.0), 64, 36)
    medium = Medium(visibility_m=50.0)
    shapes = (Sun(30.0, 100.0), Sky(ClearSky(30.0, 100.0)), Ball((0, 1, 2), 0.1))
    specs = [LayerSpec("t", view, s, medium, 2) for s in shapes]
    results = []
    threads = nb.get_num_threads()
    for count, tiles in ((1, None), (threads, None), (threads, 3)):
        nb.set_num_threads(count)
        frame = Frame(place, view)
        frame.add_guides(2)
        keys = frame.want(specs)
        for _ in range(2):
            while not frame.trace(keys, tiles):
                pass
        images = [frame.image(k) for k in keys]
        results.append([frame.guides.looks, frame.guides.depth] + [i.surface for i in images] + [i.air for i in images])
    nb.set_num_threads(threads)
    for other in results[1:]:
        for a, b in zip(results[0], other):
            np.testing.assert_array_equal(a, b)


def test_a_source_is_the_same_alone_or_in_company_where_nothing_is_drawn_by_lot():
    """At the first surface every source has its own rays: company must not change the direct part."""
    view = View(down_at(0, 0), 8, 8)
    lamp, other = Ball((1, 0, 3), 0.1), Ball((-1, 0, 2), 0.3)
    frames = []
    for shapes in ((lamp,), (lamp, other)):
        frame = Frame(PackedPlace(FLOOR), view)
        keys = frame.want([LayerSpec("t", view, s, CLEAR, 0) for s in shapes])
        for _ in range(16):
            frame.trace(keys)
        frames.append(frame.image(keys[0]).surface)
    assert frames[0].mean() == pytest.approx(frames[1].mean(), rel=0.003)


@pytest.mark.parametrize("size", [(64, 36), (31, 7), (100, 33), (1, 1)])
def test_tiles_hold_every_pixel_once(size):
    pixels, starts = pixel_tiles(*size)
    np.testing.assert_array_equal(np.sort(pixels), np.arange(size[0] * size[1]))
    assert (starts[0], starts[-1]) == (0, pixels.size)
    assert (np.diff(starts) > 0).all()


def test_passes_of_layers_look_for_the_denoiser_as_guides_do():
    view = View(down_at(0, 0, 3.0), 16, 16)
    place = PackedPlace(place_of((floor(1.5), Material("red", (0.8, 0.1, 0.1)))))
    looked, traced = Frame(place, view), Frame(place, view)
    looked.add_guides(64)
    keys = traced.want([LayerSpec("t", view, Ball((1, 0, 3), 0.1), CLEAR, 0)])
    for _ in range(64):
        traced.trace(keys)
    for one, other in zip(looked.guide_images(CLEAR), traced.guide_images(CLEAR)):
        np.testing.assert_allclose(one, other, atol=0.06)


def test_guides_tell_distance_owner_and_colour():
    view = View(down_at(0, 0, 3.0), 8, 8)
    frame = Frame(PackedPlace(place_of((floor(), Material("red", (0.8, 0.1, 0.1))))), view)
    frame.add_guides(4)
    albedo, normal = frame.guide_images(CLEAR)
    np.testing.assert_allclose(frame.guides.depth, 3.0, rtol=1e-3)
    np.testing.assert_allclose(albedo.mean((0, 1)), (0.8, 0.1, 0.1), atol=1e-5)
    np.testing.assert_allclose(normal.mean((0, 1)), (0, 0, 1), atol=1e-5)
    assert (frame.guides.owner == 0).all()


def test_layers_no_longer_wanted_give_way_only_when_memory_is_short():
    view = View(down_at(0, 0), 16, 16)
    frame = Frame(PackedPlace(FLOOR), view, memory_bytes=16 * 16 * 24 * 4)
    specs = [LayerSpec("t", view, Ball((i, 0, 2), 0.1), CLEAR, 0) for i in range(6)]
    for spec in specs:
        frame.trace(frame.want([spec]))
    assert len(frame.sums) == 4
    assert specs[-1].key() in frame.sums
    assert specs[0].key() not in frame.sums


@pytest.mark.parametrize("g", [-0.95, 0.95])
def test_extremes_stay_finite(g):
    medium = Medium(visibility_m=3.0, anisotropy=g, albedo=(1.0, 0.0, 1.0))
    inside_lamp = Camera((0.0, -0.01, 2.0), (0.0, 1.0, 1.0), 20.0)
    image = lit(FLOOR, inside_lamp, Ball((0, 0, 2.0), 0.2), passes=4, bounces=2, medium=medium)
    assert np.isfinite(image.surface).all()
    assert np.isfinite(image.air).all()
    assert image.air.min() >= 0.0


def test_rays_agree_with_the_plain_embreex_way():
    """The compiled seam against the package's own array interface, on a soup of triangles."""
    rng = np.random.default_rng(0)
    points = (rng.random((400, 1, 3)) * 10 + rng.normal(size=(400, 3, 3)) * 0.4).reshape(-1, 3).astype(np.float32)
    triangles = np.arange(1200, dtype=np.uint32).reshape(-1, 3)
    ours = RayScene(points, triangles, 400)
    theirs = EmbreeScene()
    TriangleMesh(theirs, points, triangles.astype(np.int32))
    origins = (rng.random((2000, 3)) * 10).astype(np.float32)
    directions = rng.normal(size=(2000, 3)).astype(np.float32)
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    expected = theirs.run(origins, directions, output=True)
    memory = ray_buffer()
    for i in range(2000):
        prim, _geometry, far, u, v = intersect(
            ours.handle, aligned(memory), *origins[i], *directions[i], np.float32(0), np.float32(1e5), SOLID
        )
        assert prim == np.int32(expected["primID"][i])
        hidden = occluded(
            ours.handle, aligned(memory), *origins[i], *directions[i], np.float32(0), np.float32(1e5), SOLID
        )
        assert hidden == (prim >= 0)
        if prim >= 0:
            assert far == pytest.approx(expected["tfar"][i], rel=1e-5)
            assert (u, v) == pytest.approx((expected["u"][i], expected["v"][i]), abs=1e-4)
    ours.close()


def test_live_air_is_the_same_whatever_the_threads():
    view = View(Camera((-3, -4, 2), (0, 0, 1), 24.0), 64, 36)
    frame = Frame(
        PackedPlace(place_of((floor(), WHITE), (face([(1, -2, 0), (1, 2, 0), (1, 2, 3), (1, -2, 3)]), BLACK))), view
    )
    frame.add_guides(1)
    plain, threads = Medium(visibility_m=50.0), nb.get_num_threads()
    mixed = Medium(visibility_m=50.0, multiple=1.0, banks=(Bank("b"),), patches=Patches(0.5))
    shapes = (Sun(30.0, 100.0), Sky(ClearSky(30.0, 100.0)), Ball((0, 1, 2), 0.1))
    for shape, medium in [(shape, medium) for shape in shapes for medium in (plain, mixed)]:
        results = []
        for count in (1, threads):
            nb.set_num_threads(count)
            results.append(live_layer(frame, LayerSpec("t", view, shape, medium, 1), 1, 30.0))
        nb.set_num_threads(threads)
        # Whether a loop takes several numbers at once hangs on where its arrays lie: the last bit may differ.
        np.testing.assert_allclose(*results, rtol=2e-6, atol=1e-12)
        ratios = []
        grid = new_grid(frame.arrays, pack_lights([Lit(shape)], frame.place.place, frame.place.order), 0)
        pixels, base = ViewPixels(frame.camera, 30.0, frame.guides.depth), np.ones((1, frame.pixels, 3), np.float32)
        for count in (1, threads):
            nb.set_num_threads(count)
            ratios.append(np.zeros((frame.pixels, 3), np.float32))
            ViewAir(pixels, MIST).dim([grid], medium, base, np.zeros(1), np.ones((1, 3)), ratios[-1])
        nb.set_num_threads(threads)
        np.testing.assert_array_equal(*ratios)


def test_emphasis_changes_the_grain_of_a_layer_and_not_its_light():
    """Shadow rays left to chance, sources picked by what they add, paths that are not followed: the mean stays."""
    wall = face([(3, -4, 0), (3, 4, 0), (3, 4, 4), (3, -4, 4)])
    place = PackedPlace(place_of((floor(), WHITE), (wall, WHITE)))
    view = View(Camera((-6, -5, 3), (1, 0, 0.5), 28.0), 24, 16)
    shapes = (Ball((0, 0, 2), 0.2), Ball((-2, 1, 1), 0.1), Sky(ClearSky(30.0, 100.0)))
    specs = [LayerSpec("t", view, s, Medium(visibility_m=60.0), 2) for s in shapes]
    gains = (900.0, 4.0, 30.0)
    means = []
    for emphatic in (False, True):
        frame = Frame(place, view)
        keys = frame.want(specs)
        emphasis = {
            key: Emphasis(LayerGain(key, (g,) * 3, (g,) * 3), share)
            for key, g, share in zip(keys, gains, (0.9, 0.02, 0.08))
        }
        lit = np.full(frame.pixels, 4.0, np.float32)
        for _ in range(700):
            frame.trace(keys, emphasis=emphasis if emphatic else None, lit=lit if emphatic else None)
        means.append([frame.image(k) for k in keys])
    for plain, chosen in zip(*means):
        rel = 0.08 if plain is means[0][1] else 0.02  # the lamp that adds little has most of the grain
        assert chosen.surface.mean() == pytest.approx(plain.surface.mean(), rel=rel)
        assert chosen.air.mean() == pytest.approx(plain.air.mean(), rel=rel)


def test_a_sky_lights_the_ground_as_its_map_does():
    # High suns: what comes in low is thrown on by the coat of even a matte ground.
    for dome in (
        ClearSky(60.0, 60.0),
        ClearSky(-5.0, 60.0),
        ClearSky(45.0, 60.0, weather=Weather(clouds=CLOUDS["broken"])),
    ):
        picture = lit(FLOOR, down_at(0, 0), Sky(dome), passes=900).surface
        assert math.pi * luminance(picture).mean() == pytest.approx(illuminance_lx(dome_map(dome)), rel=0.005)


def test_what_lights_and_what_the_lens_sees_are_apart():
    view = View(Camera((0, 0, 1.5), (0, 30.0, 8.0), 20.0), 24, 16)
    place = PackedPlace(place_of((floor(8.0), WHITE)))

    def layer(**flags):
        frame = Frame(place, view)
        key = frame.want([LayerSpec("t", view, Sky(ClearSky(30.0, 100.0), **flags), CLEAR, 1)])[0]
        for _ in range(24):
            frame.trace([key])
        return frame.image(key).surface[..., 1]

    both, behind, unseen = layer(), layer(lights=False, bounces=False), layer(seen=False)
    assert behind[-1].max() == 0.0, "a backdrop lights nothing"
    assert unseen[0].max() == 0.0, "an unseen sky stays black behind the place"
    assert behind + unseen == pytest.approx(both, rel=0.2, abs=0.02 * float(both.max()))
    assert layer(lights=False)[-1].min() >= 0.0
    assert layer(lights=False, bounces=True)[-1].mean() == pytest.approx(unseen[-1].mean(), rel=0.25)


def test_the_moon_shows_its_phase_and_gives_its_light_whatever_it_is():
    up = Camera((0, 0, 1.0), (0, 30.0, 1.0 + 30.0), 900.0)
    place = place_of((floor(4.0), WHITE))
    shares = []
    for phase in (0.0, 90.0, 120.0):
        moon = Sun(45.0 - 1 / 60, 0.0, 0.6, False, "moon", phase, 0.0)
        picture = lit(place, up, moon, passes=64, size=(64, 36)).surface[..., 1]
        bright = picture > 0.5 * picture.max()
        shares.append(bright.sum())
        right = picture[:, picture.shape[1] // 2 :].sum() / picture.sum()
        assert right > 0.9 if phase else right == pytest.approx(0.5, abs=0.05)
        on_ground = lambert_illuminance(lit(FLOOR, down_at(0, 0), moon, passes=256))
        assert on_ground == pytest.approx(math.sin(math.radians(45.0)), rel=0.03)
    assert shares[1] / shares[0] == pytest.approx(0.5, abs=0.08)
    assert shares[2] / shares[0] == pytest.approx(0.5 * (1 + math.cos(math.radians(120.0))), abs=0.06)


def test_clouds_lay_patches_of_sun_that_average_to_their_share():
    layer = CloudLayer(0.5, 900.0, 14.0, 60.0, seed=2)
    sun = Sun(50.0, 180.0, follows_hour=False, clouds=(layer,))
    clear = Sun(50.0, 180.0, follows_hour=False)
    wide = Camera((0, -0.1, 700.0), (0, 0, 0), 50.0)
    place = place_of((floor(600.0), WHITE))
    patches, even = (lit(place, wide, s, passes=16, size=(96, 96)).surface[..., 1] for s in (sun, clear))
    share = patches / even.mean()
    assert share.min() < 0.05
    assert share.max() > 0.9
    assert share.mean() == pytest.approx(mean_sun_share((layer,), sun.towards()[2]), abs=0.08)


def test_stars_are_points_without_grain():
    view = View(Camera((0, 0, 1.5), (0, 30.0, 30.0), 24.0), 160, 90)
    dark = ClearSky(-40.0, 0.0, sidereal_deg=40.0)
    place = PackedPlace(place_of((floor(2.0), WHITE)))
    frame = Frame(place, view)
    key = frame.want([LayerSpec("t", view, Sky(dark), CLEAR, 0)])[0]
    frame.trace([key])
    once = frame.image(key).surface.copy()
    for _ in range(7):
        frame.trace([key])
    sky = once[:40, :, 1]
    assert sky.max() > 8 * np.median(sky), "stars stand out"
    assert once[:40] == pytest.approx(frame.image(key).surface[:40], rel=0.05), "one pass shows what eight do"
    flux = (star_picture(dark, view).sum(0) * 1.0)[1]
    finer = (star_picture(dark, attrs.evolve(view, width=320, height=180)).sum(0) / 4.0)[1]
    assert finer == pytest.approx(flux, rel=0.1), "a larger picture holds the same light"


def test_light_that_the_lens_sees_counts_once_where_matte_and_highlights_are_weighed_apart():
    """14, found while the hits of a path were named: a sky was counted in both parts."""
    place = PackedPlace(place_of((floor(), WHITE)))
    view = View(Camera((0.0, -5.0, 2.0), (0.0, 0.0, 2.5)), 32, 18)
    pictures = {}
    for part in ("all", "matte", "highlights"):
        frame = Frame(place, view)
        keys = frame.want([LayerSpec("place", view, Sky(Gradient()), Medium(), 1, part=part)])
        frame.add_guides(1)
        frame.trace(keys)
        pictures[part] = frame.image(keys[0]).surface
    both = pictures["matte"] + pictures["highlights"]
    np.testing.assert_allclose(both, pictures["all"], rtol=1e-4)
    assert not pictures["highlights"][0].any(), "the top row sees nothing but sky"
