"""Masks in the window: added, pulled in the picture, of one source's light, of what the slip points at; undone."""

import attrs
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QPushButton

from lunar_haze.core.document import edits, mask_edits
from lunar_haze.core.document.files import from_json, to_json
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.finish.mask_model import MOST_MASKS, MOST_REGIONS, Mask, Region
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.handoff.mask_scene import under_masks
from lunar_haze.core.layers.model import LayerGain, LayerImage
from lunar_haze.core.plan.frames import view_of
from lunar_haze.ui.picture.live_masks import MasksNow
from tests.ui.hands import drag, pick_in, seen_at, slip_act, type_in


@pytest.fixture
def window(window):
    """The window on a look without a finish, which is chosen."""
    window.session.act("no finish", edits.change_look(window.session.document, finish=Finish()))
    window.session.choose(FINISH)
    QApplication.processEvents()
    return window


def pixel(window, x=0.5, y=0.5):
    image = window.bridge.shown.image
    colour = image.pixelColor(int(x * image.width()), int(y * image.height()))
    return np.array([colour.red(), colour.green(), colour.blue()])


def press(window, text):
    found = next(b for b in window.facets.findChildren(QPushButton) if b.text() == text and b.isVisibleTo(window))
    QTest.mouseClick(found, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def masks(window):
    return window.session.document.look.finish.masks


def overlay(window):
    return next(o for o in window.picture.overlays if type(o).__name__ == "MaskOverlay")


def test_an_ellipse_darkens_what_lies_under_it_and_nothing_else(window):
    middle, corner = pixel(window), pixel(window, 0.02, 0.02)
    asked = len(window.bridge.backend.requests)
    press(window, "+ ellipse")
    assert np.array_equal(pixel(window), middle), "a new mask does nothing yet"
    type_in(window, "mask exposure", "-3")
    QTest.qWait(30)
    assert (pixel(window) < middle).all()
    assert np.array_equal(pixel(window, 0.02, 0.02), corner)
    assert len(window.bridge.backend.requests) == asked
    window.session.undo()
    QTest.qWait(30)
    assert np.array_equal(pixel(window), middle)


def test_it_is_pulled_in_the_picture_by_its_middle_and_its_rim(window):
    press(window, "+ ellipse")
    handles = overlay(window).handles()
    drag(window.picture, handles["middle"], handles["middle"] + QPointF(120, -40))
    height = window.picture.frame().height()
    region = masks(window)[0].regions[0]
    assert (region.x, region.y) == pytest.approx((120 / height, -40 / height), abs=0.01)
    handles = overlay(window).handles()
    drag(window.picture, handles["width"], handles["width"] + QPointF(50, 0))
    assert masks(window)[0].regions[0].width == pytest.approx(region.width + 50 / height, abs=0.01)
    window.session.undo()
    assert masks(window)[0].regions[0].width == region.width
    window.session.undo()
    assert masks(window)[0].regions[0] == Region()


def test_a_line_is_turned_by_its_far_handle(window):
    press(window, "+ line")
    handles = overlay(window).handles()
    drag(window.picture, handles["turn"], handles["middle"] + QPointF(0, 150))
    assert masks(window)[0].regions[0].turn_deg == pytest.approx(90.0, abs=2.0)


def test_handles_are_there_for_the_finish_alone(window):
    press(window, "+ ellipse")
    assert overlay(window).handles()
    window.session.choose("sun")
    assert not overlay(window).handles()


def test_one_sources_light_alone_is_weakened(window):
    """The rest of the light stays: with every source's own mask at -3 stops it is all of it."""
    session = window.session
    # Bright enough that the share of every source is more than a code value.
    session.act("brighter", edits.change_look(session.document, stops=5.0))
    press(window, "+ ellipse")
    type_in(window, "mask exposure", "-3")
    QTest.qWait(30)
    all_light = pixel(window).astype(float)
    session.act("off", mask_edits.change_mask(session.document, 0, muted=True))
    QTest.qWait(30)
    plain = pixel(window).astype(float)
    session.act("on", mask_edits.change_mask(session.document, 0, muted=False))
    weakened = 0
    for name in ("sun", "sky", "mast lamp"):
        pick_in(window, "light that the mask works on", name)
        QTest.qWait(30)
        seen = pixel(window).astype(float)
        assert (seen <= plain).all()
        assert (all_light < seen).any()
        weakened += bool((seen < plain).any())
    assert weakened >= 2
    session.act("gone", mask_edits.change_mask(session.document, 0, source="gone"))
    QTest.qWait(30)
    assert np.array_equal(pixel(window), plain)


def test_a_sources_share_has_no_grain_of_its_layers():
    """Its grainy light over the denoised picture gave the mask a grain that the still did not have."""
    rng = np.random.default_rng(4)
    grainy = rng.gamma(2.0, 1.0, (9, 16, 3)).astype(np.float32)
    half = LayerImage("a", 3, 0.5 * grainy, np.zeros_like(grainy))
    mask = Mask("m", "mask", (Region(),), source="a", stops=-1.0)
    cover = {mask: np.ones((9, 16), np.float32)}
    gain = LayerGain("a", (1.0, 1.0, 1.0), (1.0, 1.0, 1.0))
    clean = np.full((9, 16, 3), 2.0, np.float32)
    shown = MasksNow((mask,), 1.0, cover, {"a": [(half, gain)]}, grainy).over(clean)
    # Half of the light loses half of itself, everywhere alike.
    np.testing.assert_allclose(shown, 1.5, rtol=1e-5)


def test_the_slip_masks_what_it_points_at_and_the_subject_has_a_button(window):
    slip_act(window, seen_at(window, (-5.0, 0.0, 1.1), name="jetty"), "mask jetty")
    assert masks(window)[0].regions[0].objects == ("jetty",)
    assert window.session.chosen == FINISH
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    press(window, "+ subject")
    assert len(masks(window)) == 1
    assert "no subject" in told[-1]
    window.session.act("subject", edits.change_shot(window.session.document, subject=("waiting figure",)))
    press(window, "+ subject")
    assert masks(window)[1].regions[0].objects == ("waiting figure",)


def test_regions_are_added_subtracted_and_removed(window):
    press(window, "+ ellipse")
    press(window, "and another region")
    assert window.session.chosen_mask == (0, 1)
    pick_in(window, "how the region goes together with those before it", "subtract")
    assert [r.how for r in masks(window)[0].regions] == ["add", "subtract"]
    press(window, "remove")
    assert len(masks(window)[0].regions) == 1
    box = next(b for b in window.facets.findChildren(QCheckBox) if b.text() == "inverted")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(6, box.height() // 2))
    assert masks(window)[0].regions[0].inverted
    press(window, "delete")
    assert masks(window) == ()


def test_the_still_has_the_same_masks(window):
    """The picture on screen and what a still makes of the same light."""
    press(window, "+ ellipse")
    type_in(window, "mask exposure", "-2")
    type_in(window, "mask warmth", "60")
    QTest.qWait(30)
    document, bridge = window.session.document, window.bridge
    view = view_of(document.shot, bridge.asking.size())
    seen = bridge.light._seen()[1:]
    spec = window.session.place_spec
    do = under_masks(document.look, document.shot, view, spec, bridge.shown.picture, seen, {})
    lens = document.shot.seen_from.tan_half_width
    still = finished(do(bridge.shown.picture), document.look.finish, bridge.shown.exposure(), lens)
    middle = still[still.shape[0] // 2, still.shape[1] // 2] * 255
    assert pixel(window) == pytest.approx(middle, abs=2.5)


def test_masks_are_kept_in_the_document(window, tmp_path):
    press(window, "+ ellipse")
    press(window, "+ distance")
    document = window.session.document
    again, notes = from_json(to_json(document, tmp_path), tmp_path, "it")
    assert again.look.finish.masks == document.look.finish.masks
    assert not notes
    broken = to_json(document, tmp_path).replace('"kind": "ellipse",\n', '"kind": "star",\n')
    _again, notes = from_json(broken, tmp_path, "it")
    assert notes


def test_ten_thousand_masks_are_refused_in_words(window, tmp_path):
    many = tuple(Mask(str(n), str(n)) for n in range(10_000))
    text = to_json(edits.change_finish(window.session.document, masks=many), tmp_path)
    _again, notes = from_json(text, tmp_path, "it")
    assert notes


def canvas_at(window, x, y):
    """Widget position of a place of the frame, in heights from its middle."""
    frame = window.picture.frame()
    return frame.center() + QPointF(x, y) * frame.height()


def strokes(window):
    return masks(window)[window.session.chosen_mask[0]].regions[0].strokes


def test_a_mask_is_painted_and_one_stroke_is_one_step(window):
    press(window, "+ brush")
    drag(window.picture, canvas_at(window, -0.2, 0.0), canvas_at(window, 0.2, 0.0), steps=12)
    (stroke,) = strokes(window)
    assert len(stroke.places) > 5
    assert stroke.places[0][0] == pytest.approx(-0.2, abs=0.01)
    assert not stroke.erases
    before, corner = pixel(window), pixel(window, 0.02, 0.02)
    type_in(window, "mask exposure", "-3")
    QTest.qWait(30)
    assert (pixel(window) < before).all()
    assert np.array_equal(pixel(window, 0.02, 0.02), corner)
    drag(
        window.picture,
        canvas_at(window, 0.0, -0.2),
        canvas_at(window, 0.0, 0.2),
        modifier=Qt.KeyboardModifier.AltModifier,
    )
    assert strokes(window)[1].erases
    QTest.qWait(30)
    assert np.array_equal(pixel(window), before)
    window.session.undo()
    assert strokes(window) == (stroke,)
    window.session.undo()
    window.session.undo()
    assert strokes(window) == ()


def test_the_brush_has_a_size_and_takes_away_without_a_key(window):
    press(window, "+ brush")
    type_in(window, "region brush", "0.1")
    box = next(b for b in window.facets.findChildren(QCheckBox) if b.text() == "erase")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    drag(window.picture, canvas_at(window, 0.0, 0.0), canvas_at(window, 0.1, 0.0))
    assert strokes(window)[0].erases
    assert strokes(window)[0].radius == pytest.approx(0.1)
    press(window, "clear")
    assert strokes(window) == ()


def test_a_material_is_masked_from_the_slip_and_another_added(window, qtbot):
    place = window.session.place
    worn = window.bridge.light.masks.scene().worn
    number = int(np.bincount(worn[worn >= 0]).argmax())
    name = place.materials[number].name
    slip_act(window, seen_at(window, (0.0, 0.0, 0.0), material=number), f"mask all {name}")
    (region,) = masks(window)[0].regions
    assert region.materials == (name,)
    qtbot.waitUntil(lambda: window.bridge.light.masks.cover(masks(window)[0]).max() > 0.5, timeout=10_000)
    assert window.bridge.light.masks.cover(masks(window)[0]).mean() == pytest.approx((worn == number).mean(), abs=0.02)
    other = next(m.name for m in place.materials if m.name != name)
    pick_in(window, "add or remove a material", other)
    assert masks(window)[0].regions[0].materials == (name, other)
    pick_in(window, "add or remove a material", name)
    assert masks(window)[0].regions[0].materials == (other,)


def test_a_mask_is_copied_to_another_look_and_heard_alone(window):
    press(window, "+ ellipse")
    press(window, "+ line")
    press(window, "copy")
    other = next(k.name for k in window.session.document.looks if k.name != window.session.document.current_look)
    window.session.act("look", attrs.evolve(window.session.document, current_look=other))
    window.session.choose(FINISH)
    QApplication.processEvents()
    count = len(masks(window))
    press(window, "paste")
    assert masks(window)[-1].regions[0].kind == "line"
    assert len(masks(window)) == count + 1
    check(window, "solo")
    assert window.session.document.look.finish.masks_at_work == ()
    type_in(window, "mask exposure", "-2")
    assert [m.name for m in window.session.document.look.finish.masks_at_work] == [masks(window)[-1].name]


def check(window, text):
    # The finish has a box of the same name above those of the mask.
    box = [b for b in window.facets.findChildren(QCheckBox) if b.text() == text and b.isVisibleTo(window)][-1]
    window.facets.ensureWidgetVisible(box)
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    QApplication.processEvents()


def test_a_mask_heard_alone_gives_the_others_back_as_they_were(window):
    for kind in ("ellipse", "line", "height"):
        press(window, f"+ {kind}")
        type_in(window, "mask exposure", "-1")
    check(window, "muted")
    before = masks(window)
    window.session.choose_mask(0)
    QApplication.processEvents()
    check(window, "solo")
    assert window.session.document.look.finish.masks_at_work == (masks(window)[0],)
    check(window, "solo")
    assert masks(window) == before
    assert [m.muted for m in masks(window)] == [False, False, True]


def test_a_mask_too_many_is_refused_and_none_is_lost(window):
    said = []
    window.session.said.connect(lambda text, _bad: said.append(text))
    many = tuple(Mask(str(n), f"mask {n}") for n in range(MOST_MASKS))
    window.session.act("many", edits.change_finish(window.session.document, masks=many))
    QApplication.processEvents()
    press(window, "+ ellipse")
    assert masks(window) == many
    assert "delete one first" in said[-1]
    press(window, "copy")
    press(window, "paste")
    assert masks(window) == many
    for _ in range(MOST_REGIONS):
        press(window, "and another region")
    assert len(masks(window)[0].regions) == MOST_REGIONS
    assert "remove one first" in said[-1]
