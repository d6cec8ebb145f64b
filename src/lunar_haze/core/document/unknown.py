"""Fields of a document's JSON that this version does not know: found, kept, and put back where they were.

Parts of lists are told by their id or name, so that what was kept finds its owner when others have come or gone.
"""

from typing import Any

#: Under this key of a document's extras they are kept, as pairs of path and value.
UNKNOWN = "unknown_fields"


def _label(item: Any, index: int) -> Any:
    if isinstance(item, dict):
        for name in ("id", "name"):
            if isinstance(item.get(name), str) and item[name]:
                return {name: item[name]}
    return index


def not_known(given: Any, taken: Any, path: tuple = ()) -> list[tuple[list, Any]]:
    """Paths and values of what ``given`` holds and ``taken``, the same part as this version writes it, does not."""
    if isinstance(given, dict) and isinstance(taken, dict):
        found = []
        for key, value in given.items():
            if key in taken:
                found += not_known(value, taken[key], (*path, key))
            elif path:
                found.append(([*path, key], value))
        return found
    if isinstance(given, list) and isinstance(taken, (list, tuple)):
        labels = {repr(_label(item, i)): item for i, item in enumerate(taken)}
        found = []
        for index, item in enumerate(given):
            label = _label(item, index)
            if repr(label) in labels:
                found += not_known(item, labels[repr(label)], (*path, label))
        return found
    return []


def put_back(data: dict, unknown: list) -> None:
    """Lay kept fields back into a document's JSON; what has lost its owner is left out."""
    for path, value in unknown:
        holder: Any = data
        for step in path[:-1]:
            if isinstance(holder, dict) and isinstance(step, str):
                holder = holder.get(step)
            elif isinstance(holder, (list, tuple)):
                holder = next((item for i, item in enumerate(holder) if _label(item, i) == step), None)
            else:
                holder = None
        if isinstance(holder, dict):
            holder.setdefault(path[-1], value)
