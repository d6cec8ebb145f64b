"""Reads what an artist types into a number's well, and writes numbers so that they can be typed back.

A number as typed is the value itself, its sign included. With ``current`` the value the well holds:

    200 lx   -11      a value, in a unit the well takes or one of the same kind (1.5 klm, 20 cm, 6 ft), in any case
    1/60 s   f2.8     a fraction, an aperture, or any sum of + - * / and brackets
    1,5      1½       a comma for the point; common fractions
    2 400 m           spaces between thousands; "2,400" may be either, and is asked about (`AmbiguousError`)
    18:30             hours and minutes, in hours
    +=1/3    -=10 %   a step from the current value
    *2  /2  2x  50 %  a factor on the current value
    250 mired         converted where physics can: kelvin and mired, degrees and radians
"""

import ast
import math
import operator
import re
from collections.abc import Callable
from typing import Any

from lunar_haze.core.errors import QuantityError

#: unit -> (base unit of the same kind, factor to it)
UNITS: dict[str, tuple[str, float]] = {
    "lx": ("lx", 1.0),
    "lux": ("lx", 1.0),
    "fc": ("lx", 10.763910416709722),
    "klx": ("lx", 1e3),
    "mlx": ("lx", 1e-3),
    "lm": ("lm", 1.0),
    "lumen": ("lm", 1.0),
    "lumens": ("lm", 1.0),
    "klm": ("lm", 1e3),
    "cd": ("cd", 1.0),
    "candela": ("cd", 1.0),
    "kcd": ("cd", 1e3),
    "cd/m2": ("cd/m2", 1.0),
    "cd/m²": ("cd/m2", 1.0),
    "kcd/m2": ("cd/m2", 1e3),
    "kcd/m²": ("cd/m2", 1e3),
    "nit": ("cd/m2", 1.0),
    "nits": ("cd/m2", 1.0),
    "m": ("m", 1.0),
    "cm": ("m", 0.01),
    "mm": ("m", 0.001),
    "km": ("m", 1000.0),
    "um": ("um", 1.0),
    "µm": ("um", 1.0),
    "ft": ("m", 0.3048),
    "in": ("m", 0.0254),
    "k": ("K", 1.0),
    "rad": ("°", 57.29577951308232),
    "K": ("K", 1.0),
    "°": ("°", 1.0),
    "deg": ("°", 1.0),
    "degrees": ("°", 1.0),
    "true": ("true", 1.0),
    "mired": ("mired", 1.0),
    "EV": ("stops", 1.0),
    "stop": ("stops", 1.0),
    "stops": ("stops", 1.0),
    "m/s": ("m/s", 1.0),
    "km/h": ("m/s", 1 / 3.6),
    "h": ("h", 1.0),
    "min": ("h", 1.0 / 60.0),
    "s": ("s", 1.0),
    "%": ("%", 1.0),
    "‰": ("‰", 1.0),
    "px": ("px", 1.0),
    "fps": ("fps", 1.0),
    "Hz": ("Hz", 1.0),
    "rpm": ("rpm", 1.0),
    "/min": ("/min", 1.0),
    "": ("", 1.0),
}

_NUMBER_AND_UNIT = re.compile(r"^(?P<sum>[\d.eE+\-*/() ]*[\d.)])\s*(?P<unit>[^\d\s.()+\-*]*\d?)$")
#: A factor, or a share in per cent.
_FACTOR = re.compile(r"(?P<by>[\d.(][\d.eE+\-*/() ]*?)\s*(?P<how>x|%)")
_CHANGE = re.compile(r"^(?P<how>\+=|-=|\*=|/=|\*|/|x(?=\s*[\d.(]))\s*(?P<by>.+)$")
#: Two marks or more between groups of three are thousands; one alone may be the decimal mark as well.
_THOUSANDS = re.compile(r"(?<![\d.,])[1-9]\d{0,2}(?:(?:,\d{3}){2,}|(?:\.\d{3}){2,})(?![\d.,])")
_EITHER = re.compile(r"(?<![\d.,])([1-9]\d{0,2})[.,](\d{3})(?![\d.,]|[eE][+-]?\d)")
_CLOCK = re.compile(r"^\s*(\d{1,2}):(\d{2})(?::(\d{2}))?\s*h?\s*$")
#: How the unit of what sun, moon and sky give by nature is shown.
_NATURAL = re.compile(r"(?i)\s*[x×]\s*natural\b")
_FRACTIONS = {
    "½": "1/2",
    "⅓": "1/3",
    "⅔": "2/3",
    "¼": "1/4",
    "¾": "3/4",
    "⅕": "1/5",
    "⅙": "1/6",
    "⅛": "1/8",
    "⅜": "3/8",
}
_FRACTION = re.compile(rf"(\d*)\s?([{''.join(_FRACTIONS)}])")
_SPACED = re.compile(r"(?<=\d)[\u00a0\u2009\u202f ](?=\d{3}(?!\d))|(?<=\d)['’](?=\d{3}(?!\d))")
_OPERATORS: dict[type, Any] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}


