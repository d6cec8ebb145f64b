"""Random hands on the real window: no exception, no popup that stays, undo back to the start.

A hundred and twenty events a seed run here; `bench/hands.py` goes through ten thousand.
"""

import pytest
from PySide6.QtWidgets import QApplication, QInputDialog

from tests.ui.random_hands import RandomHand


def go(window, seed, events, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("a name", False))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_a, **_k: ("", False))
    window.session.history.seal()
    start = window.session.document
    hand = RandomHand(window, seed)
    for _ in range(events):
        hand.step()
    while QApplication.activePopupWidget() is not None:
        QApplication.activePopupWidget().close()
    window.picture.setFocus()
    for _ in range(10_000):
        if window.session.history.undo_label is None:
            break
        window.session.undo()
    return start, hand


@pytest.mark.parametrize("seed", range(2))
def test_whatever_a_hand_does_nothing_breaks_and_undo_leads_back(window, seed, monkeypatch, qtbot):
    start, hand = go(window, seed, 120, monkeypatch)
    assert QApplication.activePopupWidget() is None
    # Which shot or look is current is no step of undo.
    now = window.session.document
    assert now.looks == start.looks, hand.done[-20:]
    assert {s.name for s in now.shots} == {s.name for s in start.shots}
    assert now.place == start.place
    assert window.isVisible()
