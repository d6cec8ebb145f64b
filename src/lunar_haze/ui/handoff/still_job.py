"""Writes a still in the background, with progress and a way to stop it."""

import logging
import threading
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import HazeError
from lunar_haze.core.layers.model import Part, PlaceSpec
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.folders import log_path
from lunar_haze.service.still import asks_for_clean_layers, compute, hand_over

log = logging.getLogger(__name__)


class StillJob(QObject):
    """Signals: ``progress`` (passes done, passes in all), ``ended`` (text, is_problem)."""

    progress = Signal(int, int)
    ended = Signal(str, bool)

    def __init__(
        self,
        path: Path,
        place: PlaceSpec,
        shot: Shot,
        look: Look,
        size: tuple[int, int],
        passes: int,
        bits: int,
        backend: RenderBackend | None = None,
        layers: bool = True,
        denoise: bool = True,
        part: Part | None = None,
    ) -> None:
        super().__init__()
        self._path, self._place, self._shot, self._look = path, place, shot, look
        self._size, self._passes, self._bits, self._backend = size, passes, bits, backend
        self._layers, self._denoise, self._part = layers, denoise, part
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="still", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """End the job; nothing is written."""
        self._stop.set()

    def wait(self) -> None:
        """Wait for the job's thread."""
        self._thread.join(timeout=10.0)

    def _run(self) -> None:
        try:
            self._tell(*self._work())
        except HazeError as error:
            self._tell(str(error), True)
        except Exception:
            log.exception("a still failed")
            self._tell(f"the still could not be written; {log_path()} tells why", True)

    def _work(self) -> tuple[str, bool]:
        with_layers = self._layers and self._path.suffix.lower() == ".exr"
        request = frame_request(
            1,
            self._place,
            self._shot,
            self._look,
            self._size,
            self._passes,
            self._denoise,
            live=False,
            part=self._part,
            part_alone=self._part is not None,
        )
        request = asks_for_clean_layers(request, self._look, with_layers)
        still = compute(
            request, lambda _what, done, total: self._advance(done, total), self._stop.is_set, self._backend
        )
        if still is None:
            return "the still was stopped; nothing was written", False
        made = hand_over(
            still, request, self._path, self._shot, self._look, with_layers, self._bits, self._part
        )  # fmt: skip
        beside = f", and beside it {' and '.join(p.name for p in made[1:])}" if len(made) > 1 else ""
        return f"wrote {self._path}{beside}", False

    def _advance(self, done: int, total: int) -> None:
        try:
            self.progress.emit(done, total)
        except RuntimeError:
            self._stop.set()

    def _tell(self, text: str, is_problem: bool) -> None:
        try:
            self.ended.emit(text, is_problem)
        except RuntimeError:
            pass  # the window is gone
