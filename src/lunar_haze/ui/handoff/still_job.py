"""Writes a still in the background, with progress and a way to stop it."""

import logging
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import HazeError
from lunar_haze.core.layers.model import Part, PlaceSpec
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.folders import log_path
from lunar_haze.service.still import asks_for_clean_layers, compute, hand_over
from lunar_haze.ui.session.aside import Aside, Job, handed

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
        self._job: Job | None = None

    def start(self, aside: Aside) -> None:
        """Begin."""
        self._job = aside.job(self._run)

    def stop(self) -> None:
        """End the job; nothing is written."""
        if self._job is not None:
            self._job.stop()

    def _run(self, job: Job) -> None:
        try:
            self._tell(*self._work(job))
        except HazeError as error:
            self._tell(str(error), True)
        except Exception:
            log.exception("a still failed")
            self._tell(f"the still could not be written; {log_path()} tells why", True)

    def _work(self, job: Job) -> tuple[str, bool]:
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

        def advance(_what: str, done: int, total: int) -> None:
            if not handed(self.progress.emit, done, total):
                job.stop()

        still = compute(request, advance, lambda: job.is_stopped, self._backend)
        if still is None:
            return "the still was stopped; nothing was written", False
        made = hand_over(
            still, request, self._path, self._shot, self._look, with_layers, self._bits, self._part
        )  # fmt: skip
        beside = f", and beside it {' and '.join(p.name for p in made[1:])}" if len(made) > 1 else ""
        return f"wrote {self._path}{beside}", False

    def _tell(self, text: str, is_problem: bool) -> None:
        handed(self.ended.emit, text, is_problem)
