"""The hand-off sheet: size, passes, format, folder and name of a still, in the column; the last choices by one key."""

from collections.abc import Iterable
from pathlib import Path
from typing import Any

import attrs
import cattrs
from PySide6.QtWidgets import QApplication, QCheckBox, QFileDialog, QLabel, QLineEdit

from lunar_haze.core.document.model import Document
from lunar_haze.core.layers.model import Part, pixels_of
from lunar_haze.core.units.row import Row, row
from lunar_haze.service.sequence import SequenceSpec
from lunar_haze.service.settings import read_settings, write_settings
from lunar_haze.ui.base import questions
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.handoff.hand_off import HandOff
from lunar_haze.ui.handoff.sequence_job import Sequences
from lunar_haze.ui.handoff.sequence_sheet import SequenceOrder, SequenceSheet
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session

#: What a still is written as: suffix, bits a channel, whether every source has a layer.
FORMS = {
    "PNG, 8 bits": (".png", 8, False),
    "PNG, 16 bits": (".png", 16, False),
    "OpenEXR": (".exr", 16, False),
    "OpenEXR with a layer for each source": (".exr", 16, True),
}
#: Sizes by the shot's frame; a size of one's own is typed.
SIZES = {"the shot's frame": 1.0, "half of it": 0.5, "a quarter of it": 0.25, "twice as large": 2.0, "my own": 0.0}
LARGEST = 16384
_ROWS = (
    row(
        "width",
        "width",
        "width",
        "px",
        320.0,
        7680.0,
        1920.0,
        whole=True,
        ratio=True,
        floor=16.0,
        ceiling=float(LARGEST),
        tip="the height follows from the shot's frame",
    ),
    row(
        "passes",
        "samples per pixel",
        "passes",
        "",
        16.0,
        1024.0,
        256.0,
        whole=True,
        ratio=True,
        floor=1.0,
        ceiling=4096.0,
        tip="samples of every pixel: 64 is quick, 256 clean for most, mist and small lamps want more",
    ),
)


