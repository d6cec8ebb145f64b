"""The kinds of sky: each declared once, beside its value class; everything else asks here.

A kind is declared by `sky_kind` above the class of its values, and the function that makes its map by `radiance_of`.
"""

from collections.abc import Callable
from typing import Any, TypeVar

import attrs
from numpy.typing import NDArray

from lunar_haze.core.units.kinds import Kinds
from lunar_haze.core.units.row import Row

T = TypeVar("T", bound=type)
#: A lat-long map (height, width, 3) of a dome's radiance in ACEScg (see `dome.dome_radiance`).
Radiance = Callable[[Any, int, int], NDArray]
R = TypeVar("R", bound=Radiance)


class Dome:
    """Base of the values of all kinds: all that decides a sky's map, up to its level."""

    def plain(self) -> "Dome":
        """The dome without what changes nothing of its light: an equal light has one key, and is traced once."""
        return self


@attrs.define(eq=False)
class SkyKind:
    """``name`` is what it is chosen by; ``amount`` and ``unit`` what it has to begin with; ``rows`` its numbers."""

    value: type[Dome]
    name: str
    amount: float
    unit: str
    rows: tuple[Row, ...] = ()
    radiance: Radiance | None = None

    @property
    def tag(self) -> str:
        """What stands for it in files."""
        return self.value.__name__.lower()


SKY_KINDS: Kinds[SkyKind] = Kinds("sky")


def sky_kind(name: str, amount: float, unit: str, rows: tuple[Row, ...] = ()) -> Callable[[T], T]:
    """Declares a kind of sky by the class of its values (see `SkyKind`)."""

    def declare(value: T) -> T:
        SKY_KINDS.declare(SkyKind(value, name, amount, unit, rows))
        return value

    return declare


def radiance_of(value: type[Dome]) -> Callable[[R], R]:
    """Declares the function that makes the maps of a kind, told by the class of its values."""

    def declare(function: R) -> R:
        SKY_KINDS[value].radiance = function
        return function

    return declare


def sky_kinds() -> tuple[SkyKind, ...]:
    """All kinds, in the order they are offered."""
    return tuple(SKY_KINDS.values())


def sky_kind_of(dome: Dome) -> SkyKind:
    """The kind that a dome is of. Raises KeyError for what is no dome."""
    return SKY_KINDS[type(dome)]


def sky_tagged(tag: str) -> SkyKind:
    """The kind that a file's tag stands for. Raises ValueError."""
    return SKY_KINDS.tagged(tag)
