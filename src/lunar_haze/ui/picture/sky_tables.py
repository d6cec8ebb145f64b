"""Waits for the tables of a look's air, which are made aside when they are not there."""

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look
from lunar_haze.core.plan.frames import airs_of
from lunar_haze.core.sky.tables import is_ready, tables_of
from lunar_haze.ui.session.aside import Aside


class SkyTables(QObject):
    """``began`` and ``made`` when tables are being made and are there; no two are made at once."""

    began = Signal()
    made = Signal()

    def __init__(self, aside: Aside) -> None:
        super().__init__()
        self._aside = aside
        self._making = False
        self.made.connect(self._done)

    def are_there(self, look: Look) -> bool:
        """Whether all tables of a look are there; what is missing is made, and the asking to be repeated."""
        missing = next((air for air in airs_of(look) if not is_ready(air)), None)
        if missing is None:
            return True
        if not self._making:
            self._making = True
            self.began.emit()
            # Whatever comes of it, the next look may need another sky.
            self._aside.then(lambda: tables_of(missing), lambda _tables: self.made.emit())
        return False

    def _done(self) -> None:
        self._making = False
