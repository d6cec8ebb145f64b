"""Arrays as compiled functions need them, checked once where Python calls: inside nothing looks at bounds.

A form names the sides and the number type of an array, ``"h w 3 f4"``: numbers stand for themselves, a letter for any
length that is the same wherever the letter stands in one call. ``"h w f4 | 1 1 f4"`` gives a choice. Arrays are
C-contiguous unless the form ends in ``any``. What is no array (numbers, tuples) has no form.
"""

import functools
import inspect
from collections.abc import Callable
from typing import Any

import numpy as np

Sides = dict[str, int]


class ShapeError(TypeError):
    """A compiled function was called with an array that it would read past the end of, or misread."""


def _fits(array: Any, form: str, sides: Sides) -> Sides | None:
    """The lengths that letters have after an array took a form, None where it does not take it."""
    *wanted, kind = form.removesuffix(" any").split()
    if not isinstance(array, np.ndarray) or array.dtype != np.dtype(kind) or array.ndim != len(wanted):
        return None
    if not array.flags.c_contiguous and not form.endswith(" any"):
        return None
    found = dict(sides)
    for side, length in zip(wanted, array.shape, strict=True):
        if found.setdefault(side, int(side) if side.isdigit() else length) != length:
            return None
    return found


def check(what: str, values: dict[str, Any], forms: dict[str, str], sides: Sides | None = None) -> None:
    """Raise ShapeError for the first of some named arrays that has not its form; ``sides`` are known lengths."""
    known = dict(sides or {})
    for name, form in forms.items():
        fitting = (_fits(values[name], one.strip(), known) for one in form.split("|"))
        found = next((each for each in fitting if each is not None), None)
        if found is None:
            value = values[name]
            is_array = isinstance(value, np.ndarray)
            got = f"{value.shape} {value.dtype}" if is_array else type(value).__name__
            told = ", ".join(f"{side} = {length}" for side, length in known.items() if not side.isdigit())
            raise ShapeError(f"{what}: {name} is {got}, not {form}{f' with {told}' if told else ''}")
        known = found


def entry(**forms: str) -> Callable[[Any], Any]:
    """Decorates a compiled function that Python calls: its arrays are checked by their names (see the module)."""

    def wrap(kernel: Any) -> Any:
        names = tuple(inspect.signature(getattr(kernel, "py_func", kernel)).parameters)
        if unknown := set(forms) - set(names):
            raise ValueError(f"{kernel.__name__} has no arguments {', '.join(sorted(unknown))}")

        @functools.wraps(getattr(kernel, "py_func", kernel))
        def called(*given: Any) -> Any:
            check(kernel.__name__, dict(zip(names, given, strict=True)), forms)
            return kernel(*given)

        called.kernel = kernel  # type: ignore[attr-defined]
        return called

    return wrap
