"""Parts of a document whose file holds faults: each costs its own value, which is told and kept aside.

What is wrong is looked for in rounds: first what has not the type of its field, then what the checks of an edit refuse.
A number past what its row takes becomes the nearest that it takes; what else is wrong is taken out, so that it is what
a new value begins with. What cannot be without it goes too: the nearest thing in a list, at worst the whole.
"""

import copy
import math
from collections.abc import Callable, Iterator
from typing import Any

import attrs
from cattrs import AttributeValidationNote, IterableValidationNote

from lunar_haze.core.document.checks import Fault, Path, faults_in, too_many

#: More rounds than that find nothing new: what is left has no end.
_ROUNDS = 24
#: So many faults of a thing are told one by one.
_TOLD = 6


@attrs.frozen
class Mended:
    """A value that was read and the JSON that it is of, what was wrong in sentences, and what was lost: pairs of path
    and value.
    """

    value: Any
    read_of: Any
    sentences: tuple[str, ...]
    lost: tuple[tuple[list[str | int], Any], ...]


def mended(item: Any, kind: type, structure: Callable[[Any, type], Any]) -> Mended:
    """A value of ``kind`` from JSON by way of ``structure``. Raises ValueError where nothing of it can be read."""
    data = item
    sentences: list[str] = []
    lost: list[tuple[list[str | int], Any]] = []

    def take_out(faults: list[Fault]) -> None:
        nonlocal data
        targets: dict[Path, Fault] = {}
        for fault in faults:
            targets.setdefault(_removable(data, fault.path), fault)
        if data is item:
            data = copy.deepcopy(item)
        for path, fault in sorted(targets.items(), key=lambda pair: _order(pair[0]), reverse=True):
            if any(path[:length] in targets for length in range(len(path))):
                continue
            if not path:
                raise ValueError(fault.sentence)
            sentences.append(fault.sentence)
            holder, last = _at(data, path[:-1]), path[-1]
            lost.append((list(path), holder[last]))
            if fault.instead is not None and path == fault.path and _is_number(holder[last]):
                holder[last] = fault.instead if math.isfinite(fault.instead) else None
            else:
                del holder[last]

    for path, count, most in too_many(data):
        lost.append((list(path), _at(data, path)[most:]))
        told = f"{path[-1]}: {count:,} things are too many; the first {most:,} are read"
        sentences.append(told)
        data = _with(data, path, _at(data, path)[:most])
    for _round in range(_ROUNDS):
        try:
            value = structure(data, kind)
        except Exception as error:  # cattrs raises groups of whatever the fields raise
            take_out(list(_wrong_types(error)))
            continue
        faults = list(faults_in(value))
        if not faults:
            return Mended(value, data, _few(sentences), tuple(lost))
        take_out(faults)
    raise ValueError(sentences[-1] if sentences else "it cannot be read")


def _few(sentences: list[str]) -> tuple[str, ...]:
    found = list(dict.fromkeys(sentences))
    more = len(found) - _TOLD
    return (*found[:_TOLD], f"{more:,} more of the kind") if more > 0 else tuple(found)


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def _order(path: Path) -> tuple:
    """Paths in an order in which the last of a list goes first."""
    return tuple((0, step, "") if isinstance(step, int) else (1, 0, step) for step in path)


def _with(data: Any, path: Path, value: Any) -> Any:
    """JSON with another value at a path; what the path does not lead by is shared."""
    if not path:
        return value
    inside = copy.copy(data)
    inside[path[0]] = _with(data[path[0]], path[1:], value)
    return inside


def _at(data: Any, path: Path) -> Any:
    for step in path:
        data = data[step]
    return data


def _is_there(data: Any, path: Path) -> bool:
    try:
        _at(data, path)
    except (KeyError, IndexError, TypeError):
        return False
    return True


def _removable(data: Any, path: Path) -> Path:
    """The least part at or above a path that can be taken out: a field, or a thing in a list, that is there."""
    while path:
        holder_is_there = _is_there(data, path)
        # One number of a point or a colour cannot go alone.
        alone = isinstance(path[-1], int) and holder_is_there and not isinstance(_at(data, path), (dict, list))
        if holder_is_there and not alone:
            return path
        path = path[:-1]
    return path


def _wrong_types(error: BaseException, path: Path = ()) -> Iterator[Fault]:
    """What a structuring error says, by the path of each fault."""
    if isinstance(error, BaseExceptionGroup):
        for inner in error.exceptions:
            yield from _wrong_types(inner, (*path, *_step_of(inner)))
        return
    where = next((str(step) for step in reversed(path) if isinstance(step, str)), "")
    if isinstance(error, KeyError):
        told = f"{where} is missing" if error.args == (where,) else f"there is no kind {error}"
    else:
        told = str(error).split("\n")[0] or type(error).__name__
        told = f"{where}: {told}" if where and where not in told else told
    yield Fault(path, told[:200])


def _step_of(error: BaseException) -> Path:
    for note in getattr(error, "__notes__", ()):
        if isinstance(note, AttributeValidationNote):
            return (note.name,)
        if isinstance(note, IterableValidationNote) and isinstance(note.index, int):
            return (note.index,)
    return ()
