"""Names for the columns of packed numbers, so that kernels and those who pack for them read one declaration.

Kernels take constants: `Columns.take` gives the first column of a field, and whoever packs names the field itself. A
new field is one line.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray


class Columns:
    """Fields of a row, laid side by side as they are taken."""

    def __init__(self, what: str) -> None:
        self.what = what
        self.fields: dict[str, slice] = {}
        self.count = 0

    def take(self, name: str, width: int = 1) -> int:
        """Lay out a field of so many numbers; its first column."""
        if name in self.fields:
            raise ValueError(f"{self.what} has a field “{name}” already")
        first, self.count = self.count, self.count + width
        self.fields[name] = slice(first, self.count)
        return first

    def put(self, row: NDArray, **values: float | Sequence[float] | NDArray) -> None:
        """Write fields into a row. Raises KeyError for a field that there is not, ValueError for a wrong width.

        ``row`` is (count,).
        """
        for name, value in values.items():
            where = self.fields[name]
            width = where.stop - where.start
            if width > 1 and np.shape(value) != (width,):
                raise ValueError(f"{name} of {self.what} is {width} numbers, not {np.shape(value)}")
            row[where] = value

    def row(self, **values: float | Sequence[float] | NDArray) -> NDArray[np.float64]:
        """A row of zeros (count,) float64 with fields written."""
        made = np.zeros(self.count, np.float64)
        self.put(made, **values)
        return made

    def read(self, row: NDArray) -> dict[str, Any]:
        """All fields of a row by name: a number, or an array of as many as the field is wide. ``row`` is (count,)."""
        return {
            name: row[where].copy() if where.stop - where.start > 1 else float(row[where.start])
            for name, where in self.fields.items()
        }
