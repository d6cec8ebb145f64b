"""What a step of a finish is: declared once, in `steps`; files, facets, copies, live pictures and stills ask it."""

from collections.abc import Callable
from enum import Enum
from typing import Any

import attrs
from numpy.typing import NDArray

from lunar_haze.core.units.row import Row, inside, under


class At(Enum):
    """Where a step without a kernel of its own is applied, to a value (`Step.apply`) and what comes to it.

    ``LIGHT``: scene light (h, w, 3) ACEScg [cd/m2] of the whole picture, after starburst and ghosts, before glow.
    ``COLOUR``: exposed light (..., 3) ACEScg, each colour by itself, after the CDL and before the grading table; it is
    put into display tables, so that a live picture pays nothing for it, and into the tables that leave the program.
    """

    LIGHT = "light"
    COLOUR = "colour"


@attrs.frozen(eq=False)
class Part:
    """What of a step can be on by itself: its name, when it is on in a finish, whether a table of colours tells it."""

    name: str
    is_on: Callable[[Any], bool]
    in_table: bool = False


@attrs.frozen(eq=False)
class Step:
    """``name`` is the section its ``rows`` stand under, and what stands for it in `Finish.off`.

    Steps with a kernel are applied where `scene_light`, `grade` and `one_pass` have them. A step without one says where
    it is applied (``at``), which ``field`` of a finish is its value, and how: ``apply(picture, value)`` returns a new
    array of the same shape and dtype. What a step holds beside its rows is named in ``fields``, dotted.
    """

    name: str
    parts: tuple[Part, ...]
    rows: tuple[Row, ...] = ()
    fields: tuple[str, ...] = ()
    at: At | None = None
    field: str = ""
    apply: Callable[[NDArray, Any], NDArray] | None = None

    def __attrs_post_init__(self) -> None:
        if not self.parts or not (self.rows or self.fields):
            raise ValueError(f"the step “{self.name}” has no part that can be on, or nothing that can be set")
        if any(row.section != self.name for row in self.rows):
            raise ValueError(f"a row of the step “{self.name}” stands under another heading")
        if len({self.at is None, not self.field, self.apply is None}) > 1:
            raise ValueError(f"the step “{self.name}” needs all of at, field and apply, or none of them")

    def is_on(self, finish: Any) -> bool:
        """Whether some part of it changes the picture."""
        return any(part.is_on(finish) for part in self.parts)


def plain_step(
    name: str, field: str, at: At, apply: Callable[[NDArray, Any], NDArray], is_on: Callable[[Any], bool], *rows: Row
) -> Step:
    """A step without a kernel: ``rows`` are of its own value, which lies in a ``field`` of the finish.

    ``apply`` takes and returns arrays as `At` has them.
    """
    part = Part(name, lambda finish: is_on(getattr(finish, field)), at is At.COLOUR)
    return Step(name, (part,), under(name, *inside(field, rows)), at=at, field=field, apply=apply)
