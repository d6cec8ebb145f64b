"""The facets of what is chosen: a source, the air or the lens; few numbers, in the order of use."""

from collections.abc import Callable

import attrs
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.sources.model import Photometric, Rig, Sky
from lunar_haze.ui import theme
from lunar_haze.ui.air_facets import AirFacets
from lunar_haze.ui.card_facets import CardFacets
from lunar_haze.ui.session import AIR, LENS, Session
from lunar_haze.ui.source_facets import SourceFacets
from lunar_haze.ui.well import Well


class Chip(QWidget):
    """A patch of colour that opens the colour chooser."""

    def __init__(self, tip: str, picked: Callable[[QColor], None]) -> None:
        super().__init__()
        self.colour = QColor("#ffffff")
        self._picked = picked
        self.setFixedSize(44, 20)
        self.setToolTip(tip)
        self.setAccessibleName(tip)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def set_colour(self, text: str) -> None:
        self.colour = QColor(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.colour)
        painter.setPen(theme.qcolor(theme.CHOSEN if self.hasFocus() else theme.EDGE))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.choose()

    def keyPressEvent(self, event: object) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.choose()
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Ask for a colour."""
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(self.colour, self.window(), self.toolTip(), options)
        if colour.isValid():
            self._picked(colour)


def _pattern_of(thing: object) -> str:
    """Which pattern a beam or card has, told by its kind."""
    cutout = getattr(thing, "cutout", None)
    return cutout.kind if cutout is not None else ""


class Facets(QScrollArea):
    """Rebuilt when something else is chosen; refreshed, signals blocked, when values change."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.wells: dict[str, Well] = {}
        #: What the mist does to the picture, in words; the window knows it.
        self.air_words: Callable[[], str] = lambda: ""
        self._refreshers: list[Callable[[], None]] = []
        self._shown: object = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        session.chosen_changed.connect(self.rebuild)
        session.changed.connect(self.refresh)
        session.place_ready.connect(self.rebuild)

    # -- making ---------------------------------------------------------------------------------

    def rebuild(self) -> None:
        """Make the facets of what is chosen anew."""
        self.wells.clear()
        self._refreshers.clear()
        body = QWidget()
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(12, 10, 12, 10)
        self._column.setSpacing(4)
        session = self.session
        source = session.chosen_source
        self._shown = self._signature()
        if not session.is_open:
            self._words("no place is open")
        elif session.chosen == AIR:
            AirFacets(self).fill()
        elif session.chosen == LENS:
            self._lens()
        elif source is not None:
            SourceFacets(self, session.chosen).fill()
        elif session.chosen_card is not None:
            CardFacets(self, session.chosen).fill()
        else:
            self._words(
                "Choose a card under the picture, a mark in the plan, or a lamp in the picture.\n\n"
                "Click a surface to put a source there."
            )
        self._column.addStretch(1)
        # A well may be in the midst of telling of its change: it goes once that is done.
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        self.setWidget(body)
        self.refresh()

    def _words(self, text: str) -> None:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setProperty("quiet", True)
        self._column.addWidget(label)

    def title(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("title", True)
        self._column.addWidget(label)

    def section(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("quiet", True)
        label.setContentsMargins(0, 6, 0, 0)
        self._column.addWidget(label)

    def well(self, name: str, well: Well, read: Callable[[], float], write: Callable[[float], Document]) -> None:
        """Bind a well to the document both ways; a gesture is one step of undo."""
        session = self.session

        def moved(value: float) -> None:
            session.edit(name, write(value), f"{name} {session.chosen}")

        well.moved.connect(moved)
        well.settled.connect(session.seal)
        self._refreshers.append(lambda: well.set_value(read()))
        self.wells[name] = well
        self._column.addWidget(well)

    def _signature(self) -> object:
        """What decides which facets there are."""
        source, card = self.session.chosen_source, self.session.chosen_card
        shape = source.shape if source else None
        detail: object = None
        if isinstance(shape, Sky):
            detail = type(shape.dome), shape.follows_hour
        elif isinstance(shape, Rig):
            detail = type(shape.lamp), shape.arrangement, _pattern_of(shape.lamp)
        elif isinstance(shape, Photometric):
            detail = shape.distribution.name
        elif shape is not None or card is not None:
            detail = _pattern_of(shape or card)
        moves = self.session.document.shot.ends is not None if self.session.is_open else False
        medium = self.session.document.look.medium
        air = len(medium.banks), self.session.chosen_bank, medium.patches.contrast > 0
        return self.session.chosen, type(shape), detail, source.unit if source else "", moves, air

    def refresh(self) -> None:
        """Show the values as they are now."""
        if self._shown != self._signature():
            self.rebuild()
            return
        for refresher in self._refreshers:
            refresher()

    def on_refresh(self, act: Callable[[], None]) -> None:
        """Do something whenever values may have changed."""
        self._refreshers.append(act)

    @staticmethod
    def chip(tip: str, picked: Callable[[QColor], None]) -> Chip:
        """A patch of colour to choose."""
        return Chip(tip, picked)

    def check(
        self, text: str, tip: str, read: Callable[[], bool], write: Callable[[bool], Document]
    ) -> QCheckBox:
        """A check box bound to the document both ways; the caller lays it in a row."""
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda on: self.session.act(text, write(on)))
        self._refreshers.append(lambda: box.setChecked(read()))
        return box

    def row(self, *widgets: QWidget) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in widgets:
            row.addWidget(widget)
        self._column.addLayout(row)

    def vector_well(
        self, group: str, field: str, axis: int, label: str, now: Callable, shaped: Callable[..., Document]
    ) -> None:
        def read() -> float:
            return getattr(now().shape, field)[axis]

        def write(value: float) -> Document:
            vector = list(getattr(now().shape, field))
            vector[axis] = value
            return shaped(**{field: tuple(vector)})

        start = read()
        well = Well(f"{group}, {label}", "m", start - 10.0, start + 10.0, start, floor=-1e5, ceiling=1e5)
        self.well(f"{group} {label}", well, read, write)

    # -- lens -----------------------------------------------------------------------------------

    def _lens(self) -> None:
        session = self.session
        document = session.document

        def camera():
            return session.document.shot.seen_from

        self.title(f"lens of {document.shot.name}")
        self.section("exposure, locked until you change it")
        self.well("exposure", Well("exposure", "EV", -6.0, 18.0, document.look.ev100, floor=-20.0, ceiling=30.0, tip="EV at ISO 100"),
                   lambda: session.document.look.ev100, lambda v: edits.change_look(session.document, ev100=v))  # fmt: skip
        self.well("exposure compensation", Well("exposure compensation", "stops", -5.0, 5.0, 0.0, floor=-20.0, ceiling=20.0),
                   lambda: session.document.look.stops, lambda v: edits.change_look(session.document, stops=v))  # fmt: skip
        self.section("camera" + (", locked" if document.shot.locked else ""))

        def lens(**changes: object) -> Document:
            return edits.change_camera(session.document, attrs.evolve(camera(), **changes))

        self.well("focal length", Well("focal length", "", 14.0, 135.0, 35.0, ratio=True, floor=6.0, ceiling=1200.0, tip="in mm on a 36 mm wide sensor"),
                   lambda: camera().focal_mm, lambda v: lens(focal_mm=v))  # fmt: skip
        self.well("f-number", Well("f-number", "", 0.0, 22.0, 0.0, floor=0.0, ceiling=128.0, tip="0 is sharp everywhere"),
                   lambda: camera().f_number, lambda v: lens(f_number=v))  # fmt: skip
        self.well("focus", Well("focus distance", "m", 0.2, 100.0, 0.0, ratio=True, floor=0.0, ceiling=1e5,
                                tip="0 is where the camera looks; or click a surface and focus there"),
                   lambda: camera().focus_m, lambda v: lens(focus_m=v))  # fmt: skip
        for group, field in (("position", "position"), ("target", "aim")):
            for axis, label in enumerate(("east", "north", "up")):
                self.vector_well(group, field, axis, label, lambda: _Lens(camera()), lens)
        for name, well in self.wells.items():
            if document.shot.locked and name not in ("exposure", "exposure compensation", "f-number", "focus"):
                well.setEnabled(False)
                well.setToolTip("the camera is locked; unlock it beside the shot's name")
        self._move()
        self.section("bounced light")
        self.well("bounces", Well("bounces", "", 0.0, 4.0, 2.0, floor=0.0, ceiling=4.0),
                   lambda: float(session.document.look.bounces), lambda v: edits.change_look(session.document, bounces=round(v)))  # fmt: skip


    def _move(self) -> None:
        """Frames of the shot, and where its camera ends."""
        session = self.session

        def shot():
            return session.document.shot

        def change(**changes: object) -> Document:
            return edits.change_shot(session.document, **changes)

        self.section("frames" + (": the camera moves" if shot().ends is not None else ""))
        for label, field, least in (("first frame", "first_frame", 0.0), ("last frame", "last_frame", 0.0)):
            self.well(label, Well(label, "", 1.0, 240.0, 1.0, floor=least, ceiling=1e6),
                       lambda f=field: float(getattr(shot(), f)),
                       lambda v, f=field: change(**{f: round(v)}))  # fmt: skip
        low, high = float(shot().first_frame), float(max(shot().last_frame, shot().first_frame + 1))
        self.well("frame", Well("frame on screen", "", low, high, low, floor=0.0, ceiling=1e6),
                   lambda: float(shot().frame), lambda v: change(frame=round(v)))  # fmt: skip
        end = QPushButton("the move ends here" if shot().ends is None else "no move")
        end.setToolTip("the camera goes from its start to where it stands now, over the shot's frames")
        end.clicked.connect(self._end_move)
        self.row(end)

    def _end_move(self) -> None:
        session = self.session
        shot = session.document.shot
        if shot.ends is not None:
            session.edit("no move", edits.change_shot(session.document, ends=None, frame=shot.first_frame))
        elif shot.last_frame <= shot.first_frame:
            last = shot.first_frame + 99
            document = edits.change_shot(session.document, ends=shot.camera, last_frame=last, frame=last)
            session.edit("a move of 100 frames", document)
        else:
            document = edits.change_shot(session.document, ends=shot.camera, frame=shot.last_frame)
            session.edit("a move", document)
        session.seal()


@attrs.frozen
class _Lens:
    """Gives a camera the face of a source, for the wells of positions."""

    shape: object
