"""The kinds of source: each declared once, beside its value class; everything else asks here.

A kind is declared by `source_kind` above the class of its values. Files tell it by its tag, screens by its name; units
and rows come from the declaration, photometry and what kernels read from the class.
"""

from collections.abc import Callable
from typing import Any, TypeVar

import attrs

from lunar_haze.core.units.kinds import Kinds
from lunar_haze.core.units.row import Row

T = TypeVar("T", bound=type)

#: Units of what stands in the place and gives light, the first the one that layers are computed for.
LAMP_UNITS = ("lm", "cd", "cd/m2", "lx")


class Shape:
    """Base of the values of all kinds: all that decides a source's layer."""

    def plain(self) -> "Shape":
        """The shape without what changes nothing of its light: shapes that shine alike are equal."""
        return self


@attrs.frozen(eq=False)
class SourceKind:
    """``name`` is the trade's own; ``tag`` stands for it in files. ``units`` may tell its amount, the first that of
    a unit layer (or "true", times what is natural, whose layer is of one lux).

    ``rows`` are numbers of its shape. What is ``placed`` has a position and an aim; what is ``aimed`` has a front as
    well. What ``is_lamp`` can be exchanged for any other lamp. What is not ``in_files`` is made by the plan alone.
    """

    value: type
    name: str
    tag: str
    units: tuple[str, ...]
    rows: tuple[Row, ...]
    placed: bool
    aimed: bool
    is_lamp: bool
    in_files: bool

    @property
    def canonical_unit(self) -> str:
        """The unit of one of which layers are computed."""
        return "lx" if self.units[0] == "true" else self.units[0]


SOURCE_KINDS: Kinds[SourceKind] = Kinds("source")


def source_kind(
    name: str,
    *,
    units: tuple[str, ...] = LAMP_UNITS,
    tag: str = "",
    rows: tuple[Row, ...] = (),
    placed: bool = True,
    aimed: bool = True,
    is_lamp: bool = True,
    in_files: bool = True,
) -> Callable[[T], T]:
    """Declares a kind of source by the class of its values (see `SourceKind`)."""

    def declare(value: T) -> T:
        tag_of = tag or name.replace(" ", "")
        SOURCE_KINDS.declare(SourceKind(value, name, tag_of, units, rows, placed, aimed, is_lamp, in_files))
        return value

    return declare


def kinds() -> tuple[SourceKind, ...]:
    """All kinds, in the order they are offered."""
    return tuple(SOURCE_KINDS.values())


def kind_of(shape: Any) -> SourceKind:
    """The kind of a shape, or of its nearest ancestor. Raises KeyError for what is no shape."""
    for value in type(shape).__mro__:
        if value in SOURCE_KINDS:
            return SOURCE_KINDS[value]
    raise KeyError(type(shape).__name__)


def kind_tagged(tag: str) -> SourceKind:
    """The kind that a file's tag stands for. Raises ValueError."""
    kind = SOURCE_KINDS.tagged(tag)
    if not kind.in_files:
        raise ValueError(f"“{tag}” is no kind of source that files hold")
    return kind


def lamp_kinds() -> tuple[SourceKind, ...]:
    """The kinds that a lamp can be made into, arrays of lamps last."""
    lamps = [kind for kind in SOURCE_KINDS.values() if kind.is_lamp]
    return (*lamps, *(kind for kind in SOURCE_KINDS.values() if kind.placed and not kind.is_lamp))
