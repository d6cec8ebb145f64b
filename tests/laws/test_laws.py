"""Laws that every document keeps, tried on documents made from the registries (see `tests.strategies`)."""

import math

import attrs
import pytest
from hypothesis import Phase, find, given, settings
from hypothesis import strategies as st

from lunar_haze.core.document.history import History
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.kinds import SOURCE_KINDS, kinds, source_kind
from lunar_haze.core.units.row import row
from tests.laws import laws
from tests.laws.conftest import some
from tests.strategies.documents import documents, numbers, targets

#: Sections of a finish that are of the lens.
LENS = ("glow", "starburst and ghosts")
# Finding the smallest document that breaks a law takes minutes; a busy machine is no failure.
pytestmark = pytest.mark.timeout(400)
many = settings(some, max_examples=150)


@pytest.fixture
def toy():
    """A kind of lamp that nothing but its declaration tells of."""

    @source_kind("toy lamp", rows=(row("spin", "spin", "spin", "", 0.0, 1.0, 0.0, tip="of no consequence"),))
    @attrs.frozen
    class Toy(Ball):
        spin: float = 0.0

    yield Toy
    del SOURCE_KINDS[Toy]


def test_a_kind_is_in_the_documents_the_day_it_is_declared(yard, toy):
    def has_toy(document):
        return any(isinstance(s.shape, toy) and s.shape.spin > 0 for s in document.look.sources)

    quick = settings(max_examples=4000, deadline=None, derandomize=True, phases=[Phase.generate], database=None)
    kind = next(kind for kind in kinds() if kind.value is toy)
    found = find(documents(yard, kind), has_toy, settings=quick)
    laws.saved_is_equal(found)


@many
@given(data=st.data())
def test_saved_and_read_again_it_is_equal(data, yard):
    laws.saved_is_equal(data.draw(documents(yard, extreme=True)))


@some
@given(data=st.data())
def test_undo_of_any_edit_is_the_document_before_it(data, yard):
    document = data.draw(documents(yard))
    history = History(document)
    _target, facet, _part = data.draw(st.sampled_from(targets(document)))
    changed = facet.write(document, data.draw(numbers(facet.row)))
    if history.edit(facet.name, changed):
        history.undo()
    assert not laws.differences(history.document, document)


@some
@given(data=st.data())
def test_a_journal_keeps_all_of_it(data, yard, tmp_path_factory):
    laws.work_is_kept(data.draw(documents(yard, extreme=True)), tmp_path_factory.getbasetemp() / "journals")


#: Numbers at and past the ends of what anything takes.
ABSURD = (0.0, -0.0, 1e-300, -1e-300, 1e300, -1e300, math.inf, -math.inf, math.nan, 1e18, -1.0, 0.5)


@settings(many, max_examples=400)
@given(data=st.data())
def test_what_is_taken_can_be_opened_again(data, yard):
    document = data.draw(documents(yard))
    _target, facet, _part = data.draw(st.sampled_from(targets(document)))
    ends = tuple(end for end in (facet.row.floor, facet.row.ceiling, facet.row.low, facet.row.high) if abs(end) < 1e300)
    number = data.draw(st.sampled_from((*ends, *(2 * end for end in ends), *ABSURD)))
    laws.what_is_taken_can_be_opened(document, facet, number)


@many
@given(data=st.data())
def test_zero_has_no_sign(data, yard):
    document = data.draw(documents(yard))
    laws.zero_has_no_sign(document, data.draw(st.sampled_from(targets(document)))[1])


@many
@given(data=st.data())
def test_a_number_in_words_is_the_edit(data, yard):
    document = data.draw(documents(yard))
    target, facet, part = data.draw(st.sampled_from(targets(document)))
    frame = data.draw(st.integers(1, 24))
    if not any(part):
        laws.words_are_the_edit(document, target, facet, data.draw(numbers(facet.row)), frame)


@many
@given(data=st.data())
def test_layers_add_up_and_nothing_is_odd(data, yard, studio):
    document = data.draw(documents(yard))
    still = studio.still(laws.request_of(document))
    laws.layers_add_up(still, document.look, document.shot, place_spec(document.place).key)
    laws.nothing_is_odd(still, document.look, document.shot)


@some
@given(data=st.data())
def test_a_balance_of_layers_is_the_render_of_that_balance(data, yard, studio):
    laws.a_mix_is_a_render(studio, data.draw(documents(yard)))


@settings(some, max_examples=40)
@given(data=st.data())
def test_the_lens_makes_no_light(data, yard):
    document = data.draw(documents(yard, extreme=True))
    rows = [facet for target, facet, _part in targets(document) if target == FINISH and facet.row.section in LENS]
    for facet in data.draw(st.lists(st.sampled_from(rows), max_size=4)):
        document = facet.write(document, data.draw(numbers(facet.row, extreme=True)))
    laws.the_lens_makes_no_light(document.look)
