"""Masks: regions against closed forms, one source's share on one object against the sum with it changed there."""

import time

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.document import mask_edits
from lunar_haze.core.document.files import from_json, load, to_json
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import MOST_PLACES, Mask, Region, Stroke
from lunar_haze.core.finish.masks import cover, masked, share_in, with_masks
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.regions import (
    Scene,
    asks_rays,
    cover_of,
    heights_of,
    materials_cover,
    objects_cover,
    region_kind,
    region_kinds,
    scene_of,
)
from lunar_haze.core.finish.strokes import strokes_cover
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material, Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.service.folders import demo_file

DEMO = demo_file()

HEIGHT, WIDTH = 90, 160
CAMERA = Camera((0.0, -5.0, 1.0), (0.0, 0.0, 1.0), 36.0)


def two_squares() -> Place:
    """A square of one metre in front of one of four, both facing the lens."""

    def square(half, y):
        return [(-half, y, 1 - half), (half, y, 1 - half), (half, y, 1 + half), (-half, y, 1 + half)]

    points = np.array(square(0.5, 0.0) + square(2.0, 2.0), np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]], np.uint32)
    return Place(
        points, np.tile(np.array([0, -1, 0], np.float32), (8, 1)), np.zeros((8, 2), np.float32), triangles,
        np.array([0, 0, 1, 1], np.int32), np.array([0, 0, 1, 1], np.int32),
        (Material("plain"), Material("brick")), (), ("near", "far"),
    )  # fmt: skip


def seen(place: Place, camera=CAMERA, height=HEIGHT, width=WIDTH) -> Scene:
    """What the lens sees, by a ray through every pixel's middle."""
    index = RayIndex(place)
    owner, distance = np.full((height, width), -1, np.int32), np.full((height, width), np.inf, np.float32)
    for row in range(height):
        for column in range(width):
            origin, way = camera.ray(column + 0.5, row + 0.5, width, height)
            far, triangle = index.nearest(origin, way)
            if triangle[0] >= 0:
                owner[row, column], distance[row, column] = place.object_of[triangle[0]], far[0]
    return scene_of(owner, distance, camera, place, index)


@pytest.fixture(scope="module")
def scene():
    return seen(two_squares())


# -- regions ------------------------------------------------------------------------------------------


