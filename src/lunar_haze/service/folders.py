"""Where the program keeps what is not the artist's: caches, logs, autosaves of unsaved work."""

import logging
import logging.handlers
from pathlib import Path

import platformdirs

from lunar_haze.core.units.account import NAME, state_folder

__all__ = ["cache_folder", "demo_file", "log_path", "sky_folder", "start_logging", "state_folder"]


def cache_folder() -> Path:
    """Layers and baked tables; may be deleted at any time."""
    return Path(platformdirs.user_cache_dir(NAME, appauthor=False))


def demo_file() -> Path:
    """The demo document that ships with the program."""
    return Path(__file__).resolve().parents[3] / "demo" / "gannet-reach.haze"


def sky_folder() -> Path:
    """Tables of the air, which take a second to make."""
    return cache_folder() / "sky"


def log_path() -> Path:
    """The log file to which errors go with their tracebacks."""
    return state_folder() / "lunar-haze.log"


def start_logging(process: str) -> None:
    """Send the program's log to `log_path`. Without a writable folder nothing is logged."""
    root = logging.getLogger("lunar_haze")
    root.setLevel(logging.INFO)
    try:
        log_path().parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = logging.handlers.RotatingFileHandler(log_path(), maxBytes=1 << 20, backupCount=2)
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter(f"%(asctime)s {process} %(levelname)s %(name)s: %(message)s"))
    for other in root.handlers:
        other.close()
    root.handlers = [handler]