@attrs.frozen
class Order:
    """What is asked for; kept between starts."""

    size: str = "the shot's frame"
    width: int = 1920
    passes: int = 256
    form: str = "PNG, 8 bits"
    denoise: bool = True
    part_alone: bool = True
    folder: str = ""
    pattern: str = "{shot} {look}"
    sequence: SequenceOrder = SequenceOrder()

    def pixels(self, frame_width: int, frame_height: int) -> tuple[int, int]:
        """Width and height [px] for a shot's frame, even, and within what there is."""
        scale = SIZES.get(self.size, 1.0) or self.width / frame_width
        scale = min(scale, LARGEST / max(frame_width, frame_height))
        width, height = (max(round(side * scale) // 2 * 2, 16) for side in (frame_width, frame_height))
        return width, height

    @property
    def written_as(self) -> tuple[str, int, bool]:
        """Suffix, bits a channel, and whether every source has a layer."""
        return FORMS.get(self.form, FORMS["PNG, 8 bits"])

    def name(self, document: Document) -> str:
        """The file's name for the shot and look on screen."""
        shot = document.shot
        words = self.pattern.replace("{shot}", shot.name).replace("{look}", document.look.name)
        words = words.replace("{frame}", f"{shot.frame:04d}").strip() or "still"
        return words.replace("/", "-") + self.written_as[0]


class HandOffSheet:
    """Holds the order, fills a column with it, and writes."""

    def __init__(self, session: Session, bridge: RenderBridge, hand_off: HandOff, file: Path) -> None:
        self._session, self._bridge, self._hand_off, self.file = session, bridge, hand_off, file
        self.sequences = Sequences(session)
        self.frames = SequenceSheet(
            session,
            self.sequences,
            lambda: self.order.sequence,
            lambda order: self._change(sequence=order),
            self.sequence_of,
            lambda: self.folder,
            hand_off.parent,
        )
        try:
            self.order = cattrs.structure(read_settings(file), Order)
        except Exception:  # none yet, or damaged: the usual one serves
            self.order = Order()

    def _change(self, **changes: Any) -> None:
        self.order = attrs.evolve(self.order, **changes)
        write_settings(self.file, attrs.asdict(self.order))

    @property
    def folder(self) -> Path:
        """Where everything goes."""
        start = self._session.path.parent if self._session.path else Path.home()
        return Path(self.order.folder) if self.order.folder and Path(self.order.folder).is_dir() else start

    def sequence_of(self, path: Path, first: int, last: int, step: int) -> SequenceSpec:
        """The sequence of every ``step``-th frame as the sheet has it, written to ``path``."""
        document = self._session.document
        shot, (_suffix, bits, layers) = document.shot, self.order.sequence.written_as
        size = self.order.pixels(shot.frame_width, shot.frame_height)
        return SequenceSpec(
            document,
            shot.name,
            document.current_look,
            first,
            last,
            path,
            size,
            step,
            self.order.passes,
            self.order.denoise,
            layers,
            bits,
        )

    @property
    def path(self) -> Path:
        """Where the still goes."""
        name = Path(self.order.name(self._session.document))
        return self.folder / (name if self.part is None else f"{name.stem} part{name.suffix}")

    @property
    def part(self) -> Part | None:
        """The part of the frame that is written alone, None for all of it."""
        return self._bridge.asking.part if self.order.part_alone else None

    def write(self) -> None:
        """Write the still; a file that is there is asked about."""
        if not self._session.is_open:
            return
        path = self.path
        if path.exists():
            answer = questions.ask(
                self._hand_off.parent, "hand-off", f"{path.name} is there already.", "", ["replace it", "do not write"]
            )
            if answer != "replace it":
                return
        shot = self._session.document.shot
        _suffix, bits, layers = self.order.written_as
        self._hand_off.write_still(
            path,
            bits,
            self.order.pixels(shot.frame_width, shot.frame_height),
            self.order.passes,
            layers=layers,
            denoise=self.order.denoise,
            part=self.part,
        )

    # -- widgets ----------------------------------------------------------------------------------

    def fill(self, column: Column) -> None:
        """The sheet's widgets."""
        column.keep(self)
        column.title("hand-off")
        column.section("picture")
        self._choice(column, "size", "of the still, by the shot's frame", SIZES, "size")
        if self.order.size == "my own":
            self._well(column, _ROWS[0])
        pixels = column.words("")
        column.on_refresh(lambda: pixels.setText(self._told()))
        self._well(column, _ROWS[1])
        clean = QCheckBox("denoised")
        clean.setToolTip("off: with the noise of its samples")
        clean.setChecked(self.order.denoise)
        clean.clicked.connect(lambda on: self._change(denoise=on))
        column.lay(clean)
        if self._bridge.asking.part is not None:
            part = QCheckBox("the render region alone")
            part.setToolTip("only what is inside the rectangle in the picture is computed and written")
            part.setChecked(self.order.part_alone)
            part.clicked.connect(lambda on: self._take_part(column, on))
            column.lay(part)
        column.section("file")
        self._choice(column, "format", "PNG as the picture looks, OpenEXR as the light is", FORMS, "form")
        pattern = QLineEdit(self.order.pattern)
        pattern.setAccessibleName("name of the file")
        pattern.setToolTip("{shot}, {look} and {frame} stand for those on screen")
        pattern.editingFinished.connect(lambda: self._renamed(column, pattern.text()))
        column.lay(QLabel("name"), pattern)
        column.lay(column.button("folder ...", "choose where it goes", lambda: self._ask_folder(column)))
        where = column.words("")
        where.setAccessibleName("where the still goes")
        column.on_refresh(lambda: where.setText(str(self.path)))
        column.lay(
            column.button("write the still", "in the background; its progress is in the line at the top", self.write),
            column.button("copy the picture", "the picture on screen, to the clipboard", self.copy_picture),
        )
        column.lay(
            column.button("write the sky ...", "the sky of the look's moment as a lat-long map", self._hand_off.ask_sky)
        )
        if self._session.document.shot.last_frame > self._session.document.shot.first_frame or self.sequences.jobs:
            self.frames.fill(column)

    def _take_part(self, column: Column, on: bool) -> None:
        self._change(part_alone=on)
        column.refresh()

    def _told(self) -> str:
        shot = self._session.document.shot
        width, height = self.order.pixels(shot.frame_width, shot.frame_height)
        if self.part is not None:
            left, top, right, bottom = pixels_of(self.part, width, height)
            return f"{right - left}x{bottom - top} of {width}x{height} pixels"
        return f"{width}x{height} pixels"

    def _choice(self, column: Column, name: str, tip: str, items: Iterable[str], field: str) -> None:
        def take(text: str) -> None:
            self._change(**{field: text})
            # Another size may show a well more.
            column.rebuild()

        choice = column.choice(name, tip, items, take, lambda: getattr(self.order, field))
        choice.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        column.lay(QLabel(name), choice)

    def _well(self, column: Column, one: Row) -> None:
        well = Well.of(one)
        well.set_value(one.read(self.order))

        def moved(value: float) -> None:
            self._change(**{one.name: int(round(value))})
            column.refresh()

        well.moved.connect(moved)
        column.wells[one.name] = well
        column.lay(well)

    def _renamed(self, column: Column, text: str) -> None:
        self._change(pattern=text.strip() or Order().pattern)
        column.refresh()

    def _ask_folder(self, column: Column) -> None:
        name = QFileDialog.getExistingDirectory(column.window(), "folder for stills", str(self.path.parent))
        if name:
            self._change(folder=name)
            column.refresh()

    def copy_picture(self) -> None:
        """Put the picture on screen on the clipboard."""
        if not self._bridge.shown.image.isNull():
            QApplication.clipboard().setImage(self._bridge.shown.image)
            self._session.said.emit("the picture is on the clipboard", False)
