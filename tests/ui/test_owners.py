"""The checker of threads itself: it raises where a second thread writes, and nowhere else."""

import threading

import pytest

from lunar_haze.ui.picture.held_pictures import HeldPictures
from tests.ui.owners import ForeignThreadError


def on_a_thread(act):
    caught = []

    def work():
        try:
            act()
        except ForeignThreadError as error:
            caught.append(str(error))

    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    return caught


def test_a_foreign_thread_is_told(foreign_writes):
    held = HeldPictures()
    held.mark = 1
    caught = on_a_thread(lambda: setattr(held, "mark", 2))
    assert held.mark == 1
    assert len(caught) == len(foreign_writes) == 1
    assert "HeldPictures.mark" in caught[0]
    foreign_writes.clear()


def test_what_is_made_here_may_be_handed_to_another_thread(foreign_writes):
    held = HeldPictures()
    assert not on_a_thread(lambda: setattr(held, "mark", 1))
    with pytest.raises(ForeignThreadError):
        held.mark = 2
    foreign_writes.clear()
