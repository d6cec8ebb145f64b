"""Large grading tables are read aside: the picture is shown without one until it is here."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal, SignalInstance

from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.tables import content_of, is_at_hand
from lunar_haze.core.finish.values import TableFile
from lunar_haze.service.table_trial import tried_table
from lunar_haze.ui.session.aside import Aside


class TablesAside(QObject):
    """``here`` when another table can be used; ``said`` (text, is_problem) is the artist's."""

    here = Signal()
    _read = Signal(object, object)

    def __init__(self, aside: Aside, said: SignalInstance) -> None:
        super().__init__()
        self._aside, self._said = aside, said
        #: Tables that are being read or that could not be, by path and digest.
        self._asked: set[tuple[str, str]] = set()
        self._read.connect(self._take)

    def is_here(self, table: TableFile | None) -> bool:
        """Whether a table can be used now; where it cannot it is read."""
        if table is None or is_at_hand(table):
            return True
        name = table.path, content_of(table)
        if name not in self._asked:
            self._asked.add(name)
            self._said.emit(f"{Path(table.path).name} is being read; the picture is shown without it until then", False)
            self.open(Path(table.path), table.space, lambda read: None)
        return False

    def open(self, path: Path, space: str, take: Callable[[TableFile], None]) -> None:
        """Read a table: ``take`` gets it on the window's thread, what is wrong is told."""
        try:
            is_small = is_at_hand(TableFile(str(path)))
            found: TableFile | str = tried_table(path, space) if is_small else ""
        except PictureError as error:
            is_small, found = True, str(error)
        if is_small:
            self._take(take, found)
            return

        def read() -> TableFile | str:
            try:
                return tried_table(path, space)
            except PictureError as error:
                return str(error)

        self._aside.then(read, lambda read: self._read.emit(take, read or f"{path.name} cannot be read"))

    def _take(self, take: Callable[[TableFile], None], found: TableFile | str) -> None:
        if isinstance(found, str):
            self._said.emit(found, True)
            return
        take(found)
        self.here.emit()
