"""A row bound to what it is of in a document."""

from collections.abc import Callable, Iterable
from typing import Any

import attrs

from lunar_haze.core.document.model import Document
from lunar_haze.core.units.row import Row, row

AXES = ("east", "north", "up")


@attrs.frozen(eq=False)
class Facet:
    """A row bound to a target of a document: under which section it stands, how it is read and written."""

    section: str
    row: Row
    read: Callable[[Document], float]
    write: Callable[[Document, float], Document]
    when: Callable[[Document], bool] = lambda document: True
    #: What an amount of light (value, unit) of another kind is in the row's unit; None where that is no physics.
    converts: Callable[[Document, float, str], float | None] = lambda document, value, unit: None

    @property
    def name(self) -> str:
        """Its name, unique within a target."""
        return self.row.name


def bound(
    rows: Iterable[Row], get: Callable[[Document], Any], put: Callable[[Document, Any], Document], section: str = ""
) -> list[Facet]:
    """Rows of a value that ``get`` finds in a document and ``put`` lays back; ``section`` where they have none."""

    def facet(one: Row) -> Facet:
        return Facet(
            one.section or section, one, lambda d: one.read(get(d)), lambda d, v: put(d, one.written(get(d), v)),
            lambda d: one.when(get(d)),
        )  # fmt: skip

    return [facet(one) for one in rows]


def points(name: str, path: str, where: tuple[float, float, float], about: float = 10.0) -> list[Row]:
    """Rows of a point of the place: east, north and up [m], their span about where it is now."""
    return [
        row(f"{name} {axis}", f"{name}, {axis}", f"{path}.{i}", "m", where[i] - about, where[i] + about, where[i],
            floor=-1e5, ceiling=1e5, tip=f"metres {axis} of the place's middle" if axis != "up" else "height")
        for i, axis in enumerate(AXES)
    ]  # fmt: skip