def test_an_ellipse_has_its_area_and_its_feather(scene):
    hard = cover_of(Region(width=0.4, height=0.2, feather=0.0), scene)
    assert hard.sum() / HEIGHT**2 == pytest.approx(np.pi * 0.4 * 0.2, rel=0.02)
    soft = cover_of(Region(width=0.4, height=0.2, feather=0.8), scene)
    assert soft[HEIGHT // 2, WIDTH // 2] == pytest.approx(1.0)
    assert soft[HEIGHT // 2, WIDTH // 2 + round(0.42 * HEIGHT)] == 0.0
    assert 0.1 < soft[HEIGHT // 2, WIDTH // 2 + round(0.24 * HEIGHT)] < 0.9


def test_a_turned_ellipse_is_turned(scene):
    flat = cover_of(Region(width=0.4, height=0.1, feather=0.3), scene)
    upright = cover_of(Region(width=0.4, height=0.1, turn_deg=90.0, feather=0.3), scene)
    middle = slice(WIDTH // 2 - HEIGHT // 2, WIDTH // 2 + HEIGHT // 2)
    assert upright[:, middle] == pytest.approx(flat[:, middle].T, abs=1e-5)


def test_a_region_is_the_same_share_of_the_frame_at_every_size(scene):
    large = attrs.evolve(scene, owner=np.zeros((540, 960), np.int32), distance=np.ones((540, 960), np.float32))
    for region in (Region(x=0.2, y=-0.1, turn_deg=30.0), Region("line", y=0.1, turn_deg=12.0, feather=1.0)):
        small, big = cover_of(region, scene), cover_of(region, large)
        blocks = big.reshape(90, 6, 160, 6).mean((1, 3))
        assert np.abs(small - blocks).max() < 0.02


def test_a_line_covers_what_lies_above_it_and_fades(scene):
    region = Region("line", y=0.0, height=0.2, feather=1.0)
    found = cover_of(region, scene)
    assert found[0].max() == found[0].min() == 1.0
    assert found[-1].max() == 0.0
    assert found[HEIGHT // 2].mean() == pytest.approx(0.5, abs=0.1)


def test_spans_of_distance_and_height_are_the_places(scene):
    near = cover_of(Region("distance", near_m=0.0, far_m=6.0, feather=0.0), scene)
    assert np.array_equal(near > 0.5, scene.owner == 0)
    heights = heights_of(scene)
    rows = np.nonzero(scene.owner[:, WIDTH // 2] == 0)[0]
    # The near square reaches from half a metre to one and a half.
    assert heights[rows[0], WIDTH // 2] == pytest.approx(1.5, abs=0.08)
    assert heights[rows[-1], WIDTH // 2] == pytest.approx(0.5, abs=0.08)
    low = cover_of(Region("height", near_m=-10.0, far_m=1.0, feather=0.0), scene)
    assert low[rows[-1], WIDTH // 2] == 1.0
    assert low[rows[0], WIDTH // 2] == 0.0
    assert cover_of(Region("distance", far_m=1e5), scene)[scene.owner < 0].max(initial=0.0) == 0.0, "no sky"


def test_an_object_has_its_true_area_with_partial_cover_at_its_edges():
    """A square metre, five metres off: counted in whole pixels it would be off by more."""
    scale = WIDTH / 2 / CAMERA.tan_half_width / 5.0
    for shift in (0.0, 0.013, 0.027):
        camera = attrs.evolve(CAMERA, position=(shift, -5.0, 1.0 + shift), aim=(shift, 0.0, 1.0 + shift))
        here = seen(two_squares(), camera)
        assert objects_cover(here, ("near",)).sum() == pytest.approx(scale**2, rel=0.006)
        assert objects_cover(here, ("gone",)).max() == 0.0
    edges = objects_cover(here, ("near",))
    assert ((edges > 0.0) & (edges < 1.0)).any()
    whole = objects_cover(here, ("near",), with_edges=False)
    assert set(np.unique(whole)) == {0.0, 1.0}


def test_objects_add_up_where_they_meet(scene):
    near, far = (objects_cover(scene, (name,)) for name in ("near", "far"))
    both = objects_cover(scene, ("near", "far"))
    inside = scene.owner >= 0
    assert (near + far)[inside] == pytest.approx(both[inside], abs=1e-9)


@given(
    st.lists(
        st.tuples(st.sampled_from(["add", "subtract", "intersect"]), st.booleans(), st.floats(-0.5, 0.5)), max_size=4
    )
)
def test_however_regions_go_together_a_cover_stays_a_share(parts):
    blank = Scene(
        np.zeros((18, 32), np.int32),
        np.ones((18, 32), np.float32),
        CAMERA,
        ("a",),
        np.zeros(1, np.int32),
        ("m",),
        np.zeros(1, np.int32),
        None,
    )
    regions = (Region(), *(Region(x=x, how=how, inverted=inverted) for how, inverted, x in parts))
    found = cover(regions, blank)
    assert found.min() >= 0.0
    assert found.max() <= 1.0 + 1e-6


def test_what_is_subtracted_is_gone_and_what_is_intersected_is_in_both(scene):
    whole, part = Region(width=0.6, height=0.4), Region(width=0.2, height=0.2, feather=0.0, how="subtract")
    without = cover((whole, part), scene)
    assert without[HEIGHT // 2, WIDTH // 2] == 0.0
    crossed = cover((whole, attrs.evolve(part, how="intersect")), scene)
    assert crossed[HEIGHT // 2, WIDTH // 2] == pytest.approx(1.0)
    assert crossed[HEIGHT // 2, WIDTH // 2 + 30] == 0.0
    assert cover((attrs.evolve(whole, inverted=True),), scene) == pytest.approx(1.0 - cover((whole,), scene), abs=1e-6)


# -- what they do -------------------------------------------------------------------------------------


def light():
    return np.random.default_rng(7).uniform(0.5, 20.0, (HEIGHT, WIDTH, 3)).astype(np.float32)


def test_one_source_is_weakened_on_one_object_alone(scene):
    """The sum with that source's pixels of that object halved, edge cover included."""
    key, fill = light(), light()
    total = key + fill
    mask = Mask("m", "m", (Region("objects", objects=("near",)),), "key", stops=-1.0)
    under = cover(mask.regions, scene)
    done = with_masks(total, (mask,), 0.1, lambda m: under, {"key": share_in(total, key)}.get)
    wanted = fill + key * (1.0 - 0.5 * under[..., None])
    assert done == pytest.approx(wanted, rel=1e-3)
    elsewhere = under == 0.0
    assert np.array_equal(done[elsewhere], total[elsewhere])


def test_a_mask_of_a_source_that_gives_nothing_does_nothing(scene):
    picture = light()
    mask = Mask("m", "m", source="gone", stops=-3.0)
    assert with_masks(picture, (mask,), 0.1, lambda m: np.ones(scene.size), lambda s: None) is picture
    muted, idle = attrs.evolve(mask, source="", muted=True), Mask("i", "i")
    at_work = Finish(masks=(muted, idle)).masks_at_work
    assert at_work == ()
    assert with_masks(picture, at_work, 0.1, lambda m: np.ones(scene.size), lambda s: None) is picture
    working = attrs.evolve(muted, muted=False)
    assert Finish(masks=(idle, working)).masks_at_work == (working,)
    assert Finish(masks=(working,), muted=True).masks_at_work == (), "muted with all of the finish"


def test_each_thing_a_mask_does_is_what_it_says():
    picture, everywhere = light(), np.ones((HEIGHT, WIDTH), np.float32)
    scale = 0.05

    def does(**changes):
        return masked(picture, Mask("m", "m", **changes), everywhere, scale)

    assert does(stops=-2.0) == pytest.approx(picture / 4, rel=1e-5)
    grey = does(saturation=0.0)
    assert np.ptp(grey, axis=-1).max() < 1e-3
    assert luminance(grey) == pytest.approx(luminance(picture), rel=1e-4)
    stops = np.log2(luminance(picture) * scale / MID_GREY)
    assert np.log2(luminance(does(contrast=1.5)) * scale / MID_GREY) == pytest.approx(1.5 * stops, abs=1e-3)
    warm, cool = does(mired=60.0), does(mired=-60.0)
    assert (warm[..., 0] / warm[..., 2]).mean() > (picture[..., 0] / picture[..., 2]).mean()
    assert (cool[..., 0] / cool[..., 2]).mean() < (picture[..., 0] / picture[..., 2]).mean()
    assert does() is picture


def test_half_under_a_mask_is_half_the_way():
    picture = light()
    half = masked(picture, Mask("m", "m", stops=-1.0), np.full((HEIGHT, WIDTH), 0.5, np.float32), 1.0)
    assert half == pytest.approx(picture * 0.75, rel=1e-5)


# -- strokes ------------------------------------------------------------------------------------------


def dot(radius=0.2, x=0.0, y=0.0, erases=False):
    return Stroke(((x, y),), radius, erases)


def test_one_touch_of_a_hard_brush_is_a_disc_and_a_line_a_stadium():
    height = 540
    found = strokes_cover((dot(0.1),), 0.0, height, 960)
    assert found.sum() / height**2 == pytest.approx(np.pi * 0.1**2, rel=0.01)
    line = strokes_cover((Stroke(((-0.3, 0.1), (0.3, 0.1)), 0.1),), 0.0, height, 960)
    assert line.sum() / height**2 == pytest.approx(np.pi * 0.1**2 + 0.6 * 0.2, rel=0.01)


def test_a_stroke_is_the_same_share_of_the_frame_at_every_size_and_however_many_places_it_has():
    few = Stroke(((-0.3, 0.0), (0.3, 0.0)), 0.05)
    many = Stroke(tuple((round(x, 4), 0.0) for x in np.linspace(-0.3, 0.3, 200)), 0.05)
    found = [strokes_cover((one,), 0.7, h, h * 16 // 9).mean() for one in (few, many) for h in (180, 720)]
    assert found == pytest.approx([found[0]] * 4, rel=0.02)


def test_going_over_a_place_in_one_stroke_counts_once_and_in_two_adds_up():
    there_and_back = Stroke(((-0.2, 0.0), (0.2, 0.0), (-0.2, 0.0)), 0.1)
    once = Stroke(((-0.2, 0.0), (0.2, 0.0)), 0.1)
    covers = [strokes_cover(strokes, 1.0, 180, 320) for strokes in ((once,), (there_and_back,), (once, once))]
    assert np.array_equal(covers[0], covers[1])
    assert covers[2] == pytest.approx(1 - (1 - covers[0]) ** 2, abs=1e-6)


def test_what_is_taken_away_is_gone_until_it_is_painted_again():
    first, away = dot(0.3), dot(0.1, erases=True)
    assert strokes_cover((first, away), 0.0, 90, 160)[45, 80] == 0.0
    assert strokes_cover((away, first), 0.0, 90, 160)[45, 80] == 1.0
    assert strokes_cover((first, away, dot(0.05)), 0.0, 90, 160)[45, 80] == 1.0


@given(
    st.lists(
        st.tuples(st.floats(-1.2, 1.2), st.floats(-0.8, 0.8), st.floats(0.002, 0.5), st.booleans()),
        min_size=1,
        max_size=4,
    )
)
def test_strokes_that_leave_the_frame_are_cut_off_at_its_edge(touches):
    """What lies in the frame is the middle of a larger picture's."""
    strokes = tuple(dot(r, x, y, erases) for x, y, r, erases in touches)
    small = strokes_cover(strokes, 0.5, 60, 100)
    # The same brush in a frame that is larger all round: its middle stays the middle.
    wide = tuple(
        Stroke(tuple((x / 3.0, y / 3.0) for x, y in each.places), each.radius / 3.0, each.erases) for each in strokes
    )
    assert strokes_cover(wide, 0.5, 180, 300)[60:120, 100:200] == pytest.approx(small, abs=2e-3)


def test_ten_thousand_strokes_are_no_wait_and_come_back_from_the_file():
    rng = np.random.default_rng(7)
    many = tuple(dot(0.01, round(x, 4), round(y, 4)) for x, y in rng.uniform(-0.6, 0.6, (10_000, 2)))
    began = time.perf_counter()
    found = strokes_cover(many, 0.5, 540, 960)
    # Each by itself over the whole frame would take half a minute.
    assert time.perf_counter() - began < 6.0
    assert 0.3 < found.mean() < 0.7
    document = mask_edits.add_mask(load(DEMO)[0], "painted", Region("strokes", strokes=many))
    again, _notes = from_json(to_json(document, DEMO.parent), DEMO.parent, "painted.haze")
    assert again.look.finish.masks[-1].regions[0].strokes == many
    full = Stroke(tuple((0.0, 0.0) for _ in range(MOST_PLACES)), 0.1)
    with pytest.raises(FinishError, match="this region is full"):
        mask_edits.add_stroke(document, len(document.look.finish.masks) - 1, 0, full)


def test_strokes_are_a_region_like_any_other(scene):
    painted = Region("strokes", strokes=(dot(0.2),), feather=0.0)
    ellipse = Region("ellipse", width=0.2, height=0.2, feather=0.0)
    assert cover((painted,), scene).mean() == pytest.approx(cover((ellipse,), scene).mean(), rel=0.03)
    inverted = attrs.evolve(painted, inverted=True)
    assert cover((painted,), scene) + cover((inverted,), scene) == pytest.approx(1.0)


def test_a_region_that_is_full_says_so_and_keeps_what_it_has():
    document = mask_edits.add_mask(load(DEMO)[0], "brush", Region("strokes"))
    long = Stroke(tuple((0.0, n * 1e-5) for n in range(MOST_PLACES - 1)), 0.05)
    number = len(document.look.finish.masks) - 1
    document = mask_edits.add_stroke(document, number, 0, long)
    document = mask_edits.add_stroke(document, number, 0, dot())
    with pytest.raises(FinishError, match="20,000 places"):
        mask_edits.add_stroke(document, number, 0, dot())
    assert len(document.look.finish.masks[number].regions[0].strokes) == 2


# -- materials ----------------------------------------------------------------------------------------


def test_materials_and_the_sky_share_every_pixel(scene):
    parts = [materials_cover(scene, (name,)) for name in ("plain", "brick")]
    both = materials_cover(scene, ("plain", "brick"))
    assert sum(parts) == pytest.approx(both, abs=1e-9)
    assert materials_cover(scene, ("plain",)) == pytest.approx(objects_cover(scene, ("near",)))
    assert materials_cover(scene, ("gone",)).max() == 0.0
    assert materials_cover(scene, ("plain",), with_rays=False).max() == 0.0


# -- a kind of its own --------------------------------------------------------------------------------


@pytest.fixture
def upper_half():
    """A toy: the upper half of the frame."""

    @region_kind("upper half", "upper half", "all above the middle", Region("upper half"))
    def cover_it(region, scene, with_edges):
        height, width = scene.size
        return np.repeat((np.arange(height) < height // 2)[:, None], width, 1)

    yield "upper half"
    del region_kinds()["upper half"]


def test_a_new_kind_of_region_goes_from_the_file_to_the_picture(upper_half, scene):
    kind = region_kinds()[upper_half]
    document = mask_edits.add_mask(load(DEMO)[0], kind.button, kind.begins)
    again, notes = from_json(to_json(document, None), DEMO.parent, "it")
    assert not notes
    mask = attrs.evolve(again.look.finish.masks[-1], stops=-1.0)
    assert mask.regions[0].kind == upper_half
    light = np.ones((HEIGHT, WIDTH, 3), np.float32)
    made = with_masks(light, (mask,), 1.0, lambda m: cover(m.regions, scene), lambda source: None)
    assert made[: HEIGHT // 2] == pytest.approx(0.5)
    assert made[HEIGHT // 2 :] == pytest.approx(1.0)
    assert not asks_rays(mask.regions)


@pytest.mark.parametrize(
    "region",
    [Region(x=0.1, y=-0.05, turn_deg=20.0, feather=0.0), Region("line", y=0.03, turn_deg=7.0, feather=0.0)],
    ids=["ellipse", "line"],
)
def test_a_hard_edge_is_soft_over_a_pixel_and_keeps_its_area(region, scene):
    """Against the share of sixteen by sixteen points of each pixel that lie inside."""
    found = cover_of(region, scene)
    fine = attrs.evolve(
        scene,
        owner=np.zeros((16 * HEIGHT, 16 * WIDTH), np.int32),
        distance=np.ones((16 * HEIGHT, 16 * WIDTH), np.float32),
    )
    exact = (cover_of(region, fine) > 0.5).reshape(HEIGHT, 16, WIDTH, 16).mean((1, 3))
    assert np.abs(found - exact).max() < 0.2
    assert found.sum() == pytest.approx(exact.sum(), rel=2e-3)
    edge = (exact > 0.05) & (exact < 0.95)
    assert (np.abs(found - np.round(found))[edge] > 0.02).mean() > 0.85, "no stairs"
