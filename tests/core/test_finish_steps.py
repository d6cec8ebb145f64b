"""Steps of the finish as they are declared: nothing of a finish lies outside them, and one without a kernel is whole.

A toy step is taken all the way: still, live picture, table, turned off. Colour suppression, the first that was
declared like that, keeps its own laws.
"""

import attrs
import numpy as np
import pytest

from lunar_haze.core.colour.ottosson2020 import hue_deg, oklab_to_acescg
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import steps
from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.step import At, Part, Step, plain_step
from lunar_haze.core.finish.steps import FINISH_ROWS, PLAIN, STEP_NAMES, STEPS
from lunar_haze.core.finish.suppress import Suppression, suppressed
from lunar_haze.core.finish.values import Cdl, Glow, Grade, TableFile
from lunar_haze.core.handoff.finish_file import not_in_a_table
from lunar_haze.core.units.row import row

TAN = 0.5
#: What a finish holds beside its steps.
SETTINGS = {"view", "muted", "off", "white_follows"}
#: Rows that change nothing until the row they belong to is on.
SUBORDINATE = {"size", "f-number", "blades", "rotation", "hue", "width of hue", "size of halation", "size of grain",
               "brightness of dust"}  # fmt: skip


def test_every_field_of_a_finish_belongs_to_a_step():
    told = {each.path[0] for each in FINISH_ROWS} | {path.split(".")[0] for step in STEPS for path in step.fields}
    assert told | SETTINGS == {field.name for field in attrs.fields(Finish)}
    assert not told & SETTINGS


def test_every_row_that_a_hand_moves_turns_its_own_step_on():
    for step in STEPS:
        for each in step.rows:
            if each.label in SUBORDINATE:
                continue
            moved = each.written(Finish(), each.high if each.high != each.usual else each.low)
            assert [s.name for s in STEPS if s.is_on(moved)] == [step.name], each.name
    assert not any(step.is_on(Finish()) for step in STEPS)


def test_names_are_told_once():
    parts = [part.name for step in STEPS for part in step.parts]
    assert len(set(parts)) == len(parts)
    assert len(set(STEP_NAMES)) == len(STEPS)


SECTION = {"section": "toy"}


@pytest.mark.parametrize(
    "made",
    [
        lambda: Step("toy", ()),
        lambda: Step("toy", (Part("toy", bool),)),
        lambda: Step("toy", (Part("toy", bool),), (row("a", "a", "a", "", 0.0, 1.0, 0.0, section="other"),)),
        lambda: Step("toy", (Part("toy", bool),), (row("a", "a", "a", "", 0.0, 1.0, 0.0, **SECTION),), at=At.LIGHT),
    ],
)
def test_a_step_that_forgets_something_is_refused_when_it_is_declared(made):
    with pytest.raises(ValueError, match="toy"):
        made()


@pytest.fixture
def light():
    rng = np.random.default_rng(5)
    return (rng.lognormal(3.0, 1.0, (48, 64, 3)) * np.array([1.1, 1.0, 0.8])).astype(np.float32)


def codes_of(picture):
    return np.round(picture * 255.0).astype(int)


def differences(light, finish):
    live = Finisher().show(light, finish, 0.02, TAN, dither=False)[..., 2::-1].astype(int)
    return np.abs(live - codes_of(finished(light, finish, 0.02, TAN)))


@pytest.fixture
def toy(monkeypatch):
    """A step on scene light that mirrors the picture, on with the suppression's value."""
    made = plain_step(
        "toy", "suppression", At.LIGHT, lambda picture, value: np.ascontiguousarray(picture[:, ::-1]),
        lambda value: value.share > 0.0, row("toy", "toy", "share", "", 0.0, 1.0, 0.0),
    )  # fmt: skip
    every = tuple(made if step.name == "colour suppression" else step for step in STEPS)
    monkeypatch.setattr(steps, "STEPS", every)
    monkeypatch.setitem(PLAIN, At.LIGHT, (made,))
    monkeypatch.setitem(PLAIN, At.COLOUR, ())
    monkeypatch.setattr("lunar_haze.core.handoff.finish_file.STEPS", every)
    return made


