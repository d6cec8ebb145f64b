"""Hands work on from the window: stills in the background, the sky as a map."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QLabel, QToolButton, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.handoff.sky_file import sky_picture, write_sky
from lunar_haze.core.layers.model import Part
from lunar_haze.service.client import RenderBackend
from lunar_haze.ui.handoff.still_job import StillJob
from lunar_haze.ui.session.session import Session

STILL_PASSES = 256
SKY_SIZE = (2048, 1024)


class HandOff:
    """Asks where things go and writes them; one still at a time, which ``stop_button`` stops."""

    def __init__(self, session: Session, status: QLabel, parent: QWidget) -> None:
        self._session, self._status, self.parent = session, status, parent
        self.still: StillJob | None = None
        self.stop_button = QToolButton(parent)
        self.stop_button.setText("stop")
        self.stop_button.setToolTip("stop writing the still")
        self.stop_button.hide()
        self.stop_button.clicked.connect(lambda: self.still and self.still.stop())
        self._waiting: list[StillJob] = []

    def write_still(
        self,
        path: Path,
        bits: int = 8,
        size: tuple[int, int] | None = None,
        passes: int = STILL_PASSES,
        backend: RenderBackend | None = None,
        layers: bool = True,
        denoise: bool = True,
        part: Part | None = None,
    ) -> None:
        """Write the shot under the look to ``path`` in the background; an EXR with or without ``layers``.

        ``part`` of the frame alone, None for all of it.
        """
        document, spec = self._session.document, self._session.place_spec
        if spec is None:
            return
        shot = document.shot
        still = StillJob(
            path,
            spec,
            shot,
            document.look,
            size or (shot.frame_width, shot.frame_height),
            passes,
            bits,
            backend,
            layers,
            denoise,
            part,
        )
        self._waiting.append(still)
        if self.still is not None:
            self._session.said.emit(f"{path.name} is written after the one that is under way", False)
        self._go_on()

    def _go_on(self) -> None:
        """Begin the next still when none is under way."""
        if self.still is not None or not self._waiting:
            return
        self.still = self._waiting.pop(0)
        self.still.progress.connect(self._tell_progress)
        self.still.ended.connect(self._still_ended)
        self.stop_button.show()
        self.still.start(self._session.aside)

    def _tell_progress(self, done: int, total: int) -> None:
        more = f", {len(self._waiting)} more to write" if self._waiting else ""
        self._status.setText(f"still: {done} of {total} samples per pixel{more}")

    def _still_ended(self, text: str, is_problem: bool) -> None:
        self.still = None
        self.stop_button.hide()
        self._status.setText("")
        self._session.said.emit(text, is_problem)
        self._go_on()

    def ask_sky(self) -> None:
        """Ask where the sky of the look's moment goes, as a lat-long map."""
        look = self._session.document.look
        folder = self._session.path.parent if self._session.path else Path.home()
        name = str(folder / f"{look.name} sky.exr".replace("/", "-"))
        kinds = {
            "OpenEXR, with its sun (*.exr)": True,
            "OpenEXR, without its sun (*.exr)": False,
            "Radiance, with its sun (*.hdr)": True,
            "Radiance, without its sun (*.hdr)": False,
        }
        chosen, kind = QFileDialog.getSaveFileName(self.parent, "write the sky", name, ";;".join(kinds))
        if chosen:
            path = Path(chosen)
            if not path.suffix:
                path = path.with_suffix(".hdr" if "hdr" in kind else ".exr")
            self.write_sky(path, kinds.get(kind, True))

    def write_sky(self, path: Path, with_sun: bool = True, size: tuple[int, int] = SKY_SIZE) -> None:
        """Write the sky over the place at the look's moment to ``path`` in the background."""
        document = self._session.document
        sky = edits.sky_of(document.look, document.place.site)

        def write() -> str:
            write_sky(sky_picture(sky, size[1], size[0], with_sun), path)
            return f"wrote {path.name}: {size[0]}x{size[1]}, {'with' if with_sun else 'without'} its sun"

        self._session.aside.told(write)

    def close(self) -> None:
        """Stop what is being written, and what waits for it."""
        self._waiting.clear()
        if self.still is not None:
            self.still.stop()
