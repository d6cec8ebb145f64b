"""Recent documents, kept between runs."""

import json
import logging
from pathlib import Path

log = logging.getLogger(__name__)

LIMIT = 8


class Recent:
    """The list in a file of the state folder."""

    def __init__(self, state_folder: Path) -> None:
        self._file = state_folder / "recent.json"

    def paths(self) -> list[Path]:
        """Those that still exist, the last one first."""
        try:
            return [p for p in map(Path, json.loads(self._file.read_text())) if p.exists()][:LIMIT]
        except (OSError, ValueError, TypeError, RecursionError):
            return []

    def remember(self, path: Path) -> None:
        """Put a document first."""
        kept = [path, *(p for p in self.paths() if p != path)][:LIMIT]
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            self._file.write_text(json.dumps([str(p) for p in kept]))
        except OSError as error:
            log.warning("recent files are not kept: %s", error)
