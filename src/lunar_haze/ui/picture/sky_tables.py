"""Waits for the tables of a look's air, which are made aside when they are not there."""

import logging
import threading

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look
from lunar_haze.core.plan.frames import airs_of
from lunar_haze.core.sky.tables import is_ready, tables_of

log = logging.getLogger(__name__)


class SkyTables(QObject):
    """``began`` and ``made`` when tables are being made and are there; no two are made at once."""

    began = Signal()
    made = Signal()

    def __init__(self) -> None:
        super().__init__()
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

            def make() -> None:
                try:
                    tables_of(missing)
                except Exception:
                    log.exception("the tables of a sky cannot be made")
                finally:
                    # Whatever happened, the next look may need another sky.
                    try:
                        self.made.emit()
                    except RuntimeError:
                        pass  # the window is closing

            threading.Thread(target=make, name="sky", daemon=True).start()
        return False

    def _done(self) -> None:
        self._making = False
