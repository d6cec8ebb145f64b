"""A hand that moves faster than pictures come."""

import attrs
import numpy as np
import pytest
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.ui.picture.air_guide import air_words
from lunar_haze.ui.picture.asking import PATIENCE_MS
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
from tests.ui.backends import HeldBackend


@pytest.fixture
def slow(qtbot, tmp_path, work):
    made = Window(Session(tmp_path / "state"), HeldBackend(), tmp_path / "state")
    qtbot.addWidget(made)
    made.show()
    assert made.files.open_path(work)
    backend = made.bridge.backend
    qtbot.waitUntil(lambda: bool(backend.held), timeout=20_000)
    backend.let_go()
    qtbot.waitUntil(lambda: made.bridge.shown.picture is not None, timeout=20_000)
    qtbot.waitUntil(lambda: made.bridge.asking.finished and not backend.held, timeout=20_000)
    yield made
    made.close()


def test_a_hand_that_outruns_the_renderer_sees_every_answer(slow, qtbot):
    backend, bridge = slow.bridge.backend, slow.bridge
    before = bridge.shown.picture.copy()
    for step in range(4):
        slow.hour.set_hour(13.0 + 0.25 * step)
        QApplication.processEvents()
    # One is asked for, the rest waits; until there is an answer the old picture stays.
    assert len(backend.held) == 1
    assert np.array_equal(bridge.shown.picture, before)
    first = backend.held[0]
    backend.let_go()
    QApplication.processEvents()
    lit = {s.key() for s in first.layers}
    assert not np.array_equal(bridge.shown.picture, before)
    # The last of the hand's hours is asked for next, the ones between are not.
    qtbot.waitUntil(lambda: len(backend.held) == 1, timeout=2000)
    assert {s.key() for s in backend.held[0].layers} != lit
    backend.let_go()
    qtbot.waitUntil(lambda: bridge.asking.finished, timeout=2000)
    assert not backend.held
    session = slow.session
    wanted = frame_request(0, session.place_spec, session.document.shot, session.document.look, bridge.asking.size(), 1)
    assert {s.key() for s in backend.requests[-1].layers} == {s.key() for s in wanted.layers}


def test_mist_that_is_not_answered_yet_is_told_by_how_far_one_sees(slow, qtbot):
    look = slow.session.document.look
    mist = attrs.evolve(look.medium, visibility_m=50.0, fall_off_m=500.0)
    slow.session.edit("mist", edits.change_look(slow.session.document, medium=mist))
    qtbot.waitUntil(lambda: bool(slow.bridge.backend.held), timeout=2000)
    assert air_words(slow.bridge).startswith("visibility from the lens 5")
    slow.bridge.backend.let_go()
    qtbot.waitUntil(lambda: "of the contrast" in air_words(slow.bridge), timeout=2000)


def test_a_request_that_is_never_answered_is_given_up(slow, qtbot):
    backend = slow.bridge.backend
    slow.hour.set_hour(13.0)
    qtbot.waitUntil(lambda: len(backend.held) == 1, timeout=2000)
    slow.hour.set_hour(14.0)
    qtbot.waitUntil(lambda: len(backend.held) == 2, timeout=3 * PATIENCE_MS)