def _evaluate(text: str) -> float:
    def walk(node: ast.AST) -> float:
        if isinstance(node, ast.Expression):
            return walk(node.body)
        if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
            return float(node.value)
        if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
            return _OPERATORS[type(node.op)](walk(node.left), walk(node.right))
        if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
            return _OPERATORS[type(node.op)](walk(node.operand))
        raise QuantityError(f"“{text}” is not a sum of numbers")

    try:
        return walk(ast.parse(text.strip(), mode="eval"))
    except (SyntaxError, ZeroDivisionError, OverflowError, RecursionError, MemoryError) as error:
        raise QuantityError(f"“{text}” is not a number or a sum of numbers") from error


_IN_ANY_CASE = {unit.casefold(): unit for unit in reversed(UNITS)}
#: Of light: what is typed in another of these is converted where that is physics.
LIGHT = ("lx", "lm", "cd", "cd/m2")


class AmbiguousError(QuantityError):
    """A number whose mark may stand between thousands or before decimals; ``readings`` are both, to be typed."""

    def __init__(self, text: str, readings: tuple[str, str]) -> None:
        super().__init__(f"“{text}” may be {readings[0]} or {readings[1]}: which?")
        self.readings = readings


def _with_decimals(found: re.Match[str]) -> str:
    """A number whose mark is that of decimals, written so that it cannot be read otherwise."""
    decimals = found[2].rstrip("0")
    return f"{found[1]}.{decimals}{'0' if len(decimals) == 3 else ''}".rstrip(".")


def _plain(text: str) -> str:
    """A text with points as decimal marks and nothing between thousands. Raises AmbiguousError."""
    text = _NATURAL.sub(" true", text)
    text = _SPACED.sub("", text.strip().replace("−", "-").replace("×", "x"))
    text = _FRACTION.sub(lambda f: f"({f[1] or 0}+{_FRACTIONS[f[2]]})", text)
    clock = _CLOCK.match(text)
    if clock:
        hours, minutes, seconds = (int(part or 0) for part in clock.groups())
        return f"{hours + minutes / 60 + seconds / 3600!r} h"
    if "," in text and "." in text and not _THOUSANDS.search(text):
        # Both marks: what comes last is that of decimals.
        return text.replace(".", "").replace(",", ".") if text.rfind(",") > text.rfind(".") else text.replace(",", "")
    text = _THOUSANDS.sub(lambda found: re.sub("[.,]", "", found[0]), text)
    if _EITHER.search(text):
        raise AmbiguousError(text, (_EITHER.sub(r"\1\2", text), _EITHER.sub(_with_decimals, text)))
    return text.replace(",", ".")


#: Tells an amount of light of another unit (one of LIGHT) in that of the well, None where that is no physics.
Converts = Callable[[float, str], float | None]


def parse_quantity(text: str, unit: str, current: float, converts: Converts = lambda value, other: None) -> float:
    """Value typed by an artist, in ``unit`` (a key of ``UNITS``).

    Raises QuantityError with a sentence to show when the text is no number, or is in a unit of
    another kind, AmbiguousError when it can be read in two ways.
    """
    text = _plain(text)
    factor = _FACTOR.fullmatch(text)
    if factor and not (factor["how"] == "%" and unit == "%"):
        by = _evaluate(factor["by"])
        return _usable(current * (by if factor["how"] == "x" else by / 100.0), text)
    change = _CHANGE.match(text)
    if change:
        how = change["how"][0]
        if how in "+-":
            share = _FACTOR.fullmatch(change["by"])
            if share and share["how"] == "%" and unit != "%":
                step = current * _evaluate(share["by"]) / 100.0
            else:
                step = _value(change["by"], unit, converts)
            return _usable(current + step if how == "+" else current - step, text)
        by = _evaluate(change["by"])
        if how == "/" and by == 0:
            raise QuantityError("nothing can be divided by zero")
        return _usable(current / by if how == "/" else current * by, text)
    return _usable(_value(text.removeprefix("="), unit, converts), text)


