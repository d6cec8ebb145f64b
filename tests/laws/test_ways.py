"""Whichever way a frame is made it is one picture, and what is read of it is of that frame."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.laws import ways
from tests.laws.conftest import some
from tests.strategies.documents import documents

pytestmark = pytest.mark.timeout(400)
# Each writes grading tables of seven megabytes.
few = settings(some, max_examples=8)


@some
@given(data=st.data())
def test_a_frame_is_the_same_picture_whichever_way_it_is_made(data, yard, studio, tmp_path_factory):
    ways.any_way_is_the_same(studio, data.draw(documents(yard)), tmp_path_factory.getbasetemp())


@few
@given(data=st.data())
def test_a_sequence_that_is_resumed_is_the_one_made_at_once(data, yard, studio, tmp_path_factory):
    ways.resumed_is_the_same(studio, data.draw(documents(yard)), tmp_path_factory.getbasetemp() / "resumed")


@some
@given(data=st.data())
def test_what_is_written_adds_up(data, yard, studio, tmp_path_factory):
    document = data.draw(documents(yard))
    ways.what_is_written_adds_up(studio, document, tmp_path_factory.getbasetemp() / "files", data.draw(st.booleans()))


@some
@given(data=st.data())
def test_a_frames_name_holds_what_its_files_hold(data, yard, tmp_path_factory):
    ways.a_name_holds_what_files_hold(data.draw(documents(yard)), yard.table, tmp_path_factory.getbasetemp())


@some
@given(data=st.data())
def test_a_frame_plays_as_its_still(data, yard, studio):
    ways.played_is_the_still(studio, data.draw(documents(yard)))


@some
@given(data=st.data())
def test_what_is_read_at_a_frame_is_of_that_frame(data, yard, studio, rays):
    ways.what_is_read_is_of_the_frame(studio, data.draw(documents(yard)), rays)
