"""The session apart from any widget: autosave aside, picking, what is chosen, ghosts."""

import gc
import json
import threading
import weakref

import pytest

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load, save
from lunar_haze.core.document.journal import beside as journal_beside
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.plan_map import SIDES
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.ui.picture import sky_tables
from lunar_haze.ui.plan.plan_drawing import flat, moved_in
from lunar_haze.ui.session.session import Session
from tests.ui.conftest import dimmed


def test_unsaved_work_is_written_aside_and_a_save_makes_it_void(session, qtbot):
    beside = journal_beside(session.path)
    session.edit("dimmer", dimmed(session, -1.0))
    qtbot.waitUntil(beside.exists, timeout=10_000)
    assert json.loads(json.loads(beside.read_text())["document"])["looks"][0] is not None
    session.save()
    assert not beside.exists()
    assert load(session.path)[0].look.sources[0].dimmer_stops == -1.0


def test_an_autosave_that_comes_late_does_not_survive_the_save(session, qtbot):
    beside = journal_beside(session.path)
    session.edit("dimmer", dimmed(session, -2.0))
    with session.keeper.writing:
        session.keeper.write_aside()
        session.keeper.void()
    for thread in [t for t in threading.enumerate() if t in session.aside._threads]:
        thread.join(5.0)
    assert not beside.exists(), "what a save has made void is not written"


def test_the_index_waits_for_the_place(qtbot, tmp_path):
    session = Session(tmp_path / "state")
    with pytest.raises(PlaceError, match="still being opened"):
        session.index()
    session.close()


def test_what_is_chosen_goes_when_it_is_taken_away(session):
    document = edits.add_card(edits.add_source(session.document, Source("a", "a", Ball())), Card("c", "card"))
    session.edit("two", document)
    for what, away in (("a", edits.remove_source), ("c", edits.remove_card)):
        session.choose(what)
        assert session.chosen == what
        session.edit("away", away(session.document, what))
        assert session.chosen == ""


def test_the_colour_of_a_light_follows_its_lamp(session):
    warm, cool = Source("a", "a", Ball(), kelvin=2000.0), Source("a", "a", Ball(), kelvin=9000.0)
    assert session.light_hex(warm) != session.light_hex(cool)
    assert session.light_hex(warm) == session.light_hex(Source("b", "b", Ball((1, 1, 1)), kelvin=2000.0))


@pytest.mark.parametrize("side", SIDES)
def test_a_point_moves_within_a_view_and_keeps_its_depth(side):
    point = (1.0, 2.0, 3.0)
    moved = moved_in(side, point, 7.0, 8.0)
    assert flat(side, moved) == (7.0, 8.0)
    depth = SIDES[side][2]
    assert moved[depth] == point[depth]


def test_a_sky_that_cannot_be_made_is_no_end_of_waiting(session, monkeypatch, qtbot):
    """A failed thread left its flag set for ever, and no picture came again."""
    tables = sky_tables.SkyTables(session.aside)

    def fails(_air):
        raise RuntimeError("no tables")

    monkeypatch.setattr(sky_tables, "tables_of", fails)
    monkeypatch.setattr(sky_tables, "is_ready", lambda _air: False)
    for _ in range(2):
        with qtbot.waitSignals([tables.began, tables.made], timeout=5000):
            assert not tables.are_there(session.document.look)
    monkeypatch.setattr(sky_tables, "is_ready", lambda _air: True)
    assert tables.are_there(session.document.look)


def test_work_of_one_document_never_lies_in_anothers_journal(session, qtbot, tmp_path):
    """The journal is due, its thread waits its turn, and meanwhile another document is opened."""
    other = tmp_path / "other.haze"
    save(session.document, other)
    mine = journal_beside(session.path)
    session.edit("dimmer", dimmed(session, -3.0))
    with session.keeper.writing:
        session.keeper.write_aside()
        session.keeper.begin(other)
    for thread in [t for t in threading.enumerate() if t in session.aside._threads]:
        thread.join(5.0)
    assert not journal_beside(other).exists()
    assert "-3.0" in mine.read_text()


def test_a_session_that_is_closed_is_let_go(qapp, tmp_path):
    """A timer held it, and with it the window that it had, for each document that was ever opened."""
    session = Session(tmp_path / "state")
    session.close()
    there = weakref.ref(session)
    del session
    qapp.processEvents()
    gc.collect()
    assert there() is None


def test_what_another_window_saved_while_this_one_read_is_not_lost(tmp_path, work, monkeypatch, qtbot):
    """It was overwritten by the next save: the document was read before it was locked."""
    reads = []

    def load_and_be_overtaken(path, may_read):
        found = load(path, may_read)
        reads.append(path)
        if len(reads) == 1:
            save(edits.change_look(found[0], ev100=-3.25), path)
        return found

    monkeypatch.setattr("lunar_haze.core.document.missing.load", load_and_be_overtaken)
    session = Session(tmp_path / "state")
    try:
        session.open_path(work)
        assert session.document.look.ev100 == -3.25
        assert not session.is_changed_elsewhere
        session.save()
        assert load(work)[0].look.ev100 == -3.25
    finally:
        session.close()
