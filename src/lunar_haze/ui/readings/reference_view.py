"""The look's reference picture beside the picture: seen, wiped against, and matched."""

import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QDragEnterEvent, QDropEvent, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from lunar_haze.core.colour.spaces import hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.balance import BalanceChange
from lunar_haze.core.document.light_colours import with_light_of
from lunar_haze.core.document.model import ReferenceFile
from lunar_haze.core.errors import PictureError
from lunar_haze.core.picture.reference import SUFFIXES, Reference, read_reference
from lunar_haze.core.readings.palette import Swatch, palette
from lunar_haze.core.readings.screen import screen_lab
from lunar_haze.core.solve.match import SURE, Matched, match
from lunar_haze.core.units.content import digest_or_none
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.palette_strip import PaletteStrip
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.session.session import Session

_KINDS = "Pictures (" + " ".join(f"*{suffix}" for suffix in SUFFIXES) + ")"


def reference_palette(reference: Reference) -> tuple[Swatch, ...]:
    """The colours of a reference picture."""
    step = max(reference.pixels.shape[1] // 240, 1)
    return palette(screen_lab(np.ascontiguousarray(reference.pixels[::step, ::step]))).swatches


class _Shown(QWidget):
    """The reference picture itself, as large as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.setMinimumHeight(80)
        self.setAccessibleName("reference picture")

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.qcolor(theme.SURROUND))
        if self.image is None:
            painter.setPen(theme.qcolor(theme.DIM))
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                "no reference yet: open a picture, or let one fall here",
            )
            return
        scale = min(self.width() / self.image.width(), self.height() / self.image.height())
        width, height = self.image.width() * scale, self.image.height() * scale
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF((self.width() - width) / 2, (self.height() - height) / 2, width, height), self.image)


class ReferenceView(QWidget):
    """``wiped`` (image) when the picture is to be wiped against the reference."""

    wiped = Signal(object)
    _matched = Signal(object)

    def __init__(self, session: Session, bridge: RenderBridge, balance: Balance) -> None:
        super().__init__()
        self._session, self._bridge, self._balance = session, bridge, balance
        self.reference: Reference | None = None
        self._of: ReferenceFile | None = None
        self._stop, self._busy = threading.Event(), False
        self.setAcceptDrops(True)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        rows.setSpacing(5)
        self.shown = _Shown()
        rows.addWidget(self.shown, 1)
        first = QHBoxLayout()
        self.open_button = self._button("open ...", "a photograph or a frame to come near to", self.ask)
        self.wipe_button = self._button("wipe", "wipe the picture against it (W)", self._wipe)
        self.drop_button = self._button("delete", "the look has no reference any longer", self.delete)
        for button in (self.open_button, self.wipe_button, self.drop_button):
            first.addWidget(button)
        rows.addLayout(first)
        second = QHBoxLayout()
        self.match_button = self._button(
            "match", "move dimmers so that tone, palette and place come near; shown before it is taken", self.match
        )
        self.exposure = QCheckBox("and exposure")
        self.exposure.setToolTip("let exposure move as well")
        self.exposure.setChecked(True)
        self.colours = QCheckBox("and colours")
        self.colours.setToolTip("let lamps become warmer or cooler, by 60 mired at the most")
        self.colours.setChecked(True)
        self.white = QCheckBox("and white balance")
        self.white.setToolTip("let what is drawn grey move, in the finish")
        self.white.setChecked(True)
        second.addWidget(self.match_button)
        second.addWidget(self.exposure)
        second.addWidget(self.colours)
        second.addWidget(self.white)
        second.addStretch(1)
        rows.addLayout(second)
        self.strip = PaletteStrip()
        self.strip.setToolTip("the reference's colours: click one to give it to a light")
        self.strip.clicked.connect(self._offer_colour)
        rows.addWidget(self.strip)
        self.words = QLabel("")
        self.words.setWordWrap(True)
        self.words.setProperty("quiet", True)
        rows.addWidget(self.words)
        session.changed.connect(self._follow)
        session.opened.connect(self._follow)
        self._matched.connect(self._take)
        self._refresh()

    @staticmethod
    def _button(text: str, tip: str, act: Callable[[], object]) -> QPushButton:
        made = QPushButton(text)
        made.setToolTip(tip)
        made.clicked.connect(lambda: act())
        return made

    def _say(self, text: str) -> None:
        self._busy = False
        self.words.setText(text)
        self._session.said.emit(text, True)
        self._refresh()

    # -- which ------------------------------------------------------------------------------------

    def ask(self) -> None:
        """Ask for a reference picture."""
        if not self._session.is_open:
            return
        folder = str(self._session.path.parent) if self._session.path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self.window(), "a reference picture", folder, _KINDS)
        if name:
            self.use(Path(name))

    def use(self, path: Path) -> None:
        """Let a picture be the look's reference."""
        try:
            read_reference(path)
        except PictureError as error:
            self._say(str(error))
            return
        file = ReferenceFile(str(path.resolve()), digest_or_none(str(path)))
        self._session.act("a reference", edits.change_look(self._session.document, reference=file))

    def delete(self) -> None:
        """Leave the look without a reference."""
        if self._of is not None:
            self._session.act("no reference", edits.change_look(self._session.document, reference=None))

    def _follow(self) -> None:
        """Show the reference of the look on screen."""
        wanted = self._session.document.look.reference if self._session.is_open else None
        if wanted == self._of:
            return
        self._of, self.reference, self.shown.image = wanted, None, None
        self.words.setText("")
        if wanted is not None:
            try:
                self.reference = read_reference(Path(wanted.path))
            except PictureError as error:
                self.words.setText(str(error))
            else:
                pixels = np.ascontiguousarray(self.reference.pixels)
                height, width = pixels.shape[:2]
                self.shown.image = QImage(pixels.data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
                self.words.setText("; ".join(self.reference.remarks))
        self._refresh()

    def _refresh(self) -> None:
        there = self.reference is not None
        self.wipe_button.setEnabled(there)
        self.drop_button.setEnabled(self._of is not None)
        self.strip.setVisible(there)
        self.strip.swatches = () if self.reference is None else reference_palette(self.reference)
        self.strip.update()
        self.match_button.setEnabled(there)
        self.match_button.setText("stop" if self._busy else "match")
        self.shown.update()

    def _wipe(self) -> None:
        if self.shown.image is not None:
            self.wiped.emit(self.shown.image)

    def _offer_colour(self, swatch: Swatch) -> None:
        """A menu of the lights that could have a colour of the reference."""
        session = self._session
        self._menu = QMenu(self)
        rgb = hex_to_acescg(QColor.fromRgbF(*swatch.rgb).name())

        def give(source_id: str) -> None:
            document = with_light_of(session.document, source_id, rgb, session.atmosphere)
            session.act("colour from the reference", document)

        for source in session.document.look.sources:
            self._menu.addAction(f"give it to {source.name}", lambda i=source.id: give(i))
        self._menu.popup(self.strip.mapToGlobal(self.strip.rect().bottomLeft()))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if any(url.toLocalFile().lower().endswith(SUFFIXES) for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        files = [url.toLocalFile() for url in event.mimeData().urls()]
        picture = next((f for f in files if f.lower().endswith(SUFFIXES)), None)
        if picture is not None and self._session.is_open:
            self.use(Path(picture))
            event.acceptProposedAction()

    # -- match ------------------------------------------------------------------------------------

    def match(self) -> None:
        """Begin to match, or stop it."""
        if self._busy:
            self._stop.set()
            return
        shares = self._balance.present_shares()
        if shares is None or self.reference is None:
            self._session.said.emit("waiting for the picture: a part of its light is not here yet", False)
            return
        self._busy, self._stop = True, threading.Event()
        self.words.setText("matching ...")
        self._refresh()
        table, pixels, held = self._bridge.shown.screen.table, self.reference.pixels, self._balance.locked
        with_exposure, look = self.exposure.isChecked(), self._session.document.look
        sources, white, with_white = look.sources, look.finish.in_force.white, self.white.isChecked()
        kelvins = {s.id: s.kelvin for s in sources if s.kelvin is not None} if self.colours.isChecked() else {}

        def show(picture: NDArray[np.float32], scale: float) -> NDArray[np.uint8]:
            return table.show(picture, scale, dither=False)[..., 2::-1]

        stop = self._stop
        self._session.aside.then(
            lambda: match(shares, pixels, show, held, with_exposure, stop.is_set, kelvins, white, with_white),
            self._matched.emit,
        )

    def _take(self, found: Matched | None) -> None:
        self._busy = False
        if found is None:
            self._say("these two pictures cannot be matched; the log tells why")
            return
        names = {s.id: s.name for s in self._session.document.look.sources}
        unsure = [names[i] for i, move in found.moves if found.sigma[i] > 2 * SURE and i in names and abs(move) > 0.1]
        words = found.words
        if unsure:
            words += "; less sure of " + ", ".join(unsure[:4])
        self.words.setText(words)
        if not self._stop.is_set():
            self._balance.propose(
                BalanceChange("match the reference", found.moves, (), found.exposure, found.mireds, found.white)
            )
        self._refresh()
