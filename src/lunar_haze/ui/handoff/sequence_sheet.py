"""The part of the hand-off sheet that is about sequences: which frames, which kind, and those that are on their way."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtWidgets import QLabel, QLineEdit, QSizePolicy, QWidget

from lunar_haze.core.document.model import Shot
from lunar_haze.core.units.row import Row, row
from lunar_haze.service.sequence import SequenceSpec
from lunar_haze.ui.base.short_label import ShortLabel
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.handoff.sequence_job import DONE, FAILED, PAUSED, RUNNING, SequenceJob, Sequences
from lunar_haze.ui.session.session import Session

#: What a sequence is written as: suffix, bits a channel, whether every source has a layer.
FORMS = {
    "film, MP4": (".mp4", 8, False),
    "film, QuickTime": (".mov", 8, False),
    "film, WebM": (".webm", 8, False),
    "PNG, 8 bits": (".png", 8, False),
    "PNG, 16 bits": (".png", 16, False),
    "TIFF, 16 bits": (".tif", 16, False),
    "OpenEXR": (".exr", 16, False),
    "OpenEXR with a layer for each source": (".exr", 16, True),
}


@attrs.frozen
class SequenceOrder:
    """Which frames of the shot are asked for, and as what; kept between starts."""

    form: str = "film, MP4"
    pattern: str = "{shot} {look}"
    step: int = 1

    @property
    def written_as(self) -> tuple[str, int, bool]:
        """Suffix, bits a channel, and whether every source has a layer."""
        return FORMS.get(self.form, FORMS["film, MP4"])

    def name(self, shot: str, look: str) -> str:
        """The name of the film, or that of the stills with #### for their number."""
        suffix = self.written_as[0]
        words = self.pattern.replace("{shot}", shot).replace("{look}", look).replace("/", "-").strip() or "sequence"
        is_film = suffix in (".mp4", ".mov", ".webm")
        return words + suffix if is_film or "#" in words else f"{words} ####{suffix}"


def frame_rows(shot: Shot) -> tuple[Row, Row, Row]:
    """First and last frame of a sequence and its step, for a shot."""
    low, high = float(shot.first_frame), float(max(shot.last_frame, shot.first_frame + 1))
    span: dict[str, Any] = {"whole": True, "floor": 0.0, "ceiling": 1e6}
    return (
        row("sequence first", "first frame", "first", "", low, high, low, tip="where the sequence begins", **span),
        row("sequence last", "last frame", "last", "", low, high, high, tip="where it ends", **span),
        row("step", "every", "step", "", 1.0, 25.0, 1.0, whole=True, floor=1.0, ceiling=1e5,
            tip="1 every frame, 2 every second one"),
    )  # fmt: skip


class SequenceSheet:
    """Fills sections of a column with the sequence that is asked for, and with those on their way."""

    def __init__(
        self,
        session: Session,
        sequences: Sequences,
        order: Callable[[], SequenceOrder],
        change: Callable[[SequenceOrder], None],
        spec: Callable[[Path, int, int, int], SequenceSpec],
        folder: Callable[[], Path],
        parent: QWidget,
    ) -> None:
        self._session, self.sequences = session, sequences
        self._order, self._change, self._spec, self._folder = order, change, spec, folder
        self._parent = parent
        self._span: tuple[str, int, int] | None = None

    @property
    def span(self) -> tuple[int, int]:
        """First and last frame that are asked for: the shot's own until a hand has changed them."""
        shot = self._session.document.shot
        if self._span is None or self._span[0] != shot.name:
            return shot.first_frame, shot.last_frame
        return self._span[1], self._span[2]

    @property
    def path(self) -> Path:
        """Where the sequence goes."""
        document = self._session.document
        return self._folder() / self._order().name(document.current_shot, document.current_look)

    def fill(self, column: Column) -> None:
        """The sections' widgets."""
        column.keep(self)
        column.section("sequence")
        choice = column.choice(
            "format of the sequence", "a film, or numbered stills", FORMS, lambda text: self._put(column, form=text),
            lambda: self._order().form,
        )  # fmt: skip
        choice.setSizeAdjustPolicy(choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        column.lay(QLabel("format"), choice)
        first, last, step = frame_rows(self._session.document.shot)
        self._well(column, first, self.span[0], lambda v: self._take_span(column, v, self.span[1]))
        self._well(column, last, self.span[1], lambda v: self._take_span(column, self.span[0], v))
        self._well(column, step, self._order().step, lambda v: self._put(column, step=v))
        pattern = QLineEdit(self._order().pattern)
        pattern.setAccessibleName("name of the sequence")
        pattern.setToolTip("{shot} and {look} stand for those on screen, #### for the frame's number")
        pattern.editingFinished.connect(lambda: self._put(column, pattern=pattern.text().strip() or "{shot} {look}"))
        column.lay(QLabel("name"), pattern)
        where = column.words("")
        where.setAccessibleName("where the sequence goes")
        column.on_refresh(lambda: where.setText(str(self.path)))
        column.lay(column.button("write the sequence", "in the background; it can be paused and resumed", self.write))
        for job in self.sequences.jobs:
            self._fill_job(column, job)

    def _fill_job(self, column: Column, job: SequenceJob) -> None:
        name = ShortLabel(job.name)
        name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.lay(name)
        words = column.words("")
        words.setAccessibleName(f"state of {job.name}")
        column.on_refresh(lambda: words.setText(job.words))
        text = {RUNNING: "pause", PAUSED: "go on", FAILED: "try again"}.get(job.state, "")
        tools = []
        if text:
            tools.append(column.button(text, "what is done stays done", lambda: self.sequences.toggle(job)))
        over = job.state == DONE
        tip = "off the list; what is written stays"
        tools.append(column.button("clear" if over else "stop", tip, lambda: self.sequences.remove(job)))
        column.lay(*tools)

    def _well(self, column: Column, one: Row, value: float, take: Callable[[int], None]) -> None:
        well = Well.of(one)
        well.set_value(float(value))
        well.moved.connect(lambda v: take(round(v)))
        column.wells[one.name] = well
        column.lay(well)

    def _take_span(self, column: Column, first: int, last: int) -> None:
        self._span = (self._session.document.current_shot, first, last)
        column.refresh()

    def _put(self, column: Column, **changes: Any) -> None:
        self._change(attrs.evolve(self._order(), **changes))
        column.refresh()

    def write(self) -> SequenceJob | None:
        """Begin the sequence that is asked for."""
        if not self._session.is_open:
            return None
        first, last = self.span
        return self.sequences.add(self._spec(self.path, first, last, self._order().step), self._parent)
