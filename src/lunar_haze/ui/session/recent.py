"""Recent documents, kept between runs."""

from pathlib import Path

from lunar_haze.service.settings import read_settings, write_settings

LIMIT = 8


class Recent:
    """The list in a file of the state folder."""

    def __init__(self, state_folder: Path) -> None:
        self._file = state_folder / "recent.json"

    def paths(self) -> list[Path]:
        """Those that still exist, the last one first."""
        kept = read_settings(self._file)
        names = [name for name in kept if isinstance(name, str) and "\0" not in name] if isinstance(kept, list) else []
        return [path for path in map(Path, names) if path.exists()][:LIMIT]

    def remember(self, path: Path) -> None:
        """Put a document first."""
        write_settings(self._file, [str(p) for p in [path, *(p for p in self.paths() if p != path)][:LIMIT]])
