"""Work beside the window: one that goes wrong is told in the log, and the next one is begun all the same."""

import threading

import attrs
import numpy as np
import pytest
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document import edits
from lunar_haze.ui.plan import plan_ground
from lunar_haze.ui.readings import reference_view
from lunar_haze.ui.session import place_at_hand
from lunar_haze.ui.session.aside import AT_WORK, Aside
from lunar_haze.ui.time import day_strip


class Teller(QObject):
    said = Signal(str, bool)


class OnceBroken:
    """A function that fails at its first call."""

    def __init__(self, monkeypatch, module, name):
        self.calls, self._true = 0, getattr(module, name)
        monkeypatch.setattr(module, name, self)

    def __call__(self, *told, **more):
        self.calls += 1
        if self.calls == 1:
            raise ArithmeticError("a planted fault")
        return self._true(*told, **more)


def edit(window, text):
    window.session.act(text, edits.change_look(window.session.document, note=text))


def test_a_plan_that_cannot_be_drawn_is_drawn_the_next_time(window, qtbot, monkeypatch):
    ground = window.plan.ground
    qtbot.waitUntil(lambda: ground.drawing is not None, timeout=20_000)
    broken = OnceBroken(monkeypatch, plan_ground, "draw")
    ground._forget()
    edit(window, "one")
    qtbot.waitUntil(lambda: broken.calls == 1, timeout=10_000)
    qtbot.waitUntil(lambda: not ground._working, timeout=10_000)
    edit(window, "two")
    qtbot.waitUntil(lambda: ground.drawing is not None, timeout=20_000)


def test_a_sky_of_a_day_that_cannot_be_painted_is_painted_the_next_day(window, qtbot, monkeypatch):
    qtbot.waitUntil(lambda: window.hour.band.image is not None, timeout=20_000)
    first = window.hour.band.image
    broken = OnceBroken(monkeypatch, day_strip, "day_band")
    for day in ("2024-03-02", "2024-12-11"):
        calls = broken.calls
        window.session.act("day", edits.change_heavens(window.session.document, date=day))
        qtbot.waitUntil(lambda calls=calls: broken.calls > calls, timeout=10_000)
        QApplication.processEvents()
    qtbot.waitUntil(lambda: window.hour.band.image is not first, timeout=20_000)


def test_a_match_that_goes_wrong_is_told_and_can_be_begun_again(window, qtbot, monkeypatch, tmp_path):
    from PIL import Image

    Image.fromarray(np.full((54, 96, 3), 90, np.uint8)).save(tmp_path / "grey.png")
    view = window.beside.reference
    view.use(tmp_path / "grey.png")
    broken = OnceBroken(monkeypatch, reference_view, "match")
    view.match()
    qtbot.waitUntil(lambda: "cannot be matched" in view.words.text(), timeout=20_000)
    view.match()
    qtbot.waitUntil(lambda: broken.calls == 2 and not view._busy, timeout=60_000)
    assert "cannot be matched" not in view.words.text()


@pytest.mark.timeout(60)
def test_a_place_that_is_exchanged_while_its_geometry_is_made_is_not_asked_in_its_stead(session, monkeypatch):
    hand = session._at_hand
    first, began, go = hand.place, threading.Event(), threading.Event()
    true = place_at_hand.RayIndex

    def slow(place):
        began.set()
        assert go.wait(20)
        return true(place)

    monkeypatch.setattr(place_at_hand, "RayIndex", slow)
    hand._index.clear()
    thread = threading.Thread(target=hand.index)
    thread.start()
    assert began.wait(20)
    other = attrs.evolve(first)
    hand.have(other)
    go.set()
    thread.join()
    hand.index()
    assert hand._index[0][0] is other


def test_of_one_purpose_the_newest_wins_and_one_is_at_work_at_a_time(qtbot):
    teller = Teller()
    aside = Aside(teller.said)
    gate, done, dropped, at_once = threading.Event(), [], [], []

    def work(number):
        at_once.append(number)
        gate.wait(10)
        done.append(number)

    for number in range(30):
        aside.newest("one", lambda number=number: work(number), lambda number=number: dropped.append(number))
    other = threading.Event()
    aside.newest("another", other.set)
    assert other.wait(10)
    assert len(at_once) <= 1
    gate.set()
    qtbot.waitUntil(lambda: done == [0, 29], timeout=10_000)
    assert dropped == list(range(1, 29))
    aside.newest("one", lambda: done.append("later"))
    qtbot.waitUntil(lambda: done == [0, 29, "later"], timeout=10_000)
    # One that fails does not keep the next from its turn.
    gate.clear()
    aside.newest("one", lambda: (gate.wait(10), 1 / 0))
    aside.newest("one", lambda: done.append("after"))
    gate.set()
    qtbot.waitUntil(lambda: done[-1] == "after", timeout=10_000)
    aside.close()


def test_what_waits_is_let_go_at_the_end():
    aside = Aside(Teller().said)
    begun, gate, done = threading.Event(), threading.Event(), []
    aside.newest("one", lambda: (begun.set(), gate.wait(10)))
    begun.wait(10)
    aside.newest("one", lambda: done.append("never"))
    threading.Timer(0.2, gate.set).start()
    aside.close()
    assert not done


def test_a_few_are_at_work_at_a_time_and_a_journal_waits_for_none():
    aside = Aside(Teller().said)
    gate, lock, state = threading.Event(), threading.Lock(), {"now": 0, "most": 0, "done": 0}

    def work():
        with lock:
            state["now"] += 1
            state["most"] = max(state["most"], state["now"])
        gate.wait(10)
        with lock:
            state["now"] -= 1
            state["done"] += 1

    for _ in range(12):
        aside.run(work)
    written = threading.Event()
    aside.run(written.set, at_once=True)
    assert written.wait(5)
    gate.set()
    aside.close()
    assert state == {"now": 0, "most": state["most"], "done": 12}
    assert state["most"] <= AT_WORK
