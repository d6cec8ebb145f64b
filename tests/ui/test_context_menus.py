"""A right click, or the menu key, where a hand expects acts: cards, day strip, stop ribbon, wells."""

import pytest
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QApplication, QMenu

from lunar_haze.core.document import edits
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.readings.levels import Latitude
from lunar_haze.core.sky.ephemeris import events
from tests.ui.hands import right_click, source


def act(menu, words):
    """Take an act of a menu, as a click on it does."""
    found = next(a for a in menu.actions() if a.text().startswith(words))
    assert found.isEnabled()
    found.trigger()
    menu.close()
    QApplication.processEvents()


def test_a_card_offers_what_is_done_to_its_source(window):
    card = window.rail.cards["sky"]
    act(right_click(card, QPoint(30, 30)), "mute")
    assert window.session.chosen == "sky"
    assert source(window, "sky").muted
    act(right_click(card, QPoint(30, 30)), "delete")
    assert source(window, "sky") is None
    window.session.undo()
    assert source(window, "sky").muted


def test_the_finishs_card_offers_to_mute_it(window):
    card = window.rail.cards[FINISH]
    act(right_click(card, QPoint(30, 30)), "mute")
    assert window.session.document.look.finish.muted


def test_the_day_strip_goes_to_the_days_events_and_to_other_looks_hours(window):
    document = window.session.document
    found = next(e for e in events(document.look.date, document.place.site) if e.name == "sunset")
    before = document.look.hour_h
    act(right_click(window.hour.band, QPoint(50, 10)), "sunset")
    assert window.session.document.look.hour_h == pytest.approx(found.hour_h)
    window.session.undo()
    assert window.session.document.look.hour_h == before, "a right click alone moves no hour"
    menu = window.hour.band.menu()
    hours = menu.findChild(QMenu)
    other = document.look_named("blue hour").hour_h
    next(a for a in hours.actions() if a.text().startswith("blue hour")).trigger()
    assert window.session.document.look.hour_h == pytest.approx(other)


def test_the_ribbon_opens_its_waveform_and_the_key_of_false_colour(window):
    at = QPoint(200, window.ribbon.height() - 6)
    act(right_click(window.ribbon, at), "open the waveform")
    assert window.ribbon.is_open
    act(right_click(window.ribbon, at), "false colour")
    assert window.session.document.look.finish.view == "false colour"
    act(right_click(window.ribbon, at), "false colour")
    assert window.session.document.look.finish.view == "ACES 2.0"
    narrow = edits.change_shot(window.session.document, latitude=Latitude(-3.0, 2.0))
    window.session.act("narrow", narrow)
    act(right_click(window.ribbon, at), "latitude as usual")
    assert window.session.document.shot.latitude == Latitude()
