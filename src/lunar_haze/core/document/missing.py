"""Files that a document names and that are not there, and where they have gone."""

import json
from collections.abc import Callable
from pathlib import Path

from lunar_haze.core.document.files import from_json, holders_of_paths, load, refuse, to_json
from lunar_haze.core.document.model import Document


def missing_files(document: Document) -> list[Path]:
    """Every file that the document names and that is not there, the place first."""
    named = [Path(document.place.path)] if document.place.path else []
    named += [Path(holder["path"]) for holder in holders_of_paths(json.loads(to_json(document, None)))]
    return [path for path in dict.fromkeys(named) if not path.is_file()]


def load_found(
    path: Path,
    ask_missing: Callable[[list[Path]], Path | None] = lambda missing: None,
    may_read: Callable[[list[Path]], bool] = refuse,
) -> tuple[Document, list[str]]:
    """A document as `load` has it; files that are not where it says are looked for where ``ask_missing`` says.

    Raises DocumentError with a sentence to show.
    """
    document, notes = load(path, may_read)
    missing = missing_files(document)
    there = ask_missing(missing) if missing else None
    return (document if there is None else found_in(document, there.parent, {missing[0]: there})), notes


def found_in(document: Document, folder: Path, where: dict[Path, Path]) -> Document:
    """The document with what it misses taken from elsewhere: ``where`` by path, and all else that ``folder`` has."""
    data = json.loads(to_json(document, None))
    for holder in holders_of_paths(data):
        path = Path(holder["path"])
        if path.is_file():
            continue
        there = where.get(path, folder / path.name)
        if there.is_file():
            holder["path"] = str(there)
    moved, _notes = from_json(json.dumps(data), folder, "the document")
    return moved
