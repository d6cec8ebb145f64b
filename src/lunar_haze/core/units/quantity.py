"""Reads what an artist types into a number's well: units, sums, fractions, steps and factors.

Accepted, with ``current`` the value the well holds:

    200 lx        a value in a unit the well takes (or a multiple of it: 1.5 klm, 20 cm)
    1/60          a fraction, or any sum of + − * / and brackets
    +1/3  -2      a step from the current value
    =-33          a value below zero
    2x   x0.5     a factor on the current value
"""

import ast
import operator
import re
from typing import Any

from lunar_haze.core.errors import QuantityError

#: unit -> (base unit of the same kind, factor to it)
UNITS: dict[str, tuple[str, float]] = {
    "lx": ("lx", 1.0), "lux": ("lx", 1.0), "klx": ("lx", 1e3), "mlx": ("lx", 1e-3),
    "lm": ("lm", 1.0), "lumen": ("lm", 1.0), "klm": ("lm", 1e3),
    "cd": ("cd", 1.0), "candela": ("cd", 1.0), "kcd": ("cd", 1e3),
    "cd/m2": ("cd/m2", 1.0), "cd/m²": ("cd/m2", 1.0), "kcd/m2": ("cd/m2", 1e3),
    "m": ("m", 1.0), "cm": ("m", 0.01), "mm": ("m", 0.001), "km": ("m", 1000.0), "um": ("um", 1.0), "µm": ("um", 1.0),
    "K": ("K", 1.0), "°": ("°", 1.0), "deg": ("°", 1.0),
    "true": ("true", 1.0), "mired": ("mired", 1.0), "EV": ("EV", 1.0), "stop": ("stops", 1.0), "stops": ("stops", 1.0),
    "m/s": ("m/s", 1.0), "km/h": ("m/s", 1 / 3.6), "h": ("h", 1.0),
    "min": ("h", 1.0 / 60.0), "s": ("s", 1.0), "%": ("%", 1.0), "": ("", 1.0),
}  # fmt: skip

_NUMBER_AND_UNIT = re.compile(r"^(?P<sum>[\d.eE+\-*/() ]*[\d.)])\s*(?P<unit>[^\d\s.()+\-*]*\d?)$")
_OPERATORS: dict[type, Any] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
    ast.USub: operator.neg, ast.UAdd: operator.pos,
}  # fmt: skip


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
    except (SyntaxError, ZeroDivisionError, OverflowError) as error:
        raise QuantityError(f"“{text}” is not a number or a sum of numbers") from error


def parse_quantity(text: str, unit: str, current: float) -> float:
    """Value typed by an artist, in ``unit`` (a key of ``UNITS``).

    Raises QuantityError with a sentence to show when the text is no number, or is in a unit of
    another kind.
    """
    text = text.strip().replace(",", ".").replace("−", "-").replace("×", "x")
    factor = re.fullmatch(r"x\s*(?P<after>[\d.(][\d.eE+\-*/() ]*)|(?P<before>[\d.(][\d.eE+\-*/() ]*?)\s*x", text)
    if factor:
        return current * _evaluate(factor["after"] or factor["before"])
    absolute = text.startswith("=")
    text = text.removeprefix("=").strip()
    match = _NUMBER_AND_UNIT.match(text)
    if not match:
        raise QuantityError(f"“{text}” is not a number; type one like 12 {unit}".rstrip())
    typed_unit = match["unit"] or unit
    if typed_unit not in UNITS or UNITS[typed_unit][0] != UNITS[unit][0]:
        raise QuantityError(f"“{typed_unit}” does not fit here; this is in {unit or 'plain numbers'}")
    value = _evaluate(match["sum"]) * UNITS[typed_unit][1] / UNITS[unit][1]
    # A leading sign is a step in wells that hold levels; where the value may itself be negative
    # an artist writes "=-2" or brackets.
    return current + value if text[0] in "+-" and not absolute else value


def format_quantity(value: float, unit: str) -> str:
    """A number with three significant figures and its unit, large amounts in thousands."""
    prefix = ""
    if unit in ("lx", "lm", "cd", "cd/m2") and abs(value) >= 10_000:
        value, prefix = value / 1000.0, "k"
    if unit == "m" and abs(value) >= 1000:
        value, prefix = value / 1000.0, "k"
    if value == 0:
        digits = "0"
    elif abs(value) >= 100:
        digits = f"{value:.0f}"
    elif abs(value) >= 10:
        digits = f"{value:.1f}"
    elif abs(value) >= 0.095:
        digits = f"{value:.2f}"
    else:
        digits = f"{value:.2g}"
    glue = "" if unit in ("°", "%") else " "
    return f"{digits}{glue}{prefix}{unit}".rstrip()