def parse_written(text: str, unit: str, current: float, converts: Converts = lambda value, other: None) -> float:
    """`parse_quantity` of what a script has written: a point is its decimal mark, and only a comma is asked about."""
    try:
        return parse_quantity(text, unit, current, converts)
    except AmbiguousError as error:
        if "," in text:
            raise
        return parse_quantity(error.readings[1], unit, current, converts)


def _usable(value: float, text: str) -> float:
    if not math.isfinite(value):
        raise QuantityError(f"“{text}” is past all numbers")
    return value


def _value(text: str, unit: str, converts: Converts) -> float:
    """A number with or without a unit, in ``unit``."""
    text = text.strip()
    if re.match(r"(?i)^f\s*/?\s*[\d.]", text) and unit == "":
        text = text[1:].lstrip(" /")
    match = _NUMBER_AND_UNIT.match(text)
    if not match:
        raise QuantityError(
            f"“{text}” is not a number; type one like 12 {shown_unit(unit)}".rstrip() if text else "type a number"
        )
    typed, value = match["unit"] or unit, _evaluate(match["sum"])
    typed = typed if typed in UNITS else _IN_ANY_CASE.get(typed.casefold(), typed)
    if {typed, unit} == {"K", "mired"} or (typed, unit) == ("k", "mired"):
        if value == 0:
            raise QuantityError(f"0 {typed} is no temperature")
        return 1e6 / value
    if typed in UNITS and UNITS[typed][0] != UNITS[unit][0] and UNITS[typed][0] in LIGHT:
        base, factor = UNITS[typed]
        converted = converts(value * factor, base)
        if converted is not None:
            return converted
    if typed not in UNITS or UNITS[typed][0] != UNITS[unit][0]:
        raise QuantityError(f"“{typed}” does not fit here; this is in {shown_unit(unit) or 'plain numbers'}")
    # The same unit is the same number, to the last bit.
    return value if UNITS[typed][1] == UNITS[unit][1] else value * UNITS[typed][1] / UNITS[unit][1]


def exact_quantity(value: float, unit: str) -> str:
    """A number as it is typed: all that tells it from its neighbours to one part in ten million, and its unit."""
    glue = "" if unit in ("°", "%") else " "
    if not math.isfinite(value):
        return ""
    digits = f"{value:.7g}"
    # Three decimals alone might be thousands.
    return f"{digits}{'0' if _EITHER.search(digits) else ''}{glue}{shown_unit(unit)}".rstrip()


#: Between thousands as they are shown.
THIN = "\u2009"
#: Units that are shown by other signs than those they are kept by.
_SHOWN = {"cd/m2": "cd/m²", "um": "µm", "true": "x natural"}


def shown_unit(unit: str) -> str:
    """A unit as it stands on screen."""
    return _SHOWN.get(unit, unit)


def format_quantity(value: float, unit: str) -> str:
    """A number with three significant figures and its unit, large amounts in thousands, those apart by a thin space."""
    prefix = ""
    if unit in ("lx", "lm", "cd", "cd/m2") and abs(value) >= 10_000:
        value, prefix = value / 1000.0, "k"
    if unit == "m" and abs(value) >= 1000:
        value, prefix = value / 1000.0, "k"
    if value == 0:
        digits = "0"
    elif abs(value) >= 100:
        digits = f"{value:,.0f}".replace(",", THIN)
    elif abs(value) >= 10:
        digits = f"{value:.1f}"
    elif abs(value) >= 0.095:
        digits = f"{value:.2f}"
    else:
        digits = f"{value:.2g}"
    glue = "" if unit in ("°", "%") else " "
    return f"{digits}{glue}{prefix}{shown_unit(unit)}".rstrip()