def test_a_step_on_light_is_in_the_still_and_in_the_live_picture(toy, light):
    for more in ({}, {"glow": Glow(0.2)}, {"grade": Grade(contrast=1.3)}):
        on = Finish(suppression=Suppression(1.0), **more)
        assert np.array_equal(finished(light, on, 0.02, TAN), finished(light[:, ::-1], Finish(**more), 0.02, TAN))
        live, mirrored = (Finisher().show(a, b, 0.02, TAN) for a, b in ((light, on), (light[:, ::-1], Finish(**more))))
        assert np.array_equal(live, mirrored)
    assert not_in_a_table(on) == ("toy",), "a table of colours cannot tell it"
    # The glow of a picture's layers is that of another picture once something comes before it.
    assert layer_scatter(Finish(glow=Glow(0.2)), 480) is not None
    assert layer_scatter(Finish(glow=Glow(0.2), suppression=Suppression(1.0)), 480) is None


# -- colour suppression --------------------------------------------------------------------------------


def colour(hue, chroma=0.12, lightness=0.6):
    turn = np.radians(hue)
    return oklab_to_acescg(np.array([lightness, chroma * np.cos(turn), chroma * np.sin(turn)]))


def test_the_chosen_hue_turns_grey_and_keeps_its_luminance():
    red = colour(30.0)
    found = suppressed(red, Suppression(1.0, 30.0, 60.0))
    assert found == pytest.approx(np.full(3, found.mean()), rel=0.02)
    assert found @ LUMINANCE_WEIGHTS == pytest.approx(red @ LUMINANCE_WEIGHTS)


def test_half_of_it_is_lost_half_a_width_away_and_nothing_a_width_away():
    value = Suppression(1.0, 90.0, 40.0)
    chroma = {}
    for apart in (-40.0, -20.0, 0.0, 20.0, 41.0, 180.0):
        given, found = colour(90.0 + apart, 0.08), suppressed(colour(90.0 + apart, 0.08), value)
        spread = np.ptp(found) / np.ptp(given)
        chroma[apart] = spread
    assert [chroma[apart] for apart in (-40.0, 41.0, 180.0)] == pytest.approx([1.0] * 3, abs=1e-6)
    assert chroma[0.0] < 0.05
    assert chroma[-20.0] == pytest.approx(0.5, abs=0.08)
    assert chroma[20.0] == pytest.approx(0.5, abs=0.08)


@pytest.mark.parametrize("scale", [1e-6, 1.0, 1e4])
def test_greys_and_black_stay_and_exposure_makes_no_difference(scale):
    value = Suppression(0.8, 145.0, 90.0)
    greys = np.array([[0.0, 0.0, 0.0], [0.18, 0.18, 0.18]]) * scale
    assert suppressed(greys, value) == pytest.approx(greys, rel=1e-4, abs=1e-12 * scale)
    green = colour(150.0)
    assert suppressed(green * scale, value) == pytest.approx(suppressed(green, value) * scale, rel=1e-6)
    assert hue_deg(suppressed(green, value)) == pytest.approx(hue_deg(green), abs=2.0)


def test_none_of_it_changes_nothing_and_types_stay():
    rng = np.random.default_rng(2)
    light = rng.random((5, 7, 3)).astype(np.float32)
    assert suppressed(light, Suppression()) == pytest.approx(light, rel=1e-4, abs=1e-6)
    assert suppressed(light, Suppression(1.0)).dtype == np.float32


def test_live_and_still_agree_with_it_under_grade_and_table(light, tmp_path):
    cube = tmp_path / "warm.cube"
    cube.write_text("LUT_1D_SIZE 2\n0 0 0\n1 0.9 0.8\n")
    for more in ({}, {"cdl": Cdl(saturation=0.7)}, {"table": TableFile(str(cube), "", 1.0, "screen")}):
        on = Finish(suppression=Suppression(1.0, 60.0, 90.0), **more)
        assert np.percentile(differences(light, on), 99) <= 2
        assert (
            np.abs(
                codes_of(finished(light, on, 0.02, TAN)) - codes_of(finished(light, Finish(**more), 0.02, TAN))
            ).max()
            > 8
        )
    assert not_in_a_table(on) == ()
