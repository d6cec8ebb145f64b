"""What a person has set, kept in small JSON files of the state folder: read whole or not at all, never in the way."""

import json
import logging
from pathlib import Path
from typing import Any

from lunar_haze.core.units.written import put_bytes

log = logging.getLogger(__name__)


def read_settings(file: Path) -> Any:
    """What a file holds; None where there is none yet, or one that cannot be read."""
    try:
        return json.loads(file.read_text())
    except (OSError, ValueError, RecursionError):
        return None


def write_settings(file: Path, value: Any) -> None:
    """Keep a value; where that is not possible the log says so."""
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        put_bytes(file, json.dumps(value).encode())
    except OSError as error:
        log.warning("%s is not kept: %s", file.name, error)
