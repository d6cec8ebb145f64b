"""Compiled functions that kernels call by address, so that they are compiled once and not again in every caller.

A compiled function that another calls is optimised anew within it, at every level of calling; what
is long and used in many places would make kernels take minutes. Called by name from outside it
costs a plain call.
"""

from collections.abc import Callable
from typing import Any

import llvmlite.binding as llvm
import numba as nb
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

#: Kept alive: their addresses are in use.
_KEPT: list[Any] = []


@intrinsic
def _as_pointer(typing_context, address):

    def generate(context, builder, signature, arguments):
        return builder.inttoptr(arguments[0], cgutils.voidptr_t)

    return types.voidptr(address), generate


#: An integer address as an untyped pointer; the type checker does not see how numba calls it.
as_pointer: Any = _as_pointer


def outside(signature: Any) -> Callable[[Callable], Any]:
    """Decorates a function of plain numbers and addresses (``types.uintp``); the result is for kernels only."""

    def wrap(function: Callable) -> Any:
        name = f"lunar_haze_{function.__name__.strip('_')}"
        compiled = nb.cfunc(signature, cache=True, fastmath=True, error_model="numpy")(function)
        llvm.add_symbol(name, compiled.address)
        _KEPT.append(compiled)
        return types.ExternalFunction(name, signature)

    return wrap
