"""Adding by hand from the head of the rail, and the lists of looks and shots."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QLineEdit, QMenu, QToolButton

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document import lists
from lunar_haze.core.document.exposure import hour_ev100
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import OvalBeam
from lunar_haze.ui.base import questions
from tests.ui.hands import choose, drag, undo


def opened(window, act) -> QMenu:
    act()
    QApplication.processEvents()
    menus = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]
    return next(menu for menu in menus if any(a.text() == "lamp" for a in menu.actions()))


def add(window, *path):
    choose(opened(window, lambda: QTest.mouseClick(window.add_button, Qt.MouseButton.LeftButton)), *path)


def look(window):
    return window.session.document.look


def test_a_lamp_is_proposed_and_return_puts_it_by_the_subject(window, qtbot):
    before = len(look(window).sources)
    add(window, "lamp", "oil lantern")
    assert window.session.ghost is not None
    assert len(look(window).sources) == before, "shown before it is taken"
    qtbot.waitUntil(lambda: window.focusWidget() is window.picture, timeout=2000)
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert len(look(window).sources) == before + 1
    made = window.session.chosen_source
    assert made.name == "oil lantern"
    assert made.unit == "lm"
    assert made.role in ("key", "practical"), "it arrives for what it does"
    assert float(f"{made.amount:.2g}") == made.amount
    assert window.session.ghost is None
    undo(window)
    assert len(look(window).sources) == before


def test_a_click_in_the_picture_puts_it_there(window):
    add(window, "lamp", "beam")
    at = QPoint(window.picture.width() // 2, round(window.picture.height() * 0.8))
    seen = window.bridge.lens.seen_at(*window.picture.to_picture(QPointF(at)))
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    made = window.session.chosen_source
    assert np.linalg.norm(np.subtract(made.shape.position, seen.point)) == pytest.approx(0.4, abs=1e-3)
    assert np.allclose(made.shape.aim, seen.point, atol=1e-3)


def test_a_click_in_the_plan_puts_it_over_the_ground_there(window):
    add(window, "lamp", "ball")
    plan = window.plan
    at = QPoint(plan.width() // 2 - 20, plan.height() // 2 + 10)
    east, north = plan.to_ground(QPointF(at))
    QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=at)
    x, y, z = window.session.chosen_source.shape.position
    assert (x, y) == pytest.approx((east, north), abs=1e-6)
    ground = window.session.chosen_source.shape.aim[2]
    assert z - ground == pytest.approx(2.2)
    assert -6 < ground < 8


def test_escape_adds_nothing(window):
    before = window.session.document
    add(window, "lamp", "candle")
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.ghost is None
    assert not window.adding.name, "Return would put nothing"
    assert window.session.document == before


def test_every_kind_of_lamp_is_offered_and_lights(window):
    add(window, "lamp", "oval beam")
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    made = window.session.chosen_source
    assert isinstance(made.shape, OvalBeam)
    assert kind_of(made.shape).name == "oval beam"
    assert "narrow angle" in window.facets.wells


def test_a_flag_a_bank_and_a_moon_are_found_there_as_well(window):
    add(window, "flag, bounce, cut-out", "a dark flag")
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.chosen_card is not None
    banks = len(look(window).medium.banks)
    add(window, "bank of mist")
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert len(look(window).medium.banks) == banks + 1
    add(window, "sun, moon, sky", "moon")
    assert window.session.chosen_source.shape.body == "moon"


def test_the_keyboard_opens_the_menu_and_the_plan_a_right_click(window):
    QTest.keyClick(window.picture, Qt.Key.Key_A)
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    assert "lamp" in [a.text() for a in menu.actions()]
    QTest.keyClick(menu, Qt.Key.Key_Escape)
    QTest.mouseClick(window.plan, Qt.MouseButton.RightButton, pos=QPoint(30, 30))
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    assert "bank of mist" in [a.text() for a in menu.actions()]
    menu.close()


# -- lists ------------------------------------------------------------------------------------------


def typed(text):
    """Type a name into the dialog that comes up, and press Return."""

    def act():
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, QInputDialog)
        line = dialog.findChild(QLineEdit)
        line.selectAll()
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)

    QTimer.singleShot(0, act)


def from_list(window, what, words):
    menu = window.header.list_menus[what]._parent.menu()
    menu.popup(window.mapToGlobal(QPoint(200, 40)))
    choose(menu, words)


def test_looks_are_made_empty_renamed_ordered_and_deleted(window):
    names = [k.name for k in window.session.document.looks]
    before = look(window)
    typed("night with nothing")
    from_list(window, "look", "new empty look")
    assert window.header.looks.currentText() == "night with nothing"
    assert not look(window).sources
    assert not look(window).cards
    assert look(window).medium == Medium()
    assert look(window).hour_h == before.hour_h
    assert look(window).ev100 == hour_ev100(look(window), window.session.document.place.site)
    typed("from nothing")
    from_list(window, "look", "rename this look ...")
    assert [k.name for k in window.session.document.looks] == [*names, "from nothing"]
    from_list(window, "look", "earlier in the list")
    assert [k.name for k in window.session.document.looks][-2] == "from nothing"
    from_list(window, "look", "delete this look")
    assert [k.name for k in window.session.document.looks] == names
    for _ in range(4):
        undo(window)
    assert [k.name for k in window.session.document.looks] == names
    assert look(window) == before


def test_a_shot_s_pins_go_along_with_its_name(window):
    QTest.keyClick(window.picture, Qt.Key.Key_P)
    typed("at the landing")
    from_list(window, "shot", "rename this shot ...")
    document = window.session.document
    assert document.current_shot == "at the landing"
    assert document.pins[-1].shot == "at the landing"


def test_names_that_are_taken_and_the_last_of_a_list_are_told(window):
    document = window.session.document
    with pytest.raises(DocumentError, match="already"):
        lists.rename(document, "look", document.looks[0].name, document.looks[1].name)
    with pytest.raises(DocumentError, match="without a name"):
        lists.rename(document, "shot", document.shots[0].name, "  ")
    for shot in document.shots[1:]:
        document = lists.remove(document, "shot", shot.name)
    with pytest.raises(DocumentError, match="last shot stays"):
        lists.remove(document, "shot", document.shots[0].name)


def test_black_offers_a_new_empty_look(window, monkeypatch):
    before = look(window)
    monkeypatch.setattr(questions, "ask", lambda *_a, **_k: "new empty look")
    QTest.keyClick(window.picture, Qt.Key.Key_T)
    assert not look(window).sources
    assert before in window.session.document.looks, "everything else stays in the old one"


def test_the_rail_scrolls_to_what_is_chosen_and_the_wheel_goes_along_it(window, qtbot):
    window.resize(1024, 720)
    assert window.add_button.text() == "add"
    for _ in range(6):
        add(window, "sun, moon, sky", "moon")
    last = window.session.document.look.sources[-1].id
    window.session.choose(window.session.document.look.sources[0].id)
    qtbot.waitUntil(lambda: window.rail.horizontalScrollBar().value() < 20, timeout=2000)
    window.session.choose(last)
    card, view = window.rail.cards[last], window.rail.viewport()

    def is_in_sight():
        left = card.mapTo(view, QPoint(0, 0)).x()
        return left >= 0 and left + card.width() <= view.width()

    qtbot.waitUntil(is_in_sight, timeout=2000)
    bar = window.rail.horizontalScrollBar()
    before = bar.value()
    centre = QPointF(view.rect().center())
    turn = QWheelEvent(
        centre, view.mapToGlobal(centre), QPoint(0, 0), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(window.rail.widget(), turn)
    assert bar.value() == before - 120


def test_pins_past_the_sixth_are_reached(window):
    for _ in range(8):
        QTest.keyClick(window.picture, Qt.Key.Key_P)
        QApplication.processEvents()
    first = window.session.document.pins[0]
    more = next(b for b in window.header.findChildren(QToolButton) if b.accessibleName() == "earlier pins")
    assert more.text() == "+2"
    QTest.keyClick(window.picture, Qt.Key.Key_BracketRight)
    menu = more.menu()
    menu.popup(window.mapToGlobal(QPoint(300, 60)))
    choose(menu, f"{first.name}, {first.shot}")
    assert window.session.document.look == first.look


def test_lamps_stand_along_a_line_that_is_drawn_in_the_plan(window):
    window.adding.offer("lamps along a line")
    start, end = (-24.0, 2.0), (-18.0, -1.0)
    drag(window.plan, window.plan.to_screen(*start).toPoint(), window.plan.to_screen(*end).toPoint())
    made = window.session.chosen_source
    members = made.shape.members()
    ends = {tuple(np.round(m.position[:2], 1)) for m in (members[0], members[-1])}
    assert ends == {
        tuple(np.round(window.plan.to_ground(window.plan.to_screen(*p).toPoint()), 1)) for p in (start, end)
    }
    assert len(members) == round(np.hypot(6.0, 3.0)) + 1
    heights = [m.position[2] for m in members]
    assert np.abs(np.diff(heights, 2)).max() < 1e-3, "they stand along a straight line"
    assert abs(np.ptp(heights)) < 0.1, "over ground that is nearly level"
    window.session.undo()
    assert window.session.chosen_source is None, "one step of undo"


def test_lamps_stand_along_a_line_that_is_drawn_over_the_ground_in_the_picture(window):
    window.adding.offer("lamps along a line")
    frame = window.picture.frame()
    points = [
        QPoint(int(frame.left() + x * frame.width()), int(frame.top() + 0.8 * frame.height())) for x in (0.2, 0.8)
    ]
    ends = [window.bridge.lens.seen_at(*window.picture.to_picture(QPointF(p))).point for p in points]
    drag(window.picture, *points)
    members = window.session.chosen_source.shape.members()
    reach = np.linalg.norm(np.subtract(members[-1].position, members[0].position))
    assert reach == pytest.approx(np.linalg.norm(ends[1] - ends[0]), rel=0.02)


def test_a_line_that_is_too_short_is_said_so_and_escape_leaves_it(window):
    told = []
    window.session.said.connect(lambda text, _bad: told.append(text))
    window.adding.offer("lamps along a line")
    before = window.session.document
    at = window.plan.to_screen(-20.0, 0.0).toPoint()
    drag(window.plan, at, at)
    assert "too short" in told[-1]
    assert window.session.document is before
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert not window.adding.wants_line
