"""Keys are exact, for every row of every kind (see `keys`)."""

import pytest

from lunar_haze.core.errors import HazeError
from lunar_haze.core.sky.kinds import sky_kinds
from lunar_haze.core.sources.cutouts import kinds as cutouts
from lunar_haze.core.sources.flicker_kinds import flicker_kinds
from lunar_haze.core.sources.kinds import kinds
from lunar_haze.core.units.quantity import exact_quantity, format_quantity, parse_quantity
from tests.laws import keys


def names() -> list[str]:
    lamps = [kind.name for kind in kinds() if kind.in_files and kind.name != "sky"]
    skies = [f"{sky.name}{hand}" for sky in sky_kinds() for hand in ("", " by hand")]
    others = [f"beam, {kind.name}" for kind in flicker_kinds()] + [f"beam through {kind}" for kind in cutouts()]
    mist = [f"{name} in mist" for name in ("beam", "sun", "the sky of the hour", "ball")]
    return [*lamps, *skies, *others, *mist, "sun on a bank alone"]


def test_every_kind_is_tried(yard):
    assert set(names()) == set(keys.looks_by_name(yard))


@pytest.mark.parametrize("name", names())
def test_no_row_makes_a_layer_anew_for_nothing_and_none_is_left_out(name, yard, darkroom):
    document = keys.document_of(yard, keys.looks_by_name(yard)[name])
    for row_name, facet in keys.all_rows(document):
        if row_name not in keys.EXCUSED:
            assert not keys.restarted_for_nothing(darkroom, document, facet), row_name
        number = next(keys.numbers_of(facet.row, facet.read(document)), None)
        if number is None:
            continue
        try:
            changed = facet.write(document, number)
        except HazeError:
            continue
        assert keys.nothing_is_left_out(darkroom, changed), (row_name, number)


def test_every_number_can_be_typed_as_it_is_shown(yard):
    units = {
        facet.row.unit: facet.row for look in keys.looks_by_name(yard).values()
        for _name, facet in keys.all_rows(keys.document_of(yard, look))
    }  # fmt: skip
    assert len(units) > 10
    for unit, row in units.items():
        for value in (3.0, 0.25):
            for text in (exact_quantity(value, unit), format_quantity(value, unit)):
                assert parse_quantity(text, unit, 1.0) == pytest.approx(value), (row.name, text)
