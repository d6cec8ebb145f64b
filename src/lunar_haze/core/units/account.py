"""Where the program keeps what it knows of the person who uses it."""

from pathlib import Path

import platformdirs

#: What the program's own folders are called.
NAME = "lunar-haze"


def state_folder() -> Path:
    """Logs, autosaves of documents without a name, recent files, files that were agreed to."""
    return Path(platformdirs.user_state_dir(NAME, appauthor=False))
