"""A spoiled night is brought back by following the sentences alone."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lunar_haze.core.readings.outline import READS
from lunar_haze.service.client import RenderClient
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture import asking
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
from tests.ui.acts import CountingHand
from tests.ui.hands import finish

SPOILED = {"night sky": "+=3", "oil lamp, low": "-=2", "hand lantern": "-=2", "rim": "-=4"}
#: What makes a night unreadable.
GRAVE = ("flat", "clipped", "crushed", "merged", "everywhere", "drowned")


@pytest.fixture
def lamplit(qtbot, tmp_path, work, monkeypatch):
    """The lamplit wait, rendered small by the real process."""
    monkeypatch.setattr(asking, "PASSES", 6)
    monkeypatch.setattr(asking, "MAX_WIDTH", 480)
    monkeypatch.setattr(asking, "MAX_HEIGHT", 270)
    theme.apply(QApplication.instance())
    session = Session(tmp_path / "state")
    made = Window(session, RenderClient(tmp_path / "layers"), tmp_path / "state")
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    assert made.files.open_path(work)
    for choice, name in ((made.header.shots, "Waiting"), (made.header.looks, "lamplit wait")):
        choice.setFocus()
        QTest.keyClicks(choice, name.split()[0])  # a space would open the list
    qtbot.waitUntil(lambda: made.bridge.asking.finished and session.place is not None, timeout=90_000)
    yield made
    made.close()


def sentences(window):
    return [c for c in window.balance.readings.causes if c.kind in GRAVE]


@pytest.mark.workers
def test_a_spoiled_night_reads_again_by_following_the_sentences(lamplit, qtbot):
    window = lamplit
    assert (window.session.document.current_shot, window.session.document.current_look) == ("Waiting", "lamplit wait")
    for source in window.session.document.look.sources:
        if source.name in SPOILED:
            window.session.choose(source.id)
            well = window.facets.wells["dimmer"]
            QTest.keyClick(well, Qt.Key.Key_Return)
            finish(well, SPOILED[source.name])
    window.session.choose("camera")
    well = window.facets.wells["exposure compensation"]
    QTest.keyClick(well, Qt.Key.Key_Return)
    finish(well, "+=2")
    window.session.seal()
    spoiled = window.session.document

    hand = CountingHand(window, qtbot)
    window.picture.setFocus()
    hand.key(Qt.Key.Key_R, at=window.picture)
    assert window.second.name == "readings"
    view = window.beside.readings
    rounds = 0

    def renewed():
        """Wait for readings of what is on screen now, once it is free of grain."""
        bridge = window.bridge
        qtbot.waitUntil(lambda: bridge.light.mix.clean_gains == bridge.gains.present(), timeout=30_000)
        window.balance.readings = None
        window.bridge.shown.refresh()
        qtbot.waitUntil(lambda: window.balance.readings is not None, timeout=10_000)

    renewed()
    assert sentences(window), "it is spoiled"
    while sentences(window) and rounds < 12:
        rounds += 1
        told = next(c for c in sentences(window) if c.remedy is not None)
        print(told.sentence, "->", told.remedy.words)
        hand.press(f"try: {told.remedy.words}", view)
        assert window.session.proposal is not None
        hand.press("take it", view)
        assert window.session.proposal is None
        renewed()
    print(f"{len(hand.acts)} acts")
    found = window.balance.readings
    assert not sentences(window), [c.sentence for c in sentences(window)]
    assert found.outline.stands_out >= READS
    assert found.levels.over < 0.02
    assert len(hand.acts) < 25
    for _ in range(rounds):
        QTest.keyClick(window.picture, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.document.look == spoiled.look
