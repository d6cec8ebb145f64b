"""What all commands share: sentences on the error stream, documents and sizes as they are typed."""

import re
from pathlib import Path

import typer
from rich.console import Console

from lunar_haze.core.document.files import load
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import DocumentError

says = Console(stderr=True, highlight=False)


def parse_size(text: str) -> tuple[int, int]:
    """Width and height [px] of a text such as ``960x540``."""
    match = re.fullmatch(r"(\d+)x(\d+)", text.strip().lower())
    if not match or not all(16 <= int(v) <= 16384 for v in match.groups()):
        raise typer.BadParameter(f"“{text}” is not a size in pixels such as 960x540 (16 to 16384 each way)")
    return int(match[1]), int(match[2])


def open_document(path: Path, to_save: bool = False) -> Document:
    """The document of a file; what could not be read of it is told.

    Raises DocumentError; also for one ``to_save`` that would lose files which may not be read.
    """
    refused: list[Path] = []

    def may_read(paths: list[Path]) -> bool:
        refused.extend(paths)
        return False

    document, notes = load(path, may_read)
    for note in notes:
        says.print(f"note: {note}", markup=False)
    if refused and to_save:
        raise DocumentError(f"{path.name} is lit with files elsewhere; allow them first: lunar-haze trust {path}")
    if refused:
        says.print(f"note: if you know where it comes from: lunar-haze trust {path}", markup=False)
    return document
