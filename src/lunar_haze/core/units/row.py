"""A row of facets as a value: one number of something frozen, with all that is to be known of it.

Window, command line and whatever changes numbers over time use the same rows. A row belongs to a kind of value (a
lamp, a medium, a camera); `read` takes its number out of one, `write` makes another with it changed.
"""

import math
from collections.abc import Callable
from typing import Any

import attrs


@attrs.frozen(eq=False)
class Row:
    """``name`` is unique among the rows of a value, ``label`` what stands on screen, ``unit`` that of the number.

    ``low`` and ``high`` are the useful span, what a drag covers; ``floor`` and ``ceiling`` what is taken at all.
    ``usual`` is the number it is reset to. A ``ratio`` row moves by factors, others by steps; a ``whole`` one takes
    whole numbers. ``tip`` says what it does to the picture. Numbers past ``endless_from`` mean no end, shown as
    ``endless``.
    """

    name: str
    label: str
    unit: str
    low: float
    high: float
    usual: float
    read: Callable[[Any], float]
    write: Callable[[Any, float], Any]
    floor: float = -math.inf
    ceiling: float = math.inf
    ratio: bool = False
    whole: bool = False
    tip: str = ""
    endless: str = ""
    #: What stands for zero, where that is a case of its own.
    zero: str = ""
    #: Under which heading it stands among the facets; "" leaves that to what its value is part of.
    section: str = ""
    endless_from: float = math.inf
    #: Numbers that differ by it are the same: 360 of a bearing. 0 where none are.
    period: float = 0.0
    #: Fields that lead to its number in the value, () where it is of several.
    path: tuple[str, ...] = ()
    #: Whether the row is shown for a value.
    when: Callable[[Any], bool] = lambda value: True

    def near(self, number: float, other: float) -> float:
        """The number, of those that are the same by the row's period, that lies nearest to another."""
        if not self.period:
            return number
        return other + (number - other + self.period / 2) % self.period - self.period / 2

    def fault_of(self, value: Any) -> str:
        """What is wrong with the row's number in a value that comes from outside, "" where nothing is.

        Acts such as another scale of the place may carry numbers past what a hand can type: what is taken is wider
        by as much again, lengths have only to be lengths. What has no meaning at all is a fault.
        """
        number = self.read(value)
        if math.isinf(number) and self.endless:
            return ""
        low, high = self._taken
        if low <= number <= high:
            return ""
        return f"{self.label} is {number:g}; it takes {self.floor:g} to {self.ceiling:g}"

    @property
    def _taken(self) -> tuple[float, float]:
        """The span of numbers that are taken from outside."""
        low, high = self.floor, self.ceiling
        if self.ratio and low > 0:
            return low * 1e-6, math.inf if self.unit in ("m", "km") else high
        if not self.whole and math.isfinite(high - low):
            return (low, high + (high - low)) if low >= 0 else (2 * low - high, 2 * high - low)
        return low, high

    def instead_of(self, number: float) -> float:
        """The nearest number that a hand can set, the usual one for what is no number."""
        return self.usual if math.isnan(number) else min(max(number, self.floor), self.ceiling)

    def written(self, value: Any, number: float) -> Any:
        """``value`` with the row's number changed: rounded where it is whole, without end past `endless_from`."""
        if self.whole:
            number = float(round(number))
        return self.write(value, math.inf if number > self.endless_from else number)


def _reader(path: list[str]) -> Callable[[Any], float]:
    def read(value: Any) -> float:
        for step in path:
            value = value[int(step)] if step.isdigit() else getattr(value, step)
        return float(value)

    return read


def _writer(path: list[str]) -> Callable[[Any, float], Any]:
    def write(value: Any, number: float) -> Any:
        return put_in(value, path, number)

    return write


def put_in(value: Any, path: list[str] | tuple[str, ...], inside: Any) -> Any:
    """A frozen ``value`` with what lies at a ``path`` of fields and places in tuples changed to ``inside``."""
    first, rest = path[0], path[1:]
    if first.isdigit():
        index = int(first)
        inside = put_in(value[index], rest, inside) if rest else inside
        return (*value[:index], inside, *value[index + 1 :])
    old = getattr(value, first)
    if rest:
        inside = put_in(old, rest, inside)
    elif type(old) is int and type(inside) is float:
        # Fields that count stay whole numbers.
        inside = int(inside)
    return attrs.evolve(value, **{first: inside})


def row(name: str, label: str, path: str, unit: str, low: float, high: float, usual: float, **how: Any) -> Row:
    """A row of a number that lies at a dotted ``path`` of fields, ``"patches.size_m"`` or ``"position.0"``."""
    steps = path.split(".")
    return Row(name, label, unit, low, high, usual, _reader(steps), _writer(steps), path=tuple(steps), **how)


def under(section: str, *rows: Row) -> tuple[Row, ...]:
    """Rows that stand under one heading."""
    return tuple(attrs.evolve(one, section=section) for one in rows)


def inside(path: str, rows: tuple[Row, ...]) -> tuple[Row, ...]:
    """Rows of a value that lies in a field of another, as rows of that other."""

    def within(one: Row) -> Row:
        return attrs.evolve(
            one,
            read=lambda value: one.read(getattr(value, path)),
            write=lambda value, number: attrs.evolve(value, **{path: one.write(getattr(value, path), number)}),
            when=lambda value: one.when(getattr(value, path)),
            path=(path, *one.path) if one.path else (),
        )

    return tuple(within(one) for one in rows)
