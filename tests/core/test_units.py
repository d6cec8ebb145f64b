import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lunar_haze.core.errors import QuantityError
from lunar_haze.core.units.photometry import ev100_of_luminance, exposure_scale, metered_luminance_cd_m2
from lunar_haze.core.units.quantity import UNITS, AmbiguousError, exact_quantity, format_quantity, parse_quantity


@pytest.mark.parametrize(
    ("text", "unit", "current", "value"),
    [
        ("200 lx", "lx", 5.0, 200.0), ("1.5 klm", "lm", 1.0, 1500.0), ("20 cm", "m", 1.0, 0.2), ("1/60 s", "s", 1.0, 1 / 60),
        ("+=1/3", "stops", 1.0, 4 / 3), ("-=2", "stops", 1.0, -1.0), ("2x", "lx", 40.0, 80.0), ("x0.5", "lx", 40.0, 20.0),
        ("-11", "°", 52.0, -11.0), ("+1/3", "stops", 1.0, 1 / 3), ("- 2", "stops", 1.0, -2.0), ("−11°", "°", 3.0, -11.0),
        ("*2", "lx", 40.0, 80.0), ("/2", "lx", 40.0, 20.0), ("50 %", "lx", 40.0, 20.0), ("50 %", "%", 40.0, 50.0),
        ("+=20 cm", "m", 1.0, 1.2), ("*=1.5", "m", 2.0, 3.0), ("f/2.8", "", 0.0, 2.8), ("200 mired", "K", 0.0, 5000.0),
        ("4000K", "mired", 0.0, 250.0), ("1,234,567", "", 0.0, 1234567.0),
        ("2.400,5 m", "m", 0.0, 2400.5), ("2 400 m", "m", 0.0, 2400.0), ("0,400", "m", 0.0, 0.4), ("1'500", "lx", 0.0, 1500.0),
        ("6 ft", "m", 0.0, 1.8288), ("3 rad", "°", 0.0, 171.88734), ("(-3)", "°", 1.0, -3.0),
        ("(3+2)*4", "m", 0.0, 20.0), ("5600K", "K", 0.0, 5600.0), ("1000 cd/m2", "cd/m2", 0.0, 1000.0), ("45°", "°", 0.0, 45.0),
        ("1,5 m", "m", 0.0, 1.5), ("3.2e3", "", 0.0, 3200.0),
        ("200 LX", "lx", 0.0, 200.0), ("200 Lux", "lx", 0.0, 200.0), ("2 ev", "stops", 0.0, 2.0), ("2 ev", "EV", 0.0, 2.0),
        ("f2.8", "", 0.0, 2.8), ("F/4", "", 0.0, 4.0), ("½", "stops", 0.0, 0.5), ("1½ stops", "stops", 0.0, 1.5), ("+=⅓", "stops", 1.0, 4 / 3),
        ("-½", "stops", 0.0, -0.5), ("18:30", "h", 0.0, 18.5), ("6:05", "h", 0.0, 6 + 5 / 60), ("300 nits", "cd/m2", 0.0, 300.0),
        ("2 fc", "lx", 0.0, 21.5278), ("2 kcd/m²", "cd/m2", 0.0, 2000.0), ("+=10%", "lm", 200.0, 220.0), ("-=10 %", "lm", 200.0, 180.0),
        ("+=10 %", "%", 20.0, 30.0), ("1.234.567 lm", "lm", 0.0, 1234567.0), ("12,345.5", "lm", 0.0, 12345.5), ("12\u2009345 lm", "lm", 0.0, 12345.0),
        ("1234.567", "m", 0.0, 1234.567), ("0.125 m", "m", 0.0, 0.125), ("1.1250", "m", 0.0, 1.125),
    ],
)  # fmt: skip
def test_what_an_artist_types_is_understood(text, unit, current, value):
    assert parse_quantity(text, unit, current) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "unit"),
    [
        ("12 m", "lx"),
        ("bright", "lx"),
        ("", "lx"),
        ("1/0", "lx"),
        ("2 ** 9", "lx"),
        ("__import__", ""),
        ("/0", "lx"),
        ("0 mired", "K"),
        ("9e999", "lx"),
        ("+=", "lx"),
        ("1,2,3", "m"),
        ("=", "m"),
    ],
)
def test_what_is_no_quantity_is_told_in_a_sentence(text, unit):
    with pytest.raises(QuantityError) as caught:
        parse_quantity(text, unit, 1.0)
    assert len(str(caught.value)) > 10


@given(st.floats(1e-3, 9e8), st.sampled_from(sorted({base for base, _ in UNITS.values()})))
def test_a_shown_number_can_be_typed_again(value, unit):
    assert parse_quantity(format_quantity(value, unit), unit, 0.0) == pytest.approx(value, rel=0.06)


def test_the_meter_puts_its_reading_on_mid_grey():
    # ISO 2720 with K = 12.5: EV 15 is 4096 cd/m2, sunlit grey.
    assert metered_luminance_cd_m2(15) == pytest.approx(4096)
    assert ev100_of_luminance(4096) == pytest.approx(15)
    assert exposure_scale(15) * 4096 == pytest.approx(0.18)
    assert exposure_scale(15, 2.0) == pytest.approx(4 * exposure_scale(15))
    assert ev100_of_luminance(0) == -math.inf


def test_a_value_below_zero_is_written_as_it_is():
    """A minus is no step."""
    assert parse_quantity("-33", "°", 52.0) == -33.0
    assert parse_quantity("=-33", "°", 52.0) == -33.0


@given(st.floats(-1e9, 1e9), st.sampled_from(sorted({base for base, _ in UNITS.values()})))
def test_what_an_editor_opens_with_is_the_value_itself(value, unit):
    assert parse_quantity(exact_quantity(value, unit), unit, 7.0) == pytest.approx(value, rel=1e-6, abs=1e-12)


@pytest.mark.parametrize(
    ("text", "readings"),
    [
        ("1,250", ("1250", "1.25")), ("1.250 lm", ("1250 lm", "1.25 lm")), ("12.345", ("12345", "12.3450")),
        ("+=1,000", ("+=1000", "+=1")), ("-2,500", ("-2500", "-2.5")),
    ],
)  # fmt: skip
def test_one_mark_before_three_digits_is_asked_about(text, readings):
    with pytest.raises(AmbiguousError) as caught:
        parse_quantity(text, "lm", 10.0)
    assert caught.value.readings == readings
    # Each can be typed, and they differ a thousandfold.
    first, second = (parse_quantity(one, "lm", 0.0) for one in readings)
    assert first == pytest.approx(1000 * second)


def test_thousands_are_shown_apart():
    assert format_quantity(2750.0, "K") == "2\u2009750 K"
    assert format_quantity(750.0, "K") == "750 K"


def test_light_of_another_unit_is_converted_where_that_is_physics():
    told = {"lx": 8.0}
    assert parse_quantity("6000 LX", "lm", 1.0, lambda value, unit: value / told[unit]) == 750.0
    assert parse_quantity("1 klx", "lm", 1.0, lambda value, unit: value / told[unit]) == 125.0
    with pytest.raises(QuantityError, match="does not fit"):
        parse_quantity("6000 lx", "lm", 1.0)
